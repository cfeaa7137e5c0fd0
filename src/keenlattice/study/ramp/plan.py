"""A ramp: how a clock offset is stepped up, through which values, and where it settled."""

from typing import ClassVar

from keenlattice.catalog.model import Catalog
from keenlattice.catalog.values import Value
from keenlattice.errors import BadValue, counted
from keenlattice.measure.metrics import metric
from keenlattice.measure.names import full_name
from keenlattice.notebook import Rows, Shown, study_row
from keenlattice.profile.compare import with_changes
from keenlattice.profile.version import Version
from keenlattice.quickly import dataclass
from keenlattice.study.form import Form
from keenlattice.study.kind import KeptVersion, Spec
from keenlattice.study.limits import check_seconds, check_seed
from keenlattice.study.trial.plan import TrialPlan

MOST_STEPS = 500


@dataclass(frozen=True)
class RampPlan(Form):
    """How an offset is stepped up.

    Args:
        key: the setting; a whole number or a number.
        by: how much a step adds.
        margin: how far below the highest step that ran it settles.
        runs: of a step, all of which have to go well.
        goal: a metric that is given beside each step.
    """

    key: str
    by: float
    margin: float
    runs: int = 3
    goal: str = "frame_ms_mean"
    seconds: float = 30.0
    seed: int = 0

    def __post_init__(self) -> None:
        object.__setattr__(self, "goal", metric(full_name(self.goal)).name)
        if not self.by > 0:
            raise BadValue(f"steps of {self.by:g}: a step goes up")
        check_seed(self.seed)
        if not self.margin >= 0:
            raise BadValue(f"a margin of {self.margin:g}: it is 0 or more")
        if not 1 <= self.runs <= 50:
            raise BadValue(f"{counted(self.runs, 'run')} of a step: 1 to 50 are played")
        check_seconds(self.seconds)


@dataclass(frozen=True)
class RampSpec(Spec):
    """What a ramp was planned with; `proof` is the trial that it ends in."""

    WHAT: ClassVar[str] = "the plan of a ramp"

    base: KeptVersion
    plan: RampPlan
    game: str | None = None
    proof: TrialPlan | None = None

    @property
    def versions(self) -> tuple[KeptVersion, ...]:
        return (self.base,)

    @property
    def runs(self) -> int:
        return 3 * self.plan.runs

    @property
    def proof_plan(self) -> TrialPlan | None:
        return self.proof

    @property
    def pace(self) -> tuple[float, float]:
        return self.plan.seconds, 0.0


def steps_of(catalog: Catalog, base: Version, plan: RampPlan) -> list[float]:
    """The values that are stepped through, from what a version has to the end of what the catalog allows.

    Raises:
        UnknownName, BadValue: no such setting, one that holds no number, or too many steps.
    """
    setting = catalog[plan.key]
    if setting.kind not in ("whole", "number") or setting.high is None:
        raise BadValue(f"{plan.key} takes {setting.allowed()}: only numbers with an end can be stepped up")
    start = base.entries.get(plan.key, setting.stock)
    begin = float(start) if isinstance(start, int | float) else 0.0
    if not (float(setting.high) - begin) / plan.by < MOST_STEPS:
        raise BadValue(f"steps of {plan.by:g} from {begin:g} to {setting.high:g}: that is more than {MOST_STEPS}; take "
                       "larger ones")
    return [begin + count * plan.by for count in range(int((float(setting.high) - begin) / plan.by) + 1)]


@dataclass(frozen=True)
class RampStep:
    """One step: the value, its mean of the goal over the runs that went well, and what went wrong ("" if nothing)."""

    value: float
    goal: float | None
    wrong: str


@dataclass(frozen=True, repr=False)
class Ramp(Form, Shown):
    """What stepping up found.

    Args:
        highest: the highest value at which every run went well; None if not even the first did.
        settled: the value to keep, never below the one that it started from.
    """

    SCHEMA: ClassVar[str] = "keen-lattice/ramp/1"
    WHAT: ClassVar[str] = "a ramp"

    game: str
    base: str
    rig: str
    plan: RampPlan
    steps: tuple[RampStep, ...]
    highest: float | None
    settled: float

    def _rows(self) -> Rows:
        """A row for each step."""
        return [study_row(f"{self.plan.key} = {step.value:g}", self.plan.goal, step.wrong or "ran", after=step.goal)
                for step in self.steps]

    def _caption(self) -> str:
        return f"{self.plan.key} on top of {self.base}: settled at {self.settled:g}, {counted(len(self.steps), 'step')}"


def make_of_settled(result: Ramp, base: Version, catalog: Catalog) -> tuple[dict[str, Value], str] | None:
    """Return what a version with the value that a ramp settled at would set, and why; None if that is nothing new."""
    setting = catalog[result.plan.key]
    value = int(result.settled) if setting.kind == "whole" else result.settled
    if setting.checked(value) == base.entries.get(result.plan.key, setting.stock):
        return None
    highest = f"{result.highest:g}" if result.highest is not None else "none"
    return (with_changes(base.entries, {result.plan.key: value}),
            f"stepped up: {highest} ran, {result.plan.margin:g} below it")
