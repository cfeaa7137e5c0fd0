"""The options that several commands share."""

from pathlib import Path
from typing import Annotated

import typer

from keenlattice.cli.complete import games, metrics, references, rigs
from keenlattice.study.limits import DECIDES as DECIDES
from keenlattice.study.limits import MOST_RUNS_OF_A_HUNT as MOST_RUNS_OF_A_HUNT

Book = Annotated[Path | None, typer.Option(
    "--book", envvar="KEEN_BOOK", show_envvar=True, help="Folder of the logbook.  [default: with your user data]")]
Rig = Annotated[str, typer.Option(
    "--rig", autocompletion=rigs,
    envvar="KEEN_RIG", show_envvar=True, help="here (this PC), standin (the fictional rig Juniper), byhand (another "
    "PC, which you change yourself), or one that is installed.  [default: the logbook's own; see `keen rig use`]")]
Json = Annotated[bool, typer.Option("--json", help="Print the result as JSON.")]
Yes = Annotated[bool, typer.Option("--yes", "-y", help="Do it without asking.")]
Seconds = Annotated[float, typer.Option("--seconds", help="Length of a run.")]
Seed = Annotated[int | None, typer.Option("--seed", help="Repeats an earlier one.  [default: drawn, and recorded]")]
Matters = Annotated[str, typer.Option("--matters", help="The smallest difference that matters to you: in %, or as "
                                      "0.5ms or 3fps; of one metric alone: latency_ms_median=1ms.")]
EveryBlock = Annotated[bool, typer.Option("--every-block", help="Play all blocks. Otherwise it ends once it is "
                                          "settled, or is unlikely to be.")]
WarmUp = Annotated[float, typer.Option("--warm-up", help="Seconds that are played before a run counts.")]
Played = Annotated[str | None, typer.Option(
    "--game", autocompletion=games, help="The game to play; needed for rig-wide versions.")]
Blocks = Annotated[int | None, typer.Option(
    "--blocks", help="How many pairs of runs at most; a pair is one run of each version.  [default: what its first 8 "
                     "ask for, 40 at most; by hand 12]")]
Decides = Annotated[str, typer.Option("--decides", autocompletion=metrics,
                                      help="What decides, named in advance: a metric, or several with "
                                      "commas between, which share the error.")]
Figure = Annotated[Path | None, typer.Option("--figure", help="Draw it: .png or .svg.")]
Every = Annotated[bool, typer.Option("--all", help="Show every metric, not only the main ones.")]
Keep = Annotated[str, typer.Option("--keep", help="Settle every conflict with this side: first or second.")]
Settle = Annotated[list[str] | None, typer.Option("--settle", help="Settle one: SETTING=first or SETTING=second.")]
Note = Annotated[str, typer.Option("--note", "-m", help="Why, in a few words.")]
REFERENCE = "GAME for its latest version, GAME@VERSION, GAME@stock or GAME@applied; `rig` is the rig-wide profile."
EITHER = f"{REFERENCE} GAME+rig takes both together: brass-orbit@stock+rig@stock."

Watch = Annotated[Path | None, typer.Option("--watch", metavar="FOLDER", help="By hand: take the recordings that "
                                            "appear in it.")]
Sensor = Annotated[str, typer.Option("--sensor", metavar="PORT", help="By hand: read a latency sensor at this serial "
                                     "port during each run.")]
Repeats = Annotated[int | None, typer.Option("--repeats", help="Runs between two switches, one after the other; their "
                                             "mean counts.  [default: 1; by hand as many as it pays]")]
SwitchMinutes = Annotated[float | None, typer.Option("--switch-minutes", help="By hand: how long you take to change "
                                                     "one setting.  [default: learnt]")]
Of = Annotated[str, typer.Option("--of", autocompletion=references, metavar="VERSION",
                                 help=f"What was played. {REFERENCE}")]
Version = Annotated[str, typer.Argument(autocompletion=references, metavar="VERSION", help=REFERENCE)]
