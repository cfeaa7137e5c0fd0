"""`keen play`: a profile that comes on with its game."""

import sys
from typing import Annotated

import typer

from keenlattice.cli.begin import begin
from keenlattice.cli.complete import games
from keenlattice.cli.options import EITHER, Book, Json, Rig
from keenlattice.cli.output import emit, hint
from keenlattice.errors import UsageError


def play(
    words: Annotated[list[str] | None, typer.Argument(
        metavar="GAME [VERSION] [-- COMMAND]", autocompletion=games, help="The game; a version, if not the latest of "
        f"the game and of the rig ({EITHER}); and behind -- what starts it, as a launcher would.")] = None,
    listed: Annotated[bool, typer.Option("--list", help="List what was played so far.")] = False,
    keep_watch: Annotated[bool, typer.Option("--keep-watch", help="Wait for any game that is known, and do so for each "
                                                                  "that starts.")] = False,
    as_set: Annotated[bool, typer.Option("--as-set", help="Put nothing on: only have the game hold what is set of its "
                                                          "process. A study by hand asks for it.")] = False,
    book: Book = None, rig: Rig = "", json: Json = False,
) -> None:
    """Put a version on, start the game, and take the version back once the game has ended, however it ends."""
    from keenlattice.cli.views.played import keep_watching, show_end, show_listed, show_on

    ws = begin(book, rig)
    if listed:
        done = ws.rig.games.played()
        emit(done) if json else show_listed(done)
        return
    if keep_watch:
        keep_watching(ws)
        return
    mine, command = _parted(words or [])
    if not 1 <= len(mine) <= 2:
        raise UsageError("name a game, and after it at most a version: keen play GAME [VERSION] [-- COMMAND]")
    name, version = (*mine, None)[:2]
    played = ws.rig.games.play(str(name), version, command, None if json else show_on, as_set=as_set)
    if json:
        emit(played)
        return
    show_end(played)
    if not as_set:
        hint("keen play --list")


def _parted(words: list[str]) -> tuple[list[str], list[str]]:
    """The words before and behind `--`, which the parser takes out."""
    behind = len(sys.argv) - sys.argv.index("--") - 1 if "--" in sys.argv else 0
    return words[:len(words) - behind], words[len(words) - behind:]
