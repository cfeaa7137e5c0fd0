"""A profile that comes on with its game: put on before it starts, and taken back when it ends, however it ends.

The change is journalled like any other, but not meant to stay: where we are killed, or the power is cut, a journal is
left, and the next command takes the change back.
"""

import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from keenlattice.errors import RigError
from keenlattice.profile.version import Version
from keenlattice.rig.applying import Preview, preview, write_step
from keenlattice.rig.base import ByHand, HoldsAtStart, Rig, StartsGames
from keenlattice.rig.transaction import Transaction, changing

LATER = ("driver", "machine")


@dataclass(frozen=True)
class GameOver:
    """A game that was played.

    Args:
        put_on: owner to the settings that were on for it.
        left_out: setting to why it was not.
        seconds: how long it ran.
        exit_code: of what was started; None if the game was found running.
    """

    put_on: Mapping[str, tuple[str, ...]]
    left_out: Mapping[str, str]
    seconds: float
    exit_code: int | None


def play_with(rig: Rig, game: str, versions: Sequence[Version], command: Sequence[str],
              begun: Callable[[Mapping[str, tuple[str, ...]], Mapping[str, str]], None]) -> GameOver:
    """Put versions on, have a game be played, and take them back once it has ended.

    Args:
        versions: of the whole rig and of the game, in the order in which they are put on.
        command: what starts the game; empty for what was told of it, or for one that runs.
        begun: is called with what is on, and with what is left out and why, once the game is under way.

    Raises:
        RigError: games are not started on this rig, or this one cannot be; or a version was not taken. The rig is as it
            was before.
    """
    if not isinstance(rig, StartsGames):
        raise RigError(f"no game is started on the rig {rig.name}: keen rig use here is for this PC")
    with changing(rig, f"{game} being played") as change:
        put_on, left_out = dict[str, tuple[str, ...]](), dict[str, str]()
        for version in versions:
            keys, out = _put_on(rig, change, preview(rig, version))
            put_on[version.profile] = keys
            left_out |= out
        try:
            with rig.under_way(game, command) as running:
                begun(put_on, left_out)
                since = time.monotonic()
                code = running.wait()
                if running.untreated and isinstance(rig, HoldsAtStart):
                    held = rig.held_at_start(put_on.get(game, ()))
                    left_out |= dict.fromkeys(held, "the game's process lets nobody change it")
        finally:
            change.take_back()
    return GameOver(put_on, left_out, time.monotonic() - since, code)


def play_as_set(rig: Rig, game: str, command: Sequence[str],
                begun: Callable[[Mapping[str, tuple[str, ...]], Mapping[str, str]], None]) -> GameOver:
    """Have a game be played with what is set of its process now; nothing is put on, and nothing taken back.

    Args:
        command, begun: as of `play_with`.

    Raises:
        RigError: as `play_with`.
    """
    if not isinstance(rig, StartsGames):
        raise RigError(f"no game is started on the rig {rig.name}: keen rig use here is for this PC")
    now = list(rig.values(rig.state(), game))
    put_on = {game: tuple(rig.held_at_start(now) if isinstance(rig, HoldsAtStart) else ())}
    with rig.under_way(game, command) as running:
        begun(put_on, {})
        since = time.monotonic()
        code = running.wait()
    return GameOver(put_on, {}, time.monotonic() - since, code)


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
        elif isinstance(rig, ByHand) and not all(rig.written_here(owner, name) for name in names):
            out |= dict.fromkeys(names, "it is set by you: apply it, for the sheet")
        else:
            write_step(rig, change, owner, step.changes)
            keys += names
    return tuple(keys), out
