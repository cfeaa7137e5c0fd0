"""What the logbook keeps of studies, back from JSON: held against its form, since somebody else may have written it."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

from keenlattice.catalog.values import Value
from keenlattice.errors import BookError
from keenlattice.trial.hunt import HuntPlan
from keenlattice.trial.plan import Plan
from keenlattice.trial.reading import Form, read_as
from keenlattice.trial.screen import ScreenPlan
from keenlattice.trial.steps import StepPlan
from keenlattice.trial.tune import TunePlan

if TYPE_CHECKING:
    from keenlattice.logbook.studies import Study


@dataclass(frozen=True)
class KeptVersion:
    """A version as a study keeps it: one that was made of a pack is in no history, and not `stored`."""

    reference: str
    profile: str
    entries: dict[str, Value]
    note: str
    stored: bool


@dataclass(frozen=True)
class KeptTrial:
    """What a trial was planned with; `files` if its runs are recorded elsewhere."""

    before: KeptVersion
    after: KeptVersion
    plan: Plan
    game: str | None = None
    files: bool = False


@dataclass(frozen=True)
class KeptScreen:
    """What a screen was planned with."""

    before: KeptVersion
    after: KeptVersion
    plan: ScreenPlan
    game: str | None = None


@dataclass(frozen=True)
class KeptHunt:
    """What a hunt was planned with; `line` are references."""

    line: list[str]
    trial: Plan
    error: float
    game: str | None = None

    @property
    def plan(self) -> HuntPlan:
        """The hunt's plan."""
        return HuntPlan(self.trial, self.error)


@dataclass(frozen=True)
class KeptTune:
    """What a tuning was planned with; `proof` are the blocks of the trial that it ends in."""

    base: KeptVersion
    plan: TunePlan
    game: str | None = None
    proof: int = 8


@dataclass(frozen=True)
class KeptSteps:
    """What a stepping up was planned with; `proof` is the trial that it ends in."""

    base: KeptVersion
    plan: StepPlan
    game: str | None = None
    proof: Plan | None = None


@dataclass(frozen=True)
class Evidence:
    """What a study's result rests on, beside its runs."""

    study: int = 0
    software: str = ""
    captures: list[str] = field(default_factory=list)
    time: str = ""
    facts: dict[str, bool | int | float | str] = field(default_factory=dict)


def trial_plan(study: "Study") -> KeptTrial:
    """What a trial was planned with.

    Raises:
        BookError: it is not of its form.
    """
    return _plan(KeptTrial, study)


def screen_plan(study: "Study") -> KeptScreen:
    """As `trial_plan`, of a screen."""
    return _plan(KeptScreen, study)


def hunt_plan(study: "Study") -> KeptHunt:
    """As `trial_plan`, of a hunt."""
    found = _plan(KeptHunt, study)
    if len(found.line) < 2:
        raise BookError(f"hunt {study.number} in the logbook has no line of versions: it is damaged, or was tampered "
                        "with")
    return found


def tune_plan(study: "Study") -> KeptTune:
    """As `trial_plan`, of a tuning."""
    return _plan(KeptTune, study)


def steps_plan(study: "Study") -> KeptSteps:
    """As `trial_plan`, of a stepping up."""
    return _plan(KeptSteps, study)


def _plan(form: type[Form], study: "Study") -> Form:
    return read_as(form, study.plan, f"the plan of {study.kind} {study.number}")


def about(study: "Study") -> str:
    """Which versions a study is about, in the words of a list.

    Raises:
        BookError: its plan is not of its form.
    """
    if study.kind == "hunt":
        line = hunt_plan(study).line
        return f"{line[0]} to {line[-1]}"
    if study.kind == "tune":
        return tune_plan(study).base.reference
    if study.kind == "steps":
        return steps_plan(study).base.reference
    kept = trial_plan(study) if study.kind == "trial" else screen_plan(study)
    return f"{kept.before.reference} against {kept.after.reference}"


def evidence(content: Mapping[str, Any] | None) -> Evidence:
    """What a kept result rests on; nothing, where that is not told.

    Raises:
        BookError: it is not of its form.
    """
    return read_as(Evidence, (content or {}).get("evidence") or {}, "what a study rests on")
