"""What differs between two states of a profile."""

from collections.abc import Mapping
from dataclasses import dataclass

from keenlattice.catalog.values import Value, same
from keenlattice.profile.version import Entries


@dataclass(frozen=True)
class Change:
    """One setting that differs; None stands for unset."""

    key: str
    before: Value | None
    after: Value | None


def changes(before: Entries, after: Entries) -> tuple[Change, ...]:
    """Every setting that the two set differently, by name. Applying them to `before` gives `after`."""
    keys = sorted({*before, *after})
    return tuple(Change(key, before.get(key), after.get(key))
                 for key in keys if not same(before.get(key), after.get(key)))


def with_changes(entries: Entries, edits: Mapping[str, Value | None]) -> dict[str, Value]:
    """`entries` after some edits; None unsets."""
    merged = {**entries, **edits}
    return {key: value for key, value in merged.items() if value is not None}
