"""`keen takeover`: makes a logbook from elsewhere one's own."""

from typing import TYPE_CHECKING

from keenlattice.cli.options import Book, Json, Yes
from keenlattice.cli.output import confirmed, emit, hint, say, shown_path
from keenlattice.errors import counted
from keenlattice.workspace.takeover import look_at, take_over

if TYPE_CHECKING:
    from keenlattice.workspace.takeover import TakeoverResult


def takeover(yes: Yes = False, book: Book = None, json: Json = False) -> None:
    """Make a logbook that was made elsewhere your own. Until then it can only be read."""
    look = look_at(book)
    if look.is_ours:
        emit(look) if json else say(f"The logbook {shown_path(look.folder)} is yours already.")
        return
    if not json:
        _tell(look)
    if not confirmed("Take it over?", yes):
        say("Nothing was changed.")
        return
    done = take_over(look.folder)
    if json:
        emit(done)
        return
    say("It is yours now.")
    hint("keen status" + f" --book {shown_path(look.folder)}" * (not look.is_default))


def _tell(result: "TakeoverResult") -> None:
    by = f", by {' and '.join(result.authors)}" if result.authors else ""
    say(f"The logbook {shown_path(result.folder)} was made elsewhere{by}", "bold")
    say(f"It holds {counted(result.versions, 'version')}, {counted(result.studies, 'study', 'studies')}, "
        f"{counted(result.captures, 'capture')}, and {counted(result.applies, 'change')} of rigs.")
    say("Taken over, it is yours to write in. All of that stays, to read and to build on. What it says was done to a "
        "rig was done to another machine's: nothing of it counts as applied here, and nothing of it can be undone "
        "here. Games, facts and rigs of that machine do not come along.")
