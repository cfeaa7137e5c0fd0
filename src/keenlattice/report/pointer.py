"""What a figure on a page answers to a pointer: its points, each with what is to be read there."""

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any
from weakref import WeakKeyDictionary

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure
    from numpy.typing import ArrayLike

SVG_DPI = 72  # an SVG's unit is a point

_points: "WeakKeyDictionary[Axes, tuple[str, ArrayLike, ArrayLike, Sequence[str]]]" = WeakKeyDictionary()


def answers(axes: "Axes", along: str, x: "ArrayLike", y: "ArrayLike", texts: Sequence[str]) -> None:
    """Let an axes answer to a pointer with the text of the nearest of its points.

    Args:
        along: "x" or "y": the direction in which the nearest point is looked for.
        x, y: the points, in the units of the axes; shape (points,).
        texts: what is to be read at each.
    """
    _points[axes] = along, x, y, texts


def answers_of(figure: "Figure") -> list[dict[str, Any]]:
    """Return what each axes of a drawn figure answers: its area and its points, in the units of the figure's SVG.

    An area is left, top, right and bottom; a point is x, y and a text.
    """
    import numpy as np

    height, scale = figure.bbox.height, SVG_DPI / figure.dpi
    areas = []
    for axes in figure.axes:
        if axes not in _points:
            continue
        along, x, y, texts = _points[axes]
        places = axes.transData.transform(np.column_stack([np.asarray(x, float), np.asarray(y, float)]))
        box = axes.bbox
        areas.append({
            "along": along,
            "box": [round(scale * edge, 1) for edge in (box.x0, height - box.y1, box.x1, height - box.y0)],
            "points": [[round(scale * right, 1), round(scale * (height - up), 1), text]
                       for (right, up), text in zip(places.tolist(), texts, strict=True)]})
    return areas
