"""From the numbers of runs to verdicts.

Frames are not independent, runs are: one run gives one number per metric. Within a block the two versions were played
one after the other, so what the block's conditions did to both cancels in the ratio of the two. Over the blocks, the
mean of the logarithms of these ratios has a Student t interval (n - 1 degrees of freedom; W. S. Gosset, "The probable
error of a mean", Biometrika 1908). The metric named in advance has its interval at 95 %, or several share an error of
5 %; so do all the others between them (Bonferroni). Where the versions are switched seldom, the stretches between two
switches stand for the blocks (see `_stretches`).

The verdict holds the interval against the smallest difference that matters, m per cent, either way (as a ratio:
from 1 / (1 + m/100) to 1 + m/100):

    better, worse                  the whole interval is beyond what matters
    no difference that matters     the whole interval is within it
    unclear                        anything else

If every block comes to the very same ratio, it is not known how much they vary: a coarse timer hides it, or events are
too rare for so few runs. That no difference was seen is then no proof of none, and there is no interval.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import replace

import numpy as np

from keenlattice.measure._summary import NO_WIDTH, percent_of, t_interval
from keenlattice.measure.capture import Floats
from keenlattice.measure.metrics import METRICS, TRIAL_METRICS, Metric, logarithms
from keenlattice.study.trial._spending import confidences, looks
from keenlattice.study.trial._stretches import interval_of_stretches
from keenlattice.study.trial.plan import Arm, TrialPlan
from keenlattice.study.trial.result import MetricResult, Trial, Verdict

ERROR = 0.05

Numbers = Mapping[str, float]
"""One run: metric name to value, NaN where it has none."""


def conclude(plan: TrialPlan, before: Sequence[Numbers], after: Sequence[Numbers], error: float = ERROR
             ) -> tuple[MetricResult, ...]:
    """What the runs say, the deciding metric first.

    Args:
        before, after: the runs of either version, `plan.repeats` per block, in the order of the blocks.
        error: of the intervals of the metrics that decide together, and of those of all the others together.
    """
    order = metrics_in(plan)
    # What was not measured at all (a latency, where no sensor was) takes no part of the error.
    measured = sum(any(math.isfinite(run[name]) for run in (*before, *after)) for name in plan.deciders)
    others = len(order) - len(plan.deciders)
    return tuple(
        _metric_result(METRICS[name], plan, [run[name] for run in before], [run[name] for run in after],
                       1 - error / (max(1, measured) if name in plan.deciders else max(1, others)))
        for name in order)


def metrics_in(plan: TrialPlan) -> list[str]:
    """The metrics that a trial tells of, those that decide first."""
    return [*plan.deciders, *(name for name in TRIAL_METRICS if name not in plan.deciders)]


def settled(plan: TrialPlan, runs: Sequence[tuple[Arm, Numbers]]) -> bool:
    """Whether a trial may end here: it may end early, this is a look, and nothing that decides is unclear."""
    blocks, rest = divmod(len(runs), 2 * plan.repeats)
    if not plan.early or rest or blocks == plan.blocks or blocks not in looks(plan.blocks):
        return False
    found = conclude(plan, *_arms(runs), error=_error_at(plan, blocks))[:len(plan.deciders)]
    known = [one for one in found if one.before is not None]
    return bool(known) and all(one.verdict != "unclear" for one in known)


def concluded(plan: TrialPlan, runs: Sequence[tuple[Arm, Numbers]], result: Trial) -> Trial:
    """A trial's result from its runs, in the order in which they were played: all, or all up to an early end.

    Args:
        result: what is known of it besides.
    """
    before, after = _arms(runs)
    blocks = len(runs) // (2 * plan.repeats)
    return replace(result, metrics=conclude(plan, before, after, _error_at(plan, blocks)), blocks_played=blocks,
                   drift_pct=_drift(plan, before, after))


def _arms(runs: Sequence[tuple[Arm, Numbers]]) -> tuple[list[Numbers], list[Numbers]]:
    return [numbers for arm, numbers in runs if arm == "before"], [numbers for arm, numbers in runs if arm == "after"]


def _error_at(plan: TrialPlan, blocks: int) -> float:
    return 1 - confidences(looks(plan.blocks))[blocks] if plan.early else ERROR


def _drift(plan: TrialPlan, before: Sequence[Numbers], after: Sequence[Numbers]) -> tuple[float, float, float] | None:
    """The trend of the first deciding metric over the blocks, in per cent from first to last: least squares of the
    logarithm, with Student's t (blocks - 2)."""
    from scipy.special import stdtrit

    name = plan.deciders[0]
    logs = _logs(METRICS[name], plan, [run[name] for run in before], [run[name] for run in after])[0].mean(axis=0)
    n = logs.size
    if n < 4:
        return None
    at = np.linspace(-0.5, 0.5, n)
    slope = float(at @ logs / (at @ at))
    left = logs - logs.mean() - slope * at
    half = float(stdtrit(n - 2, 0.975) * np.sqrt(left @ left / (n - 2) / (at @ at)))
    return percent_of(slope), percent_of(slope - half), percent_of(slope + half)


def _logs(metric: Metric, plan: TrialPlan, before: Sequence[float], after: Sequence[float]) -> tuple[Floats, float]:
    """Logarithms of both arms, block by block (the mean of its repeats); shape (2, blocks with a number). And what was
    added before (see `logarithms`)."""
    logs = logarithms(metric.name, [*before, *after], plan.seconds).reshape(2, -1, plan.repeats)
    return logs[:, np.isfinite(logs).all(axis=(0, 2))].mean(axis=2), metric.half_an_event(plan.seconds)


def _metric_result(metric: Metric, plan: TrialPlan, before: Sequence[float], after: Sequence[float],
                   confidence: float) -> MetricResult:
    logs, half_an_event = _logs(metric, plan, before, after)
    n = logs.shape[1]
    interval = None if n < 2 else _interval(metric, plan, before, after, logs, confidence)
    if interval is None:
        return MetricResult(metric.name, metric.unit, None, None, None, None, None, "unclear", confidence, n)
    middle, low, high = interval
    means = np.exp(logs.mean(axis=1)) - half_an_event
    if high - low < NO_WIDTH:
        return MetricResult(metric.name, metric.unit, float(means[0]), float(means[1]), None, None, None, "unclear",
                            confidence, n)
    return MetricResult(metric.name, metric.unit, float(means[0]), float(means[1]), percent_of(middle),
                        percent_of(low), percent_of(high),
                        verdict(low, high, plan.matters_pct, metric.lower_is_better), confidence, n)


def _interval(metric: Metric, plan: TrialPlan, before: Sequence[float], after: Sequence[float], logs: Floats,
              confidence: float) -> tuple[float, float, float] | None:
    """By blocks; or, where the versions are switched seldom, by the stretches between two switches."""
    if not plan.few_switches:
        return t_interval(logs[1] - logs[0], confidence)
    arms = [arm for _, arm, _ in plan.runs()][:len(before) + len(after)]
    left = {"before": iter(before), "after": iter(after)}
    return interval_of_stretches(arms, logarithms(metric.name, [next(left[arm]) for arm in arms], plan.seconds),
                                 confidence)


def verdict(low: float, high: float, matters_pct: float, lower_is_better: bool) -> Verdict:
    """The word for an interval of log ratios (after over before)."""
    margin = math.log1p(matters_pct / 100)
    if -margin <= low and high <= margin:
        return "no difference that matters"
    if low > margin or high < -margin:
        return "better" if (high < -margin) == lower_is_better else "worse"
    return "unclear"
