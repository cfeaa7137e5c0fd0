"""The house style of every figure: told apart by line and place first, by colour second."""

import contextlib
import io
import sys
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from keenlattice.errors import KeenLatticeError
from keenlattice.files import replace_file
from keenlattice.quickly import dataclass
from keenlattice.report.pointer import answers
from keenlattice.report.words import KINDS

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure


INK, FAINT, BAND = "#1d2530", "#8b95a1", "#e6eaef"
BEFORE, AFTER = "#2f5d8a", "#c2571a"
LINES: tuple[tuple[str, Any], ...] = (
    (BEFORE, "-"), (AFTER, (0, (4, 1.5))), ("#4d7c4a", (0, (1, 1.2))), ("#7a4f8f", (0, (6, 1.5, 1, 1.5))),
    ("#5a6470", (0, (8, 3))), ("#8a6d1f", (0, (3, 1, 1, 1, 1, 1))))
"""Colour and dashes of each of several lines: told apart without the colour."""
COLOURS = {INK: "ink", FAINT: "faint", BAND: "band", "#ffffff": "paper", "#000000": "ink", **{
    colour: role for (colour, _), role in zip(LINES, ("first", "second", "third", "fourth", "fifth", "sixth"),
                                              strict=True)}}
"""What each colour is for, by which a page chooses its own for a light or a dark theme."""
SIZE_INCHES, DPI = (12.8, 8.0), 100


def new_figure() -> "Figure":
    """An empty figure of 1280 x 800 pixels, which needs no display."""
    load()
    from matplotlib.backends.backend_agg import FigureCanvasAgg
    from matplotlib.figure import Figure

    figure = Figure(figsize=SIZE_INCHES, dpi=DPI, facecolor="white")
    FigureCanvasAgg(figure)
    return figure


def small_figure(height: float = 2.9) -> "Figure":
    """An empty figure for a page, as wide as a phone can show with its letters still legible; height in inches."""
    load()
    from matplotlib.figure import Figure

    return Figure(figsize=(5.2, height), dpi=DPI)


def headed(title: str, subtitle: str) -> "Figure":
    """A new figure with its title, and a sentence under it."""
    figure = new_figure()
    figure.text(0.012, 0.965, title, fontsize=14, color=INK, fontweight="bold", va="center")
    figure.text(0.012, 0.928, subtitle, fontsize=10, color=INK, va="center")
    return figure


@contextlib.contextmanager
def literally() -> Iterator[None]:
    """Draw within this, and a dollar sign in a figure is a dollar sign: names and notes may be a stranger's, and are no
    formulas to be set."""
    load()
    import matplotlib

    with matplotlib.rc_context({"text.parse_math": False}):
        yield


def save(figure: "Figure", path: Path) -> None:
    """Writes a figure to `path` as PNG, or as SVG if its name ends so; whole or not at all.

    Raises:
        KeenLatticeError: it cannot be written there.
    """
    content = io.BytesIO()
    figure.savefig(content, format="svg" if path.suffix == ".svg" else "png", dpi=DPI)
    try:
        replace_file(path, content.getvalue())
    except OSError as error:
        raise KeenLatticeError(f"cannot write the figure {path}: {error.strerror}") from None


def plain(axes: "Axes", title: str, x: str, y: str) -> None:
    """A quiet frame around the data: title on the left, units on both axes."""
    axes.set_title(title, loc="left", fontsize=10.5, color=INK, fontweight="bold")
    axes.set_xlabel(x, fontsize=9, color=INK)
    axes.set_ylabel(y, fontsize=9, color=INK)
    axes.tick_params(labelsize=8.5, colors=INK)
    for side in ("top", "right"):
        axes.spines[side].set_visible(False)
    for side in ("left", "bottom"):
        axes.spines[side].set_color(FAINT)


def nothing(axes: "Axes", why: str) -> "Axes":
    """An axes that has no data, and says so."""
    axes.text(0.5, 0.5, why, transform=axes.transAxes, ha="center", color=INK, fontsize=9)
    axes.set_xticks([])
    axes.set_yticks([])
    return axes


def load() -> None:
    """Load Matplotlib from our own folder, if nothing has loaded it yet.

    It looks for its own settings in the current folder, which may be somebody else's pack.
    """
    if "matplotlib" not in sys.modules:
        with contextlib.chdir(Path(__file__).parent):
            import matplotlib  # noqa: F401


MARKS = {"good": "o", "bad": "s", "same": "D", "open": "x"}
FAR_BEYOND = 5
MOST_ON_A_CARD = 4  # rows
MOST_DRAWN_PCT = 100.0
ARROW_AT = 0.97  # of the axis: an arrow that goes on ends before the words beside it


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
    decides = [abs(end) for row in rows if row.bold for end in (row.low, row.high)
               if end is not None]  # what decides is never hidden
    return 1.15 * min(MOST_DRAWN_PCT, max([*ends[:1], *decides, 2 * matters]))


def forest(axes: "Axes", rows: Sequence[Row], matters: float, reach: float | None = None) -> "Axes":
    """Draws the rows from the top; what goes beyond `reach` ends in an arrow."""
    reach = reach or reach_of(rows, matters)
    axes.axvspan(-matters / (1 + matters / 100), matters, color=BAND, zorder=0)
    axes.axvline(0, color=FAINT, linewidth=0.8, zorder=1)
    for place, row in enumerate(rows):
        axes.annotate(row.said, (1.03, place), xycoords=("axes fraction", "data"), fontsize=8, color=INK, va="center")
        _interval(axes, place, row, reach)
    axes.set_yticks(range(len(rows)), [row.label for row in rows], fontsize=8.5)
    for label, row in zip(axes.get_yticklabels(), rows, strict=True):
        if row.bold:
            label.set_fontweight("bold")
    answers(axes, "y", [min(max(row.change or 0.0, -reach), reach) for row in rows], range(len(rows)),
            [f"{row.label}: {', '.join(row.said.splitlines())}" for row in rows])
    axes.set_ylim(len(rows) - 0.4, -0.6)
    axes.set_xlim(-reach, reach)
    return axes


def _interval(axes: "Axes", place: int, row: Row, reach: float) -> None:
    if row.change is None or row.low is None or row.high is None:
        return
    low, high = max(row.low, -reach), min(row.high, reach)
    if low < high:
        axes.plot([low, high], [place, place], color=INK, linewidth=2, solid_capstyle="butt")
    for end, edge, mark in ((row.low, -ARROW_AT * reach, "<"), (row.high, ARROW_AT * reach, ">")):
        if abs(end) > reach and (end < 0) == (edge < 0):
            axes.plot([edge], [place], marker=mark, color=INK, markersize=6)
    if abs(row.change) <= reach:
        kind = KINDS[row.word]
        axes.plot([row.change], [place], marker=MARKS[kind], markersize=6, color=INK,
                  markerfacecolor="white" if kind in ("same", "open") else INK)
