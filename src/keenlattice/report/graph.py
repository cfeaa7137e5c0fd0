"""The versions of a profile as a graph: each made from its parents, the newest on top."""

from collections.abc import Sequence
from typing import TYPE_CHECKING

from keenlattice.quickly import dataclass
from keenlattice.report.style import BEFORE, FAINT, INK, small_figure

if TYPE_CHECKING:
    from matplotlib.figure import Figure

MOST = 30  # versions in a graph


@dataclass(frozen=True)
class Node:
    """A version: what it is called, those that it was made from, and what stands beside it."""

    id: str
    parents: Sequence[str]
    title: str
    told: str = ""
    marked: bool = False


def lanes(nodes: Sequence[Node]) -> list[int]:
    """Return the column of each version, the newest first: a line of versions keeps its column, and a branch takes the
    next one that is free."""
    waiting: list[str | None] = []  # of each column, the version that its line reaches next
    columns = []
    for node in nodes:
        own = [place for place, expected in enumerate(waiting) if expected == node.id]
        place = own[0] if own else next((free for free, expected in enumerate(waiting) if expected is None),
                                        len(waiting))
        if place == len(waiting):
            waiting.append(None)
        for ancestor in own:
            waiting[ancestor] = None
        for number, parent in enumerate(node.parents):
            if parent in waiting:
                continue
            if number == 0:
                waiting[place] = parent
            else:
                waiting.append(parent)
        columns.append(place)
    return columns


def version_graph(nodes: Sequence[Node]) -> "Figure":
    """Draw versions, the newest first; what was applied is marked by a filled square."""
    shown = nodes[:MOST]
    columns = lanes(shown)
    figure = small_figure(0.5 + 0.34 * len(shown))
    axes = figure.add_axes((0.02, 0.02, 0.96, 0.96))
    at = {node.id: (column, row) for row, (node, column) in enumerate(zip(shown, columns, strict=True))}
    for node in shown:
        for parent in node.parents:
            if parent in at:
                axes.plot(*zip(at[node.id], at[parent], strict=True), color=FAINT, linewidth=1.4, zorder=1)
    widest = max(columns, default=0)
    for node in shown:
        column, row = at[node.id]
        axes.plot([column], [row], marker="s" if node.marked else "o", markersize=7, color=BEFORE, zorder=2,
                  markerfacecolor=BEFORE if node.marked else "white")
        axes.text(widest + 0.6, row, node.title, fontsize=8.5, color=INK, va="center", fontweight="bold")
        axes.text(widest + 4.6, row, node.told[:46], fontsize=8, color=INK, va="center")
    axes.set_xlim(-0.6, widest + 12)
    axes.set_ylim(len(shown) - 0.4, -0.6)
    axes.axis("off")
    return figure
