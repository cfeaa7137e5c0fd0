"""How many blocks settle a trial, by the noise that a pilot of a version against itself has shown.

A trial is settled once its interval lies wholly within what matters, or wholly beyond it. The chance of that is had by
playing many such trials of simulated blocks by the very rules of a trial, looks and all. A pilot knows the noise only
from a few blocks, so each of them has a noise that may be after it (scaled inverse chi-squared). Of that, two fifths
of the pilot's degrees of freedom are counted: where runs now and then go far off, a few blocks say less of the noise
than normal ones would. So where the noise is milder, rather more is settled than was promised.
"""

import math
from collections.abc import Sequence
from functools import lru_cache

import numpy as np

from keenlattice.errors import BadValue
from keenlattice.measure.capture import Capture, Floats
from keenlattice.measure.course import warm_up_ms
from keenlattice.quickly import dataclass
from keenlattice.study.trial.concluding import left_over
from keenlattice.study.trial.looks import ERROR, FIRST_LOOK, degrees, errors_at
from keenlattice.study.trial.plan import MAX_BLOCKS
from keenlattice.study.trial.result import Trial

TRIALS, SEED = 2000, 1
COUNTED = 0.4  # of the pilot's degrees of freedom
WANTED = 0.8


@dataclass(frozen=True)
class Noise:
    """How much the log ratio of two runs of one version differs from block to block.

    Args:
        sd: its standard deviation.
        dof: the degrees of freedom that it is known with.
    """

    sd: float
    dof: int


def chance_to_settle(noise: Noise, blocks: int, matters_pct: float, effect_pct: float = 0.0, error: float = ERROR,
                     early: bool = True) -> float:
    """The chance that this many blocks, at most, settle a trial whose true effect is `effect_pct`.

    Args:
        error: of either end of the interval, all looks together.
        early: whether there are looks before the last.
    """
    from scipy.special import stdtrit

    margin, effect = math.log1p(matters_pct / 100), math.log1p(effect_pct / 100)
    ratios = effect + noise.sd * _blocks(noise.dof, blocks)
    counts = np.arange(1, blocks + 1)
    means = np.cumsum(ratios, axis=1) / counts
    squares = np.maximum(0.0, np.cumsum(ratios ** 2, axis=1) - counts * means ** 2)
    settled = np.zeros(TRIALS, dtype=bool)
    errors = errors_at(blocks, error, early)
    for look, share in errors.items():
        if look >= FIRST_LOOK:
            dof = degrees(left_over(look), len(errors) > 1)
            half = float(stdtrit(dof, 1 - share)) * np.sqrt(squares[:, look - 1] / (look - 1) / look)
            far = np.abs(means[:, look - 1])
            settled |= (far + half <= margin) | (far - half > margin)
    return float(settled.mean())


@lru_cache(maxsize=1)
def _normal() -> Floats:
    return np.random.default_rng(SEED).standard_normal((TRIALS, MAX_BLOCKS))


def _blocks(dof: int, blocks: int) -> Floats:
    """Simulated blocks, in units of the noise that the pilot has shown; shape (TRIALS, blocks)."""
    counted = max(1.0, COUNTED * dof)
    wider = np.sqrt(counted / np.random.default_rng(SEED).chisquare(counted, TRIALS))
    return np.asarray(wider[:, None] * _normal()[:, :blocks])


def blocks_to_settle(noise: Noise, matters_pct: float, chance: float = WANTED, error: float = ERROR,
                     early: bool = True) -> int | None:
    """The fewest blocks that settle a trial of two versions alike with that chance; None if MAX_BLOCKS do not.

    If they are not alike by twice what matters, or more, it is about as likely to be settled.
    """
    low = high = FIRST_LOOK
    while chance_to_settle(noise, high, matters_pct, error=error, early=early) < chance:
        if high == MAX_BLOCKS:
            return None
        low, high = high + 1, min(2 * high, MAX_BLOCKS)
    while low < high:
        middle = (low + high) // 2
        if chance_to_settle(noise, middle, matters_pct, error=error, early=early) >= chance:
            high = middle
        else:
            low = middle + 1
    return low


def noise_of(result: Trial, name: str = "") -> Noise:
    """How much a metric's log ratio varies from block to block, by a trial of a version against itself.

    It is had back from the interval, which is Student's t around the mean.

    Args:
        name: the metric; the one that decides, if it is not said.

    Raises:
        BadValue: fewer than two blocks gave a number.
    """
    from scipy.special import stdtrit

    metric = result[name] if name else result.deciding
    if metric.low_pct is None or metric.high_pct is None:
        raise BadValue(f"the pilot's runs are too short for {metric.name}: fewer than two blocks gave a number")
    dof = left_over(metric.n)  # with few switches n + 1 stretches and three terms leave as many
    half = (math.log1p(metric.high_pct / 100) - math.log1p(metric.low_pct / 100)) / 2
    return Noise(half * math.sqrt(metric.n) / float(stdtrit(dof, 0.5 + metric.confidence / 2)), dof)


def warm_up_of(captures: Sequence[Capture]) -> float:
    """How many seconds most runs take to warm up: the median of what the rule finds in each, so that a run in which it
    happens to find something does not count."""
    warm_ups = sorted(warm_up_ms(capture) for capture in captures)
    return warm_ups[len(warm_ups) // 2] / 1000 if warm_ups else 0.0
