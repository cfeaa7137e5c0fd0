"""`keen undo`: back to a restore point, the newest by default."""

from typing import TYPE_CHECKING, Annotated

import typer

from keenlattice.cli.begin import begin
from keenlattice.cli.options import Book, Json, Rig, Yes
from keenlattice.cli.output import confirmed, emit, hint, say
from keenlattice.cli.typed import only
from keenlattice.cli.views.rig import show_points
from keenlattice.cli.views.sheet import hand_out

if TYPE_CHECKING:
    from keenlattice.workspace.rig_results import UndoResult
    from keenlattice.workspace.workspace import Workspace


def undo(
    ctx: typer.Context,
    to: Annotated[str | None, typer.Option("--to", metavar="NUMBER", help="Back to before this one of --list, be it "
                                           "an apply, a chore or an undo; or before the one of this name.")] = None,
    again: Annotated[bool, typer.Option("--redo", help="Take the newest undo back.")] = False,
    points: Annotated[bool, typer.Option("--list", help="Show the restore points, and undo nothing.")] = False,
    yes: Yes = False,
    book: Book = None, rig: Rig = "", json: Json = False,
) -> None:
    """Undo the newest apply or chore, or all since a restore point: what was there before is there again.

    --to shows what it takes back, and asks before it writes.
    """
    from keenlattice.cli.views.changes import show_by_owner
    from keenlattice.rig.undoing import in_short

    if points or again:
        only(ctx, "--list" if points else "--redo", *(["points"] if points else ["again", "yes"]))
    ws = begin(book, rig)
    if points:
        listed = ws.rig.restore_points()
        emit(listed) if json else show_points(listed)
        return
    if (to is not None or again) and not _agreed(ws, to, again, yes, json):
        say("Nothing was changed.")
        return
    done = ws.undo(to, redo=again)
    if json:
        emit(done)
        return
    if done.sheet is not None:
        hand_out(done.sheet, "undone")
        return
    show_by_owner(ws.rig.machine.catalog(), done.changes, "was", "is again")
    say(f"\nUndone on the rig {ws.rig.name}: {in_short(done.undone)}.")
    if done.exactly:
        say("It is byte for byte as it was before.")
    else:
        say("Something else had changed the rig since, and that was kept. " + (
            "Only the values above went back." if done.changes else "Nothing of what was set still stood: no value "
            "went back."))
    for chore in done.for_good:
        say(f"! {chore} was done since, and nothing brings that back")
    hint("keen undo --redo", "to take this undo back")


def _agreed(ws: "Workspace", to: str | None, again: bool, yes: bool, json: bool) -> bool:
    """Whether the player agrees to what going back to a restore point does, once they have seen it."""
    from keenlattice.cli.views.changes import show_by_owner
    from keenlattice.rig.undoing import in_short

    shown = ws.rig.preview_undo(to, redo=again)
    if not _writes(ws, shown):  # a sheet is written, and nothing else
        return True
    if not json:
        say(f"Takes back {in_short(shown.undone)}.")
        show_by_owner(ws.rig.machine.catalog(), shown.changes, "is", "will be")
    return confirmed(f"Undo this on the rig {ws.rig.name}?", yes)


def _writes(ws: "Workspace", shown: "UndoResult") -> bool:
    """Whether an undo writes to the rig itself, and not only the sheet for its player."""
    from keenlattice.rig.base import Asks

    rig = ws.rig.machine
    if not isinstance(rig, Asks):
        return True
    return any(rig.written_here(owner, change.key) for owner, edits in shown.changes.items() for change in edits)
