"""What a trial found: per metric a change, an interval and one of four verdicts; and claims held against it."""

import math
from collections.abc import Mapping
from dataclasses import field, replace
from typing import ClassVar, Literal

from keenlattice.errors import BadValue
from keenlattice.measure.metrics import METRICS
from keenlattice.notebook import Rows, Shown, study_row
from keenlattice.profile.pack import Claim, Evidence
from keenlattice.quickly import dataclass
from keenlattice.study.form import Form
from keenlattice.study.trial.plan import Arm, TrialPlan

Verdict = Literal["better", "worse", "no difference that matters", "unclear"]


@dataclass(frozen=True)
class MetricResult:
    """One metric of a trial.

    Args:
        before, after: geometric mean over the runs of either version, in `unit`.
        change_pct: how much `after` differs from `before`, in per cent, with its interval.
        low_pct, high_pct: the interval, at `confidence`.
        n: how many blocks gave a number for both versions.
        matters_pct: the smallest difference of it that matters, in per cent.
        error, dof: standard error of the logarithm of the ratio, and its degrees of freedom.

    All numbers are None where fewer than two blocks did; where all blocks gave the very same ratio, so that nothing
    is known of how much they vary, `before` and `after` alone are given.
    """

    name: str
    unit: str
    before: float | None
    after: float | None
    change_pct: float | None
    low_pct: float | None
    high_pct: float | None
    verdict: Verdict
    confidence: float
    n: int
    matters_pct: float = 0.0
    error: float | None = None
    dof: float | None = None


TURNED = {"frame_ms_mean": "fps_mean", "fps_mean": "frame_ms_mean"}
"""Two metrics that are one quantity, each 1000 over the other."""


def turned(decisive: Mapping[str, MetricResult]) -> dict[str, MetricResult]:
    """Return the metrics that are what decides the other way round, as frame rate is mean frame time. They have its
    verdict, and take no part of the error that the other metrics share."""
    return {name: replace(
        result, name=name, unit=METRICS[name].unit, before=_over(1000, result.before), after=_over(1000, result.after),
        change_pct=_turned_pct(result.change_pct), low_pct=_turned_pct(result.high_pct),
        high_pct=_turned_pct(result.low_pct)) for decides, result in decisive.items()
        if (name := TURNED.get(decides))}


def _over(numerator: float, value: float | None) -> float | None:
    return numerator / value if value else None


def _turned_pct(change: float | None) -> float | None:
    """Return the change of a reciprocal in per cent."""
    return None if change is None else math.inf if change <= -100 else 100 * (1 / (1 + change / 100) - 1)


@dataclass(frozen=True)
class Price:
    """A metric of telemetry beside a trial: it decides nothing.

    Args:
        before, after: the mean over the blocks that know it for both versions, in `unit`.
        change: how much `after` differs, in `unit`; low, high: its interval, at 95 %.
        n: how many blocks.
    """

    name: str
    unit: str
    before: float
    after: float
    change: float
    low: float
    high: float
    n: int


