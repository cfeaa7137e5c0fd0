"""Frames from a film of the screen, as a recorder or a capture card makes it: which of its pictures are new.

Of a film at a constant rate frame times are multiples of its interval: a coarse clock. A picture is new if it differs
from the last one about as much as the pictures around it do; one that repeats the last hardly differs, whatever the
compression does to it.
"""

from collections.abc import Sequence
from pathlib import Path
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field

from keenlattice.errors import CaptureError, way
from keenlattice.measure.capture import Capture, Floats
from keenlattice.measure.edges import stretches
from keenlattice.measure.film.grid import Area
from keenlattice.measure.film.reader import Film, FilmPicture, Pixels, Progress, look_at, pictures
from keenlattice.measure.film.shown import area_of, as_stored
from keenlattice.quickly import dataclass

BANDS, ROWS, BLOCKS = 24, 3, 16  # across a picture from the top, rows of pixels that are read of each, and along it
MOVING = 0.8                # of the blocks: as many may stand still, or hold what moves by itself, as a cursor does
AROUND_S, USUAL = 0.6, 0.9  # what pictures differ by nearby: this quantile over as long on either side
REPEATS, NEW = 0.2, 0.3     # of that: a picture that differs by less repeats the last one, by more it is new
STILL = 0.3                 # levels of 255: where nothing differs by more, nothing moves
MOST_UNSURE = 0.01          # of the pictures that lie between the two
LEAST_S = 1.0
HITCH_MS, MOST_UNCHANGING = 250.0, 1 / 3  # a game does not stand still for longer, for more of the time
FEWEST_TORN = 3             # bands on either side of a tear


class ScreenMap(BaseModel):
    """What a player said of a recorder's films of the screen: that they are such, and what does not count in them.

    Args:
        name: what the player calls this map.
        mask: areas that move on their own (a chat, a film within the game), each as X,Y,WIDTH,HEIGHT in pixels.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    name: str = Field(default="screen", pattern=r"^[a-z][a-z0-9-]{0,39}$")
    reads: Literal["screen"] = "screen"
    mask: tuple[str, ...] = Field(default=(), max_length=20)

    def frames(self, path: Path, progress: Progress | None = None) -> "tuple[Capture, ScreenReading]":
        """Read a film; see `frames_of`."""
        film = look_at(path)
        return frames_of(film, [as_stored(area_of(text), film) for text in self.mask], progress)


@dataclass(frozen=True)
class ScreenReading:
    """What was said of a film of the screen, beside its frames.

    Args:
        pictures: how many it has.
        step_ms: its interval, of which frame times are multiples.
        still_share: of it, nothing moved for so long that it cannot be told whether frames were drawn.
        unsure_share: of its pictures that are neither clearly new nor clearly repeated.
        repeated: how many pictures repeat the one before.
        begin_ms: when its first frame came, by the film's own stamps.
        tears: of each picture that shows two frames, the row below which it shows the later one, in pixels.
    """

    pictures: int
    step_ms: float
    still_share: float
    unsure_share: float
    repeated: int
    begin_ms: float
    tears: tuple[int, ...]


def frames_of(film: Film, mask: Sequence[Area] = (), progress: Progress | None = None) -> tuple[Capture, ScreenReading]:
    """Return the frames that a film of the screen shows, in its longest stretch in which something moves.

    Args:
        film: which.
        mask: areas of it that do not count, as they are stored: a chat, a film within the game.
        progress: is called with how many pictures are read, and how many there are.

    Raises:
        CaptureError: the film cannot be read, nothing moves in it, or new pictures cannot be told from repeated ones.
    """
    at_ms, differences = _differences(film, mask, progress)
    step = float(np.median(np.diff(at_ms))) if at_ms.size > 1 else 0.0
    if at_ms.size < 2 or (at_ms[-1] - at_ms[0]) < 1000 * LEAST_S:
        raise CaptureError(f"{film.path} is too short: a film of the screen takes a second at least")
    if np.abs(np.diff(at_ms) - step).max() > 0.5 * step:
        raise CaptureError(f"{film.path}: its pictures do not come at a constant rate, so that a picture that is not "
                           "there looks like a long frame; record at a constant rate")
    usual = _usual(differences, 1000 / step)
    first, end = _longest(np.sort(usual, axis=1)[:, -FEWEST_TORN] > STILL)
    if (end - first) * step < 1000 * LEAST_S:
        raise CaptureError(f"{film.path}: nothing moves for a second on end: when frames came cannot be told")
    ratios = differences[first:end] / np.maximum(usual[first:end], STILL)
    ratio = np.asarray(np.sort(ratios, axis=1)[:, -FEWEST_TORN], dtype=np.float64)  # a part of a picture may be new
    unsure = float(np.mean((ratio > REPEATS) & (ratio < NEW)))
    if unsure > MOST_UNSURE:
        raise CaptureError(f"{film.path}: {100 * unsure:.0f} % of its pictures are neither clearly new nor clearly "
                           "repeated: it is noisy, compressed too much, or hardly moves; record at a higher quality")
    if (unchanging := _unchanging(ratio, step)) > MOST_UNCHANGING:
        raise CaptureError(f"{film.path}: for {100 * unchanging:.0f} % of the time nothing changes for 0.25 s or "
                           "longer: this shows no game under way (a phone's film of presses goes to "
                           f"{way('keen latency', 'ws.recordings.latency.of_film(FILE)')})")
    shown, tears = _shown(at_ms[first:end], ratios > (REPEATS + NEW) / 2, film.height)
    still = 1 - (end - first) / at_ms.size
    seen = ScreenReading(at_ms.size, step, still, unsure, int((ratio <= REPEATS).sum()), float(shown[0]), tuple(tears))
    capture = Capture(shown - shown[0], about={
        "source": film.path.name, "recorded_by": "film", "step_ms": round(step, 4), "still_share": seen.still_share,
        "torn": len(tears)})
    return capture, seen


def _differences(film: Film, mask: Sequence[Area], progress: Progress | None) -> tuple[Floats, NDArray[np.float32]]:
    """When each picture was taken, and how much each of its bands differs from the last picture's, in levels of 255.

    Of a band the quantile MOVING over its blocks counts; shape (pictures, BANDS).
    """
    stamps, result = list[float](), list[NDArray[np.float32]]()
    counts, last = _counting(film, mask), None
    for picture in pictures(film, progress):
        rows = _sampled(picture)
        stamps.append(picture.at_ms)
        result.append(np.zeros(BANDS, np.float32) if last is None else _bands(rows, last, counts, picture))
        last = rows
    return np.array(stamps), np.array(result)


def _sampled(picture: FilmPicture) -> Pixels:
    """A copy of ROWS rows of each band."""
    height = picture.pixels.shape[0]
    rows: Pixels = picture.pixels[((np.arange(BANDS * ROWS) + 0.5) * height / (BANDS * ROWS)).astype(np.intp)]
    return rows


def _bands(rows: Pixels, last: Pixels, counts: NDArray[np.bool_], picture: FilmPicture) -> NDArray[np.float32]:
    """How much each band differs from the last picture's: of its blocks that count, ordered, the one at MOVING."""
    width = rows.shape[1] // BLOCKS * BLOCKS
    change = np.maximum(rows, last)
    change -= np.minimum(rows, last)  # without signs, which these numbers do not have
    sums = change[:, :width].reshape(BANDS, ROWS, BLOCKS, -1).sum(axis=1, dtype=np.uint32).astype(np.float32)
    level = (picture.white - picture.black) / 255
    blocks = sums @ np.full(sums.shape[-1], 1 / (ROWS * sums.shape[-1] * level), dtype=np.float32)
    ordered = np.sort(np.where(counts, blocks, -1), axis=1)
    above = np.round((1 - MOVING) * (counts.sum(axis=1) - 1)).astype(np.intp)
    return np.asarray(ordered[np.arange(BANDS), BLOCKS - 1 - above], dtype=np.float32)


