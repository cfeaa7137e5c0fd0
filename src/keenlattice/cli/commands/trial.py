"""`keen trial`: two versions against each other, and a verdict."""

from pathlib import Path
from typing import Annotated

import typer

from keenlattice.cli.begin import begin
from keenlattice.cli.complete import references
from keenlattice.cli.options import (
    DECIDES,
    EITHER,
    Blocks,
    Book,
    Decides,
    EveryBlock,
    Figure,
    Json,
    Matters,
    Played,
    Repeats,
    Rig,
    Seconds,
    Seed,
    Sensor,
    SwitchMinutes,
    WarmUp,
    Watch,
)
from keenlattice.cli.output import new_figure
from keenlattice.cli.views.ways import Ways, check_what_goes_together


def trial(
    ctx: typer.Context,
    before: Annotated[str, typer.Argument(autocompletion=references, help=EITHER)] = "",
    after: Annotated[str, typer.Argument(autocompletion=references, help="The version to compare with it.")] = "",
    blocks: Blocks = None,
    seconds: Seconds = 30.0, decides: Decides = DECIDES, matters: Matters = "1",
    game: Played = None,
    every_block: EveryBlock = False,
    repeats: Repeats = None, switch_minutes: SwitchMinutes = None,
    warm_up: WarmUp = 0.0,
    adjusts_for: Annotated[str, typer.Option("--adjusts-for", metavar="SERIES", help="Take into account what this was "
                                             "as each run began: gpu0.temperature.")] = "",
    pilot: Annotated[int | None, typer.Option("--pilot", min=3, max=50, help="First play this many blocks of the "
                                                                             "version "
                                              "against itself, and say how many would settle the trial.")] = None,
    from_files: Annotated[bool, typer.Option("--from-files", help="Plan a trial whose runs you record yourself."
                                             )] = False,
    take: Annotated[list[Path] | None, typer.Option("--take", help="The recording of its next run; once or more."
                                                    )] = None,
    by: Annotated[str, typer.Option("--map", help="The column map for it.  [default: by its header]")] = "",
    figure: Figure = None,
    watch: Watch = None, sensor: Sensor = "", seed: Seed = None,
    book: Book = None, rig: Rig = "", json: Json = False,
) -> None:
    """Play two versions against each other, in blocks in random order, and say what differs.

    The rig is put back to what it was, whatever happens. Every run is kept as soon as it is played.
    """
    check_what_goes_together(ctx)
    figure = new_figure(figure)
    ways = Ways(begin(book, rig), game, figure, json, watch, sensor)
    options = {"blocks": blocks, "seconds": seconds, "seed": seed, "decides": decides, "early": not every_block,
               "repeats": repeats, "warm_up_s": warm_up, "switch_minutes": switch_minutes, "adjusts_for": adjusts_for}
    if take:
        ways.take(take, by)
    elif pilot is not None:
        ways.pilot(before, after, pilot, matters, options)
    elif from_files:
        ways.plan_files(before, after, matters, options)
    else:
        ways.play(before, after, matters, options)
