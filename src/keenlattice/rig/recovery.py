"""After a crash: a change that was cut short is finished, or taken back, as the player chooses."""

from contextlib import suppress
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

from keenlattice.catalog.values import Value, written
from keenlattice.errors import BookError, RefusedByRig, RigBusy, RigError, counted, way
from keenlattice.files import replace_file
from keenlattice.logbook.applies import RestorePoint, keep_point
from keenlattice.logbook.book import Logbook
from keenlattice.logbook.identity import id_in, where_is
from keenlattice.profile.compare import changes
from keenlattice.profile.version import WHOLE_RIG
from keenlattice.rig.base import reads_true
from keenlattice.rig.journal import Intent, Journal, fingerprints, in_text, packed, read_journal, unfinished
from keenlattice.rig.locks import locked
from keenlattice.rig.places import to_be_written, write

if TYPE_CHECKING:
    from keenlattice.catalog.values import Value
    from keenlattice.logbook.book import Logbook
    from keenlattice.rig.base import Rig, State
    from keenlattice.rig.journal import Wanted


KEPT = "before-the-unfinished-change.json"


def remember(book: "Logbook", rig: "Rig", intent: Intent, before: "State", after: "State") -> None:
    """Writes what was done into the logbook, once the restore point of the places that it touched is kept."""
    keep_point(intent.token, RestorePoint(in_text(before), fingerprints(after)))
    book.add_apply(rig.name, kind=intent.kind, profile=intent.profile, version=intent.version, summary=intent.what,
                   target=intent.target, token=intent.token)


def take_back(rig: "Rig", journal: Journal, *, at_once: bool) -> list[str]:
    """Makes the state from before a change hold again, place by place.

    A place that holds something that is not ours, because something else wrote there since, is not overwritten: of it
    only the values that we had set go back; where they still stand, unless it is done `at_once`, in the change itself.
    Returns the places that then differ from before; a copy of what they held before is kept in the rig's home.
    """
    now = rig.state()
    ours, foreign = sort_out(now, journal)
    cut_off = [place for place in foreign if not reads_true(rig, place)]  # by what it reads, nobody's write is known
    ours, foreign = [*ours, *cut_off], [place for place in foreign if place not in cut_off]
    then = now
    if foreign:
        replace_file(rig.home / KEPT, packed(journal.before).encode())
        then = _without_ours(rig, now, journal, at_once)
    then = {**then, **{place: journal.before.get(place) for place in ours}}
    back = to_be_written(rig, then, now, ours)
    write(rig, back, now)
    held = rig.state()
    _check_that_it_is_back(rig, journal, back, held)
    return [place for place in foreign if held.get(place) != journal.before.get(place)]


def _check_that_it_is_back(rig: "Rig", journal: Journal, back: "State", held: "State") -> None:
    """Whether what was to go back is there: a rig may take a write, and hold something else.

    Raises:
        RigError: it is not.
    """
    if wrong := [place for place, content in back.items() if held.get(place) != content]:
        journal.found_instead({place: held.get(place) for place in wrong})
        raise RigError(f"{', '.join(wrong)} of the rig {rig.name} reads back differently from what was to be put back")


def sort_out(now: "State", journal: Journal) -> tuple[list[str], list[str]]:
    """The places that a change touched: those that hold what it found or made, and those that something else wrote."""
    prints = fingerprints({place: now.get(place) for place in journal.made})
    first = fingerprints({place: journal.before.get(place) for place in journal.made})
    ours = [place for place in journal.made if prints[place] in {first[place], *journal.made[place]}]
    return ours, [place for place in journal.made if place not in ours]


def _without_ours(rig: "Rig", state: "State", journal: Journal, at_once: bool) -> "State":
    """A state without the values that a change has set.

    One that was not to stay, of a study or of a game that is played, has no intent. Of it all values are as before in
    the change itself; after a crash those that it noted down. Where a value cannot go back, since the game has deleted
    its file, say, what is there stays, and is named.
    """
    if journal.intent:
        return _with_values_from(rig, state, journal.intent.wants, journal.intent.was, at_once)
    before, owners = {**state, **{place: journal.before.get(place) for place in journal.made}}, (
        WHOLE_RIG, *(game.name for game in rig.games()))
    for owner in owners:
        with suppress(RefusedByRig):
            state = with_values_of(rig, state, before, owner) if at_once else _with_values_from(
                rig, state, {owner: journal.wants.get(owner, {})}, {owner: rig.values(before, owner)}, False)
    return state


def _with_values_from(rig: "Rig", state: "State", wants: "Wanted", former: "Wanted", every: bool) -> "State":
    """A state with former values where the wanted ones still stand, or everywhere."""
    for owner, wanted in wants.items():
        held, was = rig.values(state, owner), former.get(owner, {})
        back = {key: was.get(key) for key, value in wanted.items()
                if (every or held.get(key) == value) and held.get(key) != was.get(key)}
        if back:
            state = {**state, **rig.changed(state, owner, back)}
    return state


def with_values_of(rig: "Rig", state: "State", before: "State", owner: str) -> "State":
    """Return a state in which an owner's values are those of another one; what else has been written there stays.

    Raises:
        RefusedByRig: the rig does not take one.
    """
    back = changes(rig.values(state, owner), rig.values(before, owner))
    return {**state, **rig.changed(state, owner, {change.key: change.after for change in back})} if back else state


class Misread(NamedTuple):
    """A value that reads back otherwise: whose, which, what the rig holds, and what it was given; None for unset."""

    owner: str
    key: str
    held: Value | None
    wanted: Value | None

    @property
    def told(self) -> str:
        """Both values, in words."""
        return f"reads back {_shown(self.held)}, not {_shown(self.wanted)}"


def misread(rig: "Rig", wanted: "Wanted") -> list[Misread]:
    """Every value that the rig, as it stands, holds differently from what is wanted."""
    state, misreads = rig.state(), []
    for owner, values in wanted.items():
        held = rig.values(state, owner)
        misreads += [Misread(owner, key, held.get(key), value) for key, value in values.items()
                     if held.get(key) != value]
    return misreads


def _shown(value: Value | None) -> str:
    return "unset" if value is None else written(value)


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
    """As `recover`, by the one who holds the lock."""
    steps = f", after {journal.done} of {counted(journal.steps, 'step')}" if journal.steps else ""
    how_far = f"{journal.why} was cut short ({journal.since}{steps})"
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
    """The logbook that a change was to be remembered in, where it is now; None if it cannot be found."""
    if journal.intent is None:
        return None
    book_id, folder = journal.intent.book
    with suppress(BookError):
        if id_in(Path(folder)) == book_id:
            return Logbook(Path(folder))
    path = where_is(book_id)
    return Logbook(path) if path else None


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
                       f"{way('keen rig recover --undo', 'ws.rig.recover()')}, or bring it back")
    now = rig.state()
    _, foreign = sort_out(now, journal)
    if foreign:
        raise RigError(f"{', '.join(foreign)} was changed by something else since: it cannot be finished; "
                       f"{way('keen rig recover --undo', 'ws.rig.recover()')} takes back what was set")
    rest = {place: content for place, content in intent.then.items() if content != now.get(place)}
    if rest:
        journal.before_step([], rest)
        write(rig, rest)
    held = rig.state()
    if wrong := misread(rig, intent.wants):
        raise RigError(f"the rig {rig.name} did not take {', '.join(value.key for value in wrong)}; "
                       f"{way('keen rig recover --undo', 'ws.rig.recover()')} takes the rest back")
    before = {place: journal.before.get(place) for place in journal.made}
    with book:
        remember(book, rig, intent, before, {place: held.get(place) for place in before})
