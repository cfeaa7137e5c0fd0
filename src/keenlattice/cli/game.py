"""`keen game`: tells a rig of a game: what it runs as, and where it keeps its own settings."""

import re
import shlex
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from keenlattice.cli.fitting import only
from keenlattice.cli.options import Book, Json, Rig

if TYPE_CHECKING:
    from keenlattice.cli.session import Session
    from keenlattice.rig.gamelist import Listed


def game(
    ctx: typer.Context,
    name: Annotated[str, typer.Argument(help="Its profile's name; without it, the games are listed.")] = "",
    executable: Annotated[list[str] | None, typer.Option("--executable", help="What it runs as, once or more.")] = None,
    title: Annotated[str, typer.Option("--title", help="What it is called.")] = "",
    command: Annotated[str | None, typer.Option("--command", help="What starts it; '' takes it out.")] = None,
    file: Annotated[str | None, typer.Option("--file", help="The INI file that it keeps its settings in; '' takes it "
                                             "out.")] = None,
    answers: Annotated[str | None, typer.Option("--answers-at", metavar="X,Y", help="The pixel of its window that "
                                                "answers a click; `look` plays it, clicks, and finds one; '' takes it "
                                                "out.")] = None,
    leave: Annotated[bool | None, typer.Option("--leave-running/--end-after", help="Whether it is left running after "
                                               "it was started to be measured.")] = None,
    book: Book = None, rig: Rig = "standin", json: Json = False,
) -> None:
    """List a rig's games, or tell it of one; the stand-in's are made up, and stay as they are."""
    from dataclasses import replace

    from keenlattice.cli.output import hint, say
    from keenlattice.cli.session import begin
    from keenlattice.errors import UsageError
    from keenlattice.profile.game import Game
    from keenlattice.rig.gamelist import FILE, Listed, add_game, read_games

    if not name:
        only(ctx, "a list of games (name the game that is told of)")
    session = begin(book, rig)
    if not name:
        _list(session, json)
        return
    if rig == "standin":
        raise UsageError("the stand-in's games are made up, and stay as they are; choose a rig with --rig")
    if not executable and not title and command is None and file is None and answers is None and leave is None:
        raise UsageError(f"say something of {name}: --executable NAME, --command WORDS or --file PATH")
    known = next((one for one in session.rig.games() if one.name == name), Game(name, title or name))
    told = read_games(session.rig.home).get(name) or Listed(known)
    told = replace(told, game=Game(name, title or known.title, tuple(executable or known.executables)))
    if command is not None:
        told = replace(told, command=_words(command))
    if file is not None:
        told = replace(told, file=Path(file).expanduser().absolute() if file else None)
    if answers is not None:
        told = replace(told, answers_at=_spot(answers) if answers not in ("", "look") else None)
    if leave is not None:
        told = replace(told, leave_running=leave)
    add_game(session.rig.home, told)
    if answers == "look":
        spot = _look(begin(book, rig), name)
        told = replace(told, answers_at=spot)
        add_game(session.rig.home, told)
        say(f"The pixel {spot[0]},{spot[1]} of its window answers clicks, and kept still without them.")
    say(f"The rig {session.rig_name} knows {name} ({session.rig.home / FILE}): {_all_of(told)}.")
    hint(f"keen edit {name} SETTING=VALUE --rig {rig}")


def _all_of(told: "Listed") -> str:
    """All that is known of a game: what was said earlier and not taken out holds, too."""
    parts = [f"runs as {', '.join(told.game.executables) or 'nothing that was told'}"]
    parts += [f"started by {shlex.join(told.command)}"] if told.command else []
    parts += [f"its settings in {told.file}"] if told.file else []
    parts += [f"answers at {told.answers_at[0]},{told.answers_at[1]}"] if told.answers_at else []
    return "; ".join([*parts, *(["left running"] if told.leave_running else [])])


def _words(command: str) -> tuple[str, ...]:
    from keenlattice.errors import UsageError

    try:
        return tuple(shlex.split(command))
    except ValueError as error:
        raise UsageError(f"--command {command!r} cannot be cut into words: {error}; put the word with the quote into "
                         "quotes of the other kind") from None


def _spot(text: str) -> tuple[int, int]:
    from keenlattice.errors import UsageError

    found = re.fullmatch(r"([0-9]{1,5}),([0-9]{1,5})", text.replace(" ", ""))
    if not found:
        raise UsageError(f"--answers-at {text!r}: write X,Y, counted in pixels from the window's upper left corner, or "
                         "`look`")
    return int(found[1]), int(found[2])


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
