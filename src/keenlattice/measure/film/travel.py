"""How long a press takes to show: a lamp comes on at once, a finger or a key moves, and makes contact on the way."""

import numpy as np

from keenlattice.measure.capture import Floats
from keenlattice.measure.film.grid import GAMMA, SCALE, Area, Window, cells_of
from keenlattice.quickly import dataclass

AROUND_CELLS = 4                       # a key is seen to move beside the cells that show it best
BEFORE_MS, DONE_MS, REACH_MS = (-120.0, -80.0), (20.0, 60.0), 90.0
FEWEST = 4                             # presses that a course is the median of
SLOWEST_MS = 20.0                      # between pictures: a slower film has too few of them around a press
LOW, HIGH = 0.1, 0.9                   # of the way: from where to where the course is timed
BIN_SHARE = 0.5                        # of an interval: the presses together show it finer than one does
LONGER_MS, LONGER_SHARE = 3.0, 0.75    # than an interval, and this share of one more: then it moves


@dataclass(frozen=True)
class Travel:
    """What moves while a button is pressed.

    Args:
        lasts_ms: from where it begins to move until it rests; 0 for a lamp, which is lit at once.
        later_ms: how much later than the press was dated it is half-way.
    """

    lasts_ms: float = 0.0
    later_ms: float = 0.0


def travel_of(window: Window, at_ms: Floats, press: Area, press_ms: Floats) -> Travel:
    """Return how the surroundings of a lamp, or of a key, change while the button is pressed.

    Every cell around counts by how much it changes from before a press to after it. Their sum leaves nought and comes
    to one at once where a lamp is lit, and over the time that a key takes to go down, or a finger to come.

    Args:
        window: some pictures of the film.
        at_ms: when these were taken; shape (pictures,).
        press: where the press shows.
        press_ms: when it was found to be pressed; shape (presses,).
    """
    rows, columns = cells_of(press, window.side, window.grid.shape)
    around = window.grid[:, max(0, rows.start - AROUND_CELLS):rows.stop + AROUND_CELLS,
                         max(0, columns.start - AROUND_CELLS):columns.stop + AROUND_CELLS]
    light = np.clip(around.reshape(at_ms.size, -1) / SCALE, 0, None) ** GAMMA
    interval = float(np.median(np.diff(at_ms)))
    inside = [time for time in press_ms if at_ms[0] <= time + BEFORE_MS[0] and time + REACH_MS <= at_ms[-1]]
    if len(inside) < FEWEST or interval > SLOWEST_MS:
        return Travel()
    times, way = _together([_course(light, at_ms - time) for time in inside], BIN_SHARE * interval)
    low, half, high = (_passed(times, way, share) for share in (LOW, 0.5, HIGH))
    lasts = (high - low) / (HIGH - LOW)
    return Travel(lasts, half) if lasts > interval + max(LONGER_MS, LONGER_SHARE * interval) else Travel()


def _together(courses: list[tuple[Floats, Floats]], bin_ms: float) -> tuple[Floats, Floats]:
    """The median course of several presses: pictures fall at other moments of each, so that it is finer than one."""
    times, ways = (np.concatenate(parts) for parts in zip(*courses, strict=True))
    if not times.size:
        return np.zeros(1), np.ones(1)
    bins = np.floor(times / max(bin_ms, 4 * REACH_MS / times.size)).astype(np.intp)
    held = np.unique(bins)
    return (np.array([times[bins == number].mean() for number in held]),
            np.array([np.median(ways[bins == number]) for number in held]))


def _course(light: Floats, from_press_ms: Floats) -> tuple[Floats, Floats]:
    """When each picture around a press was taken, and how much of the change was done by then."""
    before, after = (light[(from_press_ms >= span[0]) & (from_press_ms <= span[1])] for span in (BEFORE_MS, DONE_MS))
    if not before.size or not after.size:  # a film may lack some pictures
        return np.empty(0), np.empty(0)
    before = before.mean(axis=0)
    change = after.mean(axis=0) - before
    near = np.abs(from_press_ms) <= REACH_MS
    return from_press_ms[near], (light[near] - before) @ change / max(float(change @ change), 1e-12)


def _passed(times: Floats, way: Floats, share: float) -> float:
    """When a course has last been below a share of the way, before its end."""
    top = int(np.argmax(way > 0.97 * min(1.0, float(way.max()))))
    below = np.flatnonzero(way[:top + 1] < share)
    if not below.size or below[-1] + 1 >= way.size:
        return float(times[0])
    last = int(below[-1])
    return float(np.interp(share, way[last:last + 2], times[last:last + 2]))
