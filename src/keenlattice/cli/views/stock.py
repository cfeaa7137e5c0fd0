"""How stock is taken of a rig that is changed by hand."""

import sys
from typing import TYPE_CHECKING

from keenlattice.cli.output import hint, say, table
from keenlattice.cli.terminal import is_terminal
from keenlattice.errors import BadValue, UsageError

if TYPE_CHECKING:
    from keenlattice.catalog.model import Setting


def asked_for(settings: "list[Setting]") -> dict[str, str]:
    """What a player sees of some settings, one by one: Enter leaves one out, q stops.

    Raises:
        UsageError: nobody is there to be asked.
    """
    import typer

    if not is_terminal(sys.stdin):
        raise UsageError("nobody can be asked here; give SETTING=VALUE")
    found: dict[str, str] = {}
    for number, one in enumerate(settings, 1):
        say(f"\n{number} of {len(settings)}: {one.title} ({one.name}); it takes {one.allowed()}", "bold")
        say(f"  where: {one.where}", "dim")
        while answer := typer.prompt("What does it show? Enter if you cannot tell, q to stop", default="",
                                     show_default=False).strip():
            if answer.lower() == "q":
                return found
            try:
                one.parsed(answer)
            except BadValue as error:
                say(f"! {error}")
                continue
            found[one.name] = answer
            break
    return found


def show_not_seen(settings: "list[Setting]", game: str, domain: str) -> None:
    """What is not known yet, and where it is looked for."""
    of = f"{f' of {game}' * bool(game)}{f' in {domain}' * bool(domain)}"
    if not settings:
        say(f"Every setting{of} is known.")
        return
    table(["not known", "where to look"], [[one.name, one.where or ""] for one in settings])
    words = " ".join([*(["--game", game] if game else []), *(["--domain", domain] if domain else [])])
    hint(f"keen rig take-stock {words} --ask, or SETTING=VALUE with what you see".replace("  ", " "))
