"""`keen game`: tells a rig of a game: what it runs as, and where it keeps its own settings."""

import shlex
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from keenlattice.cli.options import Book, Json, Rig

if TYPE_CHECKING:
    from keenlattice.cli.session import Session


def game(
    name: Annotated[str, typer.Argument(help="Its profile's name; without it, the games are listed.")] = "",
    executable: Annotated[list[str] | None, typer.Option("--executable", help="What it runs as, once or more.")] = None,
    title: Annotated[str, typer.Option("--title", help="What it is called.")] = "",
    command: Annotated[str, typer.Option("--command", help="What starts it.")] = "",
    file: Annotated[Path | None, typer.Option("--file", help="The INI file that it keeps its settings in.")] = None,
    answers: Annotated[str, typer.Option("--answers-at", metavar="X,Y", help="The pixel of its window that answers a "
                                         "click.")] = "",
    book: Book = None, rig: Rig = "standin", json: Json = False,
) -> None:
    """List a rig's games, or tell it of one; the stand-in's are made up, and stay as they are."""
    from keenlattice.cli.output import say
    from keenlattice.cli.session import begin
    from keenlattice.errors import UsageError
    from keenlattice.profile.game import Game
    from keenlattice.rig.gamelist import FILE, Listed, add_game

    session = begin(book, rig)
    if not name:
        _list(session, json)
        return
    if rig == "standin":
        raise UsageError("the stand-in's games are made up, and stay as they are; choose a rig with --rig")
    spot = tuple(int(part) for part in answers.split(",") if part.strip().isdigit())
    if answers and len(spot) != 2:
        raise UsageError(f"--answers-at {answers!r}: write X,Y, counted in pixels from the window's upper left corner")
    if not executable and not command and not file and not answers:
        raise UsageError(f"say something of {name}: --executable NAME, --command WORDS or --file PATH")
    known = next((one for one in session.rig.games() if one.name == name), Game(name, title or name))
    told = Game(name, title or known.title, tuple(executable or known.executables))
    own = file.expanduser().absolute() if file else None
    add_game(session.rig.home, Listed(told, tuple(shlex.split(command)), own,
                                      answers_at=(spot[0], spot[1]) if spot else None))
    say(f"The rig {session.rig_name} knows {name} ({session.rig.home / FILE}).")
    say(f"next: keen edit {name} SETTING=VALUE --rig {rig}", "dim")


def _list(session: "Session", json: bool) -> None:
    from keenlattice.cli.output import emit_json, table

    games = session.rig.games()
    if json:
        emit_json("games", {"rig": session.rig_name, "games": [
            {"name": one.name, "title": one.title, "executables": list(one.executables)} for one in games]})
    else:
        table(["game", "title", "runs as"], [[one.name, one.title, ", ".join(one.executables) or "-"] for one in games])
