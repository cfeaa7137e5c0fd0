"""Looking after the rig: drift, chores, restarts, and what was cut short."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, ClassVar

from keenlattice._notebook import NOT_IN_JSON, Result, Rows
from keenlattice.catalog.values import RESTARTS, Restart
from keenlattice.profile.version import WHOLE_RIG, Version
from keenlattice.workspace.changing import Changing, OrSheet
from keenlattice.workspace.opened import Choose

if TYPE_CHECKING:
    from keenlattice.profile.compare import Change
    from keenlattice.profile.sheet import Sheet
    from keenlattice.rig._journal import Journal
    from keenlattice.rig.base import Chore, Rig


@dataclass(frozen=True)
class Slipped:
    """A profile that has slipped: the version last applied, and what differs (`before` applied, `after` held)."""

    version: Version
    changes: "Sequence[Change]"


@dataclass(frozen=True, repr=False)
class DriftResult(OrSheet):
    """Every profile of which the rig holds something else than was last applied, and what became of that."""

    SCHEMA: ClassVar[str] = "drift"

    rig: str
    put_back: bool
    adopted: tuple[Version, ...]
    profiles: tuple[Slipped, ...]
    sheet: "Sheet | None" = field(default=None, metadata=NOT_IN_JSON)

    def _rows(self) -> Rows:
        return [{"version": one.version.reference, **change.plain()} for one in self.profiles for change in one.changes]

    def _caption(self) -> str:
        return f"{len(self.profiles)} profiles have slipped on the rig {self.rig}" if self.profiles else (
            f"The rig {self.rig} holds what was last applied")


@dataclass(frozen=True, repr=False)
class Chores(Result):
    """The chores of a rig."""

    SCHEMA: ClassVar[str] = "chores"

    rig: str
    chores: "tuple[Chore, ...]"

    def _rows(self) -> Rows:
        return [one.__dict__ for one in self.chores]

    def _caption(self) -> str:
        return f"{len(self.chores)} chores of the rig {self.rig}"


@dataclass(frozen=True, repr=False)
class ChoreResult(Result):
    """What a chore has done, or, as a preview, would do: to values, too, of whom."""

    SCHEMA: ClassVar[str] = "chore"

    chore: str
    rig: str
    undoable: bool
    says: tuple[str, ...]
    changes: "Mapping[str, Sequence[Change]]"
    what: str = field(metadata=NOT_IN_JSON)

    def _rows(self) -> Rows:
        return [{"profile": owner, **one.plain()} for owner, some in self.changes.items() for one in some]

    def _caption(self) -> str:
        return f"{self.chore} on the rig {self.rig}: {'; '.join(self.says)}"


@dataclass(frozen=True, repr=False)
class RestartResult(Result):
    """What a restart brought into effect."""

    SCHEMA: ClassVar[str] = "restart"

    rig: str
    what: Restart
    in_effect: tuple[str, ...]

    def _caption(self) -> str:
        took = ", ".join(self.in_effect) or "nothing new"
        return f"The {self.what} of {self.rig} was restarted; now in effect: {took}"


class Upkeep(Changing):
    """What looks after the rig."""

    def drift(self) -> DriftResult:
        """Every profile of which the rig no longer holds what was last applied."""
        return self._drift(put_back=False)

    def _drift(self, put_back: bool, adopted: Sequence[Version] = ()) -> DriftResult:
        from keenlattice.rig.drift import find_drift

        found = find_drift(self.rig, self.book)
        return DriftResult(self.rig_name, put_back, tuple(adopted), tuple(Slipped(one.version, one.changes)
                                                                         for one in found))

    def put_back(self) -> DriftResult:
        """Applies again whatever has slipped; of a rig that is changed by hand, writes the sheet for the first.

        Raises:
            RigError: the rig did not take it.
        """
        from dataclasses import replace

        found = self._drift(put_back=True)
        for one in found.profiles:
            if (sheet := self.apply(one.version).sheet) is not None:
                return replace(found, sheet=sheet)
        return found

    def adopt_drift(self) -> DriftResult:
        """Makes new versions of what the rig holds now, remembered as applied; nothing is written to the rig."""
        from dataclasses import replace

        from keenlattice.rig.drift import adopt, find_drift

        found = self.drift()
        made = [adopt(self.rig, self.book, one, self.author) for one in find_drift(self.rig, self.book)]
        return replace(found, adopted=tuple(made))

    def chores(self) -> Chores:
        """The chores that can be done on the rig."""
        from keenlattice.rig.chores import chores_of

        return Chores(self.rig_name, tuple(chores_of(self.rig)))

    def preview_chore(self, name: str) -> ChoreResult:
        """What a chore would do; nothing is done.

        Args:
            name: which.

        Raises:
            UnknownName: the rig has no such chore.
        """
        from keenlattice.profile.compare import changes
        from keenlattice.rig.chores import after_chore, chore_of

        chosen, state = chore_of(self.rig, name), self.rig.state()
        outcome = after_chore(self.rig, state, name)
        found = {owner: changes(self.rig.values(state, owner), self.rig.values(outcome.then, owner))
                 for owner in (WHOLE_RIG, *self.games)}
        return ChoreResult(name, self.rig_name, chosen.undoable, outcome.says,
                         {owner: some for owner, some in found.items() if some}, chosen.what)

    def chore(self, name: str) -> ChoreResult:
        """Does a chore: journalled, and undone by `undo` where that is possible.

        Args:
            name: which.

        Raises:
            UnknownName: the rig has no such chore.
            RigError: it could not be done; the rig is as it was before.
        """
        from keenlattice.rig.chores import do_chore

        shown = self.preview_chore(name)
        do_chore(self.rig, self.book, name)
        return shown

    def restart(self, what: Restart) -> RestartResult:
        """Restarts the rig's game, driver or machine, so that what waits for it takes effect.

        Raises:
            UnknownName: nothing that can be restarted.
            UsageError: a rig that cannot be restarted from here.
            RigError: what waited still waits.
        """
        from keenlattice.errors import RigError, UnknownName, UsageError
        from keenlattice.rig._lock import locked
        from keenlattice.rig.base import Restartable

        if what not in RESTARTS[1:]:
            raise UnknownName("thing to restart", what, RESTARTS[1:], "there are game, driver and machine")
        if not isinstance(self.rig, Restartable):
            raise UsageError(f"the {what} of the rig {self.rig_name} is yours to restart: it cannot be done from here")
        self.book.check_writable()
        waiting = dict(self.rig.pending())
        with locked(self.rig, f"restarting the {what}"):
            self.rig.restart(what)
        still = self.rig.pending()
        failed = [key for key in waiting if key in still and RESTARTS.index(waiting[key]) <= RESTARTS.index(what)]
        if failed:
            raise RigError(f"the restart did not bring {', '.join(failed)} into effect: it still waits; was the {what} "
                           "really restarted?")
        return RestartResult(self.rig_name, what, tuple(key for key in waiting if key not in still))

    def interrupted(self) -> "Journal | None":
        """The change of this rig that was cut short, if there is one that nobody is still at."""
        from keenlattice.rig._recover import cut_short

        return cut_short(self.rig)

    def recover(self, finish: bool = False) -> str | None:
        """Finishes a change of this rig that was cut short, or takes it back; says in words what was done.

        Args:
            finish: whether it is finished; else it is taken back.

        Returns: None if there is nothing to recover, or another process is at it.

        Raises:
            RigError: it can neither be finished nor taken back; it can be tried again.
        """
        from keenlattice.rig._recover import recover

        return recover(self.rig, finish=finish)

    def repair(self) -> list[str]:
        """Repair the rows of the logbook that it refuses to read; returns what was done, a sentence each.

        Raises:
            BookError: the logbook was made elsewhere, or cannot be written.
        """
        from keenlattice.logbook._repair import repair
        from keenlattice.study.record import result_of, spec_of

        return repair(self.book, lambda study: (spec_of(study), study.result and result_of(study)))

    def settle(self, choose: Choose | None = None) -> list[str]:
        """Puts right what a process that was killed has left behind, on any rig of this logbook; undoes it, unless
        `choose` says otherwise.

        Returns: what was done, a sentence each; where it failed, that, so that whoever only looks can go on.
        """
        said = [text for rig in self.cut_short() if (text := _settled(rig, choose))]
        if self._may_have_a_sheet():
            from keenlattice.rig.base import ByHand
            from keenlattice.rig.byhand.sheets import settle_sheet

            if isinstance(self.rig, ByHand):
                settle_sheet(self.rig, self.book)
        return said


def _settled(rig: "Rig", choose: Choose | None) -> str | None:
    from keenlattice.errors import KeenLatticeError, RigError
    from keenlattice.rig._recover import cut_short, recover

    found = cut_short(rig)
    if found is None:
        return None
    finish: bool | None = choose(rig) if choose and found.intent is not None else False
    if finish is None:
        raise RigError(f"left as it is; next: keen rig recover --finish or --undo, with the rig {rig.name}")
    try:
        return recover(rig, finish=finish)
    except KeenLatticeError as error:
        return f"! {found.why} was cut short, and part of it holds: {error}; `keen rig recover` tries again"
