"""`keen play`: a profile that comes on with its game."""

import sys
from typing import TYPE_CHECKING, Annotated

import typer

from keenlattice.cli.begin import begin
from keenlattice.cli.complete import games
from keenlattice.cli.options import EITHER, Book, Json, Rig
from keenlattice.cli.output import emit, hint, say, table
from keenlattice.errors import UsageError

if TYPE_CHECKING:
    from keenlattice.workspace.games import GamePlayed, PlayedGames
    from keenlattice.workspace.workspace import Workspace


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
    ws = begin(book, rig)
    if listed:
        done = ws.rig.games.played()
        emit(done) if json else _show_listed(done)
        return
    if keep_watch:
        from keenlattice.cli.views.watch import keep_watching

        keep_watching(ws, _tell)
        return
    mine, command = _parted(words or [])
    if not 1 <= len(mine) <= 2:
        raise UsageError("name a game, and after it at most a version: keen play GAME [VERSION] [-- COMMAND]")
    played = ws.rig.games.play(mine[0], mine[1] if mine[1:] else None, command, None if json else _tell,
                                as_set=as_set)
    emit(played) if json else _show_end(ws, played)


def _parted(words: list[str]) -> tuple[list[str], list[str]]:
    """The words before and behind `--`, which the parser takes out."""
    behind = len(sys.argv) - sys.argv.index("--") - 1 if "--" in sys.argv else 0
    return words[:len(words) - behind], words[len(words) - behind:]


def _tell(playing: "GamePlayed") -> None:
    """What is on, and what is not."""
    for owner, keys in playing.put_on.items():
        if keys:
            say(f"On while {playing.game} runs, for {'the whole rig' if owner == 'rig' else owner}: {', '.join(keys)}.")
    for key, why in playing.left_out.items():
        say(f"! {key} is left out: {why}")
    if not playing.settings:
        say(f"{playing.version} changes nothing that can come on with the game.")


def _show_end(ws: "Workspace", played: "GamePlayed") -> None:
    code = "" if played.exit_code in (None, 0) else f" with exit code {played.exit_code}"
    changed = played.settings and played.version != "as set"
    back = "The rig is as it was before." if changed else "Nothing was changed."
    say(f"{played.game} has ended{code}, after {played.length}. {back}")
    if played.version != "as set":
        hint("keen play --list")


def _show_listed(done: "PlayedGames") -> None:
    if not done.games:
        say("Nothing was played with a version on yet.")
        hint("keen play GAME -- COMMAND")
        return
    table(["when", "game", "what"], [[one.time[:16].replace("T", " "), one.profile, one.what] for one in done.games])
    say("\nWhat was played is described, and proves nothing: for that, keen trial.", "dim")
