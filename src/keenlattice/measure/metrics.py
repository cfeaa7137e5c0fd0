"""Frame and latency metrics, each with its one definition.

Frame time is the time from one shown frame to the next. Fewer than MIN_FRAMES frames or MIN_CLICKS answered
clicks give no number: NaN, never a guess.
"""

from collections.abc import Callable, Iterable, Sequence
from weakref import WeakKeyDictionary

import numpy as np
from numpy.typing import NDArray

from keenlattice.errors import UnknownName
from keenlattice.measure import telemetry
from keenlattice.measure.capture import Capture, Floats
from keenlattice.measure.names import SHORT_NAMES
from keenlattice.measure.telemetry import BOUND_FROM
from keenlattice.quickly import dataclass

MIN_FRAMES = 20
MIN_CLICKS = 5

STUTTER_WINDOW = 61   # frames around each, itself in the middle, whose median is its local pace
STUTTER_RATIO = 2.0   # how far above that pace a frame counts,
AT_ONCE = 2_000       # windows in memory
BLOCK, REACH = 16, 2   # frames, a power of two, and blocks on either side that a window can lie on
SAMPLED, SAMPLE_OFF = 50_000, 0.01  # values, and how far below a share their quantile is surely on its lower side
TOGETHER = 4096       # frames whose time is summed before it is looked where a share of it ends
STUTTER_MIN_MS = 4.0  # and by how much at least, so that 1 ms becoming 2 ms at 1000 fps does not,
CLOCK_STEPS = 1.5     # or, where frame times are multiples of an interval, by how many: one may be rounding

STEADY_WITHIN = 0.10  # of the median, or of a cap's interval


@dataclass(frozen=True)
class Metric:
    """One metric: what it is called, its unit, which way is better, and what it computes from a capture.

    `half` is half of the least that it can be other than zero, in a run of this many seconds; None if it is never zero.
    """

    name: str
    unit: str
    lower_is_better: bool
    definition: str
    compute: Callable[[Capture], float]
    of_latency: bool = False
    half: Callable[[float], float] | None = None

    def half_an_event(self, seconds: float) -> float:
        """What is added to it before its logarithm is taken: zero, which has none, is not nothing."""
        return self.half(seconds) if self.half else 0.0


def _of_time(compute: Callable[[int, float], float]) -> Callable[[Capture], float]:
    """A metric of how many frames there are, and how many ms they take together."""
    def metric(capture: Capture) -> float:
        frames = capture.frame_ms.size
        return compute(frames, capture.total_ms) if frames >= MIN_FRAMES else float("nan")
    return metric


def _of_ordered(compute: Callable[[Floats], float]) -> Callable[[Capture], float]:
    """A metric of the frames' times, from the shortest to the longest."""
    def metric(capture: Capture) -> float:
        return compute(capture.ordered_ms) if capture.frame_ms.size >= MIN_FRAMES else float("nan")
    return metric


def _of_latency(compute: Callable[[Floats], float]) -> Callable[[Capture], float]:
    def metric(capture: Capture) -> float:
        waits = capture.latency_ms
        return compute(waits) if waits.size >= MIN_CLICKS else float("nan")
    return metric


def ordered_quantile(ordered: Floats, share: float) -> float:
    """A quantile of values that are in order already, linear between ranks."""
    rank = share * (ordered.size - 1)
    low = int(rank)
    high = min(low + 1, ordered.size - 1)
    return float(ordered[low] + (rank - low) * (ordered[high] - ordered[low]))


def _ordered_quantile(share: float) -> Callable[[Floats], float]:
    return lambda ordered: ordered_quantile(ordered, share)


def _quantile(share: float) -> Callable[[Floats], float]:
    return lambda values: float(np.quantile(values, share))


