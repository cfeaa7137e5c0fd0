"""Chores: things that are done once, shown first, journalled, and undone like an apply where that is possible."""

import secrets
from collections.abc import Callable
from dataclasses import dataclass

from keenlattice.errors import UnknownName
from keenlattice.logbook.book import Logbook
from keenlattice.profile.compare import changes
from keenlattice.profile.version import WHOLE_RIG
from keenlattice.rig.base import Rig, State
from keenlattice.rig.change import changing
from keenlattice.rig.journal import Intent


@dataclass(frozen=True)
class Chore:
    """A chore of a rig's: what it does, and whether it takes rights, and whether it can be undone."""

    name: str
    what: str
    rights: bool = False
    undoable: bool = True


@dataclass(frozen=True)
class Outcome:
    """What a chore would do on the rig as it stands.

    Args:
        then: the state after it.
        says: what there is to say of it, a line each.
        act: does the part of it that no restore point brings back; None if there is no such part.
    """

    then: State
    says: tuple[str, ...]
    act: Callable[[], None] | None = None


def chore_of(rig: Rig, name: str) -> Chore:
    """The chore of that name.

    Raises:
        UnknownName: the rig has none.
    """
    chores = {chore.name: chore for chore in rig.chores()}
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
        outcome = rig.after_chore(change.before, name)
        owners = (WHOLE_RIG, *(game.name for game in rig.games()))
        moved = {owner: changes(rig.values(change.before, owner), rig.values(outcome.then, owner)) for owner in owners}
        change.intent = Intent(
            "chore" if chore.undoable else "done", "", "", name, None, book.address, secrets.token_hex(16),
            outcome.then, {owner: {one.key: one.after for one in some} for owner, some in moved.items() if some},
            {owner: {one.key: one.before for one in some} for owner, some in moved.items() if some})
        change.steps = 1
        if outcome.then != change.before:
            change.put(outcome.then)
        if outcome.act:
            outcome.act()
    return outcome
