"""All metrics of a long capture, and drawing it."""

import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np

from bench.start_time import Row
from keenlattice.measure.capture import Capture
from keenlattice.measure.metrics import metrics_of

FRAMES = 10_000_000


def measure() -> list[Row]:
    """Ten million frames, against one `np.partition` of them at four quantiles."""
    from keenlattice.report.figure_of_capture import capture_figure
    from keenlattice.report.style import save

    random = np.random.default_rng(1)
    frames = 7 * np.exp(random.normal(0, 0.12, FRAMES))
    frames[random.integers(0, FRAMES, FRAMES // 500)] += 20
    shown = np.concatenate(([0.0], np.cumsum(frames)))
    ranks = [int(FRAMES * share) for share in (0.5, 0.95, 0.99, 0.999)]
    yardstick = _seconds(lambda: np.partition(frames, ranks))
    ratio = _seconds(lambda: metrics_of(Capture(shown))) / yardstick
    with tempfile.TemporaryDirectory() as folder:
        drawn = _seconds(lambda: save(capture_figure(Capture(shown), "ten million frames"), Path(folder) / "f.png"))
    return [("all metrics of 10 million frames, against one np.partition at four quantiles", ratio, "times", "4",
             ratio <= 4),
            ("drawing a capture of 10 million frames", drawn, "s", "2", drawn < 2)]


def _seconds(work: Callable[[], object]) -> float:
    began = time.perf_counter()
    work()
    return time.perf_counter() - began
