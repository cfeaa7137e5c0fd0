"""How the facts of a rig are typed in, and asked for."""

import sys
from typing import TYPE_CHECKING

from keenlattice.cli.output import say
from keenlattice.cli.terminal import is_terminal
from keenlattice.errors import UsageError

if TYPE_CHECKING:
    from keenlattice.rig.base import FactValue
    from keenlattice.workspace.facts import FactsResult
    from keenlattice.workspace.workspace import Workspace


def parsed(given: list[str]) -> "dict[str, FactValue | None]":
    """Facts as they were typed in, NAME=VALUE; NAME= is None.

    Raises:
        UsageError: not of that form.
    """
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


def asked(ws: "Workspace") -> "FactsResult":
    """Asks for the facts one by one; each answer is kept at once.

    Raises:
        UsageError: nobody is there to be asked.
    """
    import typer

    if not is_terminal(sys.stdin):
        raise UsageError("nobody can be asked here; give NAME=VALUE, or --from a file")
    found = ws.rig.facts.list()
    for name, question in ws.rig.facts.questions().items():
        while True:
            known = str(found.facts.get(name, ""))
            answer = typer.prompt(question, default=known, show_default=bool(known)).strip()
            try:
                found = ws.rig.facts.tell({name: _value(answer)})
                break
            except UsageError as error:
                say(f"! {error}")
    return found
