"""`keen report`: one page that explains a result to somebody who was not there."""

from pathlib import Path
from typing import Annotated

import typer

from keenlattice.cli.begin import begin
from keenlattice.cli.complete import games
from keenlattice.cli.options import Book, Json, Rig
from keenlattice.cli.output import emit, new_file, say, warn
from keenlattice.cli.playing import progress
from keenlattice.cli.views.blocks import show_keys
from keenlattice.errors import counted
from keenlattice.files import free_path


def report(
    game: Annotated[str, typer.Argument(
        autocompletion=games, help="A game, for the report of its whole history.  [default: the newest "
                                             "trial, screen, hunt or tuning]")] = "",
    number: Annotated[int | None, typer.Option("--study", metavar="NUMBER", help="The study of this number "
                                               "(keen studies lists them).")] = None,
    everything: Annotated[Path | None, typer.Option("--all", metavar="FOLDER", help="Write all that the logbook knows "
                                                    "of the rig as a site of plain files.")] = None,
    card: Annotated[bool, typer.Option("--card", help="Write a picture to share instead: the answer and one figure, "
                                       "1200 x 630 pixels.")] = False,
    out: Annotated[Path | None, typer.Option("--out", help="The file to write: .html, or .md with its figure beside "
                                             "it; of a card .png.  [default: named after what it is, .html]")] = None,
    book: Book = None, rig: Rig = "", json: Json = False,
) -> None:
    """Write a page about a trial, a screen, a hunt, a tuning or a game's history: to keep, or to show."""
    out = new_file(out, *([".png"] if card else [".html", ".md"]))
    ws = begin(book, rig)
    if everything is not None:
        with progress("pages", json) as view:
            site = ws.report_all(everything, view)
        emit(site) if json else say(f"{counted(site.pages, 'page')} written: open {site.file} in a browser; it needs "
                                    "no network.")
        return
    page = ws.report(game, number)
    if page.without:
        warn(page.without)
    if card:
        path = out or free_path(Path(f"{page.name}.png"))
        page.card().save(path)
        emit(page) if json else say(f"written: {path}")
        return
    with progress("drawing the page", json):
        made = page.save(out)
    if json:
        emit(made)
        return
    show_keys(page.content.keys)
    say(f"written: {made.file}" + (f", with its figure {made.figure}" if made.figure else ""))
    if made.file.suffix == ".html":
        say("It is one file that fetches nothing: open it in a browser, print it, pass it on.", "dim")
