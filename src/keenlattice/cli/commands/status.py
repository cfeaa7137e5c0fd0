"""`keen status`: what is on the rig, what was measured, what waits, and what to do next."""

from keenlattice.cli.begin import begin
from keenlattice.cli.options import Book, Json, Rig
from keenlattice.cli.output import emit
from keenlattice.cli.views.blocks import show_telling


def status(book: Book = None, rig: Rig = "", json: Json = False) -> None:
    """Show what is applied, unmeasured, slipped, unfinished and waiting, and what to do next."""
    state = begin(book, rig).status()
    emit(state) if json else show_telling(state.telling())
