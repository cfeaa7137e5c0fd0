"""Where a film shows the press, and where the screen's answer: areas whose light comes on and goes off, in pairs."""

from collections.abc import Sequence
from dataclasses import replace
from itertools import permutations

import numpy as np
from numpy.typing import NDArray

from keenlattice.errors import CaptureError
from keenlattice.measure.capture import Floats
from keenlattice.measure.edges import DEBOUNCE_MS, Steps, step_heights
from keenlattice.measure.film.edges import MEAN_MS, edges
from keenlattice.measure.film.grid import SCALE, Area, Window, cells_of, light_of
from keenlattice.measure.latency import Latency, matched
from keenlattice.quickly import dataclass

MOST_AREAS = 6
CELL_NOISE_TIMES, LEAST_STEP = 8.0, 6.0  # a cell's step over its noise, and in 1/256 of white
FAINT_SHARE = 0.1        # of the strongest step: what is fainter is a reflection, or what compression left of one
SAME_STEPS = 0.4         # of the steps of two cells that come at one time, if both see one light
TOGETHER_MS = 20.0       # two lights that are no further apart,
TOGETHER_PICTURES = 0.6  # with a difference that varies by less than this, are one light: a screen, drawn from the top
FEWEST = 4               # presses that an area is recognised by
ANSWERED, UNASKED = 0.8, 0.25
REGULAR_MS = 25.0        # how far latencies may spread for a pair to be believed, as a standard deviation
BUT_FOR_A_FEW = 0.98
SHORTER = 3.0            # times, if of two areas either may be the answer to the other


@dataclass(frozen=True, eq=False)
class Pair:
    """An area with presses, one with answers, and what came of them."""

    press: Area
    answer: Area
    latency: Latency

    @property
    def median_ms(self) -> float:
        """The median latency."""
        return float(np.median(self.latency.waits_ms))


def lit_areas(window: Window, at_ms: Floats) -> list[Area]:
    """Return the areas of a film whose light makes clear steps, the strongest first; MOST_AREAS at most.

    Cells that step at the same times see the same light. Of these the patch around the strongest is the area; the
    others are reflections of it.

    Args:
        at_ms: when the window's pictures were taken; shape (pictures,).
    """
    width = max(2, round(MEAN_MS / float(np.median(np.diff(at_ms)))))
    if at_ms.size < 6 * width:
        return []
    strength, steps = _stepping(window, width)
    areas: list[Area] = []
    steps = {cell: times for cell, times in steps.items() if strength[cell] >= FAINT_SHARE * strength.max()}
    while steps and len(areas) < MOST_AREAS:
        seed = max(steps, key=lambda cell: float(strength[cell]))
        same = {cell for cell, times in steps.items() if _overlap(times, steps[seed]) > SAME_STEPS}
        areas.append(_patch(same, seed, strength.shape, window.side))
        for cell in same | _around(same):
            steps.pop(cell, None)  # the rim of an area has some of its light
    return areas


def _stepping(window: Window, width: int) -> tuple[NDArray[np.float64], dict[tuple[int, int], NDArray[np.bool_]]]:
    """How high each cell steps, and for the cells that step clearly, in which pictures they do."""
    strength = np.zeros(window.grid[0].shape)
    steps: dict[tuple[int, int], NDArray[np.bool_]] = {}
    for row in range(strength.shape[0]):  # one after the other, since all together would take as much memory again
        heights = np.abs(step_heights(window.grid[:, row], width))
        noise = 1.4826 * np.median(heights, axis=0)
        strength[row] = heights.max(axis=0)
        for column in np.flatnonzero(strength[row] > np.maximum(CELL_NOISE_TIMES * noise, LEAST_STEP)).tolist():
            steps[row, column] = heights[:, column] > strength[row, column] / 2
    return strength, steps


def _overlap(times: NDArray[np.bool_], second: NDArray[np.bool_]) -> float:
    return float((times & second).sum() / max(1, (times | second).sum()))


def _around(cells: set[tuple[int, int]]) -> set[tuple[int, int]]:
    return {(row + down, column + right) for row, column in cells for down in (-1, 0, 1) for right in (-1, 0, 1)}


def _patch(cells: set[tuple[int, int]], seed: tuple[int, int], shape: tuple[int, ...], side: int) -> Area:
    """The rectangle around the cells that hang together with the seed."""
    from scipy.ndimage import find_objects, label

    mask = np.zeros(shape, dtype=bool)
    mask[tuple(np.array(list(cells)).T)] = True
    labels, _ = label(mask, structure=np.ones((3, 3)))
    rows, columns = find_objects(labels)[labels[seed] - 1]
    return Area(columns.start * side, rows.start * side, (columns.stop - columns.start) * side,
                (rows.stop - rows.start) * side)