def _counting(film: Film, mask: Sequence[Area]) -> NDArray[np.bool_]:
    """Which blocks count: those that no masked area touches; of a band without any, all."""
    counts = np.ones((BANDS, BLOCKS), dtype=bool)
    for area in mask:
        rows, columns = film.height / BANDS, film.width / BLOCKS
        counts[int(area.y / rows):int(-(-(area.y + area.height) // rows)),
               int(area.x / columns):int(-(-(area.x + area.width) // columns))] = False
    if not counts.any():
        raise CaptureError("the mask covers the whole picture")
    counts[~counts.any(axis=1)] = True
    return counts


def _usual(values: NDArray[np.float32], rate_hz: float) -> NDArray[np.float32]:
    """What pictures usually differ by around each."""
    from scipy.ndimage import percentile_filter

    size = 2 * max(4, round(AROUND_S * rate_hz)) + 1
    return np.asarray(percentile_filter(values, 100 * USUAL, size=(size, 1), mode="nearest"))


def _longest(moves: NDArray[np.bool_]) -> tuple[int, int]:
    begins, ends = stretches(moves)
    longest = int(np.argmax(ends - begins)) if begins.size else 0
    return (int(begins[longest]), int(ends[longest])) if begins.size else (0, 0)


def _unchanging(ratio: Floats, step: float) -> float:
    """The share of pictures in rows of repeats that last longer than HITCH_MS."""
    begins, ends = stretches(ratio < NEW)
    lengths = ends - begins
    return float(lengths[lengths * step > HITCH_MS].sum()) / ratio.size


def _shown(at_ms: Floats, new: NDArray[np.bool_], height: int) -> tuple[Floats, list[int]]:
    """When each frame came, and the rows of tears.

    Where a frame comes while a picture is scanned out, only what is below that row is new; in the next picture what is
    above is new, which is the same frame.

    Args:
        new: which bands of each picture differ from the last one's; shape (pictures, BANDS).
    """
    interval = float(np.median(np.diff(at_ms)))
    shown, tears, came = list[float](), list[int](), False
    for at, bands in zip(at_ms, new, strict=True):
        old = np.flatnonzero(~bands)
        below = BANDS - 1 - int(old[-1]) if old.size else BANDS  # bands that are new, up from the bottom
        if FEWEST_TORN <= below <= BANDS - FEWEST_TORN:
            shown.append(at + (1 - below / BANDS) * interval)
            tears.append(round((1 - below / BANDS) * height))
            came = True
        elif below < FEWEST_TORN and came and bands[0]:  # the rest of the last frame
            came = False
        else:
            came = int(bands.sum()) >= FEWEST_TORN
            if came:
                shown.append(at)
    return np.array(shown), tears
