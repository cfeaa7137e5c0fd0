"""When each frame begins, is rendered and is shown: each waits for the ones before it.

All that a frame takes is a whole number of ticks, and a tick is a power of two. Sums of such times are exact, in
whatever order they are added: frame by frame or all at once, a run gives the very same times.
"""

import math
from typing import Any

import numpy as np

from keenlattice.measure.capture import Floats
from keenlattice.quickly import dataclass

TICKS_PER_MS = 2.0**20  # a tick is about a nanosecond; a double counts them for a hundred days
AT_ONCE_FROM, MOST_PASSES = 4, 15
AT_NO_REFRESH, AT_A_REFRESH, AT_LEAST_APART, AT_A_REFRESH_OR_LATE = range(4)
SHOWN = {"off": AT_NO_REFRESH, "variable": AT_LEAST_APART, "only-above-refresh": AT_A_REFRESH_OR_LATE}


@dataclass(frozen=True)
class Times:
    """When each frame begins, is rendered and is shown, in ms; each of shape (frames,)."""

    begins: Floats
    rendered: Floats
    shown: Floats


@dataclass(frozen=True)
class Rules:
    """What frames wait for; as in `Pipeline`. `lead_ms` is infinite where no frame is held back for the GPU."""

    in_flight: int
    gap_ms: float
    lead_ms: float
    shown: int
    period_ms: float
    buffers: int

    @property
    def nothing_but_the_queue(self) -> bool:
        """Whether a frame waits for no cap, no refresh and no GPU."""
        return self.gap_ms == 0 and self.lead_ms == math.inf and self.shown == AT_NO_REFRESH


def in_ticks(ms: Floats | float) -> Any:
    """A time, or several, to the nearest tick."""
    return np.rint(np.multiply(ms, TICKS_PER_MS)) * (1 / TICKS_PER_MS)


def run(rules: Rules, cpu_ms: Floats, gpu_ms: Floats, late_ms: Floats) -> Times:
    """When the frames of a run come.

    Args:
        cpu_ms, gpu_ms: what each takes on either.
        late_ms: how late a limiter wakes, should it hold the frame. All in whole ticks, of shape (frames,).
    """
    if rules.nothing_but_the_queue and rules.in_flight >= AT_ONCE_FROM:
        quick = all_at_once(rules, cpu_ms, gpu_ms)
        if quick:
            return quick
    return one_by_one(rules, cpu_ms, gpu_ms, late_ms)


def one_by_one(rules: Rules, cpu_ms: Floats, gpu_ms: Floats, late_ms: Floats) -> Times:
    """Frame by frame; over lists, which Python indexes several times quicker than arrays."""
    begins, rendered, shown = ([0.0] * (cpu_ms.size + more) for more in (0, rules.in_flight, rules.buffers))
    _loop(cpu_ms.tolist(), gpu_ms.tolist(), late_ms.tolist(), begins, rendered, shown, rules.gap_ms, rules.lead_ms,
          rules.shown, rules.period_ms)
    ready, seen = np.asarray(rendered)[rules.in_flight:], np.asarray(shown)[rules.buffers:]
    return Times(np.asarray(begins), ready, ready if rules.shown == AT_NO_REFRESH else seen)


def _loop(cpu: list[float], gpu: list[float], late: list[float], begins: list[float], rendered: list[float],
          shown: list[float], gap: float, lead: float, showing: int, period: float) -> None:
    """Fills `begins`, and `rendered` and `shown` behind as many zeros as frames may be under way, and be finished and
    not yet shown: so frame i finds at i what it waits for."""
    in_flight, buffers, slack = len(rendered) - len(cpu), len(shown) - len(cpu), 1e-9 * period
    cpu_free = gpu_free = not_before = on_screen = 0.0
    for i in range(len(cpu)):
        start = cpu_free
        if rendered[i] > start:
            start = rendered[i]
        if gpu_free - lead > start:
            start = gpu_free - lead
        if start < not_before:
            start = not_before + late[i]
            not_before += gap
        else:
            not_before = start + gap
        begins[i] = start
        cpu_free = start + cpu[i]
        if cpu_free > gpu_free:
            gpu_free = cpu_free
        if showing == AT_NO_REFRESH:
            gpu_free += gpu[i]
            rendered[i + in_flight] = gpu_free
            continue
        if shown[i] > gpu_free:  # its buffer is not free before that
            gpu_free = shown[i]
        gpu_free += gpu[i]
        rendered[i + in_flight] = gpu_free
        if showing == AT_A_REFRESH:  # what is ready at a refresh is ready for it; one frame a refresh
            on_screen = period * max(math.ceil((gpu_free - slack) / period),
                                     math.floor((on_screen + slack) / period) + 1)
        elif showing == AT_LEAST_APART:
            on_screen = max(gpu_free, on_screen + period)
        else:
            on_screen = max(gpu_free, period * (math.floor((on_screen + slack) / period) + 1))
        shown[i + buffers] = on_screen


def all_at_once(rules: Rules, cpu_ms: Floats, gpu_ms: Floats) -> Times | None:
    """All frames over and over, each time with the waits that the last time showed, until nothing changes any more;
    for frames that wait for nothing but the queue.

    None if that takes too long, as it does with short queues; else it is about twice as quick as one by one.
    """
    depth, count = rules.in_flight, cpu_ms.size
    cpu_before, gpu_done = np.cumsum(cpu_ms) - cpu_ms, np.cumsum(gpu_ms)
    to_gpu = cpu_ms - (gpu_done - gpu_ms)
    rendered = np.zeros(count + depth)  # frame i waits for frame i - depth, which is at i
    begins, work = np.empty(count), np.empty(count)
    for _ in range(MOST_PASSES):
        np.subtract(rendered[:count], cpu_before, out=work)
        np.maximum.accumulate(work, out=work)
        np.add(work, cpu_before, out=begins)  # once the CPU is free, and few enough frames are under way
        np.add(begins, to_gpu, out=work)
        np.maximum.accumulate(work, out=work)
        work += gpu_done  # once prepared, and the GPU is free; and then drawn
        if np.array_equal(work, rendered[depth:]):
            return Times(begins, work, work)
        rendered[depth:] = work
    return None
