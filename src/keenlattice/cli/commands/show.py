"""`keen show`: what holds for a game, and why."""

from typing import Annotated

import typer

from keenlattice.cli.begin import begin
from keenlattice.cli.complete import settings
from keenlattice.cli.options import Book, Json, Rig, Version
from keenlattice.cli.output import emit
from keenlattice.cli.views.blocks import show_telling
from keenlattice.errors import UsageError
from keenlattice.workspace.surveying import with_pool


def show(
    reference: Version,
    setting: Annotated[str, typer.Argument(autocompletion=settings, help="One setting, for its whole story.")] = "",
    all_: Annotated[bool, typer.Option("--all", help="Show what is at stock, too.")] = False,
    book: Book = None, rig: Rig = "", json: Json = False,
) -> None:
    """Show the effective value of each setting, and the layer that it comes from; or all about one."""
    if setting and all_:
        raise UsageError(f"--all shows every setting, and {setting} was asked for: leave one of them out")
    ws = begin(book, rig)
    result = ws.show(reference, setting)
    if json:
        emit(result)
        return
    telling = result.telling(all_)
    if ws.opened.newest_pool:  # few have one, and it is slow to load
        asked = {key: value for key, value in result.version.entries.items() if setting in ("", key)}
        telling = with_pool(telling, ws.pool.about(asked, result.version.profile))
    show_telling(telling)
