"""A study's changes of a rig that is changed by hand.

What a person has changed stays changed when they pause, or when the program dies: so each change is written down as
soon as they say that it is made, and none is taken back unasked. What was there before the study is kept in the rig's
home until the rig is back there, or until an apply or an undo comes between; then it becomes a restore point.
"""

import json
import secrets
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from keenlattice.catalog.values import Value
from keenlattice.errors import RigError, UsageError, way
from keenlattice.files import read_bounded, remove_file, replace_file
from keenlattice.logbook.applies import RestorePoint, keep_point
from keenlattice.measure.capture import Capture
from keenlattice.measure.metrics import MIN_CLICKS
from keenlattice.profile.compare import changes
from keenlattice.profile.matching import match
from keenlattice.profile.sheet import SheetStep
from keenlattice.profile.version import WHOLE_RIG, owners, parted
from keenlattice.rig.base import Asks, ByHand, State, play_on
from keenlattice.rig.hand import ComingRun, Hand, Paused
from keenlattice.rig.journal import fingerprints, in_text, out_of_text
from keenlattice.rig.locks import locked
from keenlattice.rig.places import to_be_written, write
from keenlattice.rig.player.machine import MOST_STATE_BYTES, open_sheet, steps_of
from keenlattice.rig.player.part import keep_noted, read_noted
from keenlattice.rig.recovery import with_values_of
from keenlattice.safejson import parse_json

if TYPE_CHECKING:
    from keenlattice.logbook.book import Logbook
    from keenlattice.measure.capture import Capture


CAP = "frame.cap"
LEAST_OF_LENGTH, MOST_OF_LENGTH = 0.8, 10.0
ABOVE, AT = 1.03, 0.01
STEADY = 0.25  # spread of frame times over their median: below it, a cap or a refresh holds them


def doubts(rig: ByHand, run: ComingRun, capture: Capture) -> list[str]:
    """What speaks against a recording being of a run; nothing, if nothing does.

    Looked at are its length, the program that was recorded, and the frame rate against the cap and the refresh rate
    that hold for the run, and against the cap that held before it. Of a run without frames only its presses are.
    """
    if not capture.shown_ms.size:
        presses = capture.latency_ms.size
        return [f"it holds {presses} answered presses; {MIN_CLICKS} are needed"] * (presses < MIN_CLICKS)
    state = rig.state()
    before = [_holds(rig, state_then, owners(run.owner)[0]).get(CAP)
              for state_then in (state, before_the_last_change(rig))]
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
    game = next((game for game in rig.games() if game.name == run.game), None)
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
    fps, doubts = 1000 / middle, []
    cap, old = _number(now.get(CAP)), [value for value in map(_number, before) if value is not None]
    if cap is not None and fps > ABOVE * cap:
        doubts.append(f"it runs at {fps:.0f} frames a second, and the cap is to be {cap:g}: was that step taken?")
    elif any(cap_before != cap and abs(fps / cap_before - 1) < AT for cap_before in old) and _steady(capture):
        doubts.append(f"it runs at {fps:.0f} frames a second, just what the cap was before: was that step taken?")
    refresh = rig.facts().get("refresh_hz")
    if now.get("sync.vertical") == "on" and isinstance(refresh, int | float) and fps > ABOVE * refresh:
        doubts.append(f"it runs at {fps:.0f} frames a second, and vertical sync is to hold it at {refresh:g}: was that "
                      "step taken?")
    return doubts


def _steady(capture: Capture) -> bool:
    quarter, middle, three = np.quantile(capture.frame_ms, (0.25, 0.5, 0.75))
    return bool(three - quarter < STEADY * middle)


def _number(value: object) -> float | None:
    return float(value) if isinstance(value, int | float) and not isinstance(value, bool) and value > 0 else None


ORIGIN = "before-the-study.json"


class HandChanges:
    """The changes of a study under way; what is not written from here is asked for, and noted once it was made.

    Args:
        hand: who is asked.
    """

    by_itself = False

    def __init__(self, rig: Asks, hand: Hand, why: str) -> None:
        self._rig, self._hand, self._why = rig, hand, why

    def coming(self, run: ComingRun) -> None:
        """Tell a player who plays of the next run."""
        if isinstance(self._rig, ByHand):
            self._rig.coming(run)

    def play(self, game: str, seconds: float, seed: int) -> "Capture":
        """Ask the player for a run; or a program plays, on a rig that they only set something of."""
        return play_on(self._rig, game, seconds, seed)

    def put(self, state: State, settings: list[str] | None = None) -> None:
        """Write and read back what of a state is written from here, then ask for the rest, and note that it was done.

        The player may play as soon as they have taken their steps, so what is written from here comes first.

        Raises:
            Paused: not now.
            RigError: what is written from here was not taken.
        """
        now = self._rig.state()
        steps = steps_between(self._rig, now, state, self._why)
        kept = read_origin(self._rig)
        keep_origin(self._rig, *(kept or (self._why, now)), now)
        self._write({place: content for place, content in state.items() if place != self._rig.place}, now)
        noted = self._hand.change(steps) if steps else {}
        for (owner, key), value in noted.items():
            keep_noted(self._rig.home, owner, {key: value})
        self._write(state, self._rig.state())

    def _write(self, state: State, now: State) -> None:
        if not (changed := to_be_written(self._rig, state, now)):
            return
        write(self._rig, changed, now)
        held = self._rig.state()
        if wrong := [place for place, content in changed.items() if held.get(place) != content]:
            raise RigError(f"the rig {self._rig.name} did not take what it was given: {', '.join(wrong)} holds "
                           f"something else; {way('keen undo', 'ws.undo()')} takes the rest back")

    def take_back(self) -> list[str]:
        """Asks for the way back to what was there before the study; if that has to wait, it waits."""
        kept = read_origin(self._rig)
        if kept is None:
            return []
        now = self._rig.state()
        then = _back(self._rig, now, kept[1])
        steps = steps_between(self._rig, now, then, "back to what was there before")
        self._write({place: content for place, content in then.items() if place != self._rig.place}, now)
        try:
            self._hand.back(steps) if steps else None
        except Paused:
            return [step.key for step in steps]
        self._write(then, self._rig.state())
        remove_file(self._rig.home / ORIGIN)
        return []


