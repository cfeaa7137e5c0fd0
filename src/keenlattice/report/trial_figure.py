"""One figure for a trial: frame times of both versions over time and as distributions, latency, the intervals."""

import textwrap
from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np

from keenlattice.measure.capture import Capture, Floats
from keenlattice.report.frames import distribution, frame_times
from keenlattice.report.style import AFTER, BAND, BEFORE, FAINT, INK, new_figure, plain
from keenlattice.report.words import TITLES, headline, percent
from keenlattice.trial.result import MetricResult, TrialResult

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

MARKS = {"better": "o", "worse": "s", "no difference that matters": "D", "unclear": "x"}


def trial_figure(result: TrialResult, before: Sequence[Capture], after: Sequence[Capture]) -> "Figure":
    """The figure of a trial, 1280 x 800 pixels.

    Args:
        before, after: the captures of either version, one per block, in the order of the blocks.
    """
    figure = new_figure()
    top = figure.add_gridspec(2, 2, left=0.06, right=0.975, top=0.85, bottom=0.5, hspace=0.5, wspace=0.16,
                              width_ratios=(1.25, 1))
    low = figure.add_gridspec(1, 2, left=0.06, right=0.865, top=0.4, bottom=0.075, wspace=0.42,
                              width_ratios=(1.15, 1))
    block = typical_block(result, before, after)
    strips = [figure.add_subplot(top[row, 0]) for row in (0, 1)]
    _strips(strips, before[block], after[block], block)
    distribution(figure.add_subplot(top[:, 1]), _pooled(before, "frame_ms"), _pooled(after, "frame_ms"),
                 "Frame times of all runs", "frame time, ms")
    distribution(figure.add_subplot(low[0, 0]), _pooled(before, "latency_ms"), _pooled(after, "latency_ms"),
                 "Input latency of all runs, click to answer", "latency, ms")
    intervals(figure.add_subplot(low[0, 1]), result)
    figure.text(0.012, 0.965, f"{result.game}: {result.before} against {result.after}", fontsize=14, color=INK,
                fontweight="bold", va="center")
    told = (f"{headline(result)} {result.plan.blocks} blocks of {result.plan.seconds:g} s runs, in random order, "
            f"on the rig {result.rig}.")
    figure.text(0.012, 0.945, "\n".join(textwrap.wrap(told, 165)), fontsize=10, color=INK, va="top")
    return figure


def typical_block(result: TrialResult, before: Sequence[Capture], after: Sequence[Capture]) -> int:
    """The block whose frame times are nearest to those of the whole trial."""
    pairs = np.array([[capture.frame_ms.mean() for capture in side] for side in (before, after)])
    return int(np.abs(np.log(pairs) - np.log(pairs).mean(axis=1, keepdims=True)).sum(axis=0).argmin())


def _pooled(captures: Sequence[Capture], what: str) -> Floats:
    return np.concatenate([getattr(capture, what) for capture in captures])


def _strips(strips: "Sequence[Axes]", before: Capture, after: Capture, block: int) -> None:
    top = 1.05 * max(float(np.quantile(one.frame_ms, 0.999)) for one in (before, after))
    for axes, capture, name, colour in zip(strips, (before, after), ("before", "after"), (BEFORE, AFTER), strict=True):
        frame_times(axes, capture, colour, top)
        title = f"Frame times {name} (block {block + 1}, a typical one)"
        plain(axes, title, "time, s" if name == "after" else "", "ms")


def intervals(axes: "Axes", result: TrialResult) -> "Axes":
    """Every metric's change with its interval, against the band of what does not matter."""
    matters, rows = result.plan.matters_pct, list(result.metrics)
    plain(axes, "Change from before to after (bold: decides)",
          f"change, %   (grey: within {matters:g} %, which does not matter)", "")
    reach = _reach(rows, matters)
    axes.axvspan(-matters / (1 + matters / 100), matters, color=BAND, zorder=0)
    axes.axvline(0, color=FAINT, linewidth=0.8, zorder=1)
    for row, one in enumerate(rows):
        _interval(axes, row, one, reach)
    axes.set_yticks(range(len(rows)), [TITLES[one.name] for one in rows], fontsize=8.5)
    axes.get_yticklabels()[0].set_fontweight("bold")
    axes.set_ylim(len(rows) - 0.4, -0.6)
    axes.set_xlim(-reach, reach)
    return axes


def _reach(rows: Sequence[MetricResult], matters: float) -> float:
    """How far the axis goes: to the widest interval of a time or a rate; counts of rare things may run off it."""
    ends = [abs(end) for one in rows if one.name != "stutters_per_min"
            for end in (one.low_pct, one.high_pct) if end is not None]
    return 1.15 * max([*ends, 2 * matters])


def _interval(axes: "Axes", row: int, one: MetricResult, reach: float) -> None:
    said = "too little to tell" if one.low_pct is None else f"{one.verdict}\n{percent(one)[1]}"
    axes.annotate(said, (1.02, row), xycoords=("axes fraction", "data"), fontsize=8, color=INK, va="center")
    if one.change_pct is None or one.low_pct is None or one.high_pct is None:
        return
    low, high = max(one.low_pct, -reach), min(one.high_pct, reach)
    if low < high:
        axes.plot([low, high], [row, row], color=INK, linewidth=2, solid_capstyle="butt")
    for end, edge, mark in ((one.low_pct, -reach, "<"), (one.high_pct, reach, ">")):
        if abs(end) > reach and (end < 0) == (edge < 0):
            axes.plot([edge], [row], marker=mark, color=INK, markersize=6, clip_on=False)
    if abs(one.change_pct) <= reach:
        hollow = one.verdict in ("no difference that matters", "unclear")
        axes.plot([one.change_pct], [row], marker=MARKS[one.verdict], markersize=6.5, color=INK,
                  markerfacecolor="white" if hollow else INK)
