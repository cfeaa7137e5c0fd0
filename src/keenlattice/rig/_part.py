"""A part of a rig: some settings that are kept together, and read, changed and written in the same way.

A rig that is put together of parts asks each in turn; a new domain of settings is a part more.
"""

from collections.abc import Mapping

from keenlattice.catalog.model import Setting
from keenlattice.profile.version import Entries
from keenlattice.rig.base import Edits, FactValue, State


class Part:
    """What the parts of a rig have in common. Their places have names of their own, so that states can be joined."""

    def settings(self) -> list[Setting]:
        """The settings that are there on this machine."""
        raise NotImplementedError

    def facts(self) -> Mapping[str, FactValue]:
        """What it tells of the machine."""
        return {}

    def covers(self, owner: str, key: str) -> bool:
        """Whether a setting of a game's, or of the whole rig's, is kept here."""
        raise NotImplementedError

    def step_of(self, key: str) -> str:
        """Settings of one word are written in one step; all of them, if a part does not tell them apart."""
        return ""

    def state(self) -> State:
        """Its places, and what they hold now."""
        raise NotImplementedError

    def in_words(self, place: str) -> str:
        """What a place of its own is that is no file; empty for a file, and for one of another part."""
        return ""

    def values(self, state: State, owner: str) -> Entries:
        """What is set, by a state."""
        raise NotImplementedError

    def changed(self, state: State, owner: str, changes: Edits) -> State:
        """What its places hold after some changes.

        Raises:
            RefusedByRig: a change cannot be made here.
        """
        raise NotImplementedError

    def put(self, state: State) -> None:
        """Writes what of a state is its own.

        Raises:
            RigError: it cannot be written.
        """
        raise NotImplementedError
