"""The options that several commands share."""

from pathlib import Path
from typing import Annotated

import typer

from keenlattice.cli.complete import games, rigs

Book = Annotated[Path | None, typer.Option(
    "--book", envvar="KEEN_BOOK", show_envvar=True, help="Folder of the logbook.  [default: with your user data]")]
Rig = Annotated[str, typer.Option(
    "--rig", autocompletion=rigs,
    envvar="KEEN_RIG", show_envvar=True, help="standin (the fictional rig Juniper), linux (this "
    "machine) or byhand (one that you change yourself).")]
Json = Annotated[bool, typer.Option("--json", help="Print the result as JSON.")]
Yes = Annotated[bool, typer.Option("--yes", "-y", help="Do it without asking.")]
Seconds = Annotated[float, typer.Option("--seconds", help="Length of a run.")]
Seed = Annotated[int | None, typer.Option("--seed", help="Repeats an earlier one.  [default: drawn, and recorded]")]
Matters = Annotated[str, typer.Option("--matters", help="The smallest difference that matters to you: in %, or as "
                                      "0.5ms or 3fps.")]
Resume = Annotated[bool, typer.Option("--resume", help="Go on with the newest one that was stopped.")]
Again = Annotated[int | None, typer.Option("--again", metavar="NUMBER", help="Recompute one from its captures.")]
WarmUp = Annotated[float, typer.Option("--warm-up", help="Seconds that are played before a run counts.")]
Played = Annotated[str | None, typer.Option(
    "--game", autocompletion=games, help="The game to play; needed for rig-wide versions.")]
Note = Annotated[str, typer.Option("--note", "-m", help="Why, in a few words.")]
REFERENCE = "GAME for its latest version, GAME@VERSION, GAME@stock or GAME@applied; `rig` is the rig-wide profile."
