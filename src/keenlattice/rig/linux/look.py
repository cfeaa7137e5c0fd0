"""A short look at a window: which of its pixels answers clicks, and does not change without one."""

import time
from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from keenlattice.errors import RigError
from keenlattice.rig.linux.recorder import Image, Recorder, Spot

CLICKS = 8
MAY_MISS = 1            # a click that the game was too busy for; or a change that came late, or as the game began
LOOKS, APART_S = 4, 0.06
DEEP = 2.0              # pixels from the edge of what answers: single pixels of a lively picture do so by chance
REST_S = 0.25           # a flash is over by then


def look(recorder: Recorder, window: Any, alive: Callable[[], bool]) -> tuple[Spot, Spot]:
    """Clicks into the middle of a window some times, and finds the pixel that answers; returns that, and where it was
    clicked.

    Raises:
        RigError: none does, or the window goes away.
    """
    width, height = recorder.size_of(window)
    middle = width // 2, height // 2
    recorder.point_at(window, middle)
    calm, clicked = [], []
    for _ in range(CLICKS):
        time.sleep(REST_S)
        before = recorder.image(window)
        calm.append(_changed(recorder, window, before))
        before = recorder.image(window)  # before the click: the answer may be there sooner than the next look
        recorder.click()
        clicked.append(_changed(recorder, window, before))
        if not alive():
            raise RigError("the game ended while it was looked at")
    spot = answering(calm, clicked)
    if spot is None:
        raise RigError(f"no place in the window answered {CLICKS} clicks and kept still without them; "
                       "one that does can be named: --answers-at X,Y")
    return spot, middle


def _changed(recorder: Recorder, window: Any, before: Image) -> NDArray[np.bool_]:
    """Which pixels are otherwise in any of the next looks."""
    changed = np.zeros(before.shape, dtype=bool)
    for _ in range(LOOKS):
        time.sleep(APART_S)
        changed |= recorder.image(window) != before
    return changed


def answering(calm: list[NDArray[np.bool_]], clicked: list[NDArray[np.bool_]]) -> Spot | None:
    """The pixel (x, y) that changed after clicks alone, as far from any that did otherwise as can be; None if none did.

    Args:
        calm, clicked: which pixels changed while nothing was done, and after each click; shape (height, width) each.
    """
    from scipy.ndimage import distance_transform_edt

    good = (np.sum(clicked, axis=0) >= len(clicked) - MAY_MISS) & (np.sum(calm, axis=0) <= MAY_MISS)
    inside = distance_transform_edt(np.pad(good, 1))[1:-1, 1:-1]
    if inside.max() < DEEP:
        return None
    y, x = np.unravel_index(int(np.argmax(inside)), good.shape)
    return int(x), int(y)
