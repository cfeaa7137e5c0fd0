"""The house style of every figure: told apart by line and place first, by colour second."""

import contextlib
import io
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any

from keenlattice._files import replace_file
from keenlattice.errors import KeenLatticeError

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


def headed(title: str, told: str) -> "Figure":
    """A new figure with its title, and a sentence under it."""
    figure = new_figure()
    figure.text(0.012, 0.965, title, fontsize=14, color=INK, fontweight="bold", va="center")
    figure.text(0.012, 0.928, told, fontsize=10, color=INK, va="center")
    return figure


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

    It looks for settings of its own in the current folder, which may be somebody else's pack.
    """
    if "matplotlib" not in sys.modules:
        with contextlib.chdir(Path(__file__).parent):
            import matplotlib  # noqa: F401
