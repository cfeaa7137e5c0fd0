"""Three-way merge of profiles: what both lines changed since their common state, brought together.

Per setting: if one side left it as it was, the other's value holds; if both made the same of it, that; else it is a
conflict, and nothing is made up. Unset is a value like any other here.
"""

from collections.abc import Mapping
from dataclasses import dataclass

from keenlattice.catalog.values import Value, same
from keenlattice.profile.version import Entries


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


def merge(base: Entries, one: Entries, other: Entries) -> Merge:
    """The three-way merge: the changes from `base` to `other`, on top of `one`."""
    merged: dict[str, Value] = {}
    conflicts = []
    for key in sorted({*base, *one, *other}):
        was, mine, theirs = base.get(key), one.get(key), other.get(key)
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
