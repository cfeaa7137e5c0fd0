"""A tuning: settings and the values that are tried, a goal, limits that have to be kept, and what was best."""

import math
from dataclasses import replace
from itertools import product
from typing import ClassVar, Literal

from keenlattice.catalog.model import Catalog
from keenlattice.catalog.values import Value, written
from keenlattice.errors import BadValue, counted
from keenlattice.measure.metrics import metric
from keenlattice.measure.names import full_name
from keenlattice.notebook import Rows, Shown, study_row
from keenlattice.profile.compare import changes, with_changes
from keenlattice.profile.version import Version
from keenlattice.quickly import dataclass
from keenlattice.report.words import titles
from keenlattice.study.deciding import Deciding, check_deciding
from keenlattice.study.form import Form
from keenlattice.study.kind import KeptVersion, Spec
from keenlattice.study.limits import check_seconds, check_seed
from keenlattice.study.trial.plan import TrialPlan

FIRST_LOOK = 3      # rounds
MOST_COMBINATIONS = 200


@dataclass(frozen=True)
class Limit:
    """A bound that has to be kept: a metric that is to stay below or above (`side`) a value in its own unit.

    >>> Limit("frame_ms_p99", "below", 8.0)
    Limit(metric='frame_ms_p99', side='below', value=8.0)
    """

    metric: str
    side: Literal["below", "above"]
    value: float

    def __post_init__(self) -> None:
        object.__setattr__(self, "metric", full_name(self.metric))


@dataclass(frozen=True)
class TunePlan(Form):
    """What is tuned, and how.

    Args:
        choices: setting to the values that are tried.
        goal: the metrics that are to be as good as can be, one per cent of either being worth the same; of combinations
            that differ by no more than what matters, any will do.
        limits: what else has to be kept.
        rounds: how many at most.
        seconds, seed, warm_up_s: as in a trial.
        few_switches: whether the order of each round is chosen so that few settings are switched between its runs.
    """

    choices: tuple[tuple[str, tuple[Value, ...]], ...]
    goal: Deciding
    limits: tuple[Limit, ...] = ()
    rounds: int = 30
    seconds: float = 20.0
    seed: int = 0
    warm_up_s: float = 0.0
    few_switches: bool = False

    def __post_init__(self) -> None:
        check_deciding(self.goal)
        for limit in self.limits:
            metric(limit.metric)
        count = math.prod(len(values) for _, values in self.choices)
        if not 2 <= count <= MOST_COMBINATIONS:
            raise BadValue(f"{counted(count, 'combination')}: 2 to {MOST_COMBINATIONS} can be tuned over; give "
                           f"{'more' if count < 2 else 'fewer'} values")
        if not FIRST_LOOK <= self.rounds <= 200:
            raise BadValue(f"{self.rounds} rounds: a race takes {FIRST_LOOK} to 200")
        check_seconds(self.seconds)
        check_seed(self.seed)

    @property
    def goals(self) -> tuple[str, ...]:
        """The metrics that are to be as good as can be."""
        return self.goal.names

    def combinations(self) -> list[dict[str, Value]]:
        """All combinations of the values."""
        keys = [key for key, _ in self.choices]
        return [dict(zip(keys, values, strict=True)) for values in product(*(values for _, values in self.choices))]


@dataclass(frozen=True)
class TuneSpec(Spec):
    """What a tuning was planned with; `proof` are the blocks of the trial that it ends in."""

    ARM: ClassVar[str] = "combination "
    WHAT: ClassVar[str] = "the plan of a tuning"

    base: KeptVersion
    plan: TunePlan
    game: str | None = None
    proof: int = 8

    @property
    def steps_a_run(self) -> float:
        return len(self.plan.choices) / 2

    @property
    def versions(self) -> tuple[KeptVersion, ...]:
        return (self.base,)

    @property
    def runs(self) -> int:
        return len(self.plan.combinations()) * self.plan.rounds

    @property
    def proof_plan(self) -> TrialPlan | None:
        plan = self.plan
        if not self.proof:
            return None
        return TrialPlan(self.proof, plan.seconds, plan.seed, plan.goal, warm_up_s=plan.warm_up_s)


def checked(catalog: Catalog, plan: TunePlan) -> TunePlan:
    """The plan with every value as its setting takes it.

    Raises:
        UnknownName: no such setting.
        BadValue: a value beyond its limits.
    """
    return replace(plan, choices=tuple((key, tuple(catalog[key].checked(value) for value in values))
                                       for key, values in plan.choices))


Standing = Literal["best", "no better", "not told apart", "worse", "limit not sure", "breaks a limit",
                   "limit not measured", "does not run"]
"""`no better`: it is not better by what matters than the best; `limit not sure`: it may keep the limits, or not."""


@dataclass(frozen=True)
class Combination:
    """A combination, and what became of it.

    Args:
        goals: geometric mean of each goal over its runs; None where it never ran, or a goal was not measured.
        change_pct, low_pct, high_pct: how much its goal differs from the best one's, over the rounds of both; of one
            that was put out, from the one that was the best then. Of several goals it is the geometric mean of how much
            worse each of them is.
    """

    values: dict[str, Value]
    standing: Standing
    rounds: int
    goals: tuple[float | None, ...]
    change_pct: float | None = None
    low_pct: float | None = None
    high_pct: float | None = None


@dataclass(frozen=True, repr=False)
class Tuning(Form, Shown):
    """What a race found, the best first. `settled` is False if it ended with its last round."""

    SCHEMA: ClassVar[str] = "keen-lattice/tune/2"
    WHAT: ClassVar[str] = "a tuning"

    game: str
    base: str
    rig: str
    plan: TunePlan
    combinations: tuple[Combination, ...]
    runs: int
    rounds_played: int
    settled: bool
    excluded: tuple[str, ...] = ()
    doubts: tuple[str, ...] = ()

    @property
    def best(self) -> Combination | None:
        """The best that keeps the limits; None if none does."""
        return next((combination for combination in self.combinations if combination.standing == "best"), None)

    def _rows(self) -> Rows:
        """A row for each combination and goal, the best first; the change is that against the best one."""
        return [study_row(", ".join(f"{key} = {written(value)}" for key, value in choice.values.items()), goal,
                          choice.standing, after=value, change=(choice.change_pct, choice.low_pct, choice.high_pct))
                for choice in self.combinations for goal, value in zip(self.plan.goals, choice.goals, strict=True)]

    def _caption(self) -> str:
        return (f"{len(self.combinations)} combinations on top of {self.base}, for {self.plan.goal.metrics}: "
                f"{counted(self.runs, 'run')}, {'settled' if self.settled else 'not settled'}")


def entries_of_best(base: Version, result: Tuning) -> dict[str, Value] | None:
    """Return what the version that a tuning started from sets with its best; None if there is no best."""
    return None if result.best is None else with_changes(base.entries, result.best.values)


def make_of_best(result: Tuning, base: Version, catalog: Catalog) -> tuple[dict[str, Value], str] | None:
    """Return what a version of the best would set, and why; None if that is nothing new."""
    entries = entries_of_best(base, result)
    return None if entries is None or not changes(base.entries, entries) else (
        entries, f"tuned for {titles(result.plan.goal.metrics)}")
