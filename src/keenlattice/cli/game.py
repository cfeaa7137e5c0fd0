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
                                         "click; `look` plays it, clicks, and finds one.")] = "",
    leave: Annotated[bool | None, typer.Option("--leave-running/--end-after", help="Whether it is left running after "
                                               "it was started to be measured.")] = None,
    book: Book = None, rig: Rig = "standin", json: Json = False,
) -> None:
    """List a rig's games, or tell it of one; the stand-in's are made up, and stay as they are."""
    from keenlattice.cli.output import hint, say
    from keenlattice.cli.session import begin
    from keenlattice.errors import UsageError
    from keenlattice.profile.game import Game
    from keenlattice.rig.gamelist import FILE, Listed, add_game, read_games

    session = begin(book, rig)
    if not name:
        _list(session, json)
        return
    if rig == "standin":
        raise UsageError("the stand-in's games are made up, and stay as they are; choose a rig with --rig")
    spot = _spot(answers) if answers and answers != "look" else None
    if not (executable or command or file or answers or leave is not None):
        raise UsageError(f"say something of {name}: --executable NAME, --command WORDS or --file PATH")
    known = next((one for one in session.rig.games() if one.name == name), Game(name, title or name))
    told = Game(name, title or known.title, tuple(executable or known.executables))
    own = file.expanduser().absolute() if file else None
    before = read_games(session.rig.home).get(name)
    stays = leave if leave is not None else bool(before and before.leave_running)
    add_game(session.rig.home, Listed(told, tuple(shlex.split(command)), own, answers_at=spot, leave_running=stays))
    if answers == "look":
        spot = _look(begin(book, rig), name)
        add_game(session.rig.home, Listed(told, answers_at=spot, leave_running=stays))
        say(f"The pixel {spot[0]},{spot[1]} of its window answers clicks, and kept still without them.")
    say(f"The rig {session.rig_name} knows {name} ({session.rig.home / FILE}).")
    hint(f"keen edit {name} SETTING=VALUE --rig {rig}")


def _spot(text: str) -> tuple[int, int]:
    from keenlattice.errors import UsageError

    parts = [int(part) for part in text.split(",") if part.strip().isdigit()]
    if len(parts) != 2:
        raise UsageError(f"--answers-at {text!r}: write X,Y, counted in pixels from the window's upper left corner, or "
                         "`look`")
    return parts[0], parts[1]


def _look(session: "Session", name: str) -> tuple[int, int]:
    """Plays a game for a moment, and finds what answers clicks."""
    from keenlattice.errors import UsageError
    from keenlattice.rig.linux.machine import LinuxRig
    from keenlattice.rig.lock import locked

    if not isinstance(session.rig, LinuxRig):
        raise UsageError(f"the rig {session.rig_name} shows no window that could be looked at: --answers-at X,Y")
    with locked(session.rig, f"looking at {name}"):
        return session.rig.find_spot(name)


def _list(session: "Session", json: bool) -> None:
    from keenlattice.cli.output import emit_json, table

    games = session.rig.games()
    if json:
        emit_json("games", {"rig": session.rig_name, "games": [
            {"name": one.name, "title": one.title, "executables": list(one.executables)} for one in games]})
    else:
        table(["game", "title", "runs as"], [[one.name, one.title, ", ".join(one.executables) or "-"] for one in games])