@dataclass(frozen=True, repr=False)
class Trial(Form, Shown):
    """A trial: what was compared, how, and what came out. `before` and `after` are references.

    Args:
        plan: how it was played and judged.
        game, rig: what was played, on what.
        metrics: what came out, the deciding metric first.
        blocks_played: fewer than planned if it was settled early.
        ended: "settled" if it ended early since nothing that decides was unclear any more, "futile" if the blocks that
            were left would hardly have settled it; else "".
        drift_pct: how much the first metric that decides changed from the first block to the last, in both versions
            alike, with its interval at 95 %; None with fewer than eight blocks.
        excluded: the runs that went wrong and do not count, each with the reason.
        prices: what it costs in power and heat, where the rig says.
        limited_by: what the frames of either version waited for, each with its share of the time in per cent, the mean
            over its runs (`telemetry.limited_by`); empty where the rig says nothing.
        adjusted: whether what the plan adjusts for could be taken into account, in all that decides.
        doubts: what speaks against it: runs that count, and are not to be trusted, each with the reason; and others.
        asked_blocks: how many the first 8 blocks of one that sizes itself asked for; else 0.
    """

    SCHEMA: ClassVar[str] = "keen-lattice/trial/2"
    WHAT: ClassVar[str] = "a trial"

    game: str
    before: str
    after: str
    plan: TrialPlan
    metrics: tuple[MetricResult, ...]
    rig: str = ""
    blocks_played: int = 0
    ended: str = ""
    drift_pct: tuple[float, float, float] | None = None
    excluded: tuple[str, ...] = ()
    prices: tuple[Price, ...] = ()
    doubts: tuple[str, ...] = ()
    limited_by: Mapping[Arm, Mapping[str, float]] = field(default_factory=dict)
    adjusted: bool = False
    asked_blocks: int = 0

    @property
    def runs_played(self) -> int:
        """How many runs it rests on: fewer than planned if it ended early."""
        return 2 * self.plan.repeats * self.blocks_played

    def __getitem__(self, name: str) -> MetricResult:
        return next(metric for metric in self.metrics if metric.name == name)

    @property
    def deciding(self) -> MetricResult:
        """What came out of the metric that decides; of several, the first that is better or worse, else the first that
        is unclear, else the first; what was not measured says nothing."""
        words = ("better", "worse"), ("unclear",), ("no difference that matters",)
        measured = [metric for metric in self.decisive if metric.n] or self.decisive
        return next(metric for word in words for metric in measured if metric.verdict in word)

    @property
    def decisive(self) -> tuple[MetricResult, ...]:
        """What came out of all metrics that decide, in the order in which they were named."""
        return tuple(self[name] for name in self.plan.deciders)

    def _rows(self) -> Rows:
        """A row for each metric."""
        return [study_row(f"{self.before} to {self.after}", metric.name, metric.verdict if metric.n else "not measured",
                          before=metric.before, after=metric.after,
                          change=(metric.change_pct, metric.low_pct, metric.high_pct),
                          decides=metric.name in self.plan.deciders)
                for metric in self.metrics]

    def _in_brief(self) -> Rows:
        return [{name: value for name, value in row.items() if name != "settings"} for row in self._rows()]

    def _caption(self) -> str:
        metric = self.deciding
        interval = "" if metric.low_pct is None or metric.high_pct is None else (
            f" ({metric.low_pct:+.1f} to {metric.high_pct:+.1f} %)")
        return f"{self.before} against {self.after}, {metric.name}: {metric.verdict}{interval}"

    def _check(self) -> None:
        names = {metric.name for metric in self.metrics}
        if not names >= {*self.plan.deciders} or not names <= {*METRICS}:
            raise BadValue("it has metrics that there are not")


MODESTY = 0.8

Holds = Literal["holds", "does not hold", "unclear"]


def held(claim: Claim, result: MetricResult) -> Holds:
    """Whether a claim holds by a trial's metric: its whole interval goes as far as is claimed, or none of it does."""
    if result.low_pct is None or result.high_pct is None:
        return "unclear"
    low, high = (result.low_pct, result.high_pct) if claim.direction == "up" else (-result.high_pct, -result.low_pct)
    if low >= claim.at_least_pct and low > 0:
        return "holds"
    return "does not hold" if high < claim.at_least_pct or high <= 0 else "unclear"


def claims_of(result: Trial, software: str, time: str) -> list[Claim]:
    """What a trial lets its author claim, with the evidence: every metric that is better or worse, by MODESTY of what
    the end of its interval that is nearer to nothing says, so that others have a chance to find the claim holding."""
    claims = []
    for metric in result.metrics:
        if metric.verdict not in ("better", "worse") or metric.low_pct is None or metric.high_pct is None:
            continue
        least = math.floor(10 * MODESTY * min(abs(metric.low_pct), abs(metric.high_pct))) / 10
        claims.append(Claim(
            metric=metric.name, direction="up" if metric.low_pct > 0 else "down", at_least_pct=least,
            evidence=[evidence_of(result, metric, software, time)]))
    return claims


def evidence_of(result: Trial, metric: MetricResult, software: str, time: str) -> Evidence:
    """One metric of a trial as evidence."""
    assert metric.change_pct is not None and metric.low_pct is not None and metric.high_pct is not None
    return Evidence(change_pct=round(metric.change_pct, 2), low_pct=round(metric.low_pct, 2),
                    high_pct=round(metric.high_pct, 2),
                    confidence=round(metric.confidence, 4), blocks=metric.n, seconds=float(result.plan.seconds),
                    seed=result.plan.seed, rig=result.rig, software=software, time=time)


def claim_in_words(claim: Claim) -> str:
    """A claim in words, such as `latency_ms_median down by 10 % at least`."""
    by = f" by {claim.at_least_pct:g} % at least" if claim.at_least_pct else ""
    return f"{claim.metric if claim.metric in METRICS else f'{claim.metric} (unknown here)'} {claim.direction}{by}"
