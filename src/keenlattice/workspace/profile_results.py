"""What comes of editing, showing and comparing versions."""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import field
from typing import TYPE_CHECKING, Any, ClassVar

from keenlattice.catalog.values import Value, same, written
from keenlattice.errors import counted
from keenlattice.profile.version import Version
from keenlattice.quickly import dataclass
from keenlattice.workspace.result import NOT_IN_JSON, DetailedResult, Result, Rows, plain

if TYPE_CHECKING:
    from keenlattice.blocks import Telling
    from keenlattice.catalog.model import Catalog
    from keenlattice.profile.checks import Finding, Findings
    from keenlattice.profile.compare import Change
    from keenlattice.profile.layers import Effective
    from keenlattice.study.trial.result import Trial


@dataclass(frozen=True, repr=False)
class EditResult(Result):
    """A version that was made of another; if nothing changed, both are the same."""

    SCHEMA: ClassVar[str] = "edit"

    before: Version
    after: Version
    changes: "Sequence[Change]"

    @property
    def version(self) -> Version:
        """The version that was made."""
        return self.after

    def _rows(self) -> Rows:
        return [change.plain() for change in self.changes]

    def _caption(self) -> str:
        return f"{self.after.reference} made from {self.before.reference}" if self.changes else (
            f"Nothing changes: {self.before.reference} has these values already")


@dataclass(frozen=True, repr=False)
class MergeResult(EditResult):
    """A version that two lines came together in, or that takes a change back; `note` says which."""

    SCHEMA: ClassVar[str] = "merge"

    conflicts: tuple[str, ...]
    note: str = field(default="", metadata=NOT_IN_JSON)


@dataclass(frozen=True)
class Past:
    """One version of a history: its labels, what it changed (as a player types it), and whether it is on the rig."""

    version: Version
    labels: tuple[str, ...]
    changes: tuple[str, ...]
    applied: bool

    @property
    def marks(self) -> list[str]:
        """Its labels, and whether it is applied."""
        return [*self.labels, *(["applied"] if self.applied else [])]

    def plain(self) -> dict[str, Any]:
        """As it stands in the JSON."""
        version = self.version
        return {"version": version.reference, "id": version.id, "parents": list(version.parents),
                "labels": list(self.labels),
                "note": version.note, "author": version.author, "time": version.time, "changes": list(self.changes)}


@dataclass(frozen=True, repr=False)
class History(Result):
    """The versions of a profile, the newest first."""

    SCHEMA: ClassVar[str] = "history"

    profile: str
    versions: tuple[Past, ...]

    def _rows(self) -> Rows:
        return [{"version": version.version.reference, "marks": ", ".join(version.marks), "time": version.version.time,
                 "author": version.version.author, "note": version.version.note, "changes": ", ".join(version.changes)}
                for version in self.versions]

    def _caption(self) -> str:
        return f"{self.profile}: {counted(len(self.versions), 'version')}"


@dataclass(frozen=True)
class ShownSetting:
    """What holds for a setting, the layer that it comes from, and what that hides."""

    effective: "Effective"
    unit: str

    def plain(self) -> dict[str, Any]:
        """As it stands in the JSON."""
        effective = self.effective
        return {"setting": effective.key, "value": effective.value, "stored": effective.stored, "unit": self.unit,
                "layer": effective.layer,
                "shadows": [{"layer": layer, "value": value} for layer, value in effective.shadows]}


@dataclass(frozen=True)
class NotHeld:
    """A setting of which the rig holds something else than a version sets; `held` is None where nothing sets it."""

    setting: str
    held: Value | None
    wanted: Value | None


