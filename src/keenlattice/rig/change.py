"""Changing a rig so that there is always a way back: one at a time, journalled, and taken back if it fails."""

from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from keenlattice.errors import KeenLatticeError, RigError
from keenlattice.files import replace_file
from keenlattice.logbook.restore import RestorePoint, keep_point
from keenlattice.rig.journal import (
    Intent,
    Journal,
    fingerprints,
    in_text,
    journal_of,
    packed,
    read_journal,
    unfinished,
)
from keenlattice.rig.lock import locked
from keenlattice.rig.places import write

if TYPE_CHECKING:
    from keenlattice.catalog.values import Value
    from keenlattice.logbook.book import Logbook
    from keenlattice.rig.base import Rig, State

KEPT = "before-the-unfinished-change.json"


@dataclass
class Change:
    """A change of a rig under way; all writes go through it, so that the journal knows of them first.

    `held` is what the rig is known to hold: what it held at first, and what was put there since.
    """

    rig: "Rig"
    why: str
    before: "State"
    held: dict[str, bytes | None]
    intent: Intent | None = None
    steps: int = 0
    journal: Journal | None = field(default=None, init=False)

    def put(self, state: "State", settings: list[str] | None = None) -> None:
        """Makes a state hold, after the journal has been told.

        Raises:
            RigError: something else has changed the same place since we last looked.
        """
        now = self.rig.state()
        touched = {place: content for place, content in state.items() if content != now.get(place)}
        foreign = [place for place in touched if now.get(place) != self.held.get(place)]
        if foreign:
            raise RigError(f"{', '.join(foreign)} was changed by something else meanwhile")
        if self.journal is None:
            self.journal = journal_of(self.rig, self.why, self.before, self.intent, self.steps)
            self.journal.begin()
        self.journal.before_step(settings or [], touched)
        write(self.rig, touched, now)
        self.held.update(touched)
        self.journal.after_step()

    def check(self) -> None:
        """Whether every place that was written still holds what was put there.

        Raises:
            RigError: one does not.
        """
        now = self.rig.state()
        foreign = [place for place in self.touched if now.get(place) != self.held.get(place)]
        if foreign:
            raise RigError(f"{', '.join(foreign)} was changed by something else meanwhile")

    @property
    def touched(self) -> "State":
        """What was there before in every place that was written: the restore point."""
        return {place: self.before.get(place) for place in (self.journal.made if self.journal else ())}

    def take_back(self) -> list[str]:
        """Makes what was there before hold again; see `take_back`."""
        if self.journal is None:
            return []
        self.journal.free_spare()
        return take_back(self.rig, self.journal, at_once=True)


@contextmanager
def changing(rig: "Rig", why: str, book: "Logbook | None" = None) -> Iterator[Change]:
    """The one way to change a rig. If the body raises, or the process dies, what was before is put back.

    If the body gives the change an intent, the logbook remembers it as done once the body is through.

    Raises:
        RigBusy: another process is changing this rig.
        RigError: what the body raises; or it says what could not be put back.
    """
    if book is not None:
        book.check_writable()
    with locked(rig, why):
        if unfinished(rig.home):
            _clear_away(rig)
        before = rig.state()
        change = Change(rig, why, before, dict(before))
        try:
            yield change
            if change.intent and book:
                remember(book, rig, change.intent, change.touched, {p: change.held[p] for p in change.touched})
        except BaseException as error:
            _fail(change, error)
            raise
        if change.journal:
            _end(change.journal, f"{change.why} is done, read back and remembered")


def _end(journal: Journal, how_it_is: str) -> None:
    """Closes the journal; that this fails does not hide how the rig is."""
    try:
        journal.end()
    except RigError as error:
        raise RigError(f"{how_it_is}; only {error}") from None


def _clear_away(rig: "Rig") -> None:
    """A change that was cut short comes first: it is taken back before a new one begins."""
    from keenlattice.rig.recover import settle

    settle(rig, read_journal(rig.home), finish=False)


def _fail(change: Change, error: BaseException) -> None:
    """Takes a change back that failed; what cannot be taken back is said, and stays in the journal."""
    if change.journal is None:
        return
    try:
        left = change.take_back()
    except (KeenLatticeError, OSError) as second:
        raise RigError(f"{_reason(error)}; and the rig could not be put back ({_reason(second)}): it holds part of "
                       f"the change, after step {change.journal.done} of {change.steps or change.journal.begun}. Once "
                       "that is mended, `keen recover` finishes or undoes it") from None
    stands = _where_it_stands(change, left)
    _end(change.journal, f"{_reason(error)}; {stands}")
    if isinstance(error, RigError | OSError):
        raise (type(error) if isinstance(error, RigError) else RigError)(f"{_reason(error)}; {stands}") from None


def _reason(error: BaseException) -> str:
    if isinstance(error, OSError):
        return f"{error.strerror or error}{f': {error.filename}' if error.filename else ''}"
    return str(error) if isinstance(error, KeenLatticeError) else "it was stopped"


def _where_it_stands(change: Change, left: list[str]) -> str:
    if not left:
        return "the rig is as it was before"
    return (f"what had been set is taken back, and what something else wrote in {', '.join(left)} stays; what was "
            f"there before is kept in {change.rig.home / KEPT}")


def remember(book: "Logbook", rig: "Rig", intent: Intent, before: "State", after: "State") -> None:
    """Writes what was done into the logbook, once the restore point of the places that it touched is kept."""
    keep_point(intent.token, RestorePoint(in_text(before), fingerprints(after)))
    book.add_apply(rig.name, kind=intent.kind, profile=intent.profile, version=intent.version, what=intent.what,
                   target=intent.target, token=intent.token)


def take_back(rig: "Rig", journal: Journal, *, at_once: bool) -> list[str]:
    """Makes the state from before a change hold again, place by place.

    A place that holds something that is not ours, because something else wrote there since, is not overwritten: of it
    only the values that we had set go back; where they still stand, unless it is done `at_once`, in the change itself.
    Returns the places that then differ from before; a copy of what they held before is kept in the rig's home.
    """
    now = rig.state()
    ours, foreign = sort_out(now, journal)
    then = now
    if foreign:
        replace_file(rig.home / KEPT, packed(journal.before).encode())
        if journal.intent:
            then = _without_ours(rig, now, journal.intent, at_once)
    then = {**then, **{place: journal.before.get(place) for place in ours}}
    back = {place: content for place, content in then.items() if content != now.get(place)}
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
        raise RigError(f"{', '.join(wrong)} of the rig {rig.name} reads back otherwise than it was to be put back")


def sort_out(now: "State", journal: Journal) -> tuple[list[str], list[str]]:
    """The places that a change touched: those that hold what it found or made, and those that something else wrote."""
    found = fingerprints({place: now.get(place) for place in journal.made})
    first = fingerprints({place: journal.before.get(place) for place in journal.made})
    ours = [place for place in journal.made if found[place] in {first[place], *journal.made[place]}]
    return ours, [place for place in journal.made if place not in ours]


def _without_ours(rig: "Rig", state: "State", intent: Intent, every: bool) -> "State":
    for owner, wants in intent.wants.items():
        held = rig.values(state, owner)
        was: Mapping[str, Value | None] = intent.was.get(owner, {})
        back = {key: was.get(key) for key, value in wants.items()
                if (every or held.get(key) == value) and held.get(key) != was.get(key)}
        if back:
            state = {**state, **rig.changed(state, owner, back)}
    return state
