"""Frame and latency metrics, each with its one definition.

Frame time is the time from one shown frame to the next. Fewer than MIN_FRAMES frames or MIN_CLICKS answered
clicks give no number: NaN, never a guess.
"""

from collections.abc import Callable, Iterable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from keenlattice.errors import UnknownName
from keenlattice.measure.capture import Capture, Floats

MIN_FRAMES = 20
MIN_CLICKS = 5

STUTTER_WINDOW = 61   # frames around each, itself in the middle, whose median is its local pace
STUTTER_RATIO = 2.0   # how far above that pace a frame counts,
STUTTER_MIN_MS = 4.0  # and by how much at least, so that 1 ms becoming 2 ms at 1000 fps does not


@dataclass(frozen=True)
class Metric:
    """One metric: what it is called, its unit, which way is better, and what it computes from a capture."""

    name: str
    unit: str
    lower_is_better: bool
    definition: str
    compute: Callable[[Capture], float]
    of_latency: bool = False
    per_minute: bool = False


def _of_frames(compute: Callable[[Floats], float]) -> Callable[[Capture], float]:
    def metric(capture: Capture) -> float:
        frames = capture.frame_ms
        return compute(frames) if frames.size >= MIN_FRAMES else float("nan")
    return metric


def _of_latency(compute: Callable[[Floats], float]) -> Callable[[Capture], float]:
    def metric(capture: Capture) -> float:
        waits = capture.latency_ms
        return compute(waits) if waits.size >= MIN_CLICKS else float("nan")
    return metric


def _quantile(share: float) -> Callable[[Floats], float]:
    return lambda values: float(np.quantile(values, share))


def low_1_fps(frames: Floats) -> float:
    """Frames per second at the mean frame time of the slowest 1 % of frames (at least one frame).

    Another usual definition takes the 99th percentile of frame time instead; this one hears how bad the worst are.
    """
    slowest = max(1, round(frames.size / 100))
    return 1000 / float(np.partition(frames, -slowest)[-slowest:].mean())


def stutters(frames: Floats) -> NDArray[np.intp]:
    """The starts of stutters, as indices into `frames`; shape (stutters,).

    A frame stutters if it took at least STUTTER_RATIO times the median of the STUTTER_WINDOW frames around it and
    at least STUTTER_MIN_MS more than that. Stuttering frames in a row are one stutter.
    """
    # Only frames above the bound at the fastest pace can stutter: the filter is run around those few alone.
    suspects = np.flatnonzero(frames >= frames.min() + STUTTER_MIN_MS)
    if suspects.size > frames.size // STUTTER_WINDOW:
        from scipy.ndimage import median_filter

        pace = median_filter(frames, size=STUTTER_WINDOW, mode="nearest")
    else:
        half = STUTTER_WINDOW // 2
        padded = np.pad(frames, half, mode="edge")
        pace = np.full(frames.size, np.inf)
        for index in suspects:
            pace[index] = np.median(padded[index:index + STUTTER_WINDOW])
    late = (frames >= STUTTER_RATIO * pace) & (frames >= pace + STUTTER_MIN_MS)
    return np.flatnonzero(late & ~np.concatenate(([False], late[:-1])))


METRICS: dict[str, Metric] = {metric.name: metric for metric in (
    Metric("frame_ms_mean", "ms", True, "mean frame time", _of_frames(lambda frames: float(frames.mean()))),
    Metric("frame_ms_p50", "ms", True, "median frame time, per frame", _of_frames(_quantile(0.50))),
    Metric("frame_ms_p99", "ms", True, "99th percentile of frame time, per frame", _of_frames(_quantile(0.99))),
    Metric("fps_mean", "fps", False, "frames over time (not the mean of rates)",
           _of_frames(lambda frames: 1000 * frames.size / float(frames.sum()))),
    Metric("low_1_fps", "fps", False, "frames per second at the mean frame time of the slowest 1 % of frames",
           _of_frames(low_1_fps)),
    Metric("stutters_per_min", "1/min", True,
           f"frames of at least {STUTTER_RATIO:g} times the median of the {STUTTER_WINDOW} around them "
           f"and {STUTTER_MIN_MS:g} ms more, runs of them counted once, per minute",
           _of_frames(lambda frames: stutters(frames).size / (float(frames.sum()) / 60_000)), per_minute=True),
    Metric("latency_ms_median", "ms", True, "median time from click to answer", _of_latency(_quantile(0.50)),
           of_latency=True),
    Metric("latency_ms_p95", "ms", True, "95th percentile of the time from click to answer",
           _of_latency(_quantile(0.95)), of_latency=True),
)}


def metric(name: str) -> Metric:
    """The metric of that name.

    Raises:
        UnknownName: there is none; the message offers the nearest.
    """
    if name not in METRICS:
        raise UnknownName("metric", name, METRICS, f"there are {', '.join(METRICS)}")
    return METRICS[name]


def metrics_of(capture: Capture, names: Iterable[str] | None = None) -> dict[str, float]:
    """Metric name to value, all of them or some; NaN where the capture holds too little for it."""
    return {name: metric(name).compute(capture) for name in (names or METRICS)}
