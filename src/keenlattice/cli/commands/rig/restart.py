"""`keen rig restart`: what waits for a restart takes effect."""

from typing import Annotated

import typer

from keenlattice.cli.begin import begin
from keenlattice.cli.options import Book, Json, Rig
from keenlattice.cli.output import emit, say


def restart(
    what: Annotated[str, typer.Argument(help="game, driver or machine.")],
    book: Book = None, rig: Rig = "", json: Json = False,
) -> None:
    """Restart the stand-in's game, driver or machine, so that what waits for it takes effect."""
    done = begin(book, rig).rig.restart(what)  # type: ignore[arg-type]  # the workspace says what there is
    if json:
        emit(done)
        return
    say(f"The {what} of {done.rig} was restarted. " + (
        f"Now in effect, and read back: {', '.join(done.in_effect)}." if done.in_effect else
        "Nothing new is in effect."))
