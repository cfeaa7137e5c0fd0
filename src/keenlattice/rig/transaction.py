"""Changing a rig so that there is always a way back: one at a time, journalled, and taken back if it fails."""

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from keenlattice.errors import KeenLatticeError, RigError, way
from keenlattice.rig.journal import Intent, Journal, journal_of, read_journal, unfinished
from keenlattice.rig.locks import locked
from keenlattice.rig.places import to_be_written, write
from keenlattice.rig.recovery import KEPT, remember, settle, take_back

if TYPE_CHECKING:
    from keenlattice.logbook.book import Logbook
    from keenlattice.rig.base import Rig, State
    from keenlattice.rig.journal import Wanted


@dataclass
class Transaction:
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

    def put(self, state: "State", settings: list[str] | None = None, *, again: bool = False,
            wants: "Wanted | None" = None) -> None:
        """Makes a state hold, after the journal has been told.

        Args:
            wants: the values that are written, where they may have to go back one by one after a crash.
            again: write a place that may read differently from what it holds (`Clamps`) whatever it reads.

        Raises:
            RigError: something else has changed the same place since we last looked.
        """
        now = self.rig.state()
        touched = to_be_written(self.rig, state, now, state if again else ())
        foreign = [place for place in touched if now.get(place) != self.held.get(place)]
        if foreign:
            raise RigError(f"{', '.join(foreign)} was changed by something else meanwhile")
        if self.journal is None:
            self.journal = journal_of(self.rig, self.why, self.before, self.intent, self.steps)
            self.journal.begin()
        self.journal.before_step(settings or [], touched, wants)
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
def changing(rig: "Rig", why: str, book: "Logbook | None" = None) -> Iterator[Transaction]:
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
        change = Transaction(rig, why, before, dict(before))
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
    settle(rig, read_journal(rig.home), finish=False)


def _fail(change: Transaction, error: BaseException) -> None:
    """Takes a change back that failed; what cannot be taken back is said, and stays in the journal."""
    if change.journal is None:
        return
    try:
        left = change.take_back()
    except (KeenLatticeError, OSError) as second:
        raise RigError(f"{_reason(error)}; and the rig could not be put back ({_reason(second)}): it holds part of "
                       f"the change, after step {change.journal.done} of {change.steps or change.journal.begun}. Once "
                       f"that is fixed, {way('keen rig recover', 'ws.rig.recover()')} finishes or undoes it") from None
    stands = _where_it_stands(change, left)
    _end(change.journal, f"{_reason(error)}; {stands}")
    if isinstance(error, RigError | OSError):
        raise (type(error) if isinstance(error, RigError) else RigError)(f"{_reason(error)}; {stands}") from None


def _reason(error: BaseException) -> str:
    if isinstance(error, OSError):
        return f"{error.strerror or error}{f': {error.filename}' if error.filename else ''}"
    return str(error) if isinstance(error, KeenLatticeError) else "it was stopped"


def _where_it_stands(change: Transaction, left: list[str]) -> str:
    if not left:
        return "the rig is as it was before"
    return (f"what had been set is taken back, and what something else wrote in {', '.join(left)} stays; what was "
            f"there before is kept in {change.rig.home / KEPT}")
