"""The rig of a workspace: looked at, written to, and put back. Every write is shown first, journalled and read back."""

from collections.abc import Sequence
from dataclasses import replace
from functools import partial
from typing import TYPE_CHECKING, Any

from keenlattice._door import check_methods
from keenlattice._exports import lazily
from keenlattice.catalog.values import RESTARTS, Restart, Value
from keenlattice.errors import NeedsRights, RefusedByRig, RigError, UnknownName, UsageError, way
from keenlattice.profile.formula import is_formula
from keenlattice.profile.version import WHOLE_RIG, Version
from keenlattice.rig.journal import fingerprint
from keenlattice.rig.locks import locked
from keenlattice.rig.places import path_of
from keenlattice.workspace.opened import Opened, VersionLike
from keenlattice.workspace.rig_results import (
    AppliedChange,
    ApplyResult,
    DriftResult,
    ListedPoint,
    RestartResult,
    RestorePoints,
    Slipped,
    Survey,
    UndoResult,
)
from keenlattice.workspace.standing import Standing

if TYPE_CHECKING:
    from keenlattice.rig.applying import Preview
    from keenlattice.rig.base import Rig
    from keenlattice.rig.journal import Journal
    from keenlattice.workspace.chores import Chores
    from keenlattice.workspace.facts import Facts
    from keenlattice.workspace.games import Games
    from keenlattice.workspace.settings import Settings
    from keenlattice.workspace.sheets import Sheets


def _part(module: str, name: str) -> Any:
    return lazily(f"keenlattice.workspace.{module}:{name}", lambda rig, made: made(rig._opened))


