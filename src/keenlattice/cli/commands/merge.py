"""`keen merge`: two lines of a profile brought together; or one change taken back."""

import sys
from typing import TYPE_CHECKING, Annotated

import typer

from keenlattice.cli.begin import begin
from keenlattice.cli.complete import references
from keenlattice.cli.options import Book, Json, Keep, Rig, Settle
from keenlattice.cli.output import emit, hint, say
from keenlattice.cli.terminal import is_terminal
from keenlattice.errors import UsageError
from keenlattice.workspace.profile_results import value_text

if TYPE_CHECKING:
    from keenlattice.catalog.model import Catalog
    from keenlattice.profile.compare import Conflict


def merge(
    first: Annotated[str, typer.Argument(autocompletion=references, help="The version that the changes come on top "
                                                                   "of.")] = "",
    second: Annotated[str, typer.Argument(autocompletion=references, help="The version whose changes come.")] = "",
    revert: Annotated[str, typer.Option("--revert", autocompletion=references, metavar="VERSION", help="Instead take "
                                        "back what this earlier version changed, and keep what came later.")] = "",
    keep: Keep = "", settle: Settle = None, book: Book = None, rig: Rig = "", json: Json = False,
) -> None:
    """Bring two lines of one profile together: what both changed since their common version.

    With --revert, where a later version changed the same setting again, `first` is the later value and `second` the one
    from before.
    """
    from keenlattice.cli.views.changes import show_changes

    if bool(revert) == bool(first and second) or (revert and (first or second)):
        raise UsageError("a merge takes two versions: keen merge FIRST SECOND; or one to take back: --revert VERSION")
    ws = begin(book, rig)
    catalog = ws.rig.machine.catalog()
    sides = {key.strip(): side.strip() for key, _, side in (choice.partition("=") for choice in settle or [])}
    ask = None if json or not is_terminal(sys.stdin) else lambda conflict: _asked(catalog, conflict)
    made = (ws.profiles.revert(revert, keep, sides, ask) if revert else
            ws.profiles.merge(first, second, keep, sides, ask))
    if json:
        emit(made)
    elif made.after is made.before:
        say("Nothing changes: all of it is as it was before already.")
    else:
        if made.changes:
            show_changes(catalog, made.changes)
        else:
            say(f"It sets what {made.before.reference} sets.")
        say(f"\n{made.after.reference}: {made.note}. Nothing is on the rig yet.")
        hint(f"keen apply {made.after.profile}")


def _asked(catalog: "Catalog", conflict: "Conflict") -> str:
    side = ""
    while side not in ("first", "second"):
        side = typer.prompt(f"{conflict.key}: first {value_text(catalog, conflict.key, conflict.one)}, second "
                            f"{value_text(catalog, conflict.key, conflict.other)}. first or second?")
    return side