def best_pair(window: Window, at_ms: Floats, areas: Sequence[Area]) -> tuple[Pair | None, str]:
    """Return the pair of areas of which one is pressed and the other answers; or None, and why it is not sure.

    Args:
        at_ms: when the window's pictures were taken; shape (pictures,).
        areas: those that may be either, the strongest first.
    """
    lights = {area: edges(at_ms, light_of(window, area)) for area in areas}
    interval = float(np.median(np.diff(at_ms)))
    kept: list[Area] = []
    for area in areas:
        if lights[area].at_ms.size >= FEWEST and not any(
                _is_same(lights[area].at_ms, lights[earlier].at_ms, interval) for earlier in kept):
            kept.append(area)
    readings = {areas: _read(*areas, lights) for areas in permutations(kept, 2)}
    pairs = [pair for (press, answer), pair in readings.items() if pair and _is_believed(pair, readings[answer, press])]
    answers = {pair.answer for pair in pairs}
    first = [pair for pair in pairs if pair.press not in answers]
    if not first:
        return None, (f"{len(kept)} areas change, and none of them answers another surely" if len(kept) > 1 else
                      "only one area changes often enough" if kept else "nothing changes often enough")
    if len({pair.press for pair in first}) > 1:
        return None, f"{len(first)} pairs of areas look like a press and its answer"
    return min(first, key=lambda pair: pair.median_ms), ""


def _is_same(first: Floats, second: Floats, interval: float) -> bool:
    """Whether the edges of two areas come from one light: always as far apart, and hardly."""
    index = np.clip(np.searchsorted(second, first), 1, max(1, second.size - 1))
    if second.size < 2:
        return False
    before, after = second[index - 1] - first, second[index] - first
    near = np.where(np.abs(before) < np.abs(after), before, after)
    low, middle, high = np.quantile(near, (0.25, 0.5, 0.75))
    return bool(abs(middle) <= TOGETHER_MS and high - low <= TOGETHER_PICTURES * interval)


def _is_believed(pair: Pair, back: Pair | None) -> bool:
    """Whether nearly every press is answered, hardly an answer comes unasked, latencies are alike, and the other way
    round they would be longer: far longer, if that could be believed, too."""
    if not _is_regular(pair.latency):
        return False
    return back is None or back.median_ms > (SHORTER if _is_regular(back.latency) else 1.0) * pair.median_ms


def _read(press: Area, answer: Area, lights: dict[Area, Steps]) -> Pair | None:
    """What one area answers to another; None if it answers hardly anything."""
    try:
        latency = paired(lights[press], lights[answer])
    except CaptureError:
        return None
    return Pair(press, answer, latency) if latency.waits_ms.size >= FEWEST else None


def _is_regular(latency: Latency) -> bool:
    waits = latency.waits_ms
    low, high = np.quantile(waits, (0.25, 0.75))
    return bool(waits.size >= ANSWERED * latency.press_ms.size and latency.unasked <= UNASKED * waits.size
                and (high - low) / 1.349 <= REGULAR_MS)


def paired(lamp: Steps, screen: Steps) -> Latency:
    """Return the presses that a lamp shows with their answers on a screen.

    A lamp lights with the button, or changes at each press: its edges away from how it is at rest are presses, or all
    are. So with the screen's answers. The reading that leaves the least unexplained is taken, the simplest of several
    that do.

    Raises:
        CaptureError: one of the two never changes.
    """
    both = replace(screen, height=np.abs(screen.height))
    readings = [_matched(pressed.at_ms, answers) for pressed in (_away(lamp), lamp)
                for answers in (_away(screen), both)]
    costs = [(latency.misses + latency.unasked + with_several(latency)) / max(1, latency.press_ms.size)
             for latency in readings]
    return readings[int(np.argmax(np.array(costs) <= min(costs) + 0.1))]


def with_several(latency: Latency) -> int:
    """How many presses have several answers."""
    return sum("answers" in doubt.what for doubt in latency.doubts)


def _away(steps: Steps) -> Steps:
    """The edges that leave the level at which a light is most of the time."""
    lasts = np.diff(steps.at_ms)
    high, low = (float(lasts[steps.height[:-1] * sign > 0].sum()) for sign in (1, -1))
    rises = low > high if low != high else bool(np.all(steps.height[:1] > 0))
    chosen = steps.height > 0 if rises else steps.height < 0
    return Steps(steps.at_ms[chosen], steps.height[chosen], steps.ratio[chosen], None, steps.noise)


def _matched(at_ms: Floats, answers: Steps) -> Latency:
    """Presses, without what a bouncing contact adds, with their answers."""
    latency = matched(at_ms[np.diff(at_ms, prepend=-np.inf) > DEBOUNCE_MS], answers)
    bounces = at_ms.size - latency.press_ms.size
    return replace(latency, about={**latency.about, "bounces": bounces}) if bounces else latency


def peak_level(window: Window, area: Area) -> float:
    """The brightest that any cell of an area gets but for a few pictures, 1 for white."""
    rows, columns = cells_of(area, window.side, window.grid.shape)
    return float(np.quantile(window.grid[:, rows, columns], BUT_FOR_A_FEW, axis=0).max()) / SCALE