@dataclass(frozen=True, repr=False)
class ShowResult(DetailedResult):
    """What holds under a version.

    Args:
        unknown: what it sets and the rig does not have.
        planned: what the latest rig-wide version sets, and the rig does not hold; a game's formulas and checks go by
            what the rig holds.
        slipped: of a version that was applied last, what the rig no longer holds.
        findings: what the checks find.
        measured, applied: whether it was measured against stock, and whether it is on the rig.
        set_by: setting to the version that gave it its present value; of one setting alone.
    """

    SCHEMA: ClassVar[str] = "show"

    version: Version
    note: str
    unknown: tuple[str, ...]
    settings: tuple[ShownSetting, ...]
    planned: tuple[NotHeld, ...]
    slipped: tuple[NotHeld, ...]
    findings: "Findings | tuple[Finding, ...]" = field(metadata=NOT_IN_JSON)
    measured: bool = field(metadata=NOT_IN_JSON)
    applied: bool = field(metadata=NOT_IN_JSON)
    _telling: "Callable[[ShowResult, bool], Telling]" = field(metadata=NOT_IN_JSON)
    set_by: Version | None = field(default=None, metadata=NOT_IN_JSON)

    def _rows(self) -> Rows:
        return [{key: value for key, value in setting.plain().items() if key != "shadows"} for setting in self.settings
                if setting.effective.is_set]

    def _caption(self) -> str:
        return f"{self.version.reference}{f': {self.note}' if self.note else ''}"


@dataclass(frozen=True)
class Difference:
    """A setting that two versions store differently, with what holds on either side, and why it does nothing."""

    setting: str
    before: Value | None
    after: Value | None
    effective_before: Value | None
    effective_after: Value | None
    inert: str


@dataclass(frozen=True, repr=False)
class Comparison(Result):
    """What differs between two versions, packs or the rig, and the trials of the two, the newest first.

    `single_runs` says how many runs of either are kept that no trial has played.
    """

    SCHEMA: ClassVar[str] = "compare"

    before: Version
    after: Version
    changes: tuple[Difference, ...]
    trials: "tuple[Trial, ...]"
    single_runs: tuple[int, int] = field(metadata=NOT_IN_JSON)
    _telling: "Callable[[Comparison], Telling]" = field(metadata=NOT_IN_JSON)

    def _rows(self) -> Rows:
        return [plain(change) for change in self.changes]

    def _caption(self) -> str:
        measured = f"; {self.trials[0]._caption()}" if self.trials else "; not measured"
        pair = f"{self.before.reference} against {self.after.reference}"
        return f"{pair}: {counted(len(self.changes), 'change')}{measured}"


def value_text(catalog: "Catalog", key: str, value: Value | None) -> str:
    """A value with its unit, and `unset` for none."""
    if value is None:
        return "unset"
    return written(value, catalog[key].unit if key in catalog else "")


def not_held(catalog: "Catalog", settings: "Iterable[tuple[str, Value | None, Value | None]]", wanted: str) -> str:
    """Settings of which the rig holds something else than is wanted: what it holds, and what was planned or applied.

    Args:
        settings: name, what the rig holds, and what is wanted.
        wanted: the word for that: "planned", say.
    """
    parts = [f"{key} is at {value_text(catalog, key, held)} ({wanted}: {value_text(catalog, key, value)})"
             for key, held, value in settings]
    return "; ".join(parts[:4]) + (f"; and {len(parts) - 4} more" if len(parts) > 4 else "")


def in_words(catalog: "Catalog", difference: "Difference") -> list[str]:
    """One setting that differs: its name, both sides (stored, and what holds if that differs), and a remark."""
    cells = [difference.setting]
    for stored, effective in ((difference.before, difference.effective_before),
                              (difference.after, difference.effective_after)):
        text = value_text(catalog, difference.setting, stored)
        if effective is not None and not same(effective, stored):
            text += f" ({value_text(catalog, difference.setting, effective)})"
        cells.append(text)
    absence = "" if difference.setting in catalog else "not on this rig"
    alike = "no effect: holds either way" if difference.effective_after is not None and same(
        difference.effective_before, difference.effective_after) and not absence else ""
    return [*cells, (f"inert: {difference.inert}" if difference.inert else "") or absence or alike]
