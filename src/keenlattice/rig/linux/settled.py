"""Waiting until a game's window is the one that stays, and until a game that was just started has loaded."""

import time
from collections.abc import Sequence
from contextlib import suppress
from typing import Any

from keenlattice.errors import RigError
from keenlattice.rig.linux.program import Running
from keenlattice.rig.linux.recorder import Recorder

WARM_UP_S = 0.6
STRETCH_S, STRETCHES = 0.4, 3
ALIKE, APART = 0.5, 2  # frame counts of stretches that are alike: by this share of their mean, or so many
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
