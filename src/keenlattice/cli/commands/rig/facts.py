"""`keen rig facts`: what a rig is, for formulas and checks; of a rig changed by hand, typed in."""

import sys
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from keenlattice.cli.options import Book, Json, Rig

if TYPE_CHECKING:
    from keenlattice.rig.base import FactValue
    from keenlattice.workspace.workspace import Workspace


def facts(
    given: Annotated[list[str] | None, typer.Argument(metavar="[NAME=VALUE]...", help="Typed in; NAME= takes it out.")
                     ] = None,
    file: Annotated[Path | None, typer.Option("--from", help="A TOML file with a table `facts`, and a list `devices`.")
                    ] = None,
    ask: Annotated[bool, typer.Option("--ask", help="Be asked for them one by one.")] = False,
    book: Book = None, rig: Rig = "standin", json: Json = False,
) -> None:
    """Show the facts of a rig; type in those of one that is changed by hand (--rig byhand)."""
    from keenlattice.cli.begin import begin
    from keenlattice.cli.output import emit, hint, say, table
    from keenlattice.rig.base import TakesFacts

    ws = begin(book, rig)
    if given or file or ask:
        typed = _parsed(given or [])
        found = ws.tell_facts({**typed, **(_asked(ws) if ask else {})}, file)
    else:
        found = ws.facts()
    if json:
        emit(found)
        return
    table(["fact", "value"], [[name, str(value)] for name, value in found.facts.items()])
    if found.devices:
        say(f"devices: {', '.join(found.devices)}")
    if isinstance(ws.rig, TakesFacts) and len(found.facts) < 3:
        hint("keen rig facts --rig byhand --ask, or keen rig facts refresh_hz=165 --rig byhand")


def _parsed(given: list[str]) -> "dict[str, FactValue | None]":
    from keenlattice.errors import UsageError

    found: dict[str, FactValue | None] = {}
    for text in given:
        name, equals, value = (part.strip() for part in text.partition("="))
        if not equals or not name:
            raise UsageError(f"{text!r}: write NAME=VALUE")
        found[name] = _value(value)
    return found


def _value(text: str) -> "FactValue | None":
    """A number, yes or no, or the text itself; None for nothing."""
    if text.lower() in ("true", "yes", "false", "no"):
        return text.lower() in ("true", "yes")
    for kind in (int, float):
        try:
            return kind(text)
        except ValueError:
            continue
    return text or None


def _asked(ws: "Workspace") -> "dict[str, FactValue | None]":
    from keenlattice.errors import UsageError

    questions, known = ws.fact_questions(), ws.facts().facts
    if not sys.stdin.isatty():
        raise UsageError("nobody can be asked here; give NAME=VALUE, or --from a file")
    return {name: _value(typer.prompt(question, default=str(known.get(name, "")), show_default=name in known).strip())
            for name, question in questions.items()}
