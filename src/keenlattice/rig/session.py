"""A rig's session while it is measured: begun, asked for a version, asked for runs, and ended.

A program plays, or a person does; anyone who asks for runs never asks which.
"""

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from typing import TYPE_CHECKING, Protocol

from keenlattice.errors import UsageError, way
from keenlattice.profile.compare import changes
from keenlattice.profile.version import Version, parted
from keenlattice.rig.applying import applied_values
from keenlattice.rig.base import Asks, ByHand, HoldsAtStart, Rig, State, play_on
from keenlattice.rig.hand import ComingRun
from keenlattice.rig.player.session import by_hand, doubts, read_origin, steps_between
from keenlattice.rig.player.sheets import settle_sheet, sheet_to_apply, sheet_to_undo
from keenlattice.rig.transaction import Transaction, changing

if TYPE_CHECKING:
    from keenlattice.logbook.book import Logbook
    from keenlattice.measure.capture import Capture
    from keenlattice.profile.sheet import Sheet
    from keenlattice.rig.hand import Hand


class Session(Protocol):
    """A rig being played.

    `by_itself` says whether it switches and records without a person: then the time that a switch takes is its own, and
    a recording that ends in silence is of a game that hung.
    """

    by_itself: bool

    def coming(self, run: ComingRun) -> None:
        """Learn which run is next, before anything is asked."""

    def put(self, state: State, settings: list[str] | None = None) -> None:
        """Make a state hold."""

    def play(self, game: str, seconds: float, seed: int) -> "Capture":
        """Play a game, and return what was recorded."""

    def take_back(self) -> list[str]:
        """Make what was there before hold again, as far as that can be now; return what is left."""


class ProgramSession:
    """A session of a rig that is written to, and played, by programs."""

    by_itself = True

    def __init__(self, rig: Rig, transaction: Transaction) -> None:
        self._rig, self._transaction, self.take_back = rig, transaction, transaction.take_back

    def put(self, state: State, settings: list[str] | None = None) -> None:
        """Write a state.

        Raises:
            UsageError: some of it is set by the player, whom nobody has asked.
            RigError: the rig does not take it.
        """
        place = self._rig.place if isinstance(self._rig, Asks) else ""
        if place in state and state[place] != self._transaction.held.get(place):
            raise UsageError(f"this study changes settings of the rig {self._rig.name} that you set: put them on first "
                             f"({way('keen apply', 'ws.apply(VERSION)')}), and study the others")
        self._transaction.put(state, settings)

    def coming(self, run: ComingRun) -> None:
        """Programs need no warning."""

    def play(self, game: str, seconds: float, seed: int) -> "Capture":
        return play_on(self._rig, game, seconds, seed)


def asked_between(rig: Rig, versions: Sequence[Version]) -> list[str]:
    """Return the settings that a rig's player is asked for so that it holds each of some versions."""
    if not isinstance(rig, Asks):
        return []
    state, asked = rig.state(), dict[str, None]()
    for version in versions:
        for owner, entries in parted(version.profile, applied_values(rig, version)).items():
            asked |= dict.fromkeys(change.key for change in changes(rig.values(state, owner), entries)
                                   if not rig.written_here(owner, change.key))
    return list(asked)


@contextmanager
def session_of(rig: Rig, why: str, *, asked: bool = False) -> Iterator[Session]:
    """Begin a rig's session; in the end all of its changes are taken back, or what a person left is remembered.

    Args:
        why: it is begun, for anyone who wants to change the rig at the same time.
        asked: whether it changes settings that the rig's player sets.

    Raises:
        UsageError: a player is needed, and nobody is there.
    """
    if isinstance(rig, ByHand) or (asked and isinstance(rig, Asks)):
        with by_hand(rig, why) as hands:
            yield hands
    else:
        with changing(rig, why) as transaction:
            yield ProgramSession(rig, transaction)


def play_as_it_stands(rig: Rig, place: int, game: str, seconds: float, seed: int) -> "Capture":
    """Play a run without changing anything; a person learns of it first.

    Args:
        place: which run it is, counted from 0.
    """
    if isinstance(rig, ByHand):
        rig.coming(ComingRun(place, "as it stands", game, seconds, game, rig.values(rig.state(), game)))
    return play_on(rig, game, seconds, seed)


def sheet_to_apply_by_hand(rig: Rig, book: "Logbook", version: Version) -> "Sheet | None":
    """Write the sheet for applying a version, where a person does that; None where it is written from here."""
    return sheet_to_apply(rig, book, version) if isinstance(rig, Asks) else None


def sheet_to_undo_by_hand(rig: Rig, book: "Logbook", to: int | None) -> "Sheet | None":
    """Write the sheet for an undo, where a person does that; None where it is written from here."""
    return sheet_to_undo(rig, book, to) if isinstance(rig, Asks) else None


@contextmanager
def hand_where_nobody_is(rig: Rig, hand: "Hand") -> Iterator[None]:
    """Have `hand` sit at a rig that a person changes, unless somebody sits there already."""
    if not isinstance(rig, Asks) or rig.hand is not None:
        yield
        return
    rig.hand = hand
    try:
        yield
    finally:
        rig.hand = None


def left_changed(rig: Rig) -> list[str]:
    """Return the settings that studies by hand have left different from before; none on any other rig."""
    if not isinstance(rig, Asks) or (kept := read_origin(rig)) is None:
        return []
    return [step.key for step in steps_between(rig, rig.state(), kept[1], "")]


def settle_by_hand(rig: Rig, book: "Logbook") -> None:
    """Put right what a process that was killed has left of a sheet."""
    if isinstance(rig, Asks):
        settle_sheet(rig, book)


def start_by_hand(rig: Rig, run: ComingRun) -> str:
    """Return the command that a person has to start a run's game by, so that it holds what no file does; else empty."""
    entries = parted(run.owner, run.entries).get(run.game, {})
    if not (isinstance(rig, ByHand) and isinstance(rig, HoldsAtStart)):
        return ""
    return f"keen play {run.game} --as-set" if rig.held_at_start(list(entries)) else ""


def doubts_by_hand(rig: Rig, run: ComingRun, capture: "Capture") -> list[str]:
    """Return what speaks against a recording that a person handed over being of a run."""
    return doubts(rig, run, capture) if isinstance(rig, ByHand) else []
