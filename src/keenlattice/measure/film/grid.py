"""A film as a grid of brightness: the mean over each small square of every picture."""

from collections.abc import Iterator
from itertools import islice

import numpy as np
from numpy.typing import NDArray

from keenlattice.measure.capture import Floats
from keenlattice.measure.film.reader import Film, FilmPicture, Pixels, Progress, pictures
from keenlattice.quickly import dataclass

CELLS = 64      # along the longer side of a picture
MOST_ROWS = 10  # of pixels that are read of each cell: more would cost time and tell nothing new
WINDOW = 6000   # pictures that are held at once
SCALE = 256     # what stands for white in a grid
GAMMA = 2.2     # light is about the brightness of a film's pixel to this power


@dataclass(frozen=True)
class Area:
    """A rectangle of a picture as it is stored, in pixels from its upper left corner."""

    x: int
    y: int
    width: int
    height: int


@dataclass(frozen=True, eq=False)
class Window:
    """Some pictures of a film, one after the other.

    Args:
        at_ms: their stamps; shape (pictures,).
        grid: the brightness of each cell, 0 for black and SCALE for white; shape (pictures, rows, columns).
        side: how many pixels a cell has along its sides.
        still: the brightness of the first picture, coarse enough to be kept.
    """

    at_ms: Floats
    grid: NDArray[np.float32]
    side: int
    still: Pixels


def windows(film: Film, progress: Progress | None = None) -> Iterator[Window]:
    """Read a film as windows of WINDOW pictures at most, so that its length does not matter to memory.

    Args:
        film: which.
        progress: is called with how many pictures are read, and how many there are.
    """
    stream, side = pictures(film, progress), cell_side(film)
    while held := _held(islice(stream, WINDOW), side):
        yield held


def cell_side(film: Film) -> int:
    """How many pixels a cell has along its sides."""
    return max(4, round(max(film.width, film.height) / CELLS))


def cells_of(area: Area, side: int, shape: tuple[int, ...]) -> tuple[slice, slice]:
    """The rows and columns of the cells that an area touches, as far as they are in a grid of this shape."""
    return _touched(area.y, area.height, side, shape[-2]), _touched(area.x, area.width, side, shape[-1])


def _touched(start: int, length: int, side: int, count: int) -> slice:
    first = min(start // side, count - 1)
    return slice(first, max(first + 1, -(-(start + length) // side)))


def light_of(window: Window, area: Area) -> Floats:
    """The light of an area in each picture, from 0 to 1, in proportion to what the camera received; (pictures,)."""
    rows, columns = cells_of(area, window.side, window.grid.shape)
    part = np.clip(window.grid[:, rows, columns] / SCALE, 0, None) ** GAMMA
    return np.asarray(part.mean(axis=(1, 2)), dtype=np.float64)


def _held(stream: Iterator[FilmPicture], side: int) -> Window | None:
    stamps, grids, still = [], [], None
    for picture in stream:
        if still is None:
            step = max(1, max(picture.pixels.shape) // 960)
            still = picture.pixels[::step, ::step].copy()
        stamps.append(picture.at_ms)
        grids.append(_cells(picture, side))
    if still is None:
        return None
    return Window(np.array(stamps), np.stack(grids), side, still)


def _cells(picture: FilmPicture, side: int) -> NDArray[np.float32]:
    """The mean of each cell, over MOST_ROWS of its rows; the last few pixels on the right and below are left out."""
    rows, columns = (length // side for length in picture.pixels.shape)
    step = max(1, side // MOST_ROWS)
    part = picture.pixels[:rows * side, :columns * side].reshape(rows, side, -1)[:, ::step]
    kind = np.uint16 if part.dtype == np.uint8 else np.uint32
    sums = part.sum(axis=1, dtype=kind).astype(np.float32).reshape(rows, columns, side)
    mean = sums @ np.full(side, 1 / (part.shape[1] * side), dtype=np.float32)  # quicker than a second sum
    return np.asarray((mean - picture.black) * (SCALE / (picture.white - picture.black)), dtype=np.float32)