def _back(rig: Asks, now: State, origin: State) -> State:
    """The state to go back to: what was said is as before; of what is written from here only our values go back, since
    something else may have written there meanwhile."""
    then: State = {**now, rig.place: origin[rig.place]}
    for owner in (WHOLE_RIG, *(game.name for game in rig.games())):
        then = with_values_of(rig, then, {**now, **origin}, owner)
    return then


@contextmanager
def by_hand(rig: Asks, why: str) -> Iterator[HandChanges]:
    """Changes of a rig by its hand.

    Raises:
        UsageError: nobody is there to be asked; or a sheet is open.
        RigBusy: another process is changing this rig.
    """
    if rig.hand is None and isinstance(rig, ByHand):
        raise UsageError(f"nobody is there to change and play the rig {rig.name}: go on at a terminal, or hand the "
                         "recording of a run over with "
                         f"{way('keen rig next FRAMES', 'ws.studies.by_hand.hand_over(FILES)')}")
    if rig.hand is None:
        raise UsageError(f"this study changes settings of the rig {rig.name} that you set: play it at a terminal, "
                         "which asks you for them run by run; or let a `Hand` of yours ask (rig.hand)")
    with locked(rig, why):
        if (sheet := open_sheet(rig)) is not None:
            raise UsageError(f"the run sheet for {sheet.title} is still open: finish it first with "
                             f"{way('keen rig sheet --ask', 'ws.rig.sheets.tick(STEP)')}, or give it up with "
                             f"{way('keen rig sheet --drop', 'ws.rig.sheets.drop()')}")
        yield HandChanges(rig, rig.hand, why)


def steps_between(rig: Asks, now: State, then: State, why: str) -> list[SheetStep]:
    """The steps that a person takes from one state of a rig to another, in the order of the restarts that they need."""
    return steps_of(rig, [
        (owner, edit) for owner in (WHOLE_RIG, *(game.name for game in rig.games()))
        for edit in changes(rig.values(now, owner), rig.values(then, owner)) if not rig.written_here(owner, edit.key)],
        why)


def holding(rig: ByHand) -> dict[str, dict[str, Value]]:
    """Owner to what the player has seen on the rig, and what is set."""
    now, seen = rig.state(), read_noted(rig.home)
    values = {owner: {**seen.get(owner, {}), **rig.values(now, owner)}
              for owner in (WHOLE_RIG, *(game.name for game in rig.games()))}
    return {owner: entry for owner, entry in values.items() if entry}


def read_origin(rig: Asks) -> tuple[str, State] | None:
    """What has changed the rig since, and what was there before; None if no study has left anything changed.

    Raises:
        RigError: the file that it is kept in is damaged.
    """
    path = rig.home / ORIGIN
    try:
        content = read_bounded(path, MOST_STATE_BYTES)
        if content is None:
            return None
        noted = parse_json(content)
        state = out_of_text(noted["before"])
        return str(noted["why"]), {rig.place: state[rig.place], **state}
    except (OSError, ValueError, KeyError, TypeError, AttributeError):
        raise RigError(f"{path} is damaged: move it away; what was on the rig before the study is then not known"
                       ) from None


def before_the_last_change(rig: ByHand) -> State:
    """What the rig held before the newest change of a study; what it holds now, if there was none."""
    path = rig.home / ORIGIN
    with suppress(OSError, ValueError, KeyError, TypeError, AttributeError):
        return {**rig.state(), **out_of_text(parse_json(read_bounded(path, MOST_STATE_BYTES) or b"{}")["last"])}
    return rig.state()


def keep_origin(rig: Asks, why: str, origin: State, last: State) -> None:
    """Keeps what was there before a study, and before its newest change.

    Raises:
        RigError: it cannot be written.
    """
    path: Path = rig.home / ORIGIN
    kept = {"why": why, "before": in_text({place: entry for place, entry in origin.items() if place != rig.sheet}),
            "last": in_text({rig.place: last[rig.place]})}
    try:
        replace_file(path, json.dumps(kept).encode())
    except OSError as error:
        raise RigError(f"cannot write {path}: {error.strerror}") from None


def settle_study(rig: Asks, book: "Logbook") -> None:
    """Makes a restore point of what a study has left changed on the rig, by the one who holds its lock."""
    kept = read_origin(rig)
    if kept is None:
        return
    why, origin = kept
    state = rig.state()
    now = {place: state.get(place) for place in origin if place in state}
    origin = {place: origin[place] for place in now}
    if origin != now:
        token = secrets.token_hex(16)
        keep_point(token, RestorePoint(in_text(origin), fingerprints(now)))
        book.add_apply(rig.name, kind="part", profile="", version="", summary=f"what was left of the {why}",
                       token=token)
    remove_file(rig.home / ORIGIN)
