"""A pool: what is pooled and how; and what each change does in general, on the next rig, and where."""

from collections.abc import Mapping
from itertools import chain
from typing import Any, ClassVar, Literal

import numpy as np

from keenlattice.errors import BadValue, counted
from keenlattice.measure.metrics import METRICS, metric
from keenlattice.measure.summaries import percent_of
from keenlattice.notebook import Rows, Shown, study_row
from keenlattice.quickly import dataclass
from keenlattice.study.deciding import MOST_DECIDERS, named
from keenlattice.study.form import Form
from keenlattice.study.kind import KeptVersion, Spec
from keenlattice.study.limits import DECIDES
from keenlattice.study.pool.evidence import Switch
from keenlattice.study.pool.gather import MODERATORS, moderators_of
from keenlattice.study.pool.regression import Slopes

MOST_IN_BRIEF = 12
Standing = Literal["helps everywhere", "helps some", "helps some, hurts some", "hurts some", "hurts everywhere",
                   "nothing that matters anywhere", "not known"]
TELLING: tuple[Standing, ...] = ("helps everywhere", "helps some", "helps some, hurts some", "hurts everywhere",
                                 "hurts some", "not known", "nothing that matters anywhere")
"""Of several metrics, which standing is given first."""


@dataclass(frozen=True)
class PoolPlan(Form):
    """How evidence is pooled.

    Args:
        sources: where it came from, for anyone who reads the result.
        decides: the metrics that it is about, with commas between.
        matters_pct: the smallest difference that matters, in per cent; None for what mattered to those who tried it.
        game: only evidence of this game; empty for all.
    """

    WHAT: ClassVar[str] = "the plan of a pool"

    sources: tuple[str, ...]
    decides: str = DECIDES
    matters_pct: float | None = None
    game: str = ""

    def __post_init__(self) -> None:
        if len(self.metrics) > MOST_DECIDERS:
            raise BadValue(f"{self.decides}: a pool is about 1 to {MOST_DECIDERS} metrics")
        for name in self.metrics:
            metric(name)
        if self.matters_pct is not None and not 0 < self.matters_pct <= 50:
            raise BadValue(f"{self.matters_pct:g} %: between 0 and 50 % can matter")

    @property
    def metrics(self) -> tuple[str, ...]:
        """The metrics that it is about."""
        return named(self.decides)


@dataclass(frozen=True)
class PoolSpec(Spec):
    """A pool in the logbook: what it was planned with, and the file that keeps the evidence."""

    WHAT: ClassVar[str] = "the plan of a pool"

    plan: PoolPlan
    evidence: str
    game: str | None = None

    @property
    def versions(self) -> tuple[KeptVersion, ...]:
        return ()

    @property
    def about(self) -> str:
        return f"evidence from {', '.join(self.plan.sources)}"

    @property
    def runs(self) -> int:
        return 0


@dataclass(frozen=True)
class Span:
    """A value in per cent with an interval at 95 %."""

    pct: float
    low_pct: float
    high_pct: float


@dataclass(frozen=True)
class Side:
    """What a change does on one side of a fact: `where` in words, the mean there and its interval, on how many rigs."""

    where: str
    rigs: int
    mean: Span
    word: Literal["helps", "hurts", "nothing that matters", "unclear"]


@dataclass(frozen=True)
class Dependence:
    """How an effect depends on facts, to say what is to be expected of a rig; as `regression.Slopes`, log ratios."""

    facts: tuple[str, ...]
    centre: tuple[float, ...]
    scale: tuple[float, ...]
    mean: float
    slope: tuple[float, ...]
    covariance: tuple[tuple[float, ...], ...]
    tau2: float
    dof: int

    def slopes(self) -> Slopes:
        """The same, to compute with."""
        names = [moderator.name for moderator in MODERATORS]
        return Slopes(tuple(names.index(fact) for fact in self.facts), np.array(self.centre), np.array(self.scale),
                      self.mean, np.array(self.slope), np.array(self.covariance), self.tau2, self.dof)


