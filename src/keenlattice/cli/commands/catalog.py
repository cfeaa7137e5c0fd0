"""`keen catalog`: the settings that there are."""

from pathlib import Path
from typing import Annotated

import typer

from keenlattice.cli.begin import begin
from keenlattice.cli.complete import settings
from keenlattice.cli.options import Book, Json, Rig
from keenlattice.cli.output import emit, say
from keenlattice.cli.typed import only
from keenlattice.cli.views.blocks import show_telling
from keenlattice.errors import counted


def catalog(
    ctx: typer.Context,
    words: Annotated[list[str] | None, typer.Argument(
        autocompletion=settings, help="A setting, for all about it; or what to search for: a domain, or what players "
                                      "say, such as vsync, mouse acceleration or latency.")] = None,
    domain: Annotated[str, typer.Option("--domain", help="Only this domain, such as sync.")] = "",
    needs: Annotated[str, typer.Option("--needs", help="Only what needs rights, or a restart of the game, driver or "
                                                       "machine.")] = "",
    moves: Annotated[str, typer.Option("--moves", help="Only what may move frame-time, frame-tail or latency.")] = "",
    sure: Annotated[str, typer.Option("--sure", help="Only what is known, disputed or placebo.")] = "",
    add: Annotated[Path | None, typer.Option("--add", help="Add the settings of your own TOML file.")] = None,
    note: Annotated[str | None, typer.Option("--note", help="Note something of one setting: where it is in your own "
                                             "control panel, say.")] = None,
    book: Book = None, rig: Rig = "", json: Json = False,
) -> None:
    """List the settings that can be set on a rig, search them, or tell all about one."""
    if add or note is not None:
        only(ctx, "--add" if add else "--note", *(["add"] if add else ["note", "words"]))
    ws, word = begin(book, rig), " ".join(words or [])
    result = (ws.rig.settings.add(add) if add else ws.rig.settings.note(word, note) if note is not None else
              ws.rig.settings.search(word, domain=domain, needs=needs, moves=moves, sure=sure))
    own = result.settings
    if json:
        emit(result)
    elif add:
        say(f"{counted(len(own), 'setting')} of your own: {', '.join(setting.name for setting in own)}. The stand-in "
            "keeps them; they act on nothing there.")
    else:
        show_telling(result.telling())
