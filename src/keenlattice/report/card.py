"""A result as a picture to share: its key figures, and what of its figure there is room for."""

import textwrap
from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

from keenlattice.blocks import KeyFigure
from keenlattice.report.style import FAINT, INK, MARKS, load
from keenlattice.report.words import KINDS

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

SIZE_INCHES, DPI = (8.0, 4.2), 150  # 1200 x 630 pixels, which the places that show links ask for
COLOURS = {"good": "#1c6b3c", "bad": "#a8261c", "open": "#7d5600"}
LEFT, RIGHT, GAP = 0.03, 0.97, 0.025


def card(title: str, keys: Sequence[KeyFigure], footer: str, onto: "Callable[[Axes], object] | None") -> "Figure":
    """Return the card of a result, 1200 x 630 pixels.

    Args:
        title: what it is about.
        keys: the answer.
        footer: of how many runs, made with what; one line.
        onto: draws the figure onto axes; None where there is none.
    """
    load()
    from matplotlib.backends.backend_agg import FigureCanvasAgg
    from matplotlib.figure import Figure

    figure = Figure(figsize=SIZE_INCHES, dpi=DPI, facecolor="white")
    FigureCanvasAgg(figure)
    figure.text(LEFT, 0.93, textwrap.shorten(title, 75, placeholder=" ..."), fontsize=12.5, color=INK,
                fontweight="bold", va="center")
    width = (RIGHT - LEFT - GAP * (len(keys) - 1)) / len(keys)
    for number, key in enumerate(keys):
        _key(figure, key, LEFT + number * (width + GAP), width)
    if onto is not None:
        axes = figure.add_axes((0.27, 0.2, 0.46, 0.32))
        onto(axes)
        axes.set_title(textwrap.shorten(axes.get_title(loc="left"), 60, placeholder=" ..."), loc="left", fontsize=9,
                       color=INK)
    figure.text(LEFT, 0.035, textwrap.shorten(footer, 130, placeholder=" ..."), fontsize=7, color=INK, va="center")
    return figure


def _key(figure: "Figure", key: KeyFigure, left: float, width: float) -> None:
    """Draw one key figure: a bar in the colour of its verdict, what it is about, the number, what that rests on."""
    from matplotlib.lines import Line2D

    kind = KINDS.get(key.verdict, "")
    colour, letters = COLOURS.get(kind, INK), int(130 * width)
    figure.add_artist(Line2D([left, left], [0.6, 0.86], color=COLOURS.get(kind, FAINT), linewidth=4))
    left += 0.018
    if not key.figure:
        figure.text(left, 0.85, textwrap.fill(_arrows(key.sentence), int(0.85 * letters)), fontsize=10.5, color=INK,
                    fontweight="bold", va="top", linespacing=1.35)
        return
    about = f"{key.title}: {key.verdict}" if key.verdict and key.verdict in key.sentence else key.title
    lines = textwrap.wrap(about, letters)[:2]
    if kind:
        figure.add_artist(Line2D([left + 0.006], [0.835], marker=MARKS[kind], markersize=5.5, color=colour,
                                 markerfacecolor=colour if kind in ("good", "bad") else "white"))
    figure.text(left + 0.02 * bool(kind), 0.835, "\n".join(lines), fontsize=9.5 if len(lines) == 1 else 8.5,
                color=colour, fontweight="bold", va="center")
    large = _arrows(key.figure)
    if len(large) > 24:  # names: on two lines
        figure.text(left, 0.8, "\n".join(textwrap.wrap(large, int(0.75 * letters))[:2]), fontsize=10, color=INK,
                    fontweight="bold", va="top", linespacing=1.25)
    else:
        figure.text(left, 0.755, large, fontsize=_fitting(large, width - 0.02, 18.0), color=INK, fontweight="bold",
                    va="center")
    figure.text(left, 0.69, "\n".join(textwrap.wrap(_arrows(key.note), letters)[:2]), fontsize=8, color=INK, va="top",
                linespacing=1.3)


def _fitting(text: str, width: float, most: float) -> float:
    """Return the size at which a bold text fits into a share of the card's width, at most so large."""
    return min(most, 850 * width / max(len(text), 1))


def _arrows(text: str) -> str:
    return text.replace("->", "\N{RIGHTWARDS ARROW}")