@check_methods
class RigHandle:
    """The rig, as far as a player acts on it.

    `name` is what the logbook calls it, `kind` what `Workspace` takes.

    Its parts: `settings` (the catalog), `facts`, `games`, `chores`, and `sheets` of a rig that is changed by hand.
    """

    settings: "Settings" = _part("settings", "Settings")
    facts: "Facts" = _part("facts", "Facts")
    games: "Games" = _part("games", "Games")
    chores: "Chores" = _part("chores", "Chores")
    sheets: "Sheets" = _part("sheets", "Sheets")

    def __init__(self, opened: Opened) -> None:
        self._opened, self._book, self._standing = opened, opened.book, Standing(opened)
        self.name, self.kind = opened.rig_name, opened.kind

    @property
    def machine(self) -> "Rig":
        """The rig itself, opened when it is first asked for."""
        return self._opened.rig

    @property
    def by_hand(self) -> bool:
        """Whether a person changes the rig, and plays on it."""
        return self._opened.by_hand

    def fingerprint(self) -> str:
        """Return a short hash of all that the rig's settings are kept in: equal only if byte for byte the same."""
        return fingerprint(self.machine.state())

    def survey(self) -> Survey:
        """Looks at the rig: its hardware, its games, what is applied, and what is clearly wrong."""
        from keenlattice.rig.applying import find_drift
        from keenlattice.rig.base import asked_on, pending_on
        from keenlattice.workspace.surveying import tell_survey

        applied = {name: last.version[:8] for name in (WHOLE_RIG, *self._opened.games)
                   if (last := self._book.last_apply(self.name, name))}
        slipped = find_drift(self.machine, self._book)
        return Survey(dict(pending_on(self.machine)), tuple(drift.version for drift in slipped), self.name,
                      dict(self.machine.facts()), tuple(self._opened.games), self.machine.devices(), applied,
                      self._standing.findings_now(),
                      {drift.version.reference: len(drift.changes) for drift in slipped},
                      {game.name: game.title for game in self.machine.games()},
                      len(self.machine.catalog()) - len(asked := asked_on(self.machine)),
                      partial(tell_survey, self._opened), tuple(asked))

    def preview(self, which: VersionLike) -> ApplyResult:
        """What applying a version would do, step by step; nothing is written.

        Args:
            which: the version, in any of the ways that `VersionLike` has.

        Raises:
            UnknownName, BadValue, UsageError: no such version, or one that is invalid on this rig.
        """
        from keenlattice.rig.applying import preview

        version = self._opened.find(which)
        with locked(self.machine, f"preview of {version.reference}"):
            return self._told(preview(self.machine, version))

    def _told(self, plan: "Preview") -> ApplyResult:
        from keenlattice.rig.base import HoldsAtStart, NamesPlaces

        changes = tuple(AppliedChange(number, change.key, change.before, change.after, step.rights, step.restart)
                        for number, step in enumerate(plan.steps, 1) for change in step.changes)
        rig = self.machine
        words = {place: rig.place_in_words(place) if isinstance(rig, NamesPlaces) else "" for place in plan.places}
        places = tuple(dict.fromkeys(words[place] or str(path_of(place, rig.home)) for place in plan.places))
        keys = [change.key for change in plan.changes if change.after is not None]
        at_start = tuple(rig.held_at_start(keys)) if isinstance(rig, HoldsAtStart) else ()
        return ApplyResult(plan.version, self.machine.name, plan.restart, changes, plan.unknown, places, plan.refused,
                           self._otherwise(plan), plan, at_start, without_rights=plan.without_rights)

    def _otherwise(self, plan: "Preview") -> dict[str, tuple[Value, Value]]:
        """The formulas that come to something else once the rig-wide profile, too, is on the rig."""
        from keenlattice.profile.layers import Base

        formulas = [change for change in plan.changes if is_formula(plan.version.entries.get(change.key))]
        planned = Base(self._standing.stored(WHOLE_RIG), self.machine.facts())
        under = self._standing.effective(plan.version, planned) if formulas else {}
        then = {formula.key: under[formula.key].value for formula in formulas if formula.key in under}
        return {edit.key: (edit.after, value) for edit in formulas
                if (value := then.get(edit.key)) is not None and edit.after is not None and value != edit.after}

    def apply(self, which: VersionLike, shown: ApplyResult | None = None) -> ApplyResult:
        """Makes the rig hold a version, reads every value back, and keeps a restore point.

        Of a rig that is changed by hand a sheet is written instead (`sheet` of the result).

        Args:
            which: the version, in any of the ways that `VersionLike` has.
            shown: the preview that the player agreed to; if the rig has changed since, nothing is written.

        Raises:
            RefusedByRig: no rights, or a value that this hardware does not take; the rig is as it was before.
            RigError: the rig reads back something else; it is as it was before, or the message says what it holds.
        """
        from keenlattice.rig.applying import apply
        from keenlattice.rig.session import sheet_to_apply_by_hand

        plan = shown or self.preview(which)
        if plan.refused:
            gone = " ".join(f"{key}=" for key in plan.refused)
            call = f"ws.edit({plan.version.profile!r}, {dict.fromkeys(plan.refused)})"
            raise RefusedByRig(f"{'; '.join(dict.fromkeys(plan.refused.values()))}: nothing was written; leave it out "
                               f"with {way(f'keen edit {plan.version.profile} {gone}', call)}")
        if not plan.changes and plan.without_rights:
            raise NeedsRights(f"{', '.join(plan.without_rights)}: not without an administrator's rights, and nothing "
                              f"was written; {plan.with_rights}")
        if not plan.changes:
            return plan
        if (sheet := sheet_to_apply_by_hand(self.machine, self._book, plan.version)) is not None:
            return replace(plan, sheet=sheet)
        return replace(self._told(apply(self.machine, self._book, plan.version, plan.preview)), done=True)

    def undo(self, to: int | str | None = None, *, redo: bool = False) -> UndoResult:
        """Undoes the newest apply or chore, or all since a restore point: what was there before is there again.

        Of a rig that is changed by hand a sheet is written instead (`sheet` of the result).

        Args:
            to: back to before this restore point: its number; or a label or the note of a version, for the newest one
                that is in force.
            redo: take the newest undo back instead.

        Raises:
            UsageError: nothing is left to undo, or to redo.
            UnknownName: no restore point is called so.
            RigError: the rig did not take it.
        """
        from keenlattice.rig.session import sheet_to_undo_by_hand
        from keenlattice.rig.undoing import undo

        to = self._newest_undo() if redo else self._number_of(to)
        self._book.check_writable()
        if (sheet := sheet_to_undo_by_hand(self.machine, self._book, to)) is not None:
            return UndoResult((), self.machine.name, False, (), {}, sheet)
        done = undo(self.machine, self._book, to)
        return UndoResult(done.titles, self.machine.name, done.exactly, done.for_good, done.changes)

    def _newest_undo(self) -> int:
        """Return the number of the undo that was the last thing done to the rig.

        Raises:
            UsageError: it was something else.
        """
        done = self._book.done_to(self.name)
        if not done or done[-1].kind != "undo":
            raise UsageError("the last thing that was done to the rig is not an undo: "
                             f"{way('keen undo --list', 'ws.rig.restore_points()')} shows what was done")
        return done[-1].number

    def _number_of(self, to: int | str | None) -> int | None:
        """Return the number of a restore point that is named in any of the ways of `undo`."""
        if to is None or str(to).isdecimal():
            return None if to is None else int(to)
        points = [point for point in self.restore_points().points if point.in_force]
        for point in reversed(points):
            if to in (point.note, *point.labels):
                return point.done.number
        names = [name for point in points for name in (*point.labels, point.note) if name]
        raise UnknownName("restore point", str(to), names,
                          f"{way('keen undo --list', 'ws.rig.restore_points()')} shows them")

    def preview_undo(self, to: int | str | None = None, *, redo: bool = False) -> UndoResult:
        """Return what `undo` would do; nothing is written.

        Args:
            to: back to before this restore point, as in `undo`; the newest, if not given.
            redo: take the newest undo back instead.

        Raises:
            UsageError: nothing is left to undo.
            UnknownName: no restore point is called so.
        """
        from keenlattice.rig.undoing import preview_undo

        to = self._newest_undo() if redo else self._number_of(to)
        plan = preview_undo(self.machine, self._book, to)
        return UndoResult(plan.titles, self.machine.name, plan.exactly, plan.for_good, plan.changes)

    def restore_points(self) -> RestorePoints:
        """All that was done to the rig, and what of it is still in force."""
        force = {entry.number for entry in self._book.in_force(self.name)}
        profiles = (WHOLE_RIG, *self._opened.games)
        notes = {version.id: version.note for name in profiles for version in self._book.history(name)}
        labels = {version: tuple(names) for name in profiles for version, names in self._book.labels(name).items()}
        return RestorePoints(self.name, tuple(
            ListedPoint(entry, entry.number in force, notes.get(entry.version, ""), labels.get(entry.version, ()))
            for entry in self._book.done_to(self.name)))

    def drift(self) -> DriftResult:
        """Every profile of which the rig no longer holds what was last applied."""
        return self._drift(put_back=False)

    def _drift(self, put_back: bool, adopted: Sequence[Version] = ()) -> DriftResult:
        from keenlattice.rig.applying import find_drift

        drifts = find_drift(self.machine, self._book)
        return DriftResult(self.name, put_back, tuple(adopted), tuple(Slipped(drift.version, drift.changes)
                                                                      for drift in drifts))

    def put_back(self) -> DriftResult:
        """Applies again whatever has slipped; of a rig that is changed by hand, writes the sheet for the first.

        Raises:
            RigError: the rig did not take it.
        """
        drift = self._drift(put_back=True)
        for profile in drift.profiles:
            if (sheet := self.apply(profile.version).sheet) is not None:
                return replace(drift, sheet=sheet)
        return drift

    def adopt_drift(self) -> DriftResult:
        """Makes new versions of what the rig holds now, remembered as applied; nothing is written to the rig."""
        from keenlattice.rig.applying import adopt, find_drift

        drift = self.drift()
        made = [adopt(self.machine, self._book, slipped, self._opened.author)
                for slipped in find_drift(self.machine, self._book)]
        return replace(drift, adopted=tuple(made))

    def restart(self, part: Restart) -> RestartResult:
        """Restarts the rig's game, driver or machine, so that what waits for it takes effect.

        Args:
            part: which of the three.

        Raises:
            UnknownName: nothing that can be restarted.
            UsageError: a rig that cannot be restarted from here.
            RigError: what waited still waits.
        """
        from keenlattice.rig.base import Restartable

        if part not in RESTARTS[1:]:
            raise UnknownName("thing to restart", part, RESTARTS[1:], "there are game, driver and machine")
        if not isinstance(self.machine, Restartable):
            raise UsageError(f"the {part} of the rig {self.name} is yours to restart: it cannot be done from here")
        self._book.check_writable()
        waiting = dict(self.machine.pending())
        with locked(self.machine, f"restarting the {part}"):
            self.machine.restart(part)
        still = self.machine.pending()
        failed = [key for key in waiting if key in still and RESTARTS.index(waiting[key]) <= RESTARTS.index(part)]
        if failed:
            raise RigError(f"the restart did not bring {', '.join(failed)} into effect: it still waits; was the {part} "
                           "really restarted?")
        return RestartResult(self.name, part, tuple(key for key in waiting if key not in still))

    def interrupted(self) -> "Journal | None":
        """The change of this rig that was cut short, if there is one that nobody is still at."""
        from keenlattice.rig.recovery import cut_short

        return cut_short(self.machine)

    def recover(self, finish: bool = False) -> str | None:
        """Finishes a change of this rig that was cut short, or takes it back; says in words what was done.

        Args:
            finish: whether it is finished; else it is taken back.

        Returns: None if there is nothing to recover, or another process is at it.

        Raises:
            RigError: it can neither be finished nor taken back; it can be tried again.
        """
        from keenlattice.rig.recovery import recover

        return recover(self.machine, finish=finish)
