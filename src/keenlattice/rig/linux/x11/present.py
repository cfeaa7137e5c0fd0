"""When frames that a program presents were shown, by the X server's extension Present; and the requests for it.

Programs present their frames so where a GPU draws them; where the processor does, they copy, and the server has
nothing to tell here.
"""

import struct
import time
from typing import Any

import numpy as np
from numpy.typing import NDArray
from Xlib.protocol import rq

from keenlattice.measure.capture import Floats
from keenlattice.quickly import dataclass

# Word of a frame arrives within a fraction of a millisecond, unless the recorder is kept waiting: then it arrives late,
# and in bunches. The server's stamp is a whole millisecond on the kernel's monotonic clock, which `time.perf_counter`
# reads, too; so a frame was drawn between its stamp and a millisecond after it, however late the word.

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


def drawn(arrived_ms: Floats, stamp_ms: Floats, complete: NDArray[np.bool_]) -> Drawn:
    """The frames behind some reports of drawing.

    Args:
        arrived_ms: when word of each arrived, on the clock of `time.perf_counter`; shape (reports,), rising.
        stamp_ms: the server's stamp of each, which starts again at WRAPS_MS.
        complete: whether it was of the whole window: such a report is a frame; others may be parts of one.
    """
    if not arrived_ms.size:
        return Drawn(arrived_ms, float("nan"))
    near = arrived_ms - np.mod(arrived_ms - stamp_ms + WRAPS_MS / 2, WRAPS_MS) + WRAPS_MS / 2
    stamp = np.round(near)  # whole, as it was sent: beside 2^32 the last digits of a float are lost, for each its own
    behind = arrived_ms - stamp
    if not -1.0 <= behind.min() <= SAME_CLOCK_MS:  # the server is on another machine, or keeps another clock
        return Drawn(_frames(arrived_ms, complete, np.zeros(arrived_ms.size, dtype=bool))[0], float("nan"))
    width = _stamp_width_ms()
    late = behind > width + LATE_MS
    at = np.where(late, stamp + width * _evenly(stamp), np.minimum(arrived_ms, stamp + width))
    return Drawn(*_frames(np.maximum.accumulate(at), complete, late))


def _frames(at: Floats, complete: NDArray[np.bool_], late: NDArray[np.bool_]) -> tuple[Floats, float]:
    """The reports that begin a frame, and the share of those that were late."""
    begins, last = np.ones(at.size, dtype=bool), at[0]
    for place in range(1, at.size):
        begins[place] = at[place] > last and (complete[place] or at[place] - last > SAME_FRAME_MS)
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
    """How long after its stamp a frame may have been drawn: a coarse clock is behind by up to its tick, too."""
    tick_ms = time.clock_getres(COARSE_CLOCK) * 1000
    return 1.0 + tick_ms if tick_ms <= 1.0 else 1.0


COMPLETE_NOTIFY, COMPLETE_MASK = 1, 1 << 1
OF_A_PIXMAP, SKIPPED = 0, 2
GENERIC_EVENT = 35
MAJOR, MINOR = 1, 0
TOLD = struct.Struct("=BBIIIQ")  # kind, mode, event id, window, serial, time in microseconds; more follows


class Present:
    """Asks an X server for word of presented frames.

    Args:
        display: a connection.
    """

    def __init__(self, display: Any) -> None:
        self._display = display
        extension = display.query_extension("Present") if display.has_extension("Generic Event Extension") else None
        self._opcode = extension.major_opcode if extension and extension.present else 0
        if self._opcode:
            PresentVersion(display=display.display, opcode=self._opcode, major=MAJOR, minor=MINOR)

    def watch(self, window: Any) -> int:
        """From now on the server reports what is presented into a window; returns what `forget` takes."""
        if not self._opcode:
            return 0
        number = self._display.display.allocate_resource_id()
        self._select(number, window, COMPLETE_MASK)
        return int(number)

    def forget(self, number: int, window: Any) -> None:
        """Ends that."""
        if number:
            self._select(number, window, 0)
            self._display.display.free_resource_id(number)

    def _select(self, number: int, window: Any, mask: int) -> None:
        PresentInput(display=self._display.display, onerror=lambda *_: None, opcode=self._opcode, number=number,
                     window=window.id, mask=mask)

    def shown_ms(self, event: Any) -> float | None:
        """When the frame that an event reports was shown, in ms of the server's clock; None for any other event, and
        for a frame that was overtaken by the next before it was shown."""
        if not self._opcode or event.type & 0x7F != GENERIC_EVENT or event.extension != self._opcode or \
                event.evtype != COMPLETE_NOTIFY:
            return None
        data = bytes(event.data)
        if len(data) < TOLD.size:
            return None
        kind, mode, *_, at_us = TOLD.unpack_from(data)
        return at_us / 1000 if kind == OF_A_PIXMAP and mode != SKIPPED else None


