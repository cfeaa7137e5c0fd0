"""What comes of looking at a rig, writing to it, and going back."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict, field
from typing import TYPE_CHECKING, Any, ClassVar

from keenlattice.catalog.values import Restart, Value
from keenlattice.errors import BY_HAND, counted
from keenlattice.profile.version import Version
from keenlattice.quickly import dataclass
from keenlattice.workspace.result import NOT_IN_JSON, Result, Rows
from keenlattice.workspace.sheets import SheetResult

if TYPE_CHECKING:
    from keenlattice.blocks import Telling
    from keenlattice.logbook.applies import Apply
    from keenlattice.profile.checks import Finding
    from keenlattice.profile.compare import Change
    from keenlattice.profile.sheet import Sheet
    from keenlattice.rig.applying import Preview
    from keenlattice.rig.base import FactValue


class OrSheet(Result):
    """What was done; or, of a rig that is changed by hand, the sheet of the steps that a person takes instead."""

    sheet: "Sheet | None"

    def to_json(self) -> dict[str, Any]:
        """The result as JSON types; or the sheet."""
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
        sheet: of a rig with a player, the steps that they take, and those that were written at once.
        without_rights: settings that take an administrator's rights, which we do not have; they are left out.
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
    without_rights: Mapping[str, str] = field(default_factory=dict)

    @property
    def with_rights(self) -> str:
        """What to do for the settings that take rights: commands to run, or where to apply again."""
        by_hand = dict.fromkeys(why.partition(BY_HAND)[2] for why in self.without_rights.values() if BY_HAND in why)
        return BY_HAND + "; ".join(by_hand) if by_hand else "open a terminal as an administrator, and apply again there"

    def _rows(self) -> Rows:
        return [change.__dict__ for change in self.changes]

    def _caption(self) -> str:
        if self.sheet is not None:
            return f"{self.version.reference}: a run sheet of {counted(len(self.sheet.steps), 'step')} was written"
        count = counted(len(self.changes), "setting")
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
        return [{"profile": owner, **edit.plain()} for owner, edits in self.changes.items() for edit in edits]

    def _caption(self) -> str:
        return f"undone on the rig {self.rig}: {', '.join(self.undone)}" + (
            "; it is byte for byte as it was before" if self.exactly else "")


@dataclass(frozen=True)
class ListedPoint:
    """Something that was done to the rig, whether it is still in force, and the note and the labels of a version that
    was applied."""

    done: "Apply"
    in_force: bool
    note: str = ""
    labels: tuple[str, ...] = ()

    @property
    def name(self) -> str:
        """What a player calls it: by the labels and the note of the version that was applied; "" for none."""
        return "; ".join(name for name in (", ".join(self.labels), self.note) if name)

    def plain(self) -> dict[str, Any]:
        """As it stands in the JSON."""
        entry = self.done
        return {"number": entry.number, "time": entry.time, "kind": entry.kind, "what": entry.title,
                "in_force": self.in_force,
                "note": self.note, "labels": list(self.labels)}


@dataclass(frozen=True, repr=False)
class RestorePoints(Result):
    """All that was done to a rig, the oldest first: one can go back to before each."""

    SCHEMA: ClassVar[str] = "restore-points"

    rig: str
    points: tuple[ListedPoint, ...]

    def _rows(self) -> Rows:
        return [point.plain() for point in self.points]

    def _caption(self) -> str:
        return f"{counted(len(self.points), 'restore point')} of the rig {self.rig}"


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
        return [{"version": profile.version.reference, **change.plain()} for profile in self.profiles
                for change in profile.changes]

    def _caption(self) -> str:
        if not self.profiles:
            return f"The rig {self.rig} holds what was last applied"
        return f"{counted(len(self.profiles), 'profile has', 'profiles have')} slipped on the rig {self.rig}"


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


@dataclass(frozen=True, repr=False)
class Survey(Result):
    """What the rig is, what is applied, what waits, what has slipped, and what is clearly wrong.

    `asked` are the settings that the rig's player is asked to change; the others are written from here, `settings` in
    number.
    """

    SCHEMA: ClassVar[str] = "survey"

    pending: "Mapping[str, Restart]"
    drift: tuple[Version, ...]
    rig: str
    facts: "Mapping[str, FactValue]"
    games: tuple[str, ...]
    devices: tuple[str, ...]
    applied: Mapping[str, str]
    findings: "tuple[Finding, ...]"
    slipped: Mapping[str, int] = field(metadata=NOT_IN_JSON)
    titles: Mapping[str, str] = field(metadata=NOT_IN_JSON)
    settings: int = field(metadata=NOT_IN_JSON)
    _telling: "Callable[[Survey], Telling]" = field(metadata=NOT_IN_JSON)
    asked: tuple[str, ...] = ()

    def _rows(self) -> Rows:
        return [{**asdict(finding), "settings": ", ".join(finding.settings)} for finding in self.findings]

    def _caption(self) -> str:
        wrong = sum(finding.kind == "wrong" for finding in self.findings)
        return f"{self.rig}: {counted(wrong, 'setting') if wrong else 'nothing is'} clearly wrong"
