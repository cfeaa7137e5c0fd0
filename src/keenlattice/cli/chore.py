"""`keen chore`: things that are done once, such as a driver update."""

from typing import TYPE_CHECKING, Annotated

import typer

from keenlattice.cli.options import Book, Json, Rig, Yes

if TYPE_CHECKING:
    from keenlattice.cli.session import Session


def chore(
    name: Annotated[str, typer.Argument(help="Which; without it, they are listed.")] = "",
    yes: Yes = False, book: Book = None, rig: Rig = "standin", json: Json = False,
) -> None:
    """List the chores of a rig, or do one: shown first, journalled, and undone by `keen undo`."""
    from keenlattice.cli.changes import changes_json, show_changes
    from keenlattice.cli.output import confirmed, emit_json, hint, say
    from keenlattice.cli.session import begin
    from keenlattice.profile.compare import changes
    from keenlattice.rig.chores import chore_of, do_chore

    session = begin(book, rig)
    if not name:
        _list(session, json)
        return
    chosen, state = chore_of(session.rig, name), session.rig.state()
    outcome = session.rig.after_chore(state, name)
    found = {owner: changes(session.rig.values(state, owner), session.rig.values(outcome.then, owner))
             for owner in ("rig", *session.games)}
    if not json:
        say(chosen.what)
        say("\n".join(outcome.says))
        if not chosen.undoable:
            say("! nothing brings back what this does")
        for owner, some in found.items():
            if some:
                say(f"It takes values of {owner} with it:", "bold")
                show_changes(session.rig.catalog(), some, "now", "then")
    if not confirmed(f"Do it on the rig {session.rig_name}?", yes):
        say("Nothing was changed.")
        return
    do_chore(session.rig, session.book, name)
    if json:
        emit_json("chore", {"chore": name, "rig": session.rig_name, "undoable": chosen.undoable,
                            "says": list(outcome.says),
                            "changes": {owner: changes_json(some) for owner, some in found.items() if some}})
        return
    say(f"\nDone: {name}." + " A restore point is kept: keen undo takes it back." * chosen.undoable)
    if any(found.values()):
        hint("keen drift, for what it has put back to stock")


def _list(session: "Session", json: bool) -> None:
    from keenlattice.cli.output import emit_json, say, table

    chores = session.rig.chores()
    if json:
        emit_json("chores", {"rig": session.rig_name, "chores": [one.__dict__ for one in chores]})
    elif not chores:
        say(f"The rig {session.rig_name} has no chores.")
    else:
        table(["chore", "what it does", "undo", "needs"],
              [[one.name, one.what, "yes" if one.undoable else "no", "rights" if one.rights else "-"]
               for one in chores])
