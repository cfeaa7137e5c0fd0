"""How many blocks settle a trial: from the noise that a pilot of a version against itself has shown.

A trial is settled if its interval lies wholly within what matters, or wholly beyond it. With n blocks whose log ratios
have the standard deviation s, and a true effect d, the mean is normal around d with s / sqrt(n), and the interval half
a width of Student's t (n - 1) times the estimate of that. The chance is had by going through the quantiles of that
estimate (chi-squared, n - 1); and, since a pilot knows s itself only from a few blocks, through the quantiles of what s
may be after it (scaled inverse chi-squared, the pilot's degrees of freedom).
"""

import math
from dataclasses import dataclass

import numpy as np

from keenlattice.measure.capture import Floats
from keenlattice.study.trial.plan import MAX_BLOCKS, MIN_BLOCKS

STEPS_OF_ESTIMATE, STEPS_OF_NOISE = 60, 40
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


def chance_to_settle(noise: Noise, blocks: int, matters_pct: float, effect_pct: float = 0.0,
                     confidence: float = 0.95) -> float:
    """The chance that so many blocks settle a trial whose true effect is `effect_pct`."""
    from scipy.special import chdtri, ndtr, stdtrit

    margin, effect = math.log1p(matters_pct / 100), math.log1p(effect_pct / 100)
    true = noise.sd * np.sqrt(noise.dof / chdtri(noise.dof, _middles(STEPS_OF_NOISE)))[:, None]
    seen = true * np.sqrt(chdtri(blocks - 1, _middles(STEPS_OF_ESTIMATE)) / (blocks - 1))[None, :]
    half = stdtrit(blocks - 1, 0.5 + confidence / 2) * seen / math.sqrt(blocks)
    error = true / math.sqrt(blocks)
    within = np.maximum(0.0, ndtr((margin - half - effect) / error) - ndtr((half - margin - effect) / error))
    beyond = ndtr((effect - margin - half) / error) + ndtr((-margin - half - effect) / error)
    return float((within + beyond).mean())


def _middles(count: int) -> Floats:
    return (np.arange(count) + 0.5) / count


def blocks_to_settle(noise: Noise, matters_pct: float, chance: float = WANTED, confidence: float = 0.95) -> int | None:
    """The fewest blocks that settle a trial of two versions alike with that chance; None if MAX_BLOCKS do not.

    If they are not alike by twice what matters, or more, it is about as likely to be settled.
    """
    low, high = MIN_BLOCKS, MAX_BLOCKS
    if chance_to_settle(noise, high, matters_pct, confidence=confidence) < chance:
        return None
    while low < high:
        middle = (low + high) // 2
        if chance_to_settle(noise, middle, matters_pct, confidence=confidence) >= chance:
            high = middle
        else:
            low = middle + 1
    return low
