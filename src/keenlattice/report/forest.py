"""Many changes with their intervals under each other."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from keenlattice.report.style import BAND, FAINT, INK
from keenlattice.report.words import KINDS

if TYPE_CHECKING:
    from matplotlib.axes import Axes

MARKS = {"good": "o", "bad": "s", "same": "D", "open": "x"}
FAR_BEYOND = 5


@dataclass(frozen=True)
class Row:
    """One change in per cent, with its interval (None where it could not be told).

    Args:
        word: its verdict, which chooses the mark.
        said: what stands beside it.
        bold: whether it is the one that decides.
    """

    label: str
    change: float | None
    low: float | None
    high: float | None
    word: str
    said: str
    bold: bool = False


def reach_of(rows: Sequence[Row], matters: float) -> float:
    """How far the axis goes to show the intervals whole; a change far beyond all others runs off it, so that these
    can still be seen."""
    ends = sorted((max(abs(row.low), abs(row.high)) for row in rows if row.low is not None and row.high is not None),
                  reverse=True)
    while len(ends) > 1 and ends[0] > FAR_BEYOND * max(ends[1], 2 * matters):
        ends = ends[1:]
    return 1.15 * max([*ends[:1], 2 * matters])


def forest(axes: "Axes", rows: Sequence[Row], matters: float, reach: float | None = None) -> "Axes":
    """Draws the rows from the top; what goes beyond `reach` ends in an arrow."""
    reach = reach or reach_of(rows, matters)
    axes.axvspan(-matters / (1 + matters / 100), matters, color=BAND, zorder=0)
    axes.axvline(0, color=FAINT, linewidth=0.8, zorder=1)
    for place, row in enumerate(rows):
        axes.annotate(row.said, (1.02, place), xycoords=("axes fraction", "data"), fontsize=8, color=INK, va="center")
        _interval(axes, place, row, reach)
    axes.set_yticks(range(len(rows)), [row.label for row in rows], fontsize=8.5)
    for label, row in zip(axes.get_yticklabels(), rows, strict=True):
        if row.bold:
            label.set_fontweight("bold")
    axes.set_ylim(len(rows) - 0.4, -0.6)
    axes.set_xlim(-reach, reach)
    return axes


def _interval(axes: "Axes", place: int, row: Row, reach: float) -> None:
    if row.change is None or row.low is None or row.high is None:
        return
    low, high = max(row.low, -reach), min(row.high, reach)
    if low < high:
        axes.plot([low, high], [place, place], color=INK, linewidth=2, solid_capstyle="butt")
    for end, edge, mark in ((row.low, -reach, "<"), (row.high, reach, ">")):
        if abs(end) > reach and (end < 0) == (edge < 0):
            axes.plot([edge], [place], marker=mark, color=INK, markersize=6, clip_on=False)
    if abs(row.change) <= reach:
        kind = KINDS[row.word]
        axes.plot([row.change], [place], marker=MARKS[kind], markersize=6, color=INK,
                  markerfacecolor="white" if kind in ("same", "open") else INK)