_HEAD = (rq.ReplyCode(), rq.Pad(1), rq.Card16("sequence_number"), rq.ReplyLength())


class PresentVersion(rq.ReplyRequest):  # type: ignore[misc]
    """Agrees on a version of Present."""

    _request = rq.Struct(rq.Card8("opcode"), rq.Opcode(0), rq.RequestLength(), rq.Card32("major"), rq.Card32("minor"))
    _reply = rq.Struct(*_HEAD, rq.Card32("major"), rq.Card32("minor"), rq.Pad(16))


class PresentInput(rq.Request):  # type: ignore[misc]
    """Asks for word of what is presented into a window."""

    _request = rq.Struct(rq.Card8("opcode"), rq.Opcode(3), rq.RequestLength(), rq.Card32("number"),
                         rq.Card32("window"), rq.Card32("mask"))


class UseKeyboard(rq.ReplyRequest):  # type: ignore[misc]
    """Agrees on a version of the keyboard extension."""

    _request = rq.Struct(rq.Card8("opcode"), rq.Opcode(0), rq.RequestLength(), rq.Card16("major"), rq.Card16("minor"))
    _reply = rq.Struct(rq.ReplyCode(), rq.Card8("supported"), rq.Card16("sequence_number"), rq.ReplyLength(),
                       rq.Card16("major"), rq.Card16("minor"), rq.Pad(20))


class KeyboardControls(rq.ReplyRequest):  # type: ignore[misc]
    """Asks for a keyboard's controls, key repeat among them."""

    _request = rq.Struct(rq.Card8("opcode"), rq.Opcode(6), rq.RequestLength(), rq.Card16("device"), rq.Pad(2))
    _reply = rq.Struct(rq.ReplyCode(), rq.Card8("device"), rq.Card16("sequence_number"), rq.ReplyLength(), rq.Pad(12),
                       rq.Card16("delay"), rq.Card16("interval"), rq.Card16("slow_delay"), rq.Pad(30),
                       rq.Card32("enabled"), rq.Pad(32))


class SetKeyboardControls(rq.Request):  # type: ignore[misc]
    """Sets some of them."""

    _request = rq.Struct(rq.Card8("opcode"), rq.Opcode(7), rq.RequestLength(), rq.Card16("device"), rq.Pad(18),
                         rq.Card32("switched"), rq.Card32("enabled"), rq.Card32("which"), rq.Card16("delay"),
                         rq.Card16("interval"), rq.Card16("slow_delay"), rq.Pad(58))


class OutputProperty(rq.ReplyRequest):  # type: ignore[misc]
    """Asks what a property of an output holds; the library's own request reads its first byte alone."""

    _request = rq.Struct(rq.Card8("opcode"), rq.Opcode(15), rq.RequestLength(), rq.Card32("output"),
                         rq.Card32("name"), rq.Card32("type"), rq.Card32("offset"), rq.Card32("count"),
                         rq.Bool("delete"), rq.Bool("pending"), rq.Pad(2))
    _reply = rq.Struct(rq.ReplyCode(), rq.Card8("format"), rq.Card16("sequence_number"), rq.ReplyLength(),
                       rq.Card32("type"), rq.Card32("after"), rq.LengthOf("value", 4), rq.Pad(12),
                       rq.List("value", rq.Card32Obj))
