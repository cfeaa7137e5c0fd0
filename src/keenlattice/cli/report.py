"""`keen report`: one page that explains a result to somebody who was not there."""

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from keenlattice.cli.complete import games
from keenlattice.cli.fitting import only
from keenlattice.cli.options import Book, Json, Rig

if TYPE_CHECKING:
    from keenlattice.cli.session import Session
    from keenlattice.logbook.studies import Study
    from keenlattice.report.page.content import Report


def report(
    ctx: typer.Context,
    game: Annotated[str, typer.Argument(
        autocompletion=games, help="A game, for the report of its whole history.  [default: the newest "
                                             "trial, screen, hunt or tuning]")] = "",
    number: Annotated[int | None, typer.Option("--study", metavar="NUMBER", help="That trial, screen, hunt or "
                                               "tuning.")] = None,
    out: Annotated[Path | None, typer.Option("--out", help="The file to write: .html, or .md with its figure beside "
                                             "it.  [default: named after what it is, .html]")] = None,
    list_: Annotated[bool, typer.Option("--list", help="List what there can be a report of.")] = False,
    book: Book = None, rig: Rig = "standin", json: Json = False,
) -> None:
    """Write a page about a trial, a screen, a hunt, a tuning or a game's history: to keep, or to show."""
    from keenlattice.cli.gathering import history_of, study_report
    from keenlattice.cli.outfile import new_file
    from keenlattice.cli.output import emit_json, say
    from keenlattice.cli.session import begin
    from keenlattice.errors import UsageError
    from keenlattice.files import free_path

    out = new_file(out, ".html", ".md")
    if game and number is not None:
        raise UsageError("a report is of a game's history or of one study: give one of them")
    if list_:
        only(ctx, "--list", "list_")
    session = begin(book, rig)
    if list_:
        _list(session, json)
        return
    study = None if game else _chosen(session, number)
    made = history_of(session, game) if study is None else study_report(session, study)
    name = f"{game}-history" if study is None else f"{study.kind}-{study.number}"
    path = out or free_path(Path(f"{name}.html"))
    figure = write_report(made, path)
    if json:
        emit_json("report", {"file": str(path), "figure": str(figure) if figure else None, "title": made.title,
                             "answer": made.answer})
        return
    say(made.answer, "bold")
    say(f"written: {path}" + (f", with its figure {figure}" if figure else ""))
    if path.suffix == ".html":
        say("It is one file that fetches nothing: open it in a browser, print it, pass it on.", "dim")


def _chosen(session: "Session", number: int | None) -> "Study":
    """The study of that number, or the newest that is through and no pilot.

    Raises:
        UsageError: there is none, or it is not through.
    """
    from keenlattice.cli.gathering import is_pilot
    from keenlattice.errors import UsageError
    from keenlattice.logbook.studies import studies

    known = studies(session.book, session.rig_name)
    through = [one for one in known if one.result is not None and one.kind != "steps"]
    if number is None:
        found = [one for one in through if not is_pilot(one)]
        if not found:
            raise UsageError(f"nothing has been measured on {session.rig_name} yet: keen trial, keen screen, keen hunt "
                             "and keen tune do; or name a game, for its history")
        return _with_what_it_proves(found)
    for one in known:
        if one.number == number and one.kind == "steps":
            raise UsageError(f"study {number} stepped a setting up: its report is that of the trial which came after")
        if one.number == number and one.result is None:
            raise UsageError(f"{one.kind} {number} is not through: keen {one.kind} --resume")
        if one.number == number:
            return one
    raise UsageError(f"there is no study {number} on {session.rig_name}; see keen report --list")


def _with_what_it_proves(found: "list[Study]") -> "Study":
    """The newest study; of a tuning and the trial that it ended in the tuning, whose report holds both."""
    from keenlattice.trial.kept import trial_plan, tune_plan

    newest, earlier = found[0], found[1] if len(found) > 1 else None
    if (earlier and newest.kind == "trial" and earlier.kind == "tune" and newest.number == earlier.number + 1
            and trial_plan(newest).before == tune_plan(earlier).base):
        return earlier
    return newest


def _list(session: "Session", json: bool) -> None:
    from keenlattice.cli.gathering import is_pilot
    from keenlattice.cli.output import emit_json, hint, say, table
    from keenlattice.cli.studies import command_of
    from keenlattice.logbook.studies import studies
    from keenlattice.trial.kept import about

    known = studies(session.book, session.rig_name)
    if json:
        emit_json("studies", {"rig": session.rig_name, "studies": [
            {"number": one.number, "kind": one.kind, "time": one.time, "of": about(one),
             "through": one.result is not None} for one in known]})
        return
    if not known:
        say(f"Nothing has been measured on {session.rig_name} yet.")
        return
    table(["study", "what", "when", "of", ""], [
        [str(one.number), "pilot" if is_pilot(one) else one.kind, one.time[:16].replace("T", " "), about(one),
         "" if one.result else f"not through: keen {command_of(one.kind)} --resume"]
        for one in known], right=(0,))
    hint(f"keen report --study {known[0].number}")


def write_report(made: "Report", path: Path) -> Path | None:
    """Writes the report, and for Markdown its figure beside it; returns that figure's path."""
    from keenlattice.errors import KeenLatticeError
    from keenlattice.files import free_path, replace_file
    from keenlattice.report.page.html import to_html
    from keenlattice.report.page.markdown import to_markdown
    from keenlattice.report.style import save

    figure = free_path(path.with_suffix(".png")) if path.suffix == ".md" and made.figure else None
    if figure and made.figure:
        save(made.figure(), figure)
    text = to_html(made) if path.suffix == ".html" else to_markdown(made, figure.name if figure else "")
    try:
        replace_file(path, text.encode())
    except OSError as error:
        raise KeenLatticeError(f"cannot write the report {path}: {error.strerror}") from None
    return figure
