"""One figure for several runs: the first over the last, and how long the slowest frames are of all."""

from collections.abc import Mapping
from typing import TYPE_CHECKING

import numpy as np

from keenlattice.measure.capture import Capture
from keenlattice.report._frames import distribution, frame_times, quantile_curves
from keenlattice.report.latency import stage_budget
from keenlattice.report.style import LINES, headed, plain

if TYPE_CHECKING:
    from matplotlib.figure import Figure


def compare_figure(captures: Mapping[str, Capture], title: str) -> "Figure":
    """The figure of several runs, 1280 x 800 pixels.

    Args:
        captures: name to run, two at least, the one to compare with first.
    """
    figure = headed(title, "One run of each describes; it proves no difference. For that: keen trial.")
    names = list(captures)
    one, other = captures[names[0]], captures[names[-1]]
    top = figure.add_gridspec(2, 2, left=0.06, right=0.88, top=0.85, bottom=0.5, hspace=0.5, wspace=0.16,
                              width_ratios=(1.25, 1))
    low = figure.add_gridspec(1, 2, left=0.06, right=0.975, top=0.39, bottom=0.08, wspace=0.24)
    highest = 1.05 * max(float(np.quantile(capture.frame_ms, 0.999)) for capture in (one, other))
    for row, name in enumerate((names[0], names[-1])):
        axes = frame_times(figure.add_subplot(top[row, 0]), captures[name], LINES[row][0], highest)
        plain(axes, f"Frame times: {name}", "time, s" if row else "", "ms")
    quantile_curves(figure.add_subplot(top[:, 1]), captures)
    distribution(figure.add_subplot(low[0, 0]), one.latency_ms, other.latency_ms, "Input latency, click to answer",
                 "latency, ms", (names[0], names[-1]))
    stage_budget(figure.add_subplot(low[0, 1]), {name: captures[name] for name in (names[0], names[-1])})
    return figure
