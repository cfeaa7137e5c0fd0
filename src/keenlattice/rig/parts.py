"""A rig put together of parts: settings that are kept together and written in the same way.

A part reads what holds, says what its places hold after a change, and writes them; it knows of no other part.
"""

from collections.abc import Callable, Mapping, Sequence

from keenlattice.catalog.model import Setting
from keenlattice.catalog.values import Value
from keenlattice.errors import RefusedByRig
from keenlattice.profile.compare import Change
from keenlattice.profile.version import Entries
from keenlattice.rig.base import Edits, FactValue, State


class Part:
    """What the parts of a rig have in common. Their places have names of their own, so that states can be joined."""

    by_player = False
    """Whether the player sets them, and nothing is written."""

    def settings(self) -> list[Setting]:
        """The settings that are there on this machine."""
        raise NotImplementedError

    def facts(self) -> Mapping[str, FactValue]:
        """What it says of the machine."""
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
        """What a place of this part is, if it is not a file; empty for a file, and for one of another part."""
        return ""

    def values(self, state: State, owner: str) -> Entries:
        """What is set, by a state."""
        raise NotImplementedError

    def before(self, state: State, owner: str) -> Entries:
        """What its settings hold, or held before they were set, as far as that can be seen."""
        return {}

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


class Parts:
    """The parts of a rig, asked in turn.

    Args:
        parts: in the order in which they are written. A setting belongs to the first that covers it.
    """

    def __init__(self, parts: Sequence[Part]) -> None:
        self._parts = tuple(parts)

    def settings(self) -> list[Setting]:
        """Return the settings of all parts; one that several have is the first one's."""
        by_name: dict[str, Setting] = {}
        for part in self._parts:
            for setting in part.settings():
                by_name.setdefault(setting.name, setting)
        return list(by_name.values())

    def facts(self) -> dict[str, FactValue]:
        """Return what the parts say of the machine."""
        return {name: fact for part in self._parts for name, fact in part.facts().items()}

    def state(self) -> State:
        """Return all places and what they hold."""
        return {place: content for part in self._parts for place, content in part.state().items()}

    def values(self, state: State, owner: str) -> Entries:
        """Return what a state sets for an owner."""
        return self._of_each(lambda part: part.values(state, owner))

    def before(self, state: State, *owners: str) -> Entries:
        """Return what holds where nothing is set, or held before that; the last owner's last."""
        return {key: value for owner in owners
                for key, value in self._of_each(lambda part: part.before(state, owner)).items()}  # noqa: B023

    def _of_each(self, values: Callable[[Part], Entries]) -> Entries:
        return {key: value for part in reversed(self._parts) for key, value in values(part).items()}

    def covers(self, owner: str, key: str) -> bool:
        """Return whether one of the parts keeps a setting."""
        return any(part.covers(owner, key) for part in self._parts)

    def written(self, owner: str, key: str) -> bool:
        """Return whether one of the parts writes a setting."""
        part = next((part for part in self._parts if part.covers(owner, key)), None)
        return part is not None and not part.by_player

    def steps(self, owner: str, changes: Sequence[Change]) -> list[list[Change]]:
        """Return the changes of each part, in the order of the parts, each in as many steps as it takes."""
        groups: dict[tuple[int, str], list[Change]] = {}
        for change in sorted(changes, key=lambda change: self._part_of(owner, change.key)):
            number = self._part_of(owner, change.key)
            groups.setdefault((number, self._parts[number].step_of(change.key)), []).append(change)
        return list(groups.values())

    def _part_of(self, owner: str, key: str) -> int:
        """The number of the part that keeps a setting."""
        for number, part in enumerate(self._parts):
            if part.covers(owner, key):
                return number
        raise RefusedByRig(f"{key}: nothing on this machine keeps it for {owner}")

    def changed(self, state: State, owner: str, changes: Edits) -> State:
        """Return the state after some changes.

        Raises:
            RefusedByRig: a part refuses one.
        """
        by_part: dict[int, dict[str, Value | None]] = {}
        for key, value in changes.items():
            by_part.setdefault(self._part_of(owner, key), {})[key] = value
        then = dict(state)
        for number in sorted(by_part):
            then |= self._parts[number].changed(then, owner, by_part[number])
        return then

    def put(self, state: State) -> None:
        """Write the places of a state, each by its part."""
        for part in self._parts:
            part.put(state)

    def place_in_words(self, place: str) -> str:
        """Return what a place is, if it is not a file; empty for a file."""
        return next((words for part in self._parts if (words := part.in_words(place))), "")