def upper_quantile(share: float) -> Callable[[Floats], float]:
    """As `_quantile`, for a share near 1: of many values, only those above what a sample says are put in order."""
    def quantile(values: Floats) -> float:
        floor = np.quantile(values[::1 + values.size // SAMPLED], max(0.0, share - SAMPLE_OFF))
        upper = np.sort(values[values >= floor])
        rank = share * (values.size - 1) - (values.size - upper.size)
        if rank < 0:
            return float(np.quantile(values, share))
        low = int(rank)
        high = min(low + 1, upper.size - 1)
        return float(upper[low] + (rank - low) * (upper[high] - upper[low]))
    return quantile


def stutters(frames: Floats) -> NDArray[np.intp]:
    """The starts of stutters, as indices into `frames`; shape (stutters,).

    A frame stutters if it took at least STUTTER_RATIO times the median of the STUTTER_WINDOW frames around it and
    at least STUTTER_MIN_MS more than that, or CLOCK_STEPS of a coarse clock's steps. Stuttering frames in a row are one
    stutter.
    """
    return np.array([first for first, _ in stutter_spans(frames)], dtype=np.intp)


def late_frames(frames: Floats) -> NDArray[np.bool_]:
    """Which frames stutter; shape (frames,). See `stutters`."""
    late = np.zeros(frames.size, dtype=bool)
    late[_late(frames)] = True
    return late


def _late(frames: Floats, clock: float = 0.0) -> NDArray[np.intp]:
    """The frames that stutter, by their places, rising. Only those are looked at whose local median may be so low."""
    suspects = np.flatnonzero(_may_be_late(frames))
    longer = max(STUTTER_MIN_MS, CLOCK_STEPS * clock)
    pieces = (suspects[first:first + AT_ONCE] for first in range(0, suspects.size, AT_ONCE))
    return np.concatenate([suspects[:0], *(piece[_are_late(frames, piece, longer)] for piece in pieces)])


def _are_late(frames: Floats, places: NDArray[np.intp], longer: float) -> NDArray[np.bool_]:
    """Whether each of some stutters: it does if more than half of the frames around it, so their median too, are as
    short as that takes. At both ends frames are mirrored."""
    half, last = STUTTER_WINDOW // 2, frames.size - 1
    around = places[:, None] + np.arange(-half, half + 1)
    if around.size and (around[0, 0] < 0 or around[-1, -1] > last):
        around = last - np.abs(last - np.abs(around) % max(1, 2 * last)) if last else np.zeros_like(around)
    window, own = frames[around], frames[places, None]
    short = (STUTTER_RATIO * window <= own) & (window + longer <= own)
    return np.asarray(short.sum(axis=1) > half)


def _may_be_late(frames: Floats) -> NDArray[np.bool_]:
    """Which frames could stutter, by a bound of their local median from below that costs little: the shortest frame of
    the blocks that the window lies on. At both ends every frame may."""
    may = np.ones(frames.size, dtype=bool)
    count = frames.size // BLOCK
    if count < 3 * REACH:
        return may
    blocks = frames[:count * BLOCK]
    shortest = blocks
    while shortest.size > count:  # of two, of four, ... of BLOCK: far quicker than of rows
        shortest = np.minimum(shortest[::2], shortest[1::2])
    around = shortest[:count - 2 * REACH].copy()
    for further in range(1, 2 * REACH + 1):
        np.minimum(around, shortest[further:further + around.size], out=around)
    bound = np.maximum(STUTTER_RATIO * around, around + STUTTER_MIN_MS)
    inside = slice(REACH * BLOCK, (count - REACH) * BLOCK)
    np.greater_equal(blocks[inside].reshape(-1, BLOCK), bound[:, None], out=may[inside].reshape(-1, BLOCK))
    return may


def low_fps(ordered: Floats, share: float) -> float:
    """Frames per second at the mean frame time of the slowest share of frames (at least one frame).

    Another usual definition takes a quantile of frame time instead (`..._quantile`); this one hears how bad the worst
    are.

    Args:
        ordered: frame times from the shortest to the longest.
    """
    slowest = max(1, round(ordered.size * share))
    return 1000 / float(ordered[-slowest:].mean())


def time_weighted_quantile(ordered: Floats, share: float) -> float:
    """The frame time that this share of the time is spent in frames up to.

    A long frame counts for as long as it lasts: of the frames, one in a hundred may be long; of the time that a player
    sits through, far more.

    Args:
        ordered: frame times from the shortest to the longest.
    """
    length = ordered.size // TOGETHER * TOGETHER
    blocks = np.append(ordered[:length].reshape(-1, TOGETHER).sum(axis=1), ordered[length:].sum())
    spent = np.cumsum(blocks)
    block = int(np.searchsorted(spent, share * spent[-1]))
    inside = np.cumsum(ordered[block * TOGETHER:(block + 1) * TOGETHER])
    before = spent[block] - blocks[block]
    place = block * TOGETHER + int(np.searchsorted(inside, share * spent[-1] - before))
    return float(ordered[min(place, ordered.size - 1)])


def stutter_spans(frames: Floats, clock: float = 0.0) -> list[tuple[int, int]]:
    """Each stutter as (first, last + 1), indices into `frames`; see `stutters`.

    Args:
        clock: the interval of which frame times are multiples, in ms; 0 for none.
    """
    late = _late(frames, clock)
    firsts = _firsts(late)
    lasts = late[np.append(firsts[1:], late.size) - 1] if late.size else late
    return list(zip(late[firsts].tolist(), (lasts + 1).tolist(), strict=True))


def _firsts(late: NDArray[np.intp]) -> NDArray[np.intp]:
    """Where, among late frames, those begin that do not follow right on the one before."""
    return np.flatnonzero(np.diff(late, prepend=-2) > 1)


_stutters_of: "WeakKeyDictionary[Capture, Floats]" = WeakKeyDictionary()


def _of_stutters(compute: Callable[[Floats, float], float]) -> Callable[[Capture], float]:
    """A metric of the stutters' lengths in ms and of the run's; they are looked for once in each capture."""
    def metric(capture: Capture) -> float:
        frames = capture.frame_ms
        if frames.size < MIN_FRAMES:
            return float("nan")
        if capture not in _stutters_of:
            late = _late(frames, capture.clock_ms)
            _stutters_of[capture] = np.add.reduceat(frames[late], _firsts(late)) if late.size else np.empty(0)
        return compute(_stutters_of[capture], capture.total_ms)
    return metric


def _pacing(ordered: Floats) -> float:
    typical = ordered_quantile(ordered, 0.5)
    low = np.searchsorted(ordered, (1 - STEADY_WITHIN) * typical)
    high = np.searchsorted(ordered, (1 + STEADY_WITHIN) * typical, side="right")
    return 100 * float(high - low) / ordered.size


def _bound(by_gpu: bool) -> Callable[[Capture], float]:
    """Share of frames whose own stage takes most of the frame, and more than the other stage does."""
    def metric(capture: Capture) -> float:
        frames, cpu, gpu = capture.frame_ms, capture.cpu_ms[1:], capture.gpu_ms[1:]
        if frames.size < MIN_FRAMES or not cpu.size or not gpu.size:
            return float("nan")
        mine, theirs = (gpu, cpu) if by_gpu else (cpu, gpu)
        return 100 * float(((mine >= BOUND_FROM * frames) & (mine >= theirs)).mean())
    return metric


def _refreshes(capture: Capture) -> float:
    refresh = capture.about.get("facts", {}).get("refresh_hz")
    if capture.frame_ms.size < MIN_FRAMES or not isinstance(refresh, int | float) or not refresh > 0:
        return float("nan")
    return refreshes_pct(capture, float(refresh))


def refreshes_pct(capture: Capture, refresh_hz: float) -> float:
    """Share of the panel's refreshes in which at least one new frame was shown, in %, at a fixed refresh rate."""
    refreshes = np.floor(capture.shown_ms * refresh_hz / 1000)
    total = refreshes[-1] - refreshes[0] + 1
    return 100 * float(1 + np.count_nonzero(np.diff(refreshes))) / float(total)  # they rise


def cap_pct(capture: Capture, cap_fps: float) -> float:
    """Share of frames within STEADY_WITHIN of a cap's interval, in %: how steadily the cap is kept."""
    interval = 1000 / cap_fps
    return 100 * float((np.abs(capture.frame_ms - interval) <= STEADY_WITHIN * interval).mean())


def _unanswered(capture: Capture) -> float:
    clicks = capture.click_ms.size
    return 100 * float(np.isnan(capture.answer_ms).mean()) if clicks >= MIN_CLICKS else float("nan")


def _changes(compute: Callable[[Floats], float]) -> Callable[[Capture], float]:
    def metric(capture: Capture) -> float:
        return compute(capture.change_ms) if capture.frame_ms.size >= MIN_FRAMES else float("nan")
    return metric


def _said(part: str, kind: str, worst: bool = False) -> Callable[[Capture], float]:
    return lambda capture: telemetry.reading(capture, part, kind, worst)


HALF_A_PERCENT: Callable[[float], float] = lambda _: 0.5  # noqa: E731

TRIAL_METRICS = ("frame_ms_mean", "frame_ms_p50", "frame_ms_p99", "fps_mean", "low_1_fps", "stutters_per_min",
                 "latency_ms_median", "latency_ms_p95")
"""What a trial reports: few, since every further one widens the intervals of all."""

PRICES = ("power_w_mean", "energy_per_frame_mj", "cpu_temperature_c_mean", "gpu_temperature_c_mean",
          "cpu_clock_mhz_mean", "gpu_clock_mhz_mean", "throttled_pct")
"""What a trial tells beside, of telemetry: it decides nothing."""

OF_TELEMETRY = (*PRICES, "cpu_temperature_c_worst", "gpu_temperature_c_worst")

METRICS: dict[str, Metric] = {metric.name: metric for metric in (
    Metric("frame_ms_mean", "ms", True, "mean frame time", _of_time(lambda frames, total: total / frames)),
    Metric("frame_ms_p50", "ms", True, "median frame time, per frame",
           _of_ordered(_ordered_quantile(0.50))),
    Metric("frame_ms_p95", "ms", True, "95th percentile of frame time, per frame",
           _of_ordered(_ordered_quantile(0.95))),
    Metric("frame_ms_p99", "ms", True, "99th percentile of frame time, per frame",
           _of_ordered(_ordered_quantile(0.99))),
    Metric("frame_ms_p99_9", "ms", True, "99.9th percentile of frame time, per frame",
           _of_ordered(_ordered_quantile(0.999))),
    Metric("frame_ms_p50_of_time", "ms", True, "half of the time is spent in frames up to this long",
           _of_ordered(lambda frames: time_weighted_quantile(frames, 0.50))),
    Metric("frame_ms_p95_of_time", "ms", True, "95 % of the time is spent in frames up to this long",
           _of_ordered(lambda frames: time_weighted_quantile(frames, 0.95))),
    Metric("frame_ms_p99_of_time", "ms", True, "99 % of the time is spent in frames up to this long",
           _of_ordered(lambda frames: time_weighted_quantile(frames, 0.99))),
    Metric("fps_mean", "fps", False, "frames over time (not the mean of rates)",
           _of_time(lambda frames, total: 1000 * frames / total)),
    Metric("low_1_fps", "fps", False, "frames per second at the mean frame time of the slowest 1 % of frames",
           _of_ordered(lambda frames: low_fps(frames, 0.01))),
    Metric("low_0_1_fps", "fps", False, "frames per second at the mean frame time of the slowest 0.1 % of frames",
           _of_ordered(lambda frames: low_fps(frames, 0.001))),
    Metric("low_1_fps_quantile", "fps", False, "frames per second at the 99th percentile of frame time",
           _of_ordered(lambda frames: 1000 / ordered_quantile(frames, 0.99))),
    Metric("low_0_1_fps_quantile", "fps", False, "frames per second at the 99.9th percentile of frame time",
           _of_ordered(lambda frames: 1000 / ordered_quantile(frames, 0.999))),
    Metric("frame_change_ms_mean", "ms", True, "mean change of frame time from one frame to the next, without its sign",
           _changes(lambda changes: float(changes.mean())), half=lambda _: 0.005),
    Metric("frame_change_ms_p99", "ms", True, "99th percentile of that change", _changes(upper_quantile(0.99)),
           half=lambda _: 0.005),
    Metric("pacing_pct", "%", False, f"share of frames within {STEADY_WITHIN:.0%} of the median frame time",
           _of_ordered(_pacing), half=HALF_A_PERCENT),
    Metric("stutters_per_min", "1/min", True,
           f"frames of at least {STUTTER_RATIO:g} times the median of the {STUTTER_WINDOW} around them "
           f"and {STUTTER_MIN_MS:g} ms more, runs of them counted once, per minute",
           _of_stutters(lambda lengths, total: lengths.size / (total / 60_000)), half=lambda seconds: 30 / seconds),
    Metric("stutter_time_pct", "%", True, "share of the time that is spent in such frames",
           _of_stutters(lambda lengths, total: 100 * float(lengths.sum()) / total),
           half=lambda seconds: 50 * STUTTER_MIN_MS / (1000 * seconds)),
    Metric("longest_stutter_ms", "ms", True, "the longest run of such frames",
           _of_stutters(lambda lengths, total: float(lengths.max(initial=0.0))), half=lambda _: STUTTER_MIN_MS / 2),
    Metric("refreshes_pct", "%", False, "share of the panel's refreshes that showed a new frame, where the capture "
           "knows the refresh rate", _refreshes, half=HALF_A_PERCENT),
    Metric("cpu_bound_pct", "%", True, f"share of frames of which the CPU stage takes {BOUND_FROM:.0%} or more, and "
           "more than the GPU's", _bound(by_gpu=False), half=HALF_A_PERCENT),
    Metric("gpu_bound_pct", "%", True, f"share of frames of which the GPU stage takes {BOUND_FROM:.0%} or more, and "
           "more than the CPU's", _bound(by_gpu=True), half=HALF_A_PERCENT),
    Metric("latency_ms_mean", "ms", True, "mean time from click to answer",
           _of_latency(lambda waits: float(waits.mean())), of_latency=True),
    Metric("latency_ms_median", "ms", True, "median time from click to answer", _of_latency(_quantile(0.50)),
           of_latency=True),
    Metric("latency_ms_p95", "ms", True, "95th percentile of the time from click to answer",
           _of_latency(_quantile(0.95)), of_latency=True),
    Metric("latency_ms_spread", "ms", True, "from the 25th to the 75th percentile of it",
           _of_latency(lambda waits: float(np.subtract(*np.quantile(waits, (0.75, 0.25))))), of_latency=True,
           half=lambda _: 0.05),
    Metric("unanswered_pct", "%", True, "share of clicks that were not answered", _unanswered, of_latency=True,
           half=HALF_A_PERCENT),
    Metric("power_w_mean", "W", True, "mean power of all parts that say theirs", telemetry.power_w),
    Metric("energy_per_frame_mj", "mJ", True, "that power over the frames shown in a second",
           telemetry.energy_per_frame_mj),
    *(Metric(f"{part}_temperature_c_{which}", "°C", True, f"{told} temperature of the {part.upper()}",
             _said(part, "temperature", which == "worst"))
      for part in ("cpu", "gpu") for which, told in (("mean", "mean"), ("worst", "highest"))),
    *(Metric(f"{part}_clock_mhz_mean", "MHz", False, f"mean clock of the {part.upper()}", _said(part, "clock"))
      for part in ("cpu", "gpu")),
    Metric("throttled_pct", "%", True, "share of the time in which a part was held back for its heat or power, where "
           "any says so", telemetry.throttled_pct, half=HALF_A_PERCENT),
)}


def logarithms(name: str, values: Sequence[float] | Floats, seconds: float) -> Floats:
    """The natural logarithms of a metric over runs, with half an event added where it may be zero (as for counts in
    F. J. Anscombe, "On estimating binomial response relations", Biometrika 1956); NaN for a run that has no number.

    Args:
        values: one a run; shape (runs,).
        seconds: how long a run is.
    """
    numbers = np.asarray(values, dtype=np.float64) + metric(name).half_an_event(seconds)
    good = np.isfinite(numbers) & (numbers > 0)
    return np.log(numbers, out=np.full(numbers.shape, np.nan), where=good)


def metric(name: str) -> Metric:
    """The metric of that name.

    Raises:
        UnknownName: there is none; the message offers the nearest.
    """
    if name not in METRICS:
        raise UnknownName("metric", name, [*SHORT_NAMES, *METRICS], f"in short {', '.join(SHORT_NAMES)}")
    return METRICS[name]


def metrics_of(capture: Capture, names: Iterable[str] | None = None) -> dict[str, float]:
    """Metric name to value; NaN where the capture holds too little for it.

    Args:
        names: the metrics that are wanted; None for all.

    >>> import numpy as np
    >>> steady = Capture(np.arange(0, 1001, 10.0))  # a frame every 10 ms
    >>> metrics_of(steady, ["fps_mean", "frame_ms_p99"])
    {'fps_mean': 100.0, 'frame_ms_p99': 10.0}
    """
    return {name: metric(name).compute(capture) for name in (names or METRICS)}
