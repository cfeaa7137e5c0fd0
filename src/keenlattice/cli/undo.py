"""`keen undo`: back to the restore point of the newest apply."""

from keenlattice.cli.options import Book, Json, Rig


def undo(book: Book = None, rig: Rig = "standin", json: Json = False) -> None:
    """Undo the newest apply: what was there before it is there again."""
    from keenlattice.cli.changes import changes_json, show_changes
    from keenlattice.cli.output import emit_json, say
    from keenlattice.cli.session import begin
    from keenlattice.rig.apply import undo as take_off

    session = begin(book, rig)
    done = take_off(session.rig, session.book)
    if json:
        emit_json("undo", {"version": done.version, "rig": session.rig.name, "exactly": done.exactly,
                           "changes": changes_json(done.changes)})
        return
    if done.changes:
        show_changes(session.rig.catalog(), done.changes, "was", "is again")
    say(f"\nUndone: {done.version} is off the rig {session.rig.name}.")
    say("It is byte for byte as it was before." if done.exactly else
        "Something else had changed the rig since: that was kept, and only the values above went back.")
