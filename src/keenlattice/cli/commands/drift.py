"""`keen drift`: whether the rig still holds what was last applied."""

from typing import TYPE_CHECKING, Annotated

import typer

from keenlattice.cli.begin import begin
from keenlattice.cli.options import Book, Json, Rig, Yes
from keenlattice.cli.output import confirmed, emit, hint, say
from keenlattice.cli.views.sheet import hand_out
from keenlattice.errors import UsageError

if TYPE_CHECKING:
    from keenlattice.workspace.rig_results import DriftResult


def drift(
    back: Annotated[bool, typer.Option("--put-back", help="Apply again what was applied.")] = False,
    take: Annotated[bool, typer.Option("--adopt", help="Make a new version of what the rig holds.")] = False,
    yes: Yes = False, book: Book = None, rig: Rig = "", json: Json = False,
) -> None:
    """Compare the rig with what was last applied. Exits with 1 if something has slipped and was left so.

    --put-back shows what has slipped, and asks before it writes.
    """
    from keenlattice.cli.views.changes import show_changes

    if back and take:
        raise UsageError("--put-back and --adopt are each other's opposite: choose one")
    ws = begin(book, rig)
    drift_result = ws.rig.drift()
    for profile in drift_result.profiles if not json else ():
        say(f"{profile.version.reference} has slipped on the rig {drift_result.rig}", "bold")
        show_changes(ws.rig.machine.catalog(), profile.changes, "applied", "on the rig")
    if back and drift_result.profiles and not confirmed("Put back what was applied?", yes):
        say("Nothing was changed.")
        raise typer.Exit(1)
    drift_result = ws.rig.put_back() if back else ws.rig.adopt_drift() if take else drift_result
    if json:
        emit(drift_result)
    elif drift_result.sheet is not None:
        hand_out(drift_result.sheet)
    else:
        _what_now(drift_result)
    if drift_result.profiles and not back and not take:
        raise typer.Exit(1)


def _what_now(result: "DriftResult") -> None:
    if not result.profiles:
        say(f"The rig {result.rig} holds what was last applied.")
    elif result.put_back:
        say("\nPut back, and read back: it took. `keen undo` would take it off again.")
    elif result.adopted:
        say(f"\nAdopted as {', '.join(version.reference for version in result.adopted)}. "
            "Nothing was written to the rig.")
    else:
        hint("keen drift --put-back, or keen drift --adopt")
