"""`keen studies claims`: repeats here what a pack claims."""

from pathlib import Path
from typing import Annotated

import typer

from keenlattice.cli.begin import begin
from keenlattice.cli.options import (
    Blocks,
    Book,
    EveryBlock,
    Json,
    Played,
    Repeats,
    Rig,
    Seconds,
    Seed,
    Sensor,
    WarmUp,
    Watch,
)
from keenlattice.cli.output import emit
from keenlattice.cli.playing import playing
from keenlattice.cli.views.trial import show_claims


def claims(
    pack: Annotated[Path, typer.Argument(metavar="PACK", help="The pack's file (.toml).")],
    blocks: Blocks = None, seconds: Seconds = 30.0, game: Played = None, every_block: EveryBlock = False,
    repeats: Repeats = None, warm_up: WarmUp = 0.0,
    watch: Watch = None, sensor: Sensor = "", seed: Seed = None,
    book: Book = None, rig: Rig = "", json: Json = False,
) -> None:
    """Repeat what a pack claims: a trial of each of its rules, against the profile without it."""
    ws = begin(book, rig)
    with playing(ws, f"the claims of {pack.name}", json, watch, sensor) as view:
        result = ws.studies.repeat_claims(
            pack, game=game, progress=view, blocks=blocks, seconds=seconds, early=not every_block, repeats=repeats,
            warm_up_s=warm_up, seed=seed)
    emit(result) if json else show_claims(result)
