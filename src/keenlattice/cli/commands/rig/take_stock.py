"""`keen rig take-stock`: what is seen on a rig that is changed by hand, before anything is changed."""

from typing import Annotated

import typer

from keenlattice.cli.begin import begin_by_hand
from keenlattice.cli.complete import assignments, games
from keenlattice.cli.options import Book, Json, Rig
from keenlattice.cli.output import emit, hint, say, table
from keenlattice.cli.views.sheet import asked_for, show_not_seen
from keenlattice.errors import UsageError, counted
from keenlattice.workspace.profile_results import value_text


def take_stock(
    seen: Annotated[list[str] | None, typer.Argument(metavar="[SETTING=VALUE]...", autocompletion=assignments,
                                                     help="What you see there now.")] = None,
    game: Annotated[str, typer.Option("--game", autocompletion=games, help="Of a game's settings.  [default: the whole "
                                      "rig's]")] = "",
    domain: Annotated[str, typer.Option("--domain", help="Of one domain alone, such as frame or sync.")] = "",
    ask: Annotated[bool, typer.Option("--ask", help="Go through what is not known yet, one by one.")] = False,
    book: Book = None, rig: Rig = "", json: Json = False,
) -> None:
    """Note what you see on the rig that you change yourself: a restore point, and what every undo goes back to."""
    ws = begin_by_hand(book, rig)
    values = dict[str, str]()
    for text in seen or []:
        key, equals, value = (part.strip() for part in text.partition("="))
        if not equals or not value:
            raise UsageError(f"{text!r}: write SETTING=VALUE, with what you see there")
        values[key] = value
    open_ones = [setting for setting in ws.rig.sheets.not_yet_seen(game, domain) if setting.name not in values]
    values |= asked_for(open_ones) if ask else {}
    if not values:
        show_not_seen(open_ones, game, domain)
        return
    stock = ws.rig.sheets.take_stock(values, game, domain)
    if json:
        emit(stock)
        return
    catalog = ws.rig.machine.catalog()
    table(["setting", "you saw"], [[key, value_text(catalog, key, value)] for key, value in stock.seen.items()])
    left = len(ws.rig.sheets.not_yet_seen(game, domain))
    say(f"\nNoted, with a restore point. Still unknown: {counted(left, 'setting')}{f' of {domain}' * bool(domain)}.")
    hint("keen survey, which knows them now; keen undo --list shows the restore points")
