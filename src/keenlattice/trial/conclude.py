"""From the numbers of runs to verdicts.

Frames are not independent, runs are: one run gives one number per metric. Within a block the two versions were played
one after the other, so what the block's conditions did to both cancels in the ratio of the two. Over the blocks, the
mean of the logarithms of these ratios has a Student t interval (n - 1 degrees of freedom; W. S. Gosset, "The probable
error of a mean", Biometrika 1908). The metric named in advance has its interval at 95 %; the others share an error of
5 % between them (Bonferroni).

The verdict holds the interval against the smallest difference that matters, m per cent, either way (as a ratio:
from 1 / (1 + m/100) to 1 + m/100):

    better, worse                  the whole interval is beyond what matters
    no difference that matters     the whole interval is within it
    unclear                        anything else
"""

import math
from collections.abc import Mapping, Sequence

import numpy as np

from keenlattice.measure.metrics import METRICS, TRIAL_METRICS, Metric
from keenlattice.measure.summary import t_interval
from keenlattice.trial.plan import Plan
from keenlattice.trial.result import MetricResult, Verdict

ERROR = 0.05

Numbers = Mapping[str, float]
"""One run: metric name to value, NaN where it has none."""


def conclude(plan: Plan, before: Sequence[Numbers], after: Sequence[Numbers]) -> tuple[MetricResult, ...]:
    """What the runs say, the deciding metric first.

    Args:
        before, after: the runs of either version, one per block, in the order of the blocks.
    """
    others = len(TRIAL_METRICS) - 1
    order = [plan.decides, *(name for name in TRIAL_METRICS if name != plan.decides)]
    return tuple(
        _metric_result(METRICS[name], plan, [run[name] for run in before], [run[name] for run in after],
                       1 - ERROR if name == plan.decides else 1 - ERROR / others)
        for name in order)


def _metric_result(metric: Metric, plan: Plan, before: Sequence[float], after: Sequence[float],
                   confidence: float) -> MetricResult:
    # A count per minute can be zero, which has no logarithm: half an event is added to either side.
    half_an_event = 30 / plan.seconds if metric.per_minute else 0.0
    pairs = np.array([before, after], dtype=np.float64) + half_an_event
    pairs = pairs[:, np.isfinite(pairs).all(axis=0) & (pairs > 0).all(axis=0)]
    n = pairs.shape[1]
    if n < 2:
        return MetricResult(metric.name, metric.unit, None, None, None, None, None, "unclear", confidence, n)
    logs = np.log(pairs)
    middle, low, high = t_interval(logs[1] - logs[0], confidence)
    means = np.exp(logs.mean(axis=1)) - half_an_event
    return MetricResult(metric.name, metric.unit, float(means[0]), float(means[1]), _pct(middle), _pct(low), _pct(high),
                        verdict(low, high, plan.matters_pct, metric.lower_is_better), confidence, n)


def verdict(low: float, high: float, matters_pct: float, lower_is_better: bool) -> Verdict:
    """The word for an interval of log ratios (after over before)."""
    margin = math.log1p(matters_pct / 100)
    if -margin <= low and high <= margin:
        return "no difference that matters"
    if low > margin or high < -margin:
        return "better" if (high < -margin) == lower_is_better else "worse"
    return "unclear"


def _pct(log_ratio: float) -> float:
    return 100 * math.expm1(log_ratio)
