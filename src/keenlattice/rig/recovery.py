"""After a crash: a change that was cut short is finished, or taken back, as the player chooses."""

from contextlib import suppress
from pathlib import Path
from typing import TYPE_CHECKING

from keenlattice.errors import BookError, RigBusy, RigError
from keenlattice.logbook.book import Logbook
from keenlattice.logbook.identity import id_in, where_is
from keenlattice.rig._takeback import KEPT, misread, remember, sort_out, take_back
from keenlattice.rig.journal import Intent, Journal, read_journal, unfinished
from keenlattice.rig.locks import locked
from keenlattice.rig.places import write

if TYPE_CHECKING:
    from keenlattice.rig.base import Rig


def cut_short(rig: "Rig") -> Journal | None:
    """The journal of a change that was cut short; None if there is none, or if it is still going on.

    Raises:
        RigError: the journal is damaged.
    """
    try:
        with locked(rig, "looking for what was cut short"):
            return read_journal(rig.home) if unfinished(rig.home) else None
    except RigBusy:
        return None


def recover(rig: "Rig", *, finish: bool = False) -> str | None:
    """Finishes a change that was cut short, or takes it back; returns what was done, in words.

    A rig that a living process is changing is left alone: then nothing is returned.

    Raises:
        RigError: it cannot be finished, or not be taken back; the journal stays, so that it can be tried again.
    """
    try:
        with locked(rig, "recovering"):
            return settle(rig, read_journal(rig.home), finish=finish) if unfinished(rig.home) else None
    except RigBusy:
        return None


def settle(rig: "Rig", journal: Journal, *, finish: bool) -> str:
    """As `recover`, by whoever holds the lock."""
    how_far = f"{journal.why} was cut short ({journal.since}, after {journal.done} of {journal.steps} steps)" \
        if journal.steps else f"{journal.why} was cut short ({journal.since})"
    with suppress(OSError):
        journal.free_spare()
    if _is_remembered(journal):
        journal.end()
        return f"{journal.why} had been done; only its journal was left, and is gone now"
    if finish and journal.intent is not None:
        _finish(rig, journal, journal.intent)
        journal.end()
        return f"{how_far}: it is finished now, and read back"
    left = take_back(rig, journal, at_once=False)
    journal.end()
    if finish:
        how_far += ", and cannot be finished (a study goes on with keen studies resume)"
    if not left:
        return f"{how_far}: the rig is back to what it was before"
    return (f"{how_far}, and {', '.join(left)} was changed by something else since: that was not overwritten. What was "
            f"there before is kept in {rig.home / KEPT}")


def _book_of(journal: Journal) -> Logbook | None:
    """The logbook that a change was to be remembered in, wherever it is now; None if it cannot be found."""
    if journal.intent is None:
        return None
    book_id, folder = journal.intent.book
    with suppress(BookError):
        if id_in(Path(folder)) == book_id:
            return Logbook(Path(folder))
    found = where_is(book_id)
    return Logbook(found) if found else None


def _is_remembered(journal: Journal) -> bool:
    book = _book_of(journal)
    if book is None or journal.intent is None:
        return False
    with book:
        return book.knows(journal.intent.token)


def _finish(rig: "Rig", journal: Journal, intent: Intent) -> None:
    book = _book_of(journal)
    if book is None:
        raise RigError(f"the logbook {intent.book[1]}, which {journal.why} was to be remembered in, cannot be found: "
                       "`keen rig recover --undo`, or bring it back")
    now = rig.state()
    _, foreign = sort_out(now, journal)
    if foreign:
        raise RigError(f"{', '.join(foreign)} was changed by something else since: it cannot be finished; "
                       "`keen rig recover --undo` takes back what was set")
    rest = {place: content for place, content in intent.then.items() if content != now.get(place)}
    if rest:
        journal.before_step([], rest)
        write(rig, rest)
    held = rig.state()
    if wrong := misread(rig, intent.wants):
        raise RigError(f"the rig {rig.name} did not take {', '.join(one.key for one in wrong)}; `keen rig recover "
                       "--undo` takes the rest back")
    before = {place: journal.before.get(place) for place in journal.made}
    with book:
        remember(book, rig, intent, before, {place: held.get(place) for place in before})
