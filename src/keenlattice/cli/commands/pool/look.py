"""`keen pool look`: what the newest pool says, of all changes or of one setting, and what to expect on this rig."""

from typing import Annotated

import typer

from keenlattice.cli.begin import begin
from keenlattice.cli.complete import games, settings
from keenlattice.cli.options import Book, Json, Rig
from keenlattice.cli.output import emit
from keenlattice.cli.views.blocks import show_telling


def look(
    setting: Annotated[str, typer.Argument(autocompletion=settings, help="One setting, for all about it.")] = "",
    game: Annotated[str, typer.Option("--game", autocompletion=games, help="The game that you play: what it waits for "
                                      "here is taken from your newest trial of it.")] = "",
    book: Book = None, rig: Rig = "", json: Json = False,
) -> None:
    """Show what the newest pool says of each change, or all about one, and what to expect on this rig."""
    from keenlattice.cli.views.trial import show_change

    pool = begin(book, rig).pool.look(setting, game)
    if json:
        emit(pool)
    elif setting:
        for change in pool.changes:
            show_change(pool, change)
    else:
        show_telling(pool.telling())
