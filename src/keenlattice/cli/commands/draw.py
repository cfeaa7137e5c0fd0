"""`keen draw`: pictures of runs: of one, or of one over another."""

from pathlib import Path
from typing import Annotated

import typer

from keenlattice.cli.begin import begin
from keenlattice.cli.complete import references
from keenlattice.cli.options import REFERENCE, Book, Rig
from keenlattice.cli.output import new_figure, say, width
from keenlattice.cli.views.bars import show_runs
from keenlattice.errors import UsageError

WIDEST, MARGIN = 120, 32  # columns of a terminal that are drawn on, and those for the words beside the bars


def draw(
    runs: Annotated[list[str], typer.Argument(
        autocompletion=references, help="A capture's file (.parquet, .csv), or a version, whose newest "
                                                   f"run is taken. {REFERENCE}")],
    out: Annotated[Path | None, typer.Option("--out", help="The file to write: .png or .svg.  [default: drawn here]"
                                             )] = None,
    what: Annotated[str, typer.Option("--what", help="One picture alone: course, slowest, recurring, latency or "
                                                     "stages.")] = "",
    book: Book = None, rig: Rig = "",
) -> None:
    """Draw one run, or several over each other, the first on top; in the terminal, where no file is named."""
    if what and out is None:
        raise UsageError("--what chooses a picture: say its file with --out")
    free = new_figure(out)
    ws = begin(book, rig)
    picture = ws.recordings.draw(runs, what)
    for label, capture in zip(runs, picture.captures, strict=True):
        say(f"{label}: {capture.frame_ms.size} frames, {capture.click_ms.size} clicks", "dim")
    if free is None:
        for line in show_runs(runs, picture.captures, min(width(), WIDEST) - MARGIN):
            say(line)
        return
    picture.save(free)
    say(f"drawn: {free}")
