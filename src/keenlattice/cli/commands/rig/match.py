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
    matches = begin(book, rig).rig.games.match(executable)
    for text in matches.unknown:
        warn(text)
    if json:
        emit(matches)
        return
    if matches.game is None:
        say(f"{executable} gets no profile of ours: keen rig game NAME --executable {executable} --rig {rig} makes it "
            "one.")
    else:
        how = "by name" if matches.exact else f"by the pattern {matches.by}"
        case = "letter case counts" if matches.case_matters else "letter case does not count"
        say(f"{executable} gets the profile of {matches.game}: {how}, and {case} on this rig.")
    if matches.options is not None:
        _show(matches.options)


def _show(options: "tuple[DriverOption, ...]") -> None:
    if not options:
        say("The driver's configuration files say nothing of it.")
        return
    say("\nWhat the driver's configuration files set for it, the last word on each:", "bold")
    table(["option", "value", "says", "file", "line"], [
        [option.option, option.value,
         option.entry + "".join(f", over {overrule.entry}" for overrule in option.overrules), option.file,
         str(option.line)] for option in options], right=[4])
