"""`keen drift`: whether the rig still holds what was last applied."""

from typing import Annotated

import typer

from keenlattice.cli.options import Book, Json, Rig


def drift(
    back: Annotated[bool, typer.Option("--put-back", help="Apply again what was applied.")] = False,
    take: Annotated[bool, typer.Option("--adopt", help="Make a new version of what the rig holds.")] = False,
    book: Book = None, rig: Rig = "standin", json: Json = False,
) -> None:
    """Compare the rig with what was last applied. Exits with 1 if something has slipped and was left so."""
    from keenlattice.cli.apply import hand_out
    from keenlattice.cli.changes import changes_json, show_changes
    from keenlattice.cli.output import emit_json, say
    from keenlattice.cli.session import begin, user_name
    from keenlattice.errors import UsageError
    from keenlattice.rig.drift import adopt, find_drift, put_back

    if back and take:
        raise UsageError("--put-back and --adopt are each other's opposite: choose one")
    session = begin(book, rig)
    found = find_drift(session.rig, session.book)
    adopted = []
    for one in found:
        if back and rig == "byhand":
            hand_out(session, one.version, json)
            return
        if back:
            put_back(session.rig, session.book, one)
        elif take:
            adopted.append(adopt(session.rig, session.book, one, user_name()).reference)
    if json:
        emit_json("drift", {"rig": session.rig_name, "put_back": back, "adopted": adopted, "profiles": [
            {"version": one.version.reference, "changes": changes_json(one.changes)} for one in found]})
    else:
        for one in found:
            say(f"{one.version.reference} has slipped on the rig {session.rig_name}", "bold")
            show_changes(session.rig.catalog(), one.changes, "applied", "on the rig")
        _what_now(session.rig_name, bool(found), back, adopted)
    if found and not back and not take:
        raise typer.Exit(1)


def _what_now(rig: str, found: bool, back: bool, adopted: list[str]) -> None:
    from keenlattice.cli.output import hint, say

    if not found:
        say(f"The rig {rig} holds what was last applied.")
    elif back:
        say("\nPut back, and read back: it took. `keen undo` would take it off again.")
    elif adopted:
        say(f"\nAdopted as {', '.join(adopted)}. Nothing was written to the rig.")
    else:
        hint("keen drift --put-back, or keen drift --adopt")
