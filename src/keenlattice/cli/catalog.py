"""`keen catalog`: the settings that there are."""

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from keenlattice.cli.complete import settings
from keenlattice.cli.options import Book, Json, Rig

if TYPE_CHECKING:
    from keenlattice.catalog.model import Setting
    from keenlattice.cli.session import Session

SURE = {"known": "mechanism known", "disputed": "disputed: measure it",
        "placebo": "placebo, as far as anyone has shown"}
NEEDS = ("rights", "game", "driver", "machine")


def catalog(
    word: Annotated[str, typer.Argument(
        autocompletion=settings, help="A setting for all about it; a domain or a word to search for.")] = "",
    domain: Annotated[str, typer.Option("--domain", help="Only this domain, such as sync.")] = "",
    needs: Annotated[str, typer.Option("--needs", help="Only what needs rights, or a restart of the game, driver or "
                                                       "machine.")] = "",
    moves: Annotated[str, typer.Option("--moves", help="Only what may move frame-time, frame-tail or latency.")] = "",
    sure: Annotated[str, typer.Option("--sure", help="Only what is known, disputed or placebo.")] = "",
    add: Annotated[Path | None, typer.Option("--add", help="Add the settings of your own TOML file.")] = None,
    book: Book = None, rig: Rig = "standin", json: Json = False,
) -> None:
    """List the settings that can be set on a rig, search them, or tell all about one."""
    from keenlattice.cli.output import emit_json, say, table
    from keenlattice.cli.session import begin
    from keenlattice.errors import UnknownName

    session = begin(book, rig)
    if add:
        _add(session, add)
        return
    known = session.rig.catalog()
    for what, said, choices in (("domain", domain, {one.domain for one in known}), ("need", needs, NEEDS),
                                ("metric to move", moves, ("frame-time", "frame-tail", "latency")),
                                ("degree of certainty", sure, SURE)):
        if said and said not in choices:
            raise UnknownName(what, said, choices, f"there are {', '.join(sorted(choices))}")
    found = [known[word]] if word in known else [one for one in known if word.lower() in _searched(one)]
    found = [one for one in found if domain in ("", one.domain) and needs in ("", one.restart, "rights" * one.rights)
             and (not moves or moves in one.moves) and sure in ("", one.sure)]
    if not found and word:
        raise UnknownName("setting or word", word, [*(one.name for one in known), *(one.domain for one in known)])
    if json:
        emit_json("catalog", {"settings": [one.model_dump(mode="json", by_alias=True) for one in found]})
    elif len(found) == 1:
        tell(found[0])
    else:
        table(["setting", "what it is", "takes"], [[one.name, one.title, one.allowed()] for one in found])
        say(f"\n{len(found)} settings." + (f" All about one: keen catalog {found[0].name}" if found else ""), "dim")


def _add(session: "Session", file: Path) -> None:
    """Copies a player's own catalog file into the logbook, once it is sure that it fits."""
    from keenlattice.catalog.load import add_own_settings
    from keenlattice.cli.output import say

    new = add_own_settings(file, session.book.own_settings)
    say(f"{len(new)} settings of your own: {', '.join(one.name for one in new)}. The stand-in keeps them; they act on "
        "nothing there.")


def _searched(one: "Setting") -> str:
    return " ".join([one.name, one.title, one.trades, one.inert, one.advice]).lower()


def tell(one: "Setting") -> None:
    """All about one setting."""
    from keenlattice.catalog.values import written
    from keenlattice.cli.output import say, table

    needs = [*(["rights"] * one.rights), *([f"a restart of the {one.restart}"] * (one.restart != "none"))]
    moves = [f"{metric} {direction}" for metric, direction in one.moves.items()]
    whom = {"rig": "the whole rig", "game": "a game, or the whole rig", "device": f"a device: {one.name}@DEVICE"}
    say(f"{one.name}: {one.title}", "bold")
    table(["", ""], [row for row in (
        ["takes", one.allowed() + (", or a formula" if one.is_number else "")],
        ["stock", written(one.stock, one.unit)], ["set for", whom[one.scope]],
        ["needs", " and ".join(needs) or "nothing"], ["trades", one.trades], ["inert", one.inert],
        ["may move", ", ".join(moves) or "nothing"], ["how sure", SURE[one.sure]], ["which when", one.advice],
        *(["rule", f"{suggestion.formula}   {suggestion.purpose}"] for suggestion in one.suggest)) if row[1]])
