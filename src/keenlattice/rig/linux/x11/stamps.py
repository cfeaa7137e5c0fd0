"""When frames were drawn, from when word of them arrived and from the X server's own stamps.

Word of a frame arrives within a fraction of a millisecond, unless the recorder is kept waiting: then it arrives late,
and in bunches. The server's stamp is a whole millisecond on the kernel's monotonic clock, which `time.perf_counter`
reads, too; so a frame was drawn between its stamp and a millisecond after it, however late the word.
"""

import time
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from keenlattice.measure.capture import Floats

COARSE_CLOCK = 6        # CLOCK_MONOTONIC_COARSE, which a server takes if it ticks each millisecond at least
WRAPS_MS = 2.0 ** 32
LATE_MS = 0.5           # beyond what the stamp allows: by so much, word of a frame was kept waiting
SAME_CLOCK_MS = 50.0    # a server on this machine has sent word of its fastest frame in so long
SAME_FRAME_MS = 0.5     # a part of the window drawn so soon after another is of the same frame


@dataclass(frozen=True)
class Drawn:
    """When frames were drawn, in ms on the clock of `time.perf_counter`, rising; shape (frames,); and the share of
    them whose word came late, whose time is known to a millisecond only. NaN for a server on another clock."""

    at_ms: Floats
    late: float


def drawn(arrived_ms: Floats, stamp_ms: Floats, whole: NDArray[np.bool_]) -> Drawn:
    """The frames behind some reports of drawing.

    Args:
        arrived_ms: when word of each arrived, on the clock of `time.perf_counter`; shape (reports,), rising.
        stamp_ms: the server's stamp of each, which starts anew at WRAPS_MS.
        whole: whether it was of the whole window: such a report is a frame; others may be parts of one.
    """
    if not arrived_ms.size:
        return Drawn(arrived_ms, float("nan"))
    near = arrived_ms - np.mod(arrived_ms - stamp_ms + WRAPS_MS / 2, WRAPS_MS) + WRAPS_MS / 2
    stamp = np.round(near)  # whole, as it was sent: beside 2^32 the last digits of a float are lost, for each its own
    behind = arrived_ms - stamp
    if not -1.0 <= behind.min() <= SAME_CLOCK_MS:  # the server is on another machine, or keeps another clock
        return Drawn(_frames(arrived_ms, whole, np.zeros(arrived_ms.size, dtype=bool))[0], float("nan"))
    width = _stamp_width_ms()
    late = behind > width + LATE_MS
    at = np.where(late, stamp + width * _evenly(stamp), np.minimum(arrived_ms, stamp + width))
    return Drawn(*_frames(np.maximum.accumulate(at), whole, late))


def _frames(at: Floats, whole: NDArray[np.bool_], late: NDArray[np.bool_]) -> tuple[Floats, float]:
    """The reports that begin a frame, and the share of those that were late."""
    begins, last = np.ones(at.size, dtype=bool), at[0]
    for place in range(1, at.size):
        begins[place] = at[place] > last and (whole[place] or at[place] - last > SAME_FRAME_MS)
        last = at[place] if begins[place] else last
    return at[begins], float(late[begins].mean())


def _evenly(stamp: Floats) -> Floats:
    """Where in its millisecond each of those of one stamp is put: in the middle, or evenly if there are several."""
    _, which, count = np.unique(stamp, return_inverse=True, return_counts=True)
    first = np.concatenate([[0], np.cumsum(count)[:-1]])
    rank = np.empty(stamp.size)
    rank[np.argsort(which, kind="stable")] = np.arange(stamp.size) - np.repeat(first, count)
    return np.asarray((rank + 0.5) / count[which])


def _stamp_width_ms() -> float:
    """How long after its stamp a frame may have been drawn: a coarse clock is behind by up to its tick, besides."""
    tick_ms = time.clock_getres(COARSE_CLOCK) * 1000
    return 1.0 + tick_ms if tick_ms <= 1.0 else 1.0
