"""`keen rig game`: tells a rig of a game: what it runs as, and where it keeps its own settings."""

import shlex
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from keenlattice._state_folder import expanded
from keenlattice.cli.begin import begin
from keenlattice.cli.options import Book, Json, Rig
from keenlattice.cli.output import emit, hint, say, table
from keenlattice.cli.typed import known_as, only, spot_of, words_of
from keenlattice.cli.views.rig import all_of_game
from keenlattice.errors import UsageError
from keenlattice.profile.matching import Game
from keenlattice.rig.gamelist import FILE

if TYPE_CHECKING:
    from collections.abc import Sequence

    from keenlattice.rig.gamelist import Listed
    from keenlattice.workspace.games import GamesResult


def game(
    ctx: typer.Context,
    name: Annotated[str, typer.Argument(help="Its profile's name; without it, the games are listed.")] = "",
    executable: Annotated[list[str] | None, typer.Option("--executable", help="What it runs as, once or more.")] = None,
    title: Annotated[str, typer.Option("--title", help="What it is called.")] = "",
    command: Annotated[str | None, typer.Option("--command", help="What starts it; '' takes it out.")] = None,
    folder: Annotated[str | None, typer.Option("--folder", help="The folder that this is started in; '' takes it "
                                               "out.")] = None,
    file: Annotated[str | None, typer.Option("--file", help="The INI file that it keeps its settings in; '' takes it "
                                             "out.")] = None,
    answers: Annotated[str | None, typer.Option("--answers-at", metavar="X,Y", help="The pixel of its window that "
                                                "answers a click; `look` plays it, clicks, and finds one; '' takes it "
                                                "out.")] = None,
    clicks: Annotated[str | None, typer.Option("--clicks-at", metavar="X,Y", help="Where it is clicked, if not there; "
                                               "'' takes it out.")] = None,
    leave: Annotated[bool | None, typer.Option("--leave-running/--end-after", help="Whether it is left running after "
                                               "it was started to be measured.")] = None,
    api: Annotated[str | None, typer.Option("--api", help="What it draws by: opengl or vulkan; '' takes it "
                                            "out.")] = None,
    called: Annotated[list[str] | None, typer.Option("--known-as", metavar="application=NAME:VERSION", help="What it "
                                                     "tells a Vulkan driver that it is; or engine=NAME:VERSION."
                                                     )] = None,
    book: Book = None, rig: Rig = "", json: Json = False,
) -> None:
    """List a rig's games, or tell it of one; the stand-in's are made up, and stay as they are."""
    if not name:
        only(ctx, "a list of games (name the game that is described)")
    ws = begin(book, rig)
    if not name:
        emit(ws.rig.games.list()) if json else _show_games(ws.rig.games.list(), ws.rig.games.installed())
        return
    was = ws.rig.games.get(name)
    options = (command, folder, file, answers, clicks, leave, api)
    if not (executable or title or called or was.command) and set(options) == {None}:
        raise UsageError(f"say something of {name}: --executable NAME, --command WORDS or --file PATH")
    changes: dict[str, Any] = {
        "game": Game(name, title or was.game.title, tuple(executable or was.game.executables)),
        **({"command": words_of(command)} if command is not None else {}),
        **{key: expanded(Path(path)).absolute() if path else None
           for key, path in (("file", file), ("folder", folder)) if path is not None},
        **({"answers_at": spot_of(answers, "--answers-at") if answers not in ("", "look") else None,
            "clicks_at": None} if answers is not None else {}),
        **({"clicks_at": spot_of(clicks, "--clicks-at") if clicks else None} if clicks is not None else {}),
        **({"leave_running": leave} if leave is not None else {}), **({"api": api} if api is not None else {}),
        **known_as(called or [])}
    listed = ws.rig.games.tell(replace(was, **changes), look=answers == "look")
    if json:
        emit(ws.rig.games.list())
        return
    if answers == "look" and listed.answers_at:
        say("The pixel {},{} of its window answers clicks, and kept still without them.".format(*listed.answers_at))
    say(f"The rig {ws.rig.name} knows {name} ({ws.rig.machine.home / FILE}): {all_of_game(listed)}.")
    hint(f"keen edit {name} SETTING=VALUE")


def _show_games(games: "GamesResult", installed: "Sequence[Listed]") -> None:
    """The rig's games; and those that the system lists, and the rig does not know."""
    table(["game", "title", "runs as"], [
        [game.name, game.title, ", ".join(game.executables) or "-"] for game in games.games])
    if installed:
        say("\nInstalled, by the desktop's own list, and not yet a game of this rig:", "dim")
        table(["game", "title", "started by"], [
            [game.game.name, game.game.title, shlex.join(game.command)] for game in installed])
        hint(f"keen rig game {installed[0].game.name}, to make it one")
