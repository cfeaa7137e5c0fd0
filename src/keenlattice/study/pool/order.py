"""Which of many changes to try first on a rig, by what a pool lets expect of each: the order that finds most for the
least time. It plans; what is then found rests on this rig's runs alone.

Of each change it is known where its true effect here is likely to lie (normal, of which only the gain counts: a change
that hurts is not kept), and how long its trial takes. They are put in the order of the gain that is to be expected for
each hour (W. E. Smith, Naval Research Logistics Quarterly 1956, of jobs by worth over length). A change that the pool
does not know is taken for one drawn from those that it knows.
"""

import math
from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from keenlattice.catalog.values import same
from keenlattice.measure.metrics import METRICS
from keenlattice.profile.compare import Change
from keenlattice.quickly import dataclass
from keenlattice.study.pool.result import Pool, PooledChange, PooledMetric, Span
from keenlattice.study.trial.power import Noise, chance_to_settle

WIDE = 3.92           # widths of a normal interval of 95 % in standard deviations
BLOCKS = (4, 6, 8, 12, 16, 24, 32)
WANTED, NOISE_DOF = 0.8, 20
LEAST_SPREAD_PCT = 0.01


@dataclass(frozen=True)
class Expected:
    """What is to be expected of one metric here: as likely as not, and in 95 % of cases, in per cent."""

    metric: str
    here: Span
    rigs: int


@dataclass(frozen=True)
class ToTry:
    """A change, in the order in which it is to be tried.

    Args:
        change: what it switches.
        known: what the pool says of it, in words; "" if it does not know it.
        expected: of each metric.
        gain_pct: how much better it is to be expected to make all metrics together, if it is kept only where it helps.
        blocks: that settle its trial with a chance of four fifths, if the effect is what is expected.
        minutes: that this takes.
    """

    change: tuple[Change, ...]
    known: str
    expected: tuple[Expected, ...]
    gain_pct: float
    blocks: int
    minutes: float


@dataclass(frozen=True)
class Pace:
    """How long things take: a run in seconds, a switch of some settings in minutes, what matters in per cent."""

    seconds: float
    switch_minutes: Mapping[str, float]
    matters_pct: float


def in_order(pool: Pool, changes: Sequence[Change], facts: Mapping[str, Any], limits: Mapping[str, float], pace: Pace
             ) -> tuple[ToTry, ...]:
    """The changes, that first of which most is to be expected for each hour.

    Args:
        pool: what is known.
        changes: single settings.
        facts, limits: the rig's, as in `PooledMetric.here`.
        pace: how long a trial takes.
    """
    unknown = _prior(pool)
    ranked = [_to_try(pool, change, facts, limits, pace, unknown) for change in changes]
    return tuple(sorted(ranked, key=lambda change: (-change.gain_pct / change.minutes, change.change[0].key)))


def matching(pool: Pool, change: Change) -> PooledChange | None:
    """What a pool knows of a change: of several from different values that of which it knows most, the same one
    before all others."""
    alike = [edit for edit in pool.changes if len(edit.change) == 1 and edit.change[0].setting == change.key
             and same(edit.change[0].after, change.after)]
    return max(alike, key=lambda candidate: (candidate.change[0].before == change.before, candidate.telling.rigs),
               default=None)


def expected_of(change: PooledChange, facts: Mapping[str, Any], limits: Mapping[str, float]) -> tuple[Expected, ...]:
    """What is to be expected of a change on a rig, of each metric of which that is known.

    Args:
        facts, limits: the rig's, as in `PooledMetric.here`.
    """
    return tuple(Expected(metric.metric, here, metric.rigs) for metric in change.metrics
                 if (here := metric.here(facts, limits)) is not None)


def _to_try(pool: Pool, change: Change, facts: Mapping[str, Any], limits: Mapping[str, float], pace: Pace,
            unknown: float) -> ToTry:
    pooled = matching(pool, change)
    expected = expected_of(pooled, facts, limits) if pooled else ()
    gains = [_gain(estimate) for estimate in expected] or [unknown]
    blocks = max([_blocks(metric, expectation, pace) for metric in (pooled.metrics if pooled else ())
                  for expectation in expected
                  if expectation.metric == metric.metric] or [BLOCKS[2]])
    minutes = 2 * blocks * pace.seconds / 60 + 2 * blocks * pace.switch_minutes.get(change.key, 0.0)
    return ToTry((change,), pooled.telling.told if pooled else "", expected, sum(gains), blocks, max(minutes, 0.1))


def _gain(expectation: Expected) -> float:
    """The mean of what a normal effect gains, where it is dropped if it hurts, in per cent."""
    from scipy.special import ndtr

    sign = -1.0 if METRICS[expectation.metric].lower_is_better else 1.0
    mean, spread = sign * expectation.here.pct, max(LEAST_SPREAD_PCT,
                                                    (expectation.here.high_pct - expectation.here.low_pct) / WIDE)
    z = mean / spread
    return float(mean * ndtr(z) + spread * math.exp(-z * z / 2) / math.sqrt(2 * math.pi))


def _prior(pool: Pool) -> float:
    """What a change gains of which nothing is known: the mean over those that are known, hurts counted as nothing."""
    gains = [sum(max(0.0, metric.gain_pct) for metric in change.metrics) for change in pool.changes]
    return float(np.mean(gains)) if gains else 0.0


def _blocks(metric: PooledMetric, expected: Expected, pace: Pace) -> int:
    """How many blocks a trial takes, by the noise of those that were played elsewhere."""
    if not metric.block_noise_pct:
        return BLOCKS[2]
    noise = Noise(metric.block_noise_pct / 100, NOISE_DOF)
    effect = max(-90.0, min(900.0, expected.here.pct))
    return next((blocks for blocks in BLOCKS if chance_to_settle(noise, blocks, pace.matters_pct, effect) >= WANTED),
                BLOCKS[-1])
