"""`keen report`: one page that explains a result to somebody who was not there."""

from pathlib import Path
from typing import Annotated

import typer

from keenlattice.cli.begin import begin
from keenlattice.cli.complete import games
from keenlattice.cli.options import Book, Json, Rig
from keenlattice.cli.output import emit, new_file, say, warn


def report(
    game: Annotated[str, typer.Argument(
        autocompletion=games, help="A game, for the report of its whole history.  [default: the newest "
                                             "trial, screen, hunt or tuning]")] = "",
    number: Annotated[int | None, typer.Option("--study", metavar="NUMBER", help="The study of this number "
                                               "(keen studies lists them).")] = None,
    out: Annotated[Path | None, typer.Option("--out", help="The file to write: .html, or .md with its figure beside "
                                             "it.  [default: named after what it is, .html]")] = None,
    book: Book = None, rig: Rig = "", json: Json = False,
) -> None:
    """Write a page about a trial, a screen, a hunt, a tuning or a game's history: to keep, or to show."""
    out = new_file(out, ".html", ".md")
    ws = begin(book, rig)
    page = ws.report(game, number)
    if page.without:
        warn(page.without)
    made = page.save(out)
    if json:
        emit(made)
        return
    say(made.answer, "bold")
    say(f"written: {made.file}" + (f", with its figure {made.figure}" if made.figure else ""))
    if made.file.suffix == ".html":
        say("It is one file that fetches nothing: open it in a browser, print it, pass it on.", "dim")
