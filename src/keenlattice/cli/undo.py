"""`keen undo`: back to a restore point, the newest by default."""

from typing import TYPE_CHECKING, Annotated

import typer

from keenlattice.cli.options import Book, Json, Rig

if TYPE_CHECKING:
    from keenlattice.cli.session import Session


def undo(
    to: Annotated[int | None, typer.Option("--to", metavar="NUMBER", help="Back to before this one of --list, be it "
                                           "an apply, a chore or an undo.")] = None,
    points: Annotated[bool, typer.Option("--list", help="Show the restore points, and undo nothing.")] = False,
    book: Book = None, rig: Rig = "standin", json: Json = False,
) -> None:
    """Undo the newest apply or chore, or all since a restore point: what was there before is there again."""
    from keenlattice.cli.changes import changes_json, show_changes
    from keenlattice.cli.output import emit_json, hint, say
    from keenlattice.cli.session import begin
    from keenlattice.rig.undo import undo as take_off

    session = begin(book, rig)
    if points:
        _show_points(session, json)
        return
    session.book.check_writable()
    if rig == "byhand":
        _hand_out(session, to, json)
        return
    done = take_off(session.rig, session.book, to)
    if json:
        emit_json("undo", {"undone": list(done.titles), "rig": session.rig.name, "exactly": done.exactly,
                           "for_good": list(done.for_good),
                           "changes": {owner: changes_json(some) for owner, some in done.changes.items()}})
        return
    for owner, some in done.changes.items():
        if len(done.changes) > 1:
            say(owner, "bold")
        show_changes(session.rig.catalog(), some, "was", "is again")
    say(f"\nUndone on the rig {session.rig.name}: {', '.join(done.titles)}.")
    say("It is byte for byte as it was before." if done.exactly else
        "Something else had changed the rig since: that was kept, and only the values above went back.")
    for what in done.for_good:
        say(f"! {what} was done since, and nothing brings that back")
    hint("keen undo --list, then keen undo --to its number", "to take this undo back")


def _hand_out(session: "Session", to: int | None, json: bool) -> None:
    from keenlattice.cli.output import emit_json, hint, say
    from keenlattice.cli.sheet import by_hand, show_sheet
    from keenlattice.rig.byhand.sheets import sheet_to_undo

    sheet = sheet_to_undo(by_hand(session), session.book, to)
    if json:
        emit_json("sheet", {"sheet": sheet.to_json()})
        return
    show_sheet(sheet)
    say("\nNothing is undone yet: take these steps yourself, and tick them off.")
    hint("keen sheet --ask")


def _show_points(session: "Session", json: bool) -> None:
    from keenlattice.cli.output import emit_json, say, table

    done = session.book.done_to(session.rig_name)
    force = {one.number for one in session.book.in_force(session.rig_name)}
    if json:
        emit_json("restore-points", {"rig": session.rig_name, "points": [
            {"number": one.number, "time": one.time, "kind": one.kind, "what": one.title,
             "in_force": one.number in force} for one in done]})
        return
    if not done:
        say(f"Nothing has been done to the rig {session.rig_name} yet: there is nothing to go back to.")
        return
    table(["number", "when", "what", ""], [
        [str(one.number), one.time[:16].replace("T", " "), f"chore {one.what}" if one.kind in ("chore", "done")
         else one.title, "in force" if one.number in force else "for good" if one.kind == "done" else ""]
        for one in reversed(done)], right=[0])
    say("\nTo go back to before one of them: keen undo --to NUMBER. What came after it is then undone, too.", "dim")
