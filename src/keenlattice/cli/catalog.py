"""`keen catalog`: the settings that there are."""

from typing import TYPE_CHECKING, Annotated

import typer

from keenlattice.cli.options import Book, Json, Rig

if TYPE_CHECKING:
    from keenlattice.catalog.model import Setting

SURE = {"known": "mechanism known", "disputed": "disputed: measure it",
        "placebo": "placebo, as far as anyone has shown"}


def catalog(
    word: Annotated[str, typer.Argument(help="A setting for all about it; a domain or a word to search for.")] = "",
    book: Book = None, rig: Rig = "standin", json: Json = False,
) -> None:
    """List the settings that can be set on a rig, or tell all about one."""
    from keenlattice.cli.output import emit_json, say, table
    from keenlattice.cli.session import begin
    from keenlattice.errors import UnknownName

    known = begin(book, rig).rig.catalog()
    found = [known[word]] if word in known else [one for one in known if word.lower() in _searched(one)]
    if not found:
        raise UnknownName("setting or word", word, [*(one.name for one in known), *(one.domain for one in known)])
    if json:
        emit_json("catalog", {"settings": [one.model_dump(mode="json") for one in found]})
    elif len(found) == 1:
        _tell(found[0])
    else:
        table(["setting", "what it is", "takes"], [[one.name, one.title, one.allowed()] for one in found])
        say(f"\n{len(found)} settings. All about one: keen catalog {found[0].name}", "dim")


def _searched(one: "Setting") -> str:
    return " ".join([one.name, one.title, one.trades, one.inert, *one.moves]).lower()


def _tell(one: "Setting") -> None:
    from keenlattice.catalog.values import written
    from keenlattice.cli.output import say, table

    needs = [*(["rights"] * one.rights), *([f"a restart of the {one.restart}"] * (one.restart != "none"))]
    moves = [f"{metric} {direction}" for metric, direction in one.moves.items()]
    whom = {"rig": "the whole rig", "game": "a game, or the whole rig", "device": f"a device: {one.name}@DEVICE"}
    say(f"{one.name}: {one.title}", "bold")
    table(["", ""], [row for row in (
        ["takes", one.allowed()], ["stock", written(one.stock, one.unit)], ["set for", whom[one.scope]],
        ["needs", " and ".join(needs) or "nothing"], ["trades", one.trades], ["inert", one.inert],
        ["may move", ", ".join(moves) or "nothing"], ["how sure", SURE[one.sure]]) if row[1]])
