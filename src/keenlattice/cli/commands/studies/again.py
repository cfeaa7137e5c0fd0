"""`keen studies again`: computes a study again from what was kept of it."""

from typing import Annotated

import typer

from keenlattice.cli.begin import begin
from keenlattice.cli.options import Book, Json, Rig
from keenlattice.cli.output import emit, say


def again(
    number: Annotated[int, typer.Argument(metavar="NUMBER", help="Which study; `keen studies` lists them.")],
    book: Book = None, rig: Rig = "", json: Json = False,
) -> None:
    """Compute a study again from its captures (a pool: from its evidence), and compare every number to the last bit."""
    result = begin(book, rig).studies.recompute(number)
    emit(result) if json else say(f"{result._caption()}.")
