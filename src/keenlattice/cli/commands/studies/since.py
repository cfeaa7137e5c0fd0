"""`keen studies since`: what an update has done to a version that was measured before it."""

from typing import Annotated

import typer

from keenlattice.cli.begin import begin
from keenlattice.cli.options import Book, Figure, Json, Rig, Seed
from keenlattice.cli.output import new_figure
from keenlattice.cli.playing import progress
from keenlattice.cli.views.trial import show_played


def since(
    number: Annotated[int, typer.Argument(metavar="NUMBER", help="A trial of the version that is on the rig.")],
    seed: Seed = None, figure: Figure = None, book: Book = None, rig: Rig = "", json: Json = False,
) -> None:
    """Compare a version as it ran in a trial with how it runs now: after an update of the driver or the system."""
    ws, figure = begin(book, rig), new_figure(figure)
    with progress("as many runs as were kept", json) as view:
        played = ws.studies.trials.since(number, seed, view)
    show_played(ws, played, json, figure)
