"""`keen survey`: what the rig is, what is set on it, and what is clearly wrong."""

from keenlattice.cli.begin import begin
from keenlattice.cli.options import Book, Json, Rig
from keenlattice.cli.output import emit, hint
from keenlattice.cli.views.blocks import show_telling
from keenlattice.workspace.surveying import with_pool


def survey(book: Book = None, rig: Rig = "", json: Json = False) -> None:
    """Look at the rig: its hardware, its games, what is applied, and what is clearly wrong."""
    from keenlattice.rig.base import TakesGames

    ws = begin(book, rig)
    result = ws.rig.survey()
    if json:
        emit(result)
        return
    show_telling(with_pool(result.telling(), ws.pool.about_fixing(
        [key for finding in result.findings for key in finding.settings])))
    if isinstance(ws.rig.machine, TakesGames):
        hint("keen rig game NAME --executable FILE, to tell it of a game of yours", "games")
