"""What a film shows, turned as a player sees it: a still, and areas in its pixels."""

import re
from dataclasses import field

import numpy as np

from keenlattice.errors import CaptureError
from keenlattice.measure.capture import Floats
from keenlattice.measure.film.grid import Area, Window
from keenlattice.measure.film.reader import Film, Pixels
from keenlattice.quickly import dataclass


@dataclass(frozen=True, eq=False)
class Look:
    """What a film shows: a still of it, and the areas in which light comes on and goes off.

    Args:
        still: the brightness of its first picture, thinned out, turned as the film is to be shown.
        width, height: of the whole picture, turned like that, in pixels.
        areas: name to area, in pixels of the whole picture.
        at_ms: when each picture was taken, where the areas' light is known; shape (pictures,).
        lights: name of an area to its light, from 0 to 1; shape (pictures,).
    """

    still: Pixels
    width: int
    height: int
    areas: dict[str, Area]
    at_ms: Floats = field(default_factory=lambda: np.empty(0))
    lights: dict[str, Floats] = field(default_factory=dict)


class NotSure(CaptureError):
    """A film that may show presses and answers, but not surely; `look` has what it does show."""

    def __init__(self, reason: str, look: Look) -> None:
        super().__init__(reason)
        self.look = look


def area_of(text: str) -> Area:
    """An area of a film, from X,Y,WIDTH,HEIGHT in pixels.

    Raises:
        CaptureError: the text has another form.
    """
    match = re.fullmatch(r"\s*(\d{1,5}),\s*(\d{1,5}),\s*(\d{1,5}),\s*(\d{1,5})\s*", text)
    if not match:
        raise CaptureError(f"an area of a film is written X,Y,WIDTH,HEIGHT, in pixels; {text[:40]!r} is not")
    return Area(*(int(number) for number in match.groups()))


def in_text(area: Area) -> str:
    """An area as X,Y,WIDTH,HEIGHT."""
    return f"{area.x},{area.y},{area.width},{area.height}"


def look_of(film: Film, window: Window, areas: dict[str, Area]) -> Look:
    turns = film.rotation // 90
    width, height = (film.height, film.width) if turns % 2 else (film.width, film.height)
    return Look(np.rot90(window.still, turns), width, height,
                {name: _turned(area, film.width, film.height, turns) for name, area in areas.items()})


def as_stored(area: Area, film: Film) -> Area:
    """An area of the film as it is shown, in pixels of its pictures as they are stored."""
    turns = film.rotation // 90
    width, height = (film.height, film.width) if turns % 2 else (film.width, film.height)
    if not (0 <= area.x <= area.x + area.width <= width and 0 <= area.y <= area.y + area.height <= height
            and area.width and area.height):
        raise CaptureError(f"the area {in_text(area)} does not lie within the film's {width}x{height} pixels")
    return _turned(area, width, height, -turns % 4)


def _turned(area: Area, width: int, height: int, turns: int) -> Area:
    """An area of a picture of this size, after quarter turns against the clock."""
    for _ in range(turns):
        area = Area(area.y, width - area.x - area.width, area.height, area.width)
        width, height = height, width
    return area
