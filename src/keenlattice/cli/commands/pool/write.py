"""`keen pool write`: the evidence of all that was tried here, for others to pool."""

from pathlib import Path
from typing import Annotated

import typer

from keenlattice.cli.begin import begin
from keenlattice.cli.options import Book, Json, Rig
from keenlattice.cli.output import emit, hint, new_file, say
from keenlattice.errors import counted


def write(
    file: Annotated[Path, typer.Argument(help="The file to write: .jsonl, or .parquet.")],
    book: Book = None, rig: Rig = "", json: Json = False,
) -> None:
    """Write the evidence of every trial and screen that was begun here, whatever it found. It names nobody."""
    ws, path = begin(book, rig), new_file(file, ".jsonl", ".parquet")
    assert path is not None
    made = ws.pool.write_evidence(path)
    if json:
        emit(made)
        return
    say(f"{made.file}: {counted(made.records, 'record')} of {counted(made.studies, 'study', 'studies')}. Found nothing "
        f"better or worse: {made.silent}, which count as much.", "bold")
    say("In it: settings of the catalog that were changed, what came of it, and facts of the rig in numbers. No name, "
        "no path, no note, no time of day.", "dim")
    if made.withheld:
        say(f"! {counted(made.withheld, 'study is', 'studies are')} not in it: about settings or values of your own, "
            "such as those of a game's own file")
    hint(f"read it before you pass it on; others pool it with keen pool read {made.file}")
