"""Drift: the rig no longer holds what was last applied. Found, put back, or adopted as a new version."""

from dataclasses import dataclass

from keenlattice.catalog.values import Value
from keenlattice.errors import BadValue
from keenlattice.logbook.book import Logbook
from keenlattice.profile.compare import Change, changes, with_changes
from keenlattice.profile.concrete import concrete_value, facts_under
from keenlattice.profile.version import WHOLE_RIG, Version, stock
from keenlattice.rig.applying import apply
from keenlattice.rig.base import Rig, State
from keenlattice.rig.locks import locked


@dataclass(frozen=True)
class Drift:
    """One profile that has slipped: the version last applied, and what differs (`before` applied, `after` held)."""

    version: Version
    changes: tuple[Change, ...]


def find_drift(rig: Rig, book: Logbook) -> tuple[Drift, ...]:
    """Every profile of which the rig holds something else than was last applied. An apply that was undone does not
    count; a formula that has come to something else since, because a fact changed, does."""
    found = []
    state = rig.state()
    for profile in (WHOLE_RIG, *(game.name for game in rig.games())):
        last = book.last_apply(rig.name, profile)
        if last is None:
            continue
        nothing = stock(profile)
        version = nothing if last.version == nothing.id else book.version(profile, last.version)
        slipped = slipped_from(rig, version, state)
        if slipped:
            found.append(Drift(version, slipped))
    return tuple(found)


def slipped_from(rig: Rig, version: Version, state: State) -> tuple[Change, ...]:
    """Return what a state of a rig no longer holds of a version that was applied (`before` applied, `after` held)."""
    return changes(applied_values(rig, version), rig.values(state, version.profile))


def applied_values(rig: Rig, version: Version) -> dict[str, Value]:
    """Return what a version puts on a rig; a value that is refused by now is as it is stored."""
    catalog = rig.catalog()
    facts, found = facts_under(catalog, version.entries, rig.facts()), {}
    for key, value in version.entries.items():
        if key in catalog:
            try:
                found[key] = concrete_value(catalog[key], value, facts)
            except BadValue:
                found[key] = value
    return found


def put_back(rig: Rig, book: Logbook, drift: Drift) -> None:
    """Applies the version again, with a restore point like any apply."""
    apply(rig, book, drift.version)


def adopt(rig: Rig, book: Logbook, drift: Drift, author: str) -> Version:
    """A new version that sets what the rig holds now, remembered as applied; nothing is written to the rig.

    What has not slipped stays as it is stored, formulas included.
    """
    with locked(rig, f"adopting what has become of {drift.version.reference}"):
        entries = with_changes(drift.version.entries, {one.key: one.after for one in drift.changes})
        with book.together():
            adopted = book.commit(drift.version.profile, entries, author=author, parents=[drift.version],
                                  note=f"adopted from the rig {rig.name}")
            book.add_apply(rig.name, kind="adopt", profile=adopted.profile, version=adopted.id)
    return adopted
