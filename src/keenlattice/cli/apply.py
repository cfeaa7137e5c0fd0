"""`keen apply`: a version onto the rig, with a way back."""

from typing import TYPE_CHECKING, Annotated

import typer

from keenlattice.cli.options import REFERENCE, Book, Json, Rig, Yes

if TYPE_CHECKING:
    from keenlattice.catalog.model import Catalog


def apply(
    reference: Annotated[str, typer.Argument(metavar="VERSION", help=REFERENCE)],
    yes: Yes = False, book: Book = None, rig: Rig = "standin", json: Json = False,
) -> None:
    """Put a version on the rig. Shows what changes and asks; `keen undo` takes it back."""
    from keenlattice.cli.changes import changes_json, show_changes
    from keenlattice.cli.output import confirmed, emit_json, say
    from keenlattice.cli.session import begin
    from keenlattice.rig.apply import apply as put_on
    from keenlattice.rig.apply import preview
    from keenlattice.rig.journal import locked

    session = begin(book, rig)
    version = session.find(reference)
    with locked(session.rig, f"preview of {version.reference}"):
        plan = preview(session.rig, version)
    if not plan.changes:
        if json:
            emit_json("apply", {"version": version.reference, "rig": session.rig.name, "changes": []})
        else:
            say(f"Nothing changes: the rig {session.rig.name} holds {version.reference} already.")
        return
    if not json:
        show_changes(session.rig.catalog(), plan.changes, "on the rig", version.reference)
        _show_needs(session.rig.catalog(), [one.key for one in plan.changes])
        for key in plan.unknown:
            say(f"! {key} is left out: the rig {session.rig.name} does not have it")
    if not confirmed(f"Apply this to the rig {session.rig.name}?", yes):
        say("Nothing was changed.")
        return
    done = put_on(session.rig, session.book, version)
    if json:
        emit_json("apply", {"version": version.reference, "rig": session.rig.name,
                            "changes": changes_json(done.changes), "restart": done.restart})
        return
    say(f"\nApplied {version.reference}, and read back: it took. A restore point is kept.")
    if rig == "standin" and done.restart in ("driver", "machine"):
        say(f"for what waits: keen restart {done.restart}", "dim")
    say("to go back: keen undo", "dim")


def _show_needs(catalog: "Catalog", keys: list[str]) -> None:
    """Which of the changes need rights, and which wait for a restart of what."""
    from keenlattice.cli.output import say

    if rights := [key for key in keys if catalog[key].rights]:
        say(f"needs an administrator's rights: {', '.join(rights)}")
    for what in ("game", "driver", "machine"):
        if waiting := [key for key in keys if catalog[key].restart == what]:
            say(f"takes effect after a restart of the {what}: {', '.join(waiting)}")
