"""The player as the last part of a rig: what no other part covers, they are asked to change, and say that they did."""

import json
from pathlib import Path

from keenlattice._files import read_bounded
from keenlattice._safejson import parse_json
from keenlattice.catalog.model import Setting
from keenlattice.catalog.values import Value
from keenlattice.errors import RigError
from keenlattice.profile.compare import with_changes
from keenlattice.profile.version import Entries
from keenlattice.rig.base import Edits, State
from keenlattice.rig.parts import Part
from keenlattice.rig.places import put_file

SAID, MOST_BYTES = "said.json", 4_000_000


class PlayerPart(Part):
    """What the player has said to be set, in a file of the rig's folder.

    Args:
        home: the rig's folder.
    """

    def __init__(self, home: Path) -> None:
        self._home = home

    def settings(self) -> list[Setting]:
        return []

    def covers(self, owner: str, key: str) -> bool:
        return True

    def state(self) -> State:
        return {SAID: read_bounded(self._home / SAID, MOST_BYTES)}

    def values(self, state: State, owner: str) -> Entries:
        return self._said(state).get(owner, {})

    def changed(self, state: State, owner: str, changes: Edits) -> State:
        values = self._said(state)
        values[owner] = with_changes(values.get(owner, {}), changes)
        kept = {name: dict(sorted(entries.items())) for name, entries in sorted(values.items()) if entries}
        return {SAID: (json.dumps(kept, indent=1) + "\n").encode() if kept else None}

    def step_of(self, key: str) -> str:
        return key

    def put(self, state: State) -> None:
        if SAID in state:
            put_file(self._home / SAID, state[SAID])

    def _said(self, state: State) -> dict[str, dict[str, Value]]:
        try:
            content = parse_json(state[SAID] or b"{}")
            return {str(owner): dict(entries) for owner, entries in content.items()}
        except (ValueError, AttributeError, TypeError):
            raise RigError(f"{self._home / SAID} is damaged: put it back from a copy, or move it away and say "
                           "again what is set"
                           ) from None
