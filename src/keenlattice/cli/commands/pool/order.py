"""`keen pool order`: which of many changes to try first on this rig."""

from typing import Annotated

import typer

from keenlattice.cli.begin import begin
from keenlattice.cli.complete import references
from keenlattice.cli.options import REFERENCE, Book, Json, Played, Rig, Seconds
from keenlattice.cli.output import emit


def order(
    before: Annotated[str, typer.Argument(autocompletion=references, help=REFERENCE)],
    after: Annotated[str, typer.Argument(autocompletion=references, help="The version that has all changes, or a pack "
                                         "(.toml) on top of the first one.")],
    game: Played = None, seconds: Seconds = 30.0,
    matters: Annotated[float, typer.Option("--matters", help="The smallest difference that matters to you, in %.")] = 1,
    book: Book = None, rig: Rig = "", json: Json = False,
) -> None:
    """Put changes in the order in which to try them: most to be gained for each hour first.

    It plans; the verdict of a trial rests on its own runs alone.
    """
    from keenlattice.cli.views.trial import show_order

    ranking = begin(book, rig).pool.order(before, after, game or "", seconds=seconds, matters_pct=matters)
    emit(ranking) if json else show_order(ranking, game or "")
