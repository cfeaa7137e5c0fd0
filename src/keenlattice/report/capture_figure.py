"""One figure for a capture: its course with the stutters marked, a quantile curve, its latency, its stages.

Each function takes an axes and returns it.
"""

from typing import TYPE_CHECKING

import numpy as np

from keenlattice.measure.capture import Capture
from keenlattice.measure.metrics import ordered_quantile, stutter_spans
from keenlattice.report.style import AFTER, BEFORE, FAINT, INK, new_figure, plain
from keenlattice.report.trial_figure import frame_times

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

MOST_MARKED, CURVE_POINTS = 40, 2000
SHARES = (0.5, 0.9, 0.99, 0.999, 0.9999)


def capture_figure(capture: Capture, title: str) -> "Figure":
    """The figure of one run, 1280 x 800 pixels."""
    figure = new_figure()
    figure.text(0.012, 0.965, title, fontsize=14, color=INK, fontweight="bold", va="center")
    seconds, frames = capture.seconds, capture.frame_ms.size
    told = f"{frames} frames in {seconds:.1f} s, {capture.click_ms.size} clicks. One run describes; it proves nothing."
    figure.text(0.012, 0.928, told, fontsize=10, color=INK, va="center")
    course = figure.add_axes((0.06, 0.54, 0.915, 0.31))
    grid = figure.add_gridspec(1, 3, left=0.06, right=0.975, top=0.42, bottom=0.085, wspace=0.28)
    stutters_marked(course, capture)
    quantile_curve(figure.add_subplot(grid[0, 0]), capture)
    latency_histogram(figure.add_subplot(grid[0, 1]), capture)
    stage_shares(figure.add_subplot(grid[0, 2]), capture)
    return figure


def stutters_marked(axes: "Axes", capture: Capture) -> "Axes":
    """Frame time over time, no spike lost, with the longest stutters marked and their length beside them."""
    frames = capture.frame_ms
    spans = stutter_spans(frames)
    frame_times(axes, capture, BEFORE, 1.12 * float(frames.max()))
    plain(axes, "Frame time over the run (line: median of the moment)", "time, s", "frame time, ms")
    lengths = sorted(((float(frames[first:end].sum()), first) for first, end in spans), reverse=True)
    for number, (length, first) in enumerate(lengths[:MOST_MARKED]):
        at = float(capture.shown_ms[first + 1]) / 1000
        axes.plot([at], [frames[first]], marker="v", markersize=5, color=AFTER, linestyle="")
        if number < 3:
            axes.annotate(f"{length:.0f} ms", (at, float(frames[first])), xytext=(6, 0), textcoords="offset points",
                          fontsize=8, color=INK, va="center")
    if spans:
        more = f", the {MOST_MARKED} longest marked" if len(spans) > MOST_MARKED else ""
        axes.text(1.0, 1.03, f"▼ {len(spans)} stutters{more}", transform=axes.transAxes, fontsize=9, color=INK,
                  ha="right", va="bottom")
    return axes


def quantile_curve(axes: "Axes", capture: Capture) -> "Axes":
    """How long the slowest share of frames is: from every second frame to one in ten thousand."""
    frames = capture.ordered_ms
    shares = [share for share in SHARES if frames.size * (1 - share) >= 1]
    from_the_end = np.unique(np.geomspace(0.5, frames.size * (1 - SHARES[0]), CURVE_POINTS).astype(np.int64))
    axes.plot(frames.size / (from_the_end + 0.5), frames[frames.size - 1 - from_the_end], color=BEFORE, linewidth=1.8)
    axes.set_xscale("log")
    ticks = [1 / (1 - share) for share in shares]
    axes.set_xticks(ticks, [f"1 in {round(tick)}" for tick in ticks], fontsize=8.5)
    axes.minorticks_off()
    for share, tick in zip(shares, ticks, strict=True):
        value = ordered_quantile(frames, share)
        axes.plot([tick], [value], marker="o", markersize=4, color=INK)
        first = share == shares[0]  # its label goes to the right, clear of the axis
        axes.annotate(f"{value:.1f}", (tick, value), xytext=(0 if first else -3, 6), textcoords="offset points",
                      fontsize=8.5, color=INK, ha="left" if first else "right")
    axes.set_ylim(0, 1.12 * float(frames.max()))
    plain(axes, "Frames at least this long", "how rare", "frame time, ms")
    return axes


def latency_histogram(axes: "Axes", capture: Capture) -> "Axes":
    """Input latency with its percentiles; clicks without an answer are counted in the title."""
    waits = capture.latency_ms
    missing = capture.click_ms.size - waits.size
    plain(axes, "Input latency" + f" ({missing} of {capture.click_ms.size} clicks unanswered)" * bool(missing),
          "click to answer, ms", "clicks")
    if waits.size < 2:
        axes.text(0.5, 0.5, "not measured", transform=axes.transAxes, ha="center", color=FAINT)
        return axes
    counts, *_ = axes.hist(waits, bins=min(40, max(8, waits.size // 4)), color=BEFORE, alpha=0.55)
    top = float(np.max(counts))
    axes.set_ylim(0, 1.32 * top)
    for share, height in ((0.05, 1.06), (0.5, 1.22), (0.95, 1.06)):
        value = float(np.quantile(waits, share))
        axes.plot([value, value], [0, height * top], color=INK, linewidth=1)
        last = share == 0.95  # its label goes to the left, clear of the edge
        axes.annotate(f"p{share * 100:.0f} {value:.0f} ms", (value, height * top), xytext=(-3 if last else 3, 0),
                      textcoords="offset points", fontsize=8.5, color=INK, va="center", ha="right" if last else "left")
    return axes


def stage_shares(axes: "Axes", capture: Capture) -> "Axes":
    """Mean time of the CPU and the GPU stage beside the frame's own; what is near the frame's is what it waits for."""
    plain(axes, "Frame time and its stages, on average", "ms", "")
    rows = [("frame", capture.frame_ms, INK), ("GPU stage", capture.gpu_ms, AFTER),
            ("CPU stage", capture.cpu_ms, BEFORE)]
    if not capture.gpu_ms.size and not capture.cpu_ms.size:
        axes.text(0.5, 0.5, "stage times not recorded", transform=axes.transAxes, ha="center", color=FAINT)
        axes.set_yticks([])
        return axes
    for row, (_, values, colour) in enumerate(rows):
        mean = float(values.mean()) if values.size else 0.0
        axes.barh(row, mean, height=0.55, color=colour, alpha=0.65)
        axes.annotate(f"{mean:.1f}" if values.size else "not recorded", (mean, row), xytext=(4, 0),
                      textcoords="offset points", fontsize=9, color=INK, va="center")
    axes.set_yticks(range(len(rows)), [name for name, *_ in rows], fontsize=9)
    axes.set_xlim(0, 1.2 * max(float(values.mean()) for _, values, _ in rows if values.size))
    return axes
