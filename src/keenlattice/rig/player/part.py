"""The player as the last part of a rig: what no other part covers, they are asked to change, and say that they did."""

import json
from collections.abc import Mapping, Sequence
from pathlib import Path

from keenlattice._state_folder import make_private
from keenlattice.catalog.model import Setting
from keenlattice.catalog.values import Value
from keenlattice.errors import RigError
from keenlattice.files import read_bounded, replace_file
from keenlattice.profile.compare import with_changes
from keenlattice.profile.version import Entries
from keenlattice.rig.base import Edits, State
from keenlattice.rig.parts import Part
from keenlattice.rig.places import put_file
from keenlattice.rig.player import SHEET
from keenlattice.safejson import parse_json

SAID, MOST_BYTES = "said.json", 4_000_000
SEEN_FILE, MOST_SEEN_BYTES = "seen-before.json", 1_000_000


class PlayerPart(Part):
    """What the player has said to be set, in a file of the rig's folder, and the sheet that they work through.

    Args:
        home: the rig's folder.
        asked: the settings that they are asked for.
    """

    by_player = True

    def __init__(self, home: Path, asked: Sequence[Setting] = ()) -> None:
        self._home, self._asked = home, list(asked)

    def settings(self) -> list[Setting]:
        return self._asked

    def covers(self, owner: str, key: str) -> bool:
        return True

    def state(self) -> State:
        try:
            return {place: read_bounded(self._home / place, MOST_BYTES) for place in (SHEET, SAID)}
        except OSError as error:
            raise RigError(f"cannot read {error.filename}: {error.strerror}") from None

    def values(self, state: State, owner: str) -> Entries:
        return self._said(state).get(owner, {})

    def before(self, state: State, owner: str) -> Entries:
        return read_noted(self._home).get(owner, {})

    def changed(self, state: State, owner: str, changes: Edits) -> State:
        values = self._said(state)
        values[owner] = with_changes(values.get(owner, {}), changes)
        kept = {name: dict(sorted(entries.items())) for name, entries in sorted(values.items()) if entries}
        return {SAID: (json.dumps(kept, indent=1) + "\n").encode() if kept else None}

    def step_of(self, key: str) -> str:
        return key

    def put(self, state: State) -> None:
        try:
            for place in (SAID, SHEET):
                if place in state:
                    put_file(self._home / place, state[place])
        except OSError as error:
            raise RigError(f"cannot write in {self._home}: {error.strerror}") from None

    def _said(self, state: State) -> dict[str, dict[str, Value]]:
        try:
            content = parse_json(state[SAID] or b"{}")
            return {str(owner): dict(entries) for owner, entries in content.items()}
        except (ValueError, AttributeError, TypeError):
            raise RigError(f"{self._home / SAID} is damaged: put it back from a copy, or move it away and say "
                           "again what is set"
                           ) from None


def read_noted(home: Path) -> dict[str, dict[str, Value]]:
    """Owner to setting to the value that was seen.

    Raises:
        RigError: the file cannot be read, or is damaged.
    """
    path = home / SEEN_FILE
    try:
        content = parse_json(read_bounded(path, MOST_SEEN_BYTES) or b"{}")
        entries_of = {str(owner): {str(key): value for key, value in entries.items()}
                      for owner, entries in content.items()}
    except OSError as error:
        raise RigError(f"cannot read {path}: {error.strerror}") from None
    except (ValueError, AttributeError):
        raise RigError(f"{path} is damaged: put it back from a copy, or move it away and look again") from None
    return {owner: {key: value for key, value in entries.items() if isinstance(value, bool | int | float | str)}
            for owner, entries in entries_of.items()}


def keep_noted(home: Path, owner: str, seen: Mapping[str, Value | None]) -> Entries:
    """Keeps some values beside those that were seen before; None takes one out.

    Returns: all that was seen for that owner.

    Raises:
        RigError: it cannot be written.
    """
    noted = read_noted(home)
    entries = {**noted.get(owner, {}), **seen}
    noted[owner] = {key: value for key, value in entries.items() if value is not None}
    kept = {entry: dict(sorted(entries.items())) for entry, entries in sorted(noted.items()) if entries}
    try:
        make_private(home)
        replace_file(home / SEEN_FILE, (json.dumps(kept, indent=1) + "\n").encode())
    except OSError as error:
        raise RigError(f"cannot write {home / SEEN_FILE}: {error.strerror}") from None
    return noted[owner]
