"""Whether a recording can be of the run that was asked for: said before it counts, and decided by the player."""

from collections.abc import Mapping, Sequence

import numpy as np

from keenlattice.catalog.values import Value
from keenlattice.errors import UsageError
from keenlattice.measure.capture import Capture
from keenlattice.profile.matching import match
from keenlattice.profile.together import parted
from keenlattice.profile.version import WHOLE_RIG, owners
from keenlattice.rig.base import ByHand, State
from keenlattice.rig.byhand.session import before_the_last_change
from keenlattice.rig.hand import ComingRun

CAP = "frame.cap"
LEAST_OF_LENGTH, MOST_OF_LENGTH = 0.8, 10.0
ABOVE, AT = 1.03, 0.01
STEADY = 0.25  # spread of frame times over their median: below it, a cap or a refresh holds them


def doubts(rig: ByHand, run: ComingRun, capture: Capture) -> list[str]:
    """What speaks against a recording being of a run; nothing, if nothing does.

    Looked at are its length, the program that was recorded, and the frame rate against the cap and the refresh rate
    that hold for the run, and against the cap that held before it.
    """
    state = rig.state()
    before = [_holds(rig, one, owners(run.owner)[0]).get(CAP) for one in (state, before_the_last_change(rig))]
    now = {**rig.values(state, WHOLE_RIG)}
    for entries in parted(run.owner, run.entries).values():
        now |= entries
    return [*_length(run, capture), *_program(rig, run, capture), *_rate(rig, now, before, capture)]


def _holds(rig: ByHand, state: State, owner: str) -> dict[str, Value]:
    return {**rig.values(state, WHOLE_RIG), **rig.values(state, owner)}


def _length(run: ComingRun, capture: Capture) -> list[str]:
    if capture.seconds < LEAST_OF_LENGTH * run.seconds:
        return [f"it lasts {capture.seconds:.0f} s, and {run.seconds:.0f} s were to be played"]
    if capture.seconds > MOST_OF_LENGTH * max(run.seconds, 10.0):
        return [f"it lasts {capture.seconds / 60:.0f} min, where a run of {run.seconds:.0f} s was to be played"]
    return []


def _program(rig: ByHand, run: ComingRun, capture: Capture) -> list[str]:
    program = str(capture.about.get("program", ""))
    game = next((one for one in rig.games() if one.name == run.game), None)
    if not program or game is None or not game.executables:
        return []
    try:
        match(program, [game], case_matters=rig.facts().get("case_matters") is True)
    except UsageError:
        return [f"it is of {program[:60]}, and {game.title} runs as {', '.join(game.executables)}"]
    return []


def _rate(rig: ByHand, now: Mapping[str, Value], before: Sequence[Value | None], capture: Capture) -> list[str]:
    if capture.frame_ms.size < 20:
        return [f"it holds {capture.frame_ms.size} frames, too few to tell a frame rate by"]
    middle = float(np.median(capture.frame_ms))
    fps, found = 1000 / middle, []
    cap, old = _number(now.get(CAP)), [one for one in map(_number, before) if one is not None]
    if cap is not None and fps > ABOVE * cap:
        found.append(f"it runs at {fps:.0f} frames a second, and the cap is to be {cap:g}: was that step taken?")
    elif any(one != cap and abs(fps / one - 1) < AT for one in old) and _steady(capture):
        found.append(f"it runs at {fps:.0f} frames a second, just what the cap was before: was that step taken?")
    refresh = rig.facts().get("refresh_hz")
    if now.get("sync.vertical") == "on" and isinstance(refresh, int | float) and fps > ABOVE * refresh:
        found.append(f"it runs at {fps:.0f} frames a second, and vertical sync is to hold it at {refresh:g}: was that "
                     "step taken?")
    return found


def _steady(capture: Capture) -> bool:
    quarter, middle, three = np.quantile(capture.frame_ms, (0.25, 0.5, 0.75))
    return bool(three - quarter < STEADY * middle)


def _number(value: object) -> float | None:
    return float(value) if isinstance(value, int | float) and not isinstance(value, bool) and value > 0 else None
