"""A still of a film, with the areas in which light comes on and goes off; and the latency that was found in it."""

from typing import TYPE_CHECKING

import numpy as np

from keenlattice.measure.capture import Capture
from keenlattice.measure.film.shown import Look
from keenlattice.report.frames import latency_histogram
from keenlattice.report.style import AFTER, BEFORE, INK, LINES, headed, plain

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

PRESSES_DRAWN = 4


def film_figure(look: Look, title: str, capture: Capture | None = None) -> "Figure":
    """A still with its areas; beside it the latency, where there is one."""
    if capture is None:
        picture = headed(title, "The areas that change. Which shows the press, and which the answer?")
        still(picture.add_axes((0.06, 0.08, 0.9, 0.8)), look)
        return picture
    picture = headed(title, "These presses describe this recording; another one may differ by more.")
    grid = picture.add_gridspec(2, 2, left=0.05, right=0.965, top=0.86, bottom=0.08, wspace=0.18, hspace=0.3,
                                height_ratios=(1.9, 1))
    still(picture.add_subplot(grid[0, 0]), look)
    light_courses(picture.add_subplot(grid[1, 0]), look, capture)
    latency_histogram(picture.add_subplot(grid[:, 1]), capture)
    return picture


def light_courses(axes: "Axes", look: Look, capture: Capture) -> "Axes":
    """The light of both areas over the first presses, with the moments at which they were dated."""
    plain(axes, f"The light of both areas, over the first {PRESSES_DRAWN} presses", "time, s", "")
    begin, end = capture.click_ms[0] - 100, capture.click_ms[:PRESSES_DRAWN][-1] + 350
    inside = (look.at_ms >= begin) & (look.at_ms <= end)
    for row, (name, moments) in enumerate((("press", capture.click_ms), ("answer", capture.answer_ms))):
        light, (colour, dashes) = look.lights[name][inside], LINES[row]
        height = (light - light.min()) / max(1e-9, float(np.ptp(light)))
        base = 1.3 * (1 - row)
        axes.plot(look.at_ms[inside] / 1000, base + height, color=colour, linestyle=dashes, linewidth=1.2, marker=".",
                  markersize=2.5)
        dated = moments[(moments >= begin) & (moments <= end)] / 1000
        axes.plot(dated, np.full(dated.size, base + 0.5), linestyle="", marker="x", color=INK,
                  markersize=8, markeredgewidth=1.4)
    axes.set_yticks([0.5, 1.8], ["answer", "press"])
    axes.set_xlim(begin / 1000, end / 1000)
    return axes


def still(axes: "Axes", look: Look) -> "Axes":
    """A picture of the film in grey, with a named rectangle for each area, and its pixels along the edges."""
    from matplotlib.patches import Rectangle

    axes.imshow(look.still, cmap="gray", extent=(0, look.width, look.height, 0), interpolation="nearest")
    plain(axes, "The film's first picture", "pixels from the left", "pixels from the top")
    colours = {"press": BEFORE, "answer": AFTER}
    for number, (name, area) in enumerate(look.areas.items()):
        colour = colours.get(name, LINES[number % len(LINES)][0])
        axes.add_patch(Rectangle((area.x, area.y), area.width, area.height, fill=False, edgecolor="white", linewidth=4))
        axes.add_patch(Rectangle((area.x, area.y), area.width, area.height, fill=False, edgecolor=colour, linewidth=2))
        above = area.y > look.height / 12
        axes.annotate(name, (area.x, area.y if above else area.y + area.height), xytext=(0, 3 if above else -3),
                      textcoords="offset points", va="bottom" if above else "top", fontsize=10, color=colour,
                      fontweight="bold", bbox={"facecolor": "white", "edgecolor": "none", "pad": 1.5})
    return axes
