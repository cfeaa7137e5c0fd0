"""Waiting until a game's window is the one that stays, and until a game that was just started has loaded."""

import time
from collections.abc import Callable, Sequence
from contextlib import suppress
from typing import Any

import numpy as np
from numpy.typing import NDArray

from keenlattice.errors import RigError
from keenlattice.rig.linux.program import Running
from keenlattice.rig.linux.recorder import Image, Recorder, Spot

WARM_UP_S = 0.6
STRETCH_S, STRETCHES = 0.4, 3
ALIKE, APART = 0.5, 2  # frame counts of stretches that are alike: by this share of their mean, or this many
LOADS_WITHIN_S = 60.0


def settled(recorder: Recorder, game: Running, patience_s: float) -> tuple[Any, bool]:
    """The window that a game draws into, once it stays; and whether it shows its frames at a steady pace.

    A game that runs already gets a moment; one that we have started is waited for until STRETCHES stretches in a row
    show as many frames, LOADS_WITHIN_S at most, or for as long as for a window if it shows none. A loading screen with
    a steady picture is not told from a game.

    Args:
        patience_s: how long is waited for a window.

    Raises:
        RigError: none came up in time, or it is covered, or the game ended.
    """
    began = time.perf_counter()
    window, counts = recorder.find(game.processes, patience_s, game.alive), list[int]()
    while not is_steady(counts) and time.perf_counter() - began < (LOADS_WITHIN_S if any(counts) else patience_s):
        with suppress(RigError):  # a window that was there for a moment only
            counts.append(recorder.frames_in(window, STRETCH_S if game.ours else WARM_UP_S))
        now = recorder.find(game.processes, patience_s, game.alive)
        if now.id != window.id:
            window, counts = now, []
        elif not game.ours:
            break
        if counts[-2:] == [0, 0]:
            recorder.check_seen(window, None, None)  # one that is covered shows nothing, however long one waits
    return window, not game.ours or is_steady(counts)


def is_steady(counts: Sequence[int]) -> bool:
    """Whether the last stretches show frames, and nearly as many each.

    >>> is_steady([0, 31, 30, 29]), is_steady([0, 0, 0]), is_steady([60, 2, 59])
    (True, False, False)
    """
    last = counts[-STRETCHES:]
    if len(last) < STRETCHES or not min(last):
        return False
    return max(last) - min(last) <= max(APART, ALIKE * sum(last) / STRETCHES)


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
