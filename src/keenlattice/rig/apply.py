"""Applying a version to a rig, and undoing it."""

from dataclasses import dataclass

from keenlattice.catalog.model import Restart
from keenlattice.errors import RigError, UsageError
from keenlattice.logbook.book import Logbook
from keenlattice.profile.compare import Change, changes
from keenlattice.profile.concrete import concrete
from keenlattice.profile.version import Entries, Version
from keenlattice.rig.base import Rig, State
from keenlattice.rig.journal import changing, fingerprint, packed, unpacked

CHORE = "chore"
"""In the logbook, the profile of what was done by a chore and not by applying a version."""

RESTARTS: tuple[Restart, ...] = ("none", "game", "driver", "machine")


@dataclass(frozen=True)
class Preview:
    """What applying a version would do: what changes, what this rig does not know, what has to restart, and the
    state that the rig would be in."""

    version: Version
    changes: tuple[Change, ...]
    unknown: tuple[str, ...]
    restart: Restart
    then: State


def preview(rig: Rig, version: Version) -> Preview:
    """What applying `version` would change on the rig, formulas reckoned from its facts; nothing is written.

    Raises:
        BadValue: a formula comes to nothing, or to what its setting does not take, on this rig.
        RefusedByRig: this hardware does not take a value.
    """
    catalog = rig.catalog()
    unknown = tuple(key for key in version.entries if key not in catalog)
    state = rig.state()
    found = changes(rig.values(state, version.profile), concrete(catalog, version.entries, rig.facts()))
    then = rig.changed(state, version.profile, {one.key: one.after for one in found})
    return Preview(version, found, unknown, restart_for(rig, [change.key for change in found]), then)


def restart_for(rig: Rig, keys: list[str]) -> Restart:
    """The furthest-reaching restart that any of these settings takes."""
    catalog = rig.catalog()
    needed = [catalog[key].restart for key in keys if key in catalog]
    return max(needed, key=RESTARTS.index, default="none")


def apply(rig: Rig, book: Logbook, version: Version) -> Preview:
    """Makes the rig hold `version` for its owner, reads it back, and keeps a restore point in the logbook.

    Raises:
        RefusedByRig: no rights, or a value that this hardware does not take; the rig is as it was before.
        RigError: the rig reads back something else; the rig is as it was before.
    """
    with changing(rig, f"apply of {version.reference}") as change:
        plan = preview(rig, version)
        change.put(plan.then)
        after = rig.state()
        _check_that_it_took(rig, version.profile, rig.values(after, version.profile), plan)
        book.add_apply(rig.name, version, packed(change.before), fingerprint(after))
    return plan


def _check_that_it_took(rig: Rig, owner: str, held: Entries, plan: Preview) -> None:
    wrong = [one.key for one in plan.changes if held.get(one.key) != one.after]
    if wrong:
        raise RigError(f"the rig {rig.name} did not take {', '.join(wrong)} for {owner}; everything is as before")


def do_chore(rig: Rig, book: Logbook, chore: str) -> None:
    """Does a chore of the rig's, and keeps a restore point in the logbook.

    Raises:
        UnknownName: the rig has no such chore.
        RigError: it could not be done; the rig is as it was before.
    """
    with changing(rig, f"chore {chore}") as change:
        change.put(rig.after_chore(change.before, chore))
        done = Version(CHORE, {}, note=chore)
        book.add_apply(rig.name, done, packed(change.before), fingerprint(rig.state()))


@dataclass(frozen=True)
class Undone:
    """What an undo did: which apply, which values went back, and whether the rig is byte for byte as before."""

    version: str
    changes: tuple[Change, ...]
    exactly: bool


def undo(rig: Rig, book: Logbook) -> Undone:
    """Undoes the newest apply. If nothing else has changed the rig since, it is byte for byte as it was before;
    else only the values of that apply's owner go back, and what others changed stays.

    Raises:
        UsageError: nothing is left to undo.
    """
    last = book.last_apply(rig.name)
    if last is None:
        raise UsageError(f"nothing has been applied to the rig {rig.name} that could be undone")
    with changing(rig, f"undo of {last.profile}@{last.version[:8]}") as change:
        then = unpacked(last.restore_point)
        exactly = fingerprint(change.before) == last.left_as
        if last.profile == CHORE and not exactly:
            raise UsageError("the newest change is a chore, and the rig has been changed by something else since: "
                             "it cannot be undone alone; see `keen drift`")
        back = changes(rig.values(change.before, last.profile), rig.values(then, last.profile))
        wanted = {one.key: one.after for one in back}
        change.put(then if exactly else rig.changed(change.before, last.profile, wanted))
        book.mark_undone(last)
    return Undone(f"{last.profile}@{last.version[:8]}", back, exactly)
