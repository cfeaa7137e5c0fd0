"""Settings that no file of the game or the system keeps: they hold for a game that is started or found from here.

They are written in the rig's own folder, and anyone who starts a game (`keen play`, a run) has its process hold them.
"""

import json
from collections.abc import Callable, Sequence
from contextlib import AbstractContextManager
from pathlib import Path
from typing import Protocol

from keenlattice.catalog.model import Setting
from keenlattice.catalog.values import Value
from keenlattice.errors import RefusedByRig, RigError
from keenlattice.files import read_bounded
from keenlattice.profile.matching import Game
from keenlattice.profile.version import WHOLE_RIG, Entries
from keenlattice.rig.base import Edits, State, UnderWay
from keenlattice.rig.gamelist import Listed
from keenlattice.rig.parts import Part
from keenlattice.rig.places import put_file
from keenlattice.safejson import parse_json

PLACE, MOST_BYTES = "launch.json", 1_000_000


class HeldPart(Part):
    """What is set of the games' processes and starts.

    Args:
        home: the rig's folder.
        settings: that can be held on this system.
        check: raises RefusedByRig if a value of a setting cannot be held here.
    """

    def __init__(self, home: Path, settings: Sequence[Setting], check: Callable[[str, Value], None]) -> None:
        self._home, self._check = home, check
        self._known = {setting.name: setting for setting in settings}

    def settings(self) -> list[Setting]:
        return list(self._known.values())

    def covers(self, owner: str, key: str) -> bool:
        return key in self._known

    def step_of(self, key: str) -> str:
        return key

    def state(self) -> State:
        return {PLACE: read_bounded(self._home / PLACE, MOST_BYTES)}

    def values(self, state: State, owner: str) -> Entries:
        held = self._all(state).get(owner, {})
        return {key: self._known[key].checked(value) for key, value in held.items() if key in self._known}

    def _all(self, state: State) -> dict[str, dict[str, Value]]:
        try:
            return {str(owner): dict(entries) for owner, entries in parse_json(state.get(PLACE) or b"{}").items()}
        except (ValueError, TypeError, AttributeError):
            raise RigError(f"{self._home / PLACE} is damaged: move it away; nothing is set there then") from None

    def changed(self, state: State, owner: str, changes: Edits) -> State:
        if owner == WHOLE_RIG:
            raise RefusedByRig(f"{', '.join(changes)}: set per game, for it is written nowhere but where a game is "
                               "started")
        held = self._all(state)
        for key, value in changes.items():
            if value is None:
                held.get(owner, {}).pop(key, None)
            else:
                self._check(key, value)
                held.setdefault(owner, {})[key] = value
        held = {name: entries for name, entries in held.items() if entries}
        return {PLACE: json.dumps(held, indent=1, sort_keys=True).encode() if held else None}

    def put(self, state: State) -> None:
        if PLACE in state:
            try:
                put_file(self._home / PLACE, state[PLACE])
            except OSError as error:
                raise RigError(f"cannot write {self._home / PLACE}: {error.strerror}") from None

    def held_for(self, game: str) -> Entries:
        """Return what is set for a game now."""
        return self.values(self.state(), game)


class Starter(Protocol):
    """What starts games on a system; `part` has the settings that it holds for them."""

    @property
    def part(self) -> HeldPart:
        """The part of the rig that these settings are."""

    def under_way(self, name: str, executables: Sequence[str], command: Sequence[str], folder: Path | None = None
                  ) -> AbstractContextManager[UnderWay]:
        """Start a game in a folder, or take the one that runs; see `StartsGames.under_way`."""

    def runs(self, executables: Sequence[str]) -> bool:
        """Return whether one of these runs now."""


def under_way(starter: Starter, game: Game, listed: Listed | None, command: Sequence[str]
              ) -> AbstractContextManager[UnderWay]:
    """Start a game by a command; without one take the game that runs, else start it as its rig was told.

    Args:
        listed: what the rig knows of the game.

    Raises:
        RigError: it cannot be started, or how is not known and it does not run.
    """
    if command or listed is None or starter.runs(game.executables):
        return starter.under_way(game.name, game.executables, command)
    return starter.under_way(game.name, game.executables, listed.command, listed.folder)
