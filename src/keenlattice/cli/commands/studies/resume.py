"""`keen studies resume`: goes on with a study that was stopped."""

from typing import Annotated

import typer

from keenlattice.cli.begin import begin
from keenlattice.cli.options import Book, Figure, Json, Rig, Sensor, Watch
from keenlattice.cli.output import new_figure, say
from keenlattice.cli.playing import playing
from keenlattice.cli.views.trial import show_played


def resume(
    number: Annotated[int | None, typer.Argument(metavar="NUMBER", help="Which study; `keen studies` lists them.  "
                                                 "[default: the newest that was stopped]")] = None,
    figure: Figure = None, watch: Watch = None, sensor: Sensor = "",
    book: Book = None, rig: Rig = "", json: Json = False,
) -> None:
    """Go on with a study that was stopped: no finished run is played again."""
    ws, figure = begin(book, rig), new_figure(figure)
    waiting = ws.studies.unfinished(number)
    if not json:
        say(f"Going on with {waiting.kind} {waiting.number}: {waiting.of}.", "dim")
    with playing(ws, "what is left of it", json, watch, sensor) as view:
        played = ws.studies.resume(waiting.number, progress=view)
    show_played(ws, played, json, figure)
