"""`keen report`: one page that explains a result to somebody who was not there; and the list of studies."""

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from keenlattice.cli.complete import games
from keenlattice.cli.fitting import only
from keenlattice.cli.options import Book, Json, Rig

if TYPE_CHECKING:
    from keenlattice.workspace.played import StudyList


def report(
    ctx: typer.Context,
    game: Annotated[str, typer.Argument(
        autocompletion=games, help="A game, for the report of its whole history.  [default: the newest "
                                             "trial, screen, hunt or tuning]")] = "",
    number: Annotated[int | None, typer.Option("--study", metavar="NUMBER", help="The study of this number "
                                               "(--list shows them).")] = None,
    out: Annotated[Path | None, typer.Option("--out", help="The file to write: .html, or .md with its figure beside "
                                             "it.  [default: named after what it is, .html]")] = None,
    list_: Annotated[bool, typer.Option("--list", help="List what there can be a report of.")] = False,
    book: Book = None, rig: Rig = "standin", json: Json = False,
) -> None:
    """Write a page about a trial, a screen, a hunt, a tuning or a game's history: to keep, or to show."""
    from keenlattice.cli.begin import begin
    from keenlattice.cli.outfile import new_file
    from keenlattice.cli.output import emit, say, warn

    if list_:
        only(ctx, "--list", "list_")
    out = new_file(out, ".html", ".md")
    ws = begin(book, rig)
    if list_:
        known = ws.studies()
        emit(known) if json else _show(known)
        return
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


def _show(known: "StudyList") -> None:
    from keenlattice.cli.output import hint, say, table

    if not known.studies:
        say(f"Nothing has been measured on {known.rig} yet.")
        return
    table(["study", "what", "when", "of", ""], [
        [str(one.number), "pilot" if one.pilot else one.kind, one.time[:16].replace("T", " "), one.of,
         "" if one.finished else f"not finished: keen {one.command} --resume"] for one in known.studies], right=(0,))
    hint(f"keen report --study {known.studies[0].number}")
