"""`keen rig next`: what a study on a rig that is changed by hand waits for; and its recording, handed over."""

from pathlib import Path
from typing import Annotated

import typer

from keenlattice.cli.begin import begin_by_hand
from keenlattice.cli.options import Book, Figure, Json, Rig, Sensor, Watch
from keenlattice.cli.output import new_figure
from keenlattice.cli.playing import playing
from keenlattice.cli.terminal import at_a_terminal
from keenlattice.cli.typed import only
from keenlattice.cli.views.sheet import show_next_run
from keenlattice.cli.views.trial import show_played
from keenlattice.workspace.next_run import NextRun


def next_(
    ctx: typer.Context,
    files: Annotated[list[Path] | None, typer.Argument(metavar="[FRAMES [SENSOR]]...", help="The recording of the next "
                                                       "run, and what a sensor recorded of it; or of several "
                                                       "runs.")] = None,
    by: Annotated[str, typer.Option("--map", help="The column map for the frames.  [default: by their header]")] = "",
    anyway: Annotated[bool, typer.Option("--anyway", help="Take what does not look like the run that was asked "
                                         "for.")] = False,
    wrong: Annotated[str, typer.Option("--wrong", metavar="WHY", help="The run went wrong: it does not count, and is "
                                       "asked for again.")] = "",
    take_back: Annotated[bool, typer.Option("--take-back", help="The run that you handed over last shall not "
                                            "count.")] = False,
    watch: Watch = None, sensor: Sensor = "", figure: Figure = None,
    book: Book = None, rig: Rig = "", json: Json = False,
) -> None:
    """Say what comes next in a study on the rig that is changed by hand, or hand its recording over.

    At a terminal, or with --watch, it guides you through all runs that are left.
    """
    if wrong or take_back:
        only(ctx, "--wrong" if wrong else "--take-back", "wrong" if wrong else "take_back")
    figure = new_figure(figure)
    ws = begin_by_hand(book, rig)
    if not (files or wrong or take_back) and (watch or sensor or at_a_terminal(json)):
        waiting = ws.studies.unfinished()
        with playing(ws, f"{waiting.kind} {waiting.number}", json, watch, sensor) as view:
            show_played(ws, ws.studies.resume(progress=view), json, figure)
        return
    by_hand = ws.studies.by_hand
    next_run = by_hand.take_back() if take_back else by_hand.hand_over(files or [], by, anyway=anyway, wrong=wrong)
    if not isinstance(next_run, NextRun):
        show_played(ws, next_run, json, figure)
    else:
        show_next_run(ws, next_run, json)
