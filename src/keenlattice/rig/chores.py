"""Chores: things that are done once, shown first, journalled, and undone like an apply where that is possible."""

import secrets
from collections.abc import Sequence

from keenlattice.errors import UnknownName
from keenlattice.logbook.book import Logbook
from keenlattice.profile.compare import changes
from keenlattice.profile.version import WHOLE_RIG
from keenlattice.rig.base import Chore, DoesChores, Outcome, Rig, State
from keenlattice.rig.journal import Intent
from keenlattice.rig.transaction import changing


def chores_of(rig: Rig) -> Sequence[Chore]:
    """The chores of a rig; none, of one that does none."""
    return rig.chores() if isinstance(rig, DoesChores) else ()


def after_chore(rig: Rig, state: State, name: str) -> Outcome:
    """What a chore would do on a rig; nothing is done yet.

    Raises:
        UnknownName: the rig has no such chore.
    """
    chore_of(rig, name)
    assert isinstance(rig, DoesChores)
    return rig.after_chore(state, name)


def chore_of(rig: Rig, name: str) -> Chore:
    """The chore of that name.

    Raises:
        UnknownName: the rig has none.
    """
    chores = {chore.name: chore for chore in chores_of(rig)}
    if name not in chores:
        raise UnknownName("chore", name, chores, f"there are {', '.join(chores)}" if chores else
                          f"the rig {rig.name} has none")
    return chores[name]


def do_chore(rig: Rig, book: Logbook, name: str) -> Outcome:
    """Does a chore, and keeps a restore point in the logbook where it can be undone.

    Raises:
        UnknownName: the rig has no such chore.
        RigError: it could not be done; the rig is as it was before.
    """
    chore = chore_of(rig, name)
    with changing(rig, f"chore {name}", book) as change:
        outcome = after_chore(rig, change.before, name)
        owners = (WHOLE_RIG, *(game.name for game in rig.games()))
        moved = {owner: changes(rig.values(change.before, owner), rig.values(outcome.then, owner)) for owner in owners}
        change.intent = Intent(
            "chore" if chore.undoable else "done", "", "", name, None, book.address, secrets.token_hex(16),
            outcome.then, {owner: {edit.key: edit.after for edit in edits} for owner, edits in moved.items() if edits},
            {owner: {edit.key: edit.before for edit in edits} for owner, edits in moved.items() if edits})
        change.steps = 1
        if outcome.then != change.before:
            change.put(outcome.then)
        if outcome.act:
            outcome.act()
    return outcome