@dataclass(frozen=True)
class PooledMetric:
    """What a change does to one metric, over rigs.

    Args:
        rigs, studies: how many rigs said so, in how many studies.
        silent: studies that were begun and gave no number.
        matters_pct: the smallest difference that mattered to most who tried it.
        mean: what it does in general; None with fewer than two rigs.
        next_rig: where the true effect on the next rig lies in 95 % of cases; None likewise.
        bounds: where the mean lies if a tenth of the rigs are careless or lie, whichever they are; None likewise.
        differ_pct: how much of what rigs differ by is not error (I2).
        helped_pct, hurt_pct: on how many rigs of a hundred it is better, or worse, by what matters.
        standing: what it amounts to; `where` says on which rigs, if that is known.
        sides: what it does on either side of the fact that parts the rigs best, if one does.
        doubts: what speaks against trusting it.
        block_noise_pct: how much the change of one block of two runs typically strays (standard deviation); 0 where
            no trial says.
        dependence: on facts, for what is to be expected of a rig.
        digest: short for all that went in.
    """

    metric: str
    rigs: int
    studies: int
    silent: int
    matters_pct: float
    mean: Span | None
    next_rig: tuple[float, float] | None
    bounds: tuple[float, float] | None
    differ_pct: float
    helped_pct: float
    hurt_pct: float
    standing: Standing
    where: str
    sides: tuple[Side, ...] = ()
    doubts: tuple[str, ...] = ()
    block_noise_pct: float = 0.0
    dependence: Dependence | None = None
    digest: str = ""

    def here(self, facts: Mapping[str, Any], limits: Mapping[str, float]) -> Span | None:
        """What is to be expected on a rig with these facts: as likely as not, and in 95 % of cases; None if unknown.

        Args:
            facts: the rig's.
            limits: what its frames wait for, in per cent of the time; empty if that is not known.
        """
        from scipy.special import stdtrit

        if self.dependence is not None:
            slopes = self.dependence.slopes()
            middle, spread = slopes.on(moderators_of(facts, limits))
            half = float(stdtrit(slopes.dof, 0.975)) * spread
            return Span(percent_of(middle), percent_of(middle - half), percent_of(middle + half))
        if self.mean is None or self.next_rig is None:
            return None
        return Span(self.mean.pct, *self.next_rig)

    @property
    def gain_pct(self) -> float:
        """How much better a change makes it in general; less than 0 for worse, 0 where nothing is known."""
        if self.mean is None:
            return 0.0
        return -self.mean.pct if METRICS[self.metric].lower_is_better else self.mean.pct

    @property
    def told(self) -> str:
        """What it amounts to, in words."""
        if self.standing in ("helps some", "hurts some"):
            verb = self.standing.split()[0]
            share = self.helped_pct if verb == "helps" else self.hurt_pct
            return f"{verb} {self.where}" if self.where else (
                f"{verb} on about {share:.0f} of 100 rigs; on which is not known")
        if self.standing == "helps some, hurts some":
            return f"helps some and hurts some{': ' * bool(self.where)}{self.where}"
        return self.standing


@dataclass(frozen=True)
class PooledChange:
    """A change, and what it does to each metric that the pool is about; the first is the one that tells most."""

    change: tuple[Switch, ...]
    name: str
    metrics: tuple[PooledMetric, ...]

    @property
    def settings(self) -> tuple[str, ...]:
        """The settings that it switches."""
        return tuple(switch.setting for switch in self.change)

    @property
    def telling(self) -> PooledMetric:
        """The metric that tells most."""
        return min(self.metrics, key=lambda metric: TELLING.index(metric.standing))


@dataclass(frozen=True, repr=False)
class Pool(Form, Shown):
    """A pool: what is known of each change from the evidence of many rigs.

    Args:
        plan: what was pooled, and how.
        rigs, studies, records: how many there were.
        silent: studies that were begun and gave no number at all.
        copies: records that were copies of others, and counted once.
        claimed: records of packs, which tell only of what found something: shown, and not counted.
        odd: rigs that were left out, since they are unlike all others on most of what they tried.
        refused: what was left out since it is not evidence, a line each.
        changes: the most helpful first.
    """

    SCHEMA: ClassVar[str] = "keen-lattice/pool/1"
    WHAT: ClassVar[str] = "a pool"

    plan: PoolPlan
    rigs: int
    studies: int
    records: int
    copies: int
    claimed: int
    odd: int
    refused: tuple[str, ...]
    changes: tuple[PooledChange, ...]

    def _rows(self) -> Rows:
        """A row for each change and metric."""
        return [
            {**study_row(change.name, metric.metric, metric.told, decides=metric is change.telling,
                         change=(metric.mean.pct, metric.mean.low_pct, metric.mean.high_pct)
                         if metric.mean else (None,) * 3),
             "rigs": metric.rigs, "studies": metric.studies, "next_low_pct": metric.next_rig and metric.next_rig[0],
             "next_high_pct": metric.next_rig and metric.next_rig[1]} for change in self.changes
            for metric in change.metrics]

    def _in_brief(self) -> Rows:
        """The first of the changes, each by the metric that tells most."""
        return [
            {"change": change.name, "metric": metric.metric, "rigs": metric.rigs,
             "pct": metric.mean and metric.mean.pct, "next_low_pct": metric.next_rig and metric.next_rig[0],
             "next_high_pct": metric.next_rig and metric.next_rig[1], "over rigs": metric.told}
            for change in self.changes[:MOST_IN_BRIEF] for metric in [change.telling]]

    def _caption(self) -> str:
        return (f"{counted(len(self.changes), 'change')} on {counted(self.rigs, 'rig')}, "
                f"{counted(self.studies, 'study', 'studies')}")

    def _check(self) -> None:
        names = {moderator.name for moderator in MODERATORS}
        for pooled in chain.from_iterable(change.metrics for change in self.changes):
            if pooled.metric not in METRICS:
                raise BadValue("it has metrics that there are not")
            dependence = pooled.dependence
            if dependence and (not {*dependence.facts} <= names or len({
                    len(dependence.facts), len(dependence.centre), len(dependence.scale), len(dependence.slope),
                    len(dependence.covariance) - 1}) > 1):
                raise BadValue("it depends on facts that there are not")
