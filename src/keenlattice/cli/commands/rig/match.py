"""`keen rig match`: which game's profile an executable gets, and what the driver's own files say for it."""

from typing import TYPE_CHECKING, Annotated

import typer

from keenlattice.cli.begin import begin
from keenlattice.cli.options import Book, Json, Rig
from keenlattice.cli.output import emit, say, table, warn

if TYPE_CHECKING:
    from keenlattice.rig.base import DriverOption


def match(
    executable: Annotated[str, typer.Argument(help="A program's file name, or its path.")],
    book: Book = None, rig: Rig = "", json: Json = False,
) -> None:
    """Say which game's profile an executable would get, and why; on Linux, also which driver options apply to it."""
    found = begin(book, rig).rig.games.match(executable)
    for text in found.unknown:
        warn(text)
    if json:
        emit(found)
        return
    if found.game is None:
        say(f"{executable} gets no profile of ours: keen rig game NAME --executable {executable} --rig {rig} makes it "
            "one.")
    else:
        how = "by name" if found.exact else f"by the pattern {found.by}"
        case = "letter case counts" if found.case_matters else "letter case does not count"
        say(f"{executable} gets the profile of {found.game}: {how}, and {case} on this rig.")
    if found.options is not None:
        _show(found.options)


def _show(options: "tuple[DriverOption, ...]") -> None:
    if not options:
        say("The driver's configuration files say nothing of it.")
        return
    say("\nWhat the driver's configuration files set for it, the last word on each:", "bold")
    table(["option", "value", "says", "file", "line"], [
        [one.option, one.value, one.entry + "".join(f", over {overrule.entry}" for overrule in one.overrules), one.file,
         str(one.line)] for one in options], right=[4])
