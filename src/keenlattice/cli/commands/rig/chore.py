"""`keen rig chore`: things that are done once, such as a driver update."""

from typing import Annotated

import typer

from keenlattice.cli.begin import begin
from keenlattice.cli.options import Book, Json, Rig, Yes
from keenlattice.cli.output import confirmed, emit, hint, say, table
from keenlattice.errors import UsageError


def chore(
    name: Annotated[str, typer.Argument(help="Which chore; without a name they are listed.")] = "",
    yes: Yes = False, book: Book = None, rig: Rig = "", json: Json = False,
) -> None:
    """List the chores of a rig, or do one: shown first, journalled, and undone by `keen undo`."""
    from keenlattice.cli.views.changes import show_by_owner

    if yes and not name:
        raise UsageError("--yes goes with a chore: name it, too")
    ws = begin(book, rig)
    if not name:
        chores = ws.rig.chores.list()
        if json:
            emit(chores)
        elif not chores.chores:
            say(f"The rig {ws.rig.name} has no chores.")
        else:
            table(["chore", "what it does", "undo", "needs"],
                  [[chore.name, chore.what, "yes" if chore.undoable else "no", "rights" if chore.rights else "-"]
                   for chore in chores.chores])
        return
    shown = ws.rig.chores.preview(name)
    if not json:
        say(shown.what)
        say("\n".join(shown.says))
        if not shown.undoable:
            say("! nothing brings back what this does")
        show_by_owner(ws.rig.machine.catalog(), shown.changes, "now", "then", "It takes values of {} with it:")
    if not confirmed(f"Do it on the rig {ws.rig.name}?", yes):
        say("Nothing was changed.")
        return
    done = ws.rig.chores.do(name)
    if json:
        emit(done)
        return
    say(f"\nDone: {name}." + " A restore point is kept: keen undo takes it back." * done.undoable)
    if done.changes:
        hint("keen drift, for what it has put back to stock")
