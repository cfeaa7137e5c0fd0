"""Putting a version on the rig, and going back."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any, ClassVar

from keenlattice._notebook import NOT_IN_JSON, Result, Rows
from keenlattice.catalog.values import Value
from keenlattice.profile.version import Version
from keenlattice.workspace.opened import Opened, VersionLike

if TYPE_CHECKING:
    from keenlattice.catalog.values import Restart
    from keenlattice.logbook.applies import Apply
    from keenlattice.profile.compare import Change
    from keenlattice.profile.sheet import Sheet
    from keenlattice.rig._apply import Preview


class OrSheet(Result):
    """What was done; or, of a rig that is changed by hand, the sheet of the steps that a person takes instead."""

    sheet: "Sheet | None"

    def to_json(self) -> dict[str, Any]:
        """The result as JSON types; or the sheet."""
        from keenlattice.workspace.sheets import SheetResult

        return super().to_json() if self.sheet is None else SheetResult(self.sheet).to_json()


@dataclass(frozen=True)
class AppliedChange:
    """A setting of an apply: the step that it belongs to, and what that takes."""

    step: int
    setting: str
    before: Value | None
    after: Value | None
    rights: bool
    restart: "Restart"


@dataclass(frozen=True, repr=False)
class ApplyResult(OrSheet):
    """What an apply has done, or, as a preview, would do.

    Args:
        restart: the furthest-reaching restart that it takes.
        unknown: the settings that the rig does not have; they are left out.
        places: where it writes.
        refused: of a preview, what cannot be set here, and why; an apply would then not begin.
        otherwise: settings given by a formula that come to something else once the rig-wide profile, too, is on the
            rig: to what they come now, and then.
        at_start: the settings that hold only while Keen Lattice itself starts the game.
        done: whether it was applied; a preview was not.
        sheet: of a rig that is changed by hand, the steps that a person takes instead.
    """

    SCHEMA: ClassVar[str] = "apply"

    version: Version
    rig: str
    restart: "Restart"
    changes: tuple[AppliedChange, ...]
    unknown: tuple[str, ...]
    places: tuple[str, ...]
    refused: Mapping[str, str] = field(metadata=NOT_IN_JSON)
    otherwise: Mapping[str, tuple[Value, Value]] = field(metadata=NOT_IN_JSON)
    preview: "Preview" = field(metadata=NOT_IN_JSON)
    at_start: tuple[str, ...] = ()
    done: bool = field(default=False, metadata=NOT_IN_JSON)
    sheet: "Sheet | None" = field(default=None, metadata=NOT_IN_JSON)

    def _rows(self) -> Rows:
        return [one.__dict__ for one in self.changes]

    def _caption(self) -> str:
        if self.sheet is not None:
            return f"{self.version.reference}: a run sheet of {len(self.sheet.steps)} steps was written"
        count = f"{len(self.changes)} settings" if len(self.changes) != 1 else "1 setting"
        return (f"{self.version.reference} applied to the rig {self.rig}, and read back: {count} changed" if self.done
                else f"{self.version.reference} would change {count} of the rig {self.rig}")


@dataclass(frozen=True, repr=False)
class UndoResult(OrSheet):
    """What an undo has done.

    Args:
        undone: of what, in words.
        exactly: whether every place that was touched is byte for byte as it was.
        for_good: chores that nothing brings back.
        changes: which values of whom went back.
        sheet: of a rig that is changed by hand, the steps that a person takes instead.
    """

    SCHEMA: ClassVar[str] = "undo"

    undone: tuple[str, ...]
    rig: str
    exactly: bool
    for_good: tuple[str, ...]
    changes: "Mapping[str, Sequence[Change]]"
    sheet: "Sheet | None" = field(default=None, metadata=NOT_IN_JSON)

    def _rows(self) -> Rows:
        return [{"profile": owner, **one.plain()} for owner, some in self.changes.items() for one in some]

    def _caption(self) -> str:
        return f"undone on the rig {self.rig}: {', '.join(self.undone)}" + (
            "; it is byte for byte as it was before" if self.exactly else "")


@dataclass(frozen=True)
class RestorePoint:
    """Something that was done to the rig, and whether it is still in force."""

    done: "Apply"
    in_force: bool

    def plain(self) -> dict[str, Any]:
        """As it stands in the JSON."""
        one = self.done
        return {"number": one.number, "time": one.time, "kind": one.kind, "what": one.title, "in_force": self.in_force}


@dataclass(frozen=True, repr=False)
class RestorePoints(Result):
    """All that was done to a rig, the oldest first: one can go back to before each."""

    SCHEMA: ClassVar[str] = "restore-points"

    rig: str
    points: tuple[RestorePoint, ...]

    def _rows(self) -> Rows:
        return [one.plain() for one in self.points]

    def _caption(self) -> str:
        return f"{len(self.points)} restore points of the rig {self.rig}"


class Changing(Opened):
    """What writes to the rig: shown first, journalled, read back, and undone on request."""

    def preview(self, which: VersionLike) -> ApplyResult:
        """What applying a version would do, step by step; nothing is written.

        Args:
            which: the version, in any of the ways that `VersionLike` has.

        Raises:
            UnknownName, BadValue, UsageError: no such version, or one that is invalid on this rig.
        """
        from keenlattice.rig._apply import preview
        from keenlattice.rig._lock import locked

        version = self.find(which)
        with locked(self.rig, f"preview of {version.reference}"):
            return self._told(preview(self.rig, version))

    def _told(self, plan: "Preview") -> ApplyResult:
        from keenlattice.rig.base import HoldsAtStart, NamesPlaces
        from keenlattice.rig.places import path_of

        changes = tuple(AppliedChange(number, one.key, one.before, one.after, step.rights, step.restart)
                        for number, step in enumerate(plan.steps, 1) for one in step.changes)
        rig = self.rig
        words = {place: rig.place_in_words(place) if isinstance(rig, NamesPlaces) else "" for place in plan.places}
        places = tuple(dict.fromkeys(words[place] or str(path_of(place, rig.home)) for place in plan.places))
        keys = [one.key for one in plan.changes if one.after is not None]
        at_start = tuple(rig.held_at_start(keys)) if isinstance(rig, HoldsAtStart) else ()
        return ApplyResult(plan.version, self.rig.name, plan.restart, changes, plan.unknown, places, plan.refused,
                           self._otherwise(plan), plan, at_start)

    def _otherwise(self, plan: "Preview") -> dict[str, tuple[Value, Value]]:
        """The formulas that come to something else once the rig-wide profile, too, is on the rig."""
        from keenlattice.profile.formula import is_formula
        from keenlattice.profile.layers import Base
        from keenlattice.profile.version import WHOLE_RIG

        formulas = [one for one in plan.changes if is_formula(plan.version.entries.get(one.key))]
        planned = Base(self.stored(WHOLE_RIG), self.rig.facts())
        under = self.effective(plan.version, planned) if formulas else {}
        then = {one.key: under[one.key].value for one in formulas if one.key in under}
        return {one.key: (one.after, value) for one in formulas
                if (value := then.get(one.key)) is not None and one.after is not None and value != one.after}

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
        from dataclasses import replace

        from keenlattice.errors import RefusedByRig
        from keenlattice.rig._apply import apply
        from keenlattice.rig.base import ByHand
        from keenlattice.rig.byhand.sheets import sheet_to_apply

        plan = shown or self.preview(which)
        if plan.refused:
            gone = " ".join(f"{key}=" for key in plan.refused)
            raise RefusedByRig(f"{'; '.join(dict.fromkeys(plan.refused.values()))}: nothing was written; leave it out "
                               f"with `keen edit {plan.version.profile} {gone}`")
        if not plan.changes:
            return plan
        if isinstance(self.rig, ByHand):
            return replace(plan, sheet=sheet_to_apply(self.rig, self.book, plan.version))
        return replace(self._told(apply(self.rig, self.book, plan.version, plan.preview)), done=True)

    def undo(self, to: int | None = None) -> UndoResult:
        """Undoes the newest apply or chore, or all since a restore point: what was there before is there again.

        Of a rig that is changed by hand a sheet is written instead (`sheet` of the result).

        Args:
            to: back to before this restore point.

        Raises:
            UsageError: nothing is left to undo.
            RigError: the rig did not take it.
        """
        from keenlattice.rig._undo import undo
        from keenlattice.rig.base import ByHand
        from keenlattice.rig.byhand.sheets import sheet_to_undo

        self.book.check_writable()
        if isinstance(self.rig, ByHand):
            return UndoResult((), self.rig.name, False, (), {}, sheet_to_undo(self.rig, self.book, to))
        done = undo(self.rig, self.book, to)
        return UndoResult(done.titles, self.rig.name, done.exactly, done.for_good, done.changes)

    def preview_undo(self, to: int | None = None) -> UndoResult:
        """Return what `undo` would do; nothing is written.

        Args:
            to: back to before this restore point; the newest, if not given.

        Raises:
            UsageError: nothing is left to undo.
        """
        from keenlattice.rig._undo import preview_undo

        plan = preview_undo(self.rig, self.book, to)
        return UndoResult(plan.titles, self.rig.name, plan.exactly, plan.for_good, plan.changes)

    def restore_points(self) -> RestorePoints:
        """All that was done to the rig, and what of it is still in force."""
        force = {one.number for one in self.book.in_force(self.rig_name)}
        return RestorePoints(self.rig_name, tuple(RestorePoint(one, one.number in force)
                                                  for one in self.book.done_to(self.rig_name)))
