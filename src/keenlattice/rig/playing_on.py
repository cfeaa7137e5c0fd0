"""A profile that comes on with its game: put on before it starts, and taken back when it ends, however it ends.

The change is journalled like any other, but not meant to stay: where we are killed, or the power is cut, a journal is
left, and the next command takes the change back.
"""

import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import field, replace

from keenlattice.errors import RigError, way
from keenlattice.profile.version import Version
from keenlattice.quickly import dataclass
from keenlattice.rig.applying import Preview, preview, write_step
from keenlattice.rig.base import Asks, HoldsAtStart, Rig, StartsGames
from keenlattice.rig.transaction import Transaction, changing

LATER = ("driver", "machine")
Begun = Callable[[Mapping[str, tuple[str, ...]], Mapping[str, str]], None]
"""Is called with what is on, and with what is left out and why, once the game is under way."""


@dataclass(frozen=True)
class GameOver:
    """A game that was played.

    Args:
        put_on: owner to the settings that were on for it.
        left_out: setting to why it was not.
        seconds: how long it ran.
        exit_code: of what was started; None if the game was found running.
        not_held: settings that its process did not hold, since it lets nobody change it.
        machine: what the machine said of itself meanwhile: mean and highest of each series, in its own unit.
        frames: the metrics of each stretch of frames that was recorded meanwhile.
        left: places that something else, the game perhaps, has written meanwhile: there our values alone went back.
    """

    put_on: Mapping[str, tuple[str, ...]]
    left_out: Mapping[str, str]
    seconds: float
    exit_code: int | None
    not_held: tuple[str, ...] = ()
    machine: Mapping[str, tuple[float, float]] = field(default_factory=dict)
    frames: tuple[Mapping[str, float], ...] = ()
    left: tuple[str, ...] = ()


def check_starts_games(rig: Rig) -> StartsGames:
    """Return a rig as one on which games are started.

    Raises:
        RigError: none is started there.
    """
    if not isinstance(rig, StartsGames):
        raise RigError(f"no game is started on the rig {rig.name}: {way('keen rig use here', 'ws.use_rig(HERE)')} is "
                       "for this PC")
    return rig


def play_with(rig: Rig, game: str, versions: Sequence[Version], command: Sequence[str], begun: Begun) -> GameOver:
    """Put versions on, have a game be played, and take them back once it has ended.

    Args:
        versions: of the whole rig and of the game, in the order in which they are put on.
        command: what starts the game; empty for what was said of it, or for one that runs.

    Raises:
        RigError: games are not started on this rig, or this one cannot be; or a version was not taken. The rig is as it
            was before.
    """
    check_starts_games(rig)
    with changing(rig, f"{game} being played") as change:
        put_on, left_out = dict[str, tuple[str, ...]](), dict[str, str]()
        for version in versions:
            put_on[version.profile], out = _put_on(rig, change, preview(rig, version))
            left_out |= out
        try:
            over = _until_it_ends(rig, game, command, put_on, left_out, begun)
        finally:
            left = change.take_back()
    return replace(over, left=tuple(left))


def play_as_set(rig: Rig, game: str, command: Sequence[str], begun: Begun) -> GameOver:
    """Have a game be played with what is set of its process now; nothing is put on, and nothing taken back.

    Args:
        command: as of `play_with`.

    Raises:
        RigError: as `play_with`.
    """
    return _until_it_ends(rig, game, command, {game: _held(rig, list(rig.values(rig.state(), game)))}, {}, begun)


def _until_it_ends(rig: Rig, game: str, command: Sequence[str], put_on: Mapping[str, tuple[str, ...]],
                   left_out: Mapping[str, str], begun: Begun) -> GameOver:
    with check_starts_games(rig).under_way(game, command) as running:
        begun(put_on, left_out)
        since = time.monotonic()
        code = running.wait()
        not_held = _held(rig, put_on.get(game, ())) if running.untreated else ()
    return GameOver(put_on, left_out, time.monotonic() - since, code, not_held, running.machine,
                    running.frames)


def _held(rig: Rig, keys: Sequence[str]) -> tuple[str, ...]:
    """Of some settings, those that hold only for a game that is started or found from here."""
    return tuple(rig.held_at_start(keys)) if isinstance(rig, HoldsAtStart) else ()


def _put_on(rig: Rig, change: Transaction, plan: Preview) -> tuple[tuple[str, ...], dict[str, str]]:
    """Write the steps of a plan that can hold from now on; return their settings, and why the others are left out."""
    owner = plan.version.profile
    out = {**plan.refused, **plan.without_rights, **dict.fromkeys(plan.unknown, "the rig does not have it")}
    keys = list[str]()
    for step in plan.steps:
        names = [edit.key for edit in step.changes]
        if any(name in out for name in names):
            continue
        if step.restart in LATER:
            out |= dict.fromkeys(names, f"it takes a restart of the {step.restart}: apply it")
        elif isinstance(rig, Asks) and not all(rig.written_here(owner, name) for name in names):
            out |= dict.fromkeys(names, "it is set by you: apply it, for the sheet")
        else:
            write_step(rig, change, owner, step.changes)
            keys += names
    return tuple(keys), out
