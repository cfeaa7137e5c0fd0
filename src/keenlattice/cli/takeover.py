"""`keen takeover`: makes a logbook from elsewhere one's own."""

from typing import Annotated

import typer

from keenlattice.cli.options import Book, Json, Yes


def takeover(
    made_here: Annotated[bool, typer.Option(
        "--made-here", help="You made it on this machine with a Keen Lattice before 0.3: its restore points and rigs "
                            "come along, and `keen undo` acts on them. Never say so of somebody else's.")] = False,
    yes: Yes = False, book: Book = None, json: Json = False,
) -> None:
    """Make a logbook that was made elsewhere your own. Until then it can only be read."""
    from keenlattice.cli.output import confirmed, emit_json, hint, say, shown_path
    from keenlattice.errors import UsageError
    from keenlattice.logbook.book import Logbook, default_folder
    from keenlattice.logbook.schema import is_there
    from keenlattice.logbook.takeover import holdings, take_over

    if not is_there(where := (book or default_folder()).expanduser()):
        raise UsageError(f"there is no logbook in {where}")
    with Logbook(where) as opened:
        folder, held, elsewhere = opened.folder, holdings(opened), opened.elsewhere
    if not elsewhere:
        if json:
            emit_json("takeover", {"folder": str(folder), "taken_over": False, **held.__dict__})
        else:
            say(f"The logbook {shown_path(folder)} is yours already.")
        return
    if not json:
        by = f", by {' and '.join(held.authors)}" if held.authors else ""
        say(f"The logbook {shown_path(folder)} was made elsewhere{by}", "bold")
        say(f"It holds {_some(held.versions, 'version')}, {_some(held.studies, 'study', 'studies')} and "
            f"{_some(held.captures, 'capture')}, and tells of {_some(held.applies, 'change')} of rigs.")
        say("Taken over, it is yours to write in. All of that stays, to read and to build on. "
            + ("Its restore points and rigs come along, since you say that you made it here: from then on `keen undo` "
               "writes on this machine what they say." if made_here else
               "What it says was done to a rig was done to another machine's: nothing of it counts as applied here, "
               "and nothing of it can be undone here. Games, facts and rigs of that machine do not come along."))
    if not confirmed("Take it over?", yes):
        say("Nothing was changed.")
        return
    take_over(folder, made_here=made_here).close()
    if json:
        emit_json("takeover", {"folder": str(folder), "taken_over": True, **held.__dict__})
        return
    say("It is yours now.")
    hint("keen history GAME" + f" --book {shown_path(folder)}" * (folder != default_folder().expanduser().absolute()))


def _some(count: int, one: str, several: str = "") -> str:
    """So many of something, in words: `no studies`, `1 study`, `3 studies`."""
    return f"{count or 'no'} {one if count == 1 else several or one + 's'}"
