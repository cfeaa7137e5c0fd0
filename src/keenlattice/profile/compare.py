"""What differs between two states of a profile, and what two lines of changes come to when they are merged."""

from collections.abc import Mapping
from dataclasses import asdict
from typing import TYPE_CHECKING

from keenlattice.catalog.values import Value, same
from keenlattice.errors import counted
from keenlattice.notebook import Rows, Shown
from keenlattice.profile.version import Entries
from keenlattice.quickly import dataclass

if TYPE_CHECKING:
    import pandas


@dataclass(frozen=True)
class Change:
    """One setting that differs; None stands for unset."""

    key: str
    before: Value | None
    after: Value | None

    def plain(self) -> dict[str, Value | None]:
        """As it stands in a result's JSON; null stands for unset."""
        return {"setting": self.key, "before": self.before, "after": self.after}


class Changes(tuple[Change, ...], Shown):
    """Some changes, by name of the setting."""

    __slots__ = ()

    def table(self) -> "pandas.DataFrame":
        """A row for each, with the values as they are: a number beside what is unset stays whole. As in `Shown`."""
        import pandas

        columns = ["key", "before", "after"]
        return pandas.DataFrame(self._rows(), columns=columns, dtype=object)

    def _rows(self) -> Rows:
        """A row for each."""
        return [asdict(change) for change in self]

    def _caption(self) -> str:
        return f"{counted(len(self), 'setting')} differ{'s' * (len(self) == 1)}"


def changes(before: Entries, after: Entries) -> Changes:
    """Every setting that the two set differently, by name. Applying them to `before` gives `after`.

    >>> changes({"frame.cap": 160}, {"frame.cap": 120, "frame.queue-depth": 1})[0]
    Change(key='frame.cap', before=160, after=120)
    """
    keys = sorted({*before, *after})
    return Changes(Change(key, before.get(key), after.get(key))
                   for key in keys if not same(before.get(key), after.get(key)))


def with_changes(entries: Entries, edits: Mapping[str, Value | None]) -> dict[str, Value]:
    """`entries` after some edits; None unsets."""
    merged = {**entries, **edits}
    return {key: value for key, value in merged.items() if value is not None}


@dataclass(frozen=True)
class Conflict:
    """A setting that both lines changed, to different values; None stands for unset."""

    key: str
    base: Value | None
    one: Value | None
    other: Value | None


@dataclass(frozen=True)
class Merge:
    """What came together, and what could not; `entries` leaves the settings in conflict as `one` has them."""

    entries: Mapping[str, Value]
    conflicts: tuple[Conflict, ...]


def merge(base: Entries, entries: Entries, second: Entries) -> Merge:
    """The three-way merge: the changes from `base` to `second`, on top of `entries`."""
    merged: dict[str, Value] = {}
    conflicts = []
    for key in sorted({*base, *entries, *second}):
        was, mine, theirs = base.get(key), entries.get(key), second.get(key)
        if same(mine, was):
            value = theirs
        else:
            value = mine
            if not same(theirs, was) and not same(theirs, mine):
                conflicts.append(Conflict(key, was, mine, theirs))
        if value is not None:
            merged[key] = value
    return Merge(merged, tuple(conflicts))


def settled(merged: Merge, choice: Mapping[str, Value | None]) -> dict[str, Value]:
    """The entries once each conflict has its value; None unsets."""
    entries = {**merged.entries, **choice}
    return {key: value for key, value in entries.items() if value is not None}
