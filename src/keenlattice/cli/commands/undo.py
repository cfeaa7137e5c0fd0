"""`keen undo`: back to a restore point, the newest by default."""

from typing import TYPE_CHECKING, Annotated

import typer

from keenlattice.cli.begin import begin
from keenlattice.cli.options import Book, Json, Rig, Yes
from keenlattice.cli.output import confirmed, emit, hint, say, table
from keenlattice.cli.typed import only
from keenlattice.cli.views.sheet import hand_out

if TYPE_CHECKING:
    from keenlattice.workspace.rig_results import RestorePoints, UndoResult
    from keenlattice.workspace.workspace import Workspace


def undo(
    ctx: typer.Context,
    to: Annotated[int | None, typer.Option("--to", metavar="NUMBER", help="Back to before this one of --list, be it "
                                           "an apply, a chore or an undo.")] = None,
    points: Annotated[bool, typer.Option("--list", help="Show the restore points, and undo nothing.")] = False,
    yes: Yes = False,
    book: Book = None, rig: Rig = "", json: Json = False,
) -> None:
    """Undo the newest apply or chore, or all since a restore point: what was there before is there again.

    --to shows what it takes back, and asks before it writes.
    """
    from keenlattice.cli.views.settings import show_by_owner
    from keenlattice.rig.undoing import in_short

    if points:
        only(ctx, "--list", "points")
    ws = begin(book, rig)
    if points:
        known = ws.rig.restore_points()
        emit(known) if json else _show_points(known)
        return
    shown = ws.rig.preview_undo(to) if to is not None else None
    if shown is not None and _writes(ws, shown):  # else a sheet is written, and nothing else
        if not json:
            say(f"Takes back {in_short(shown.undone)}.")
            show_by_owner(ws.rig.machine.catalog(), shown.changes, "is", "will be")
        if not confirmed(f"Undo this on the rig {ws.rig.name}?", yes):
            say("Nothing was changed.")
            return
    done = ws.undo(to)
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
    for what in done.for_good:
        say(f"! {what} was done since, and nothing brings that back")
    hint("keen undo --list, then keen undo --to its number", "to take this undo back")


def _writes(ws: "Workspace", shown: "UndoResult") -> bool:
    """Whether an undo writes to the rig itself, and not only the sheet for its player."""
    from keenlattice.workspace.opened import by_hand_rig

    if not ws.rig.by_hand:
        return True
    rig = by_hand_rig(ws.opened)
    return any(rig.written_here(owner, change.key) for owner, edits in shown.changes.items() for change in edits)


def _show_points(points: "RestorePoints") -> None:
    if not points.points:
        say(f"Nothing has been done to the rig {points.rig} yet: there is nothing to go back to.")
        return
    table(["number", "when", "what", ""], [
        [str(point.done.number), point.done.time[:16].replace("T", " "),
         f"chore {point.done.what}" if point.done.kind in ("chore", "done") else point.done.title,
         "in force" if point.in_force else {"done": "for good", "seen": "looked at"}.get(point.done.kind, "")]
        for point in reversed(points.points)], right=[0])
    say("\nTo go back to before one of them: keen undo --to NUMBER. What came after it is then undone, too.", "dim")
