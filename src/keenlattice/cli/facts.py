"""`keen facts`: what a rig is, for formulas and checks; of a rig changed by hand, typed in."""

import sys
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from keenlattice.cli.options import Book, Json, Rig

if TYPE_CHECKING:
    from keenlattice.rig.base import FactValue


def facts(
    given: Annotated[list[str] | None, typer.Argument(metavar="[NAME=VALUE]...", help="Typed in; NAME= takes it out.")
                     ] = None,
    file: Annotated[Path | None, typer.Option("--from", help="A TOML file with a table `facts`, and a list `devices`.")
                    ] = None,
    ask: Annotated[bool, typer.Option("--ask", help="Be asked for them one by one.")] = False,
    book: Book = None, rig: Rig = "standin", json: Json = False,
) -> None:
    """Show the facts of a rig; type in those of one that is changed by hand (--rig byhand)."""
    from keenlattice.cli.output import emit_json, hint, say, table
    from keenlattice.cli.session import begin
    from keenlattice.errors import UsageError
    from keenlattice.rig.byhand.machine import ABOUT, keep_about, read_about

    session = begin(book, rig)
    if given or file or ask:
        if rig != "byhand":
            raise UsageError("this rig tells its facts itself; only those of --rig byhand are typed in")
        home = session.rig.home
        if file and not file.is_file():
            raise UsageError(f"there is no file {file}")
        known, devices = read_about(file) if file else read_about(home / ABOUT)
        typed = {**known, **_parsed(given or []), **(_asked(known) if ask else {})}
        keep_about(home, {name: value for name, value in typed.items() if value != ""}, devices)
        session = begin(book, rig)
    if json:
        emit_json("facts", {"rig": session.rig_name, "facts": dict(session.rig.facts()),
                            "devices": list(session.rig.devices())})
        return
    table(["fact", "value"], [[name, str(value)] for name, value in session.rig.facts().items()])
    if devices_here := session.rig.devices():
        say(f"devices: {', '.join(devices_here)}")
    if rig == "byhand" and len(session.rig.facts()) < 3:
        hint("keen facts --rig byhand --ask, or keen facts refresh_hz=165 --rig byhand")


def _parsed(given: list[str]) -> "dict[str, FactValue]":
    from keenlattice.errors import UsageError

    found: dict[str, FactValue] = {}
    for text in given:
        name, equals, value = (part.strip() for part in text.partition("="))
        if not equals or not name:
            raise UsageError(f"{text!r}: write NAME=VALUE")
        found[name] = _value(value)
    return found


def _value(text: str) -> "FactValue":
    """A number, yes or no, or the text itself."""
    if text.lower() in ("true", "yes", "false", "no"):
        return text.lower() in ("true", "yes")
    for kind in (int, float):
        try:
            return kind(text)
        except ValueError:
            continue
    return text


def _asked(known: "dict[str, FactValue]") -> "dict[str, FactValue]":
    from keenlattice.errors import UsageError
    from keenlattice.rig.byhand.machine import ASKED

    if not sys.stdin.isatty():
        raise UsageError("nobody can be asked here; give NAME=VALUE, or --from a file")
    return {name: _value(typer.prompt(question, default=str(known.get(name, "")), show_default=name in known).strip())
            for name, question in ASKED.items()}
