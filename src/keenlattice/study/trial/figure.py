"""One figure for a trial: frame times of both versions over time and as distributions, latency, the intervals."""

import textwrap
from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np

from keenlattice.measure.capture import Capture, Floats
from keenlattice.measure.metrics import METRICS, metrics_of
from keenlattice.report.frames import better_side, distribution, frame_times
from keenlattice.report.pointer import answers
from keenlattice.report.style import AFTER, BEFORE, FAINT, INK, Row, forest, new_figure, plain, reach_of
from keenlattice.report.words import TITLES, brief_title, capital
from keenlattice.study.trial.result import Trial
from keenlattice.study.trial.words import headline, measured_in, percent

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure


def trial_figure(result: Trial, before: Sequence[Capture], after: Sequence[Capture]) -> "Figure":
    """The figure of a trial's `result`, 1280 x 800 pixels.

    Args:
        before, after: the captures of either version, one per block, in the order of the blocks.
    """
    figure = new_figure()
    top = figure.add_gridspec(2, 2, left=0.06, right=0.975, top=0.845, bottom=0.495, hspace=0.5, wspace=0.16,
                              width_ratios=(1.25, 1))
    low = figure.add_gridspec(1, 2, left=0.06, right=0.865, top=0.4, bottom=0.085, wspace=0.42,
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
    summary = (f"{headline(result)} {result.blocks_played} blocks of {result.plan.seconds:g} s runs, in random order, "
               f"on the rig {result.rig}.")
    lines = textwrap.wrap(summary.replace("->", "\N{RIGHTWARDS ARROW}"), 172)
    figure.text(0.012, 0.948, "\n".join(lines), fontsize=9.5, color=INK, va="top")
    return figure


def typical_block(result: Trial, before: Sequence[Capture], after: Sequence[Capture]) -> int:
    """The block whose frame times are nearest to those of the whole trial; the first, if no frames were recorded."""
    if not all(capture.frame_ms.size for side in (before, after) for capture in side):
        return 0
    pairs = np.array([[capture.frame_ms.mean() for capture in side] for side in (before, after)])
    return int(np.abs(np.log(pairs) - np.log(pairs).mean(axis=1, keepdims=True)).sum(axis=0).argmin())


def longest_shown(before: Capture, after: Capture) -> float:
    """How far the axis of two runs' frame times goes, in ms."""
    return 1.05 * max((float(np.quantile(run.frame_ms, 0.999)) for run in (before, after) if run.frame_ms.size),
                      default=1.0)


def _pooled(captures: Sequence[Capture], field_name: str) -> Floats:
    return np.concatenate([getattr(capture, field_name) for capture in captures])


def _strips(strips: "Sequence[Axes]", before: Capture, after: Capture, block: int) -> None:
    top = longest_shown(before, after)
    for axes, capture, name, colour in zip(strips, (before, after), ("before", "after"), (BEFORE, AFTER), strict=True):
        frame_times(axes, capture, colour, top)
        title = f"Frame times {name} (block {block + 1}, a typical one)"
        plain(axes, title, "time, s" if name == "after" else "", "ms")


def runs_by_block(axes: "Axes", name: str, repeats: int, before: Sequence[Capture], after: Sequence[Capture]) -> "Axes":
    """Draw a metric of every run, block by block: what the trial saw before anything was computed from it.

    A line joins the two versions of a block.
    """
    from matplotlib.ticker import MaxNLocator

    title, unit = capital(brief_title(name)), METRICS[name].unit
    plain(axes, f"{title} of each run", "block", unit)
    rows = [[metrics_of(capture, (name,))[name] for capture in side] for side in (before, after)]
    values = np.array(rows).reshape(2, -1, repeats)
    blocks = np.arange(1, values.shape[1] + 1)
    means = values.mean(axis=2)
    axes.vlines(blocks, *means, color=FAINT, linewidth=1)
    for place, (side, colour, mark) in enumerate(((values[0], BEFORE, "o"), (values[1], AFTER, "s"))):
        axes.plot(np.repeat(blocks, repeats), side.ravel(), mark, color=colour, markersize=5,
                  label=("before", "after")[place])
    answers(axes, "x", blocks, means.mean(axis=0), [
        f"block {block}: before {first:.3g}, after {second:.3g} {unit} ({100 * (second / first - 1):+.1f} %)"
        if first and np.isfinite([first, second]).all() else f"block {block}: not measured in both"
        for block, first, second in zip(blocks, *means, strict=True)])
    axes.set_xlim(0.4, blocks.size + 0.6)
    axes.xaxis.set_major_locator(MaxNLocator(integer=True))
    axes.margins(y=0.25)
    axes.legend(loc="upper right", ncols=2, frameon=False, fontsize=8.5, borderaxespad=0)
    return axes


def intervals(axes: "Axes", result: Trial) -> "Axes":
    """Every metric's change with its interval, against the band of what does not matter."""
    matters = result.deciding.matters_pct or result.plan.decides.matters_pct
    metrics = measured_in(result)
    plain(axes, "Change from before to after (bold: decides)",
          f"change, %; {better_side([metric.name for metric in metrics])}\n"
          f"(grey: within {matters:.3g} %, which does not matter)", "")
    rows = [Row(TITLES[metric.name], metric.change_pct, metric.low_pct, metric.high_pct, metric.verdict,
                "too little to tell" if metric.low_pct is None else f"{metric.verdict}\n{percent(metric)[1]}",
                metric.name in result.plan.deciders) for metric in metrics]
    # It goes as far as times and rates do; counts of rare things may run off it.
    steady = [row for row, metric in zip(rows, metrics, strict=True) if metric.name != "stutters_per_min"]
    return forest(axes, rows, matters, reach_of(steady, matters))
