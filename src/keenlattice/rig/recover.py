"""After a crash: a change that was cut short is finished, or taken back, as the player chooses."""

from pathlib import Path
from typing import TYPE_CHECKING

from keenlattice.errors import RigBusy, RigError
from keenlattice.rig.change import KEPT, remember, sort_out, take_back
from keenlattice.rig.journal import Journal, read_journal, unfinished
from keenlattice.rig.lock import locked

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
    journal.free_spare()
    if _is_remembered(journal):
        journal.end()
        return f"{journal.why} had been done; only its journal was left, and is gone now"
    if finish:
        _finish(rig, journal)
        journal.end()
        return f"{how_far}: it is finished now, and read back"
    left = take_back(rig, journal, at_once=False)
    journal.end()
    if not left:
        return f"{how_far}: the rig is back to what it was before"
    return (f"{how_far}, and {', '.join(left)} was changed by something else since: that was not overwritten. What was "
            f"there before is kept in {rig.home / KEPT}")


def _is_remembered(journal: Journal) -> bool:
    from keenlattice.logbook.book import Logbook

    if journal.intent is None or not Path(journal.intent.book).is_dir():
        return False
    with Logbook(Path(journal.intent.book)) as book:
        return book.knows(journal.intent.token)


def _finish(rig: "Rig", journal: Journal) -> None:
    from keenlattice.logbook.book import Logbook

    intent = journal.intent
    if intent is None:
        raise RigError(f"{journal.why} cannot be finished, only undone: `keen recover --undo`")
    now = rig.state()
    _, foreign = sort_out(now, journal)
    if foreign:
        raise RigError(f"{', '.join(foreign)} was changed by something else since: it cannot be finished; "
                       "`keen recover --undo` takes back what was set")
    rest = {place: content for place, content in intent.then.items() if content != now.get(place)}
    if rest:
        journal.before_step([], rest)
        rig.put(rest)
    held = rig.state()
    for owner, wants in intent.wants.items():
        values = rig.values(held, owner)
        wrong = [key for key, value in wants.items() if values.get(key) != value]
        if wrong:
            raise RigError(f"the rig {rig.name} did not take {', '.join(wrong)}; `keen recover --undo` takes the rest "
                           "back")
    before = {place: journal.before.get(place) for place in journal.made}
    with Logbook(Path(intent.book)) as book:
        remember(book, rig, intent, before, {place: held.get(place) for place in before})
