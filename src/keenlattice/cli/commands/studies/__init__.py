"""`keen studies`: all that was measured, and what can be done with it once more."""

from typing import TYPE_CHECKING

import typer

from keenlattice.cli.begin import begin
from keenlattice.cli.grouped import group
from keenlattice.cli.options import Book, Json, Rig
from keenlattice.cli.output import emit, hint, say, table
from keenlattice.errors import UsageError

if TYPE_CHECKING:
    from keenlattice.workspace.played import StudyList

OF_STUDIES = {
    "resume": "Go on with a study that was stopped.",
    "again": "Compute a study again from what was kept of it.",
    "since": "Compare a version as it ran in a trial with how it runs now.",
    "claims": "Repeat here what a pack claims."}


def listing(ctx: typer.Context, book: Book = None, rig: Rig = "", json: Json = False) -> None:
    """List all studies, the newest first; with --json, --book and --rig as anywhere."""
    if ctx.invoked_subcommand is None:
        studies = begin(book, rig).studies.list()
        emit(studies) if json else _show(studies)
    elif any(ctx.get_parameter_source(name).name == "COMMANDLINE"  # type: ignore[union-attr]
             for name in ("book", "rig", "json")):
        raise UsageError(f"options come after the command: keen studies {ctx.invoked_subcommand} --book FOLDER")


def _show(studies: "StudyList") -> None:
    if not studies.studies:
        say(f"Nothing has been measured on {studies.rig} yet. Measure something: keen trial GAME@stock GAME")
        return
    table(["study", "what", "when", "of", ""], [
        [str(study.number), "pilot" if study.pilot else study.kind, study.time[:16].replace("T", " "), study.of,
         "" if study.finished else f"not finished: keen studies resume {study.number}"]
        for study in studies.studies], right=(0,))
    hint(f"keen report --study {studies.studies[0].number}")


app = group("keenlattice.cli.commands.studies", {"Commands": OF_STUDIES}, callback=listing,
            invoke_without_command=True)
