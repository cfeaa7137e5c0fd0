"""The house style of every figure: told apart by line and place first, by colour second."""

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

INK, FAINT, BAND = "#1d2530", "#8b95a1", "#e6eaef"
BEFORE, AFTER = "#2f5d8a", "#c2571a"
SIZE_INCHES, DPI = (12.8, 8.0), 100


def new_figure() -> "Figure":
    """An empty figure of 1280 x 800 pixels, which needs no display."""
    from matplotlib.backends.backend_agg import FigureCanvasAgg
    from matplotlib.figure import Figure

    figure = Figure(figsize=SIZE_INCHES, dpi=DPI, facecolor="white")
    FigureCanvasAgg(figure)
    return figure


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
