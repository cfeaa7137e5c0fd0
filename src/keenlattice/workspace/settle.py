"""What a process that was killed has left behind, put right before anything else is done."""

from collections.abc import Callable
from typing import TYPE_CHECKING

from keenlattice.errors import KeenLatticeError, RigError, way
from keenlattice.rig.find import OURS, home_of, open_rig
from keenlattice.rig.journal import unfinished
from keenlattice.rig.player import SHEET
from keenlattice.workspace.opened import Opened

if TYPE_CHECKING:
    from keenlattice.rig.base import Rig

Choose = Callable[["Rig"], bool | None]
"""Is asked what becomes of a change that was cut short: True to finish it, False to undo it, None to leave it."""


def settle(opened: Opened, choose: Choose | None = None) -> list[str]:
    """Put right what a process that was killed has left behind, on any rig of a logbook; see `Workspace.settle`."""
    messages = [text for rig in _cut_short(opened) if (text := _settled(rig, choose))]
    if _may_have_a_sheet(opened):
        from keenlattice.rig.session import settle_by_hand

        settle_by_hand(opened.rig, opened.book)
    return messages


def _cut_short(opened: Opened) -> "list[Rig]":
    """Return the rigs on which a change was cut short: a process that made it was killed, or is still at it."""
    kinds = dict.fromkeys([*OURS, *([] if opened.given else [opened.kind])])
    rigs = [opened.rig if kind == opened.kind and not opened.given else open_rig(kind, opened.book) for kind in kinds
            if unfinished(home_of(kind, opened.book.state))]
    return [*rigs, *([opened.given] if opened.given and unfinished(opened.given.home) else [])]


def _may_have_a_sheet(opened: Opened) -> bool:
    """Return whether a sheet lies in the rig's home, told without opening the rig."""
    home = opened.given.home if opened.given else home_of(opened.kind, opened.book.state)
    return (home / SHEET).exists()


def _settled(rig: "Rig", choose: Choose | None) -> str | None:
    from keenlattice.rig.recovery import cut_short, recover

    journal = cut_short(rig)
    if journal is None:
        return None
    finish: bool | None = choose(rig) if choose and journal.intent is not None else False
    if finish is None:
        raise RigError("left as it is; next: "
                       f"{way('keen rig recover --finish or --undo', 'ws.rig.recover(finish=...)')}, with the rig "
                       f"{rig.name}")
    try:
        return recover(rig, finish=finish)
    except KeenLatticeError as error:
        return (f"! {journal.why} was cut short, and part of it holds: {error}; "
                f"{way('keen rig recover', 'ws.rig.recover()')} tries again")
