"""`keen chore`: things that are done once, such as a driver update."""

from typing import Annotated

import typer

from keenlattice.cli.options import Book, Json, Rig, Yes


def chore(
    name: Annotated[str, typer.Argument(help="Which; without it, they are listed.")] = "",
    yes: Yes = False, book: Book = None, rig: Rig = "standin", json: Json = False,
) -> None:
    """List the chores of a rig, or do one: shown first, journalled, and undone by `keen undo`."""
    from keenlattice.cli.changes import changes_json, show_changes
    from keenlattice.cli.output import confirmed, emit_json, say, table
    from keenlattice.cli.session import begin
    from keenlattice.errors import UnknownName
    from keenlattice.profile.compare import changes
    from keenlattice.rig.apply import do_chore

    session = begin(book, rig)
    chores = session.rig.chores()
    if not name:
        table(["chore", "what it does"], chores.items())
        return
    if name not in chores:
        raise UnknownName("chore", name, chores, f"there are {', '.join(chores) or 'none on this rig'}")
    state = session.rig.state()
    then = session.rig.after_chore(state, name)
    found = {owner: changes(session.rig.values(state, owner), session.rig.values(then, owner))
             for owner in ("rig", *session.games)}
    if not json:
        say(chores[name])
        for owner, some in found.items():
            if some:
                say(f"It takes values of {owner} with it:", "bold")
                show_changes(session.rig.catalog(), some, "now", "then")
    if not confirmed(f"Do it on the rig {session.rig_name}?", yes):
        say("Nothing was changed.")
        return
    do_chore(session.rig, session.book, name)
    if json:
        emit_json("chore", {"chore": name, "rig": session.rig_name,
                            "changes": {owner: changes_json(some) for owner, some in found.items() if some}})
    else:
        say(f"\nDone: {name}. A restore point is kept.")
        say("next: keen drift, for what it has put back to stock", "dim")
