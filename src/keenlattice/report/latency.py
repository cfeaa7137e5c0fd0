"""Pictures of input latency, one axes each: its distribution, and where its milliseconds go.

Each function but the first takes an axes and returns it.
"""

from collections.abc import Mapping
from typing import TYPE_CHECKING

import numpy as np

from keenlattice.measure.capture import STAGES, Capture
from keenlattice.measure.latency import of_capture, stage_means
from keenlattice.report.style import AFTER, BEFORE, INK, headed, nothing, plain

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

STAGE_TITLES = {"device": "device", "system": "system", "game": "game (CPU)", "queue": "queue", "gpu": "GPU",
                "display": "display"}


def latency_figure(capture: Capture, title: str) -> "Figure":
    """Both pictures of one recording, side by side."""
    picture = headed(title, "These presses describe this recording; another one may differ by more.")
    grid = picture.add_gridspec(1, 2, left=0.06, right=0.965, top=0.84, bottom=0.09, wspace=0.22)
    latency_histogram(picture.add_subplot(grid[0, 0]), capture)
    stage_budget(picture.add_subplot(grid[0, 1]), {"": capture})
    return picture


def latency_histogram(axes: "Axes", capture: Capture) -> "Axes":
    """Input latency with its percentiles; clicks without an answer are counted in the title."""
    waits = capture.latency_ms
    missing = capture.click_ms.size - waits.size
    plain(axes, "Input latency" + f" ({missing} of {capture.click_ms.size} clicks unanswered)" * bool(missing),
          "click to answer, ms", "clicks")
    if waits.size < 2:
        return nothing(axes, "not measured")
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


def stage_budget(axes: "Axes", captures: Mapping[str, Capture]) -> "Axes":
    """Where the milliseconds from click to screen go: each stage's mean begins where the one before it ends.

    Args:
        captures: name to run; one, or two to hold against each other (the first above).
    """
    plain(axes, "Where a click's time goes, on average", "since the click, ms", "")
    chosen = [(name, capture, stage_means(of_capture(capture))) for name, capture in list(captures.items())[:2]]
    if not any(means for *_, means in chosen):
        return nothing(axes, "stages not known")
    rows, reach = list(STAGES), 0.0
    rest = [float(capture.latency_ms.mean()) - sum(mean for mean, *_ in means.values()) if capture.latency_ms.size
            else 0.0 for _, capture, means in chosen]
    if any(one > 0.05 for one in rest):
        rows.append("rest")
    height = 0.7 / len(chosen)
    for place, ((name, _, means), unknown) in enumerate(zip(chosen, rest, strict=True)):
        at, colour, hatch = 0.0, (BEFORE, AFTER)[place], ("", "////")[place]
        for row, stage in enumerate(rows):
            length = unknown if stage == "rest" else means.get(stage, (0.0,))[0]
            y = row + (place - (len(chosen) - 1) / 2) * height
            axes.barh(y, length, left=at, height=0.9 * height, facecolor=colour, alpha=0.55, hatch=hatch,
                      edgecolor="white", linewidth=0)
            axes.annotate(f"{length:.1f}" if stage == "rest" or stage in means else "not known", (at + length, y),
                          xytext=(4, 0), textcoords="offset points", fontsize=8.5, color=INK, va="center")
            at += length
        reach = max(reach, at)
        if len(chosen) > 1:
            axes.text(1.0, 0.98 - 0.075 * place, f"{('upper', 'lower, hatched')[place]}: {name}, {at:.1f} ms",
                      transform=axes.transAxes, fontsize=8.5, color=INK, ha="right", va="top")
    axes.set_yticks(range(len(rows)), [STAGE_TITLES.get(stage, "not known where") for stage in rows], fontsize=9)
    axes.set_ylim(len(rows) - 0.5, -0.5)
    axes.set_xlim(0, 1.15 * reach)
    axes.set_xticks([tick for tick in axes.get_xticks() if tick <= 1.15 * reach])
    return axes
