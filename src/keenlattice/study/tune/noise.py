"""How much the runs of each combination vary, once what a round did to all of them is taken out."""

import numpy as np

from keenlattice.measure.capture import Floats

STEPS = 20  # of a fit that goes from combinations to rounds and back; far more than it takes


def noises(scores: Floats) -> tuple[Floats, Floats]:
    """Return the variance of each combination's runs, and its degrees of freedom.

    The scores are fitted by a mean for each combination and one for each round; what is left over is noise. A
    combination's own runs tell its own noise: settings may change that, so no two are taken to vary alike. Against
    the differences of two combinations, round by round, the degrees of freedom are up to twice as many; of two that
    are alone they are the same.

    Args:
        scores: of each combination in each round, NaN where it was not played; shape (combinations, rounds).
    """
    played = np.isfinite(scores)
    counts, sizes = played.sum(axis=1), played.sum(axis=0)
    held = np.where(played, scores, 0.0)
    of_rounds: Floats = np.zeros(scores.shape[1])
    of_combinations: Floats = np.zeros(scores.shape[0])
    for _ in range(STEPS):
        of_combinations = (held - played * of_rounds).sum(axis=1) / np.maximum(counts, 1)
        of_rounds = (held - played * of_combinations[:, None]).sum(axis=0) / np.maximum(sizes, 1)
    left = np.where(played, scores - of_combinations[:, None] - of_rounds, 0.0)
    # A mean over few combinations takes a part of each one's noise along; alone in a round, all of it.
    share = np.where(sizes > 1, 1 - 1 / np.maximum(sizes, 1), 0.0)
    dof = (played * share).sum(axis=1) * (1 - 1 / np.maximum(counts, 1))
    return np.where(dof > 0, (left ** 2).sum(axis=1) / np.where(dof > 0, dof, 1.0), np.nan), dof


def error_of_difference(variances: Floats, dof: Floats, rounds: int) -> tuple[float, float]:
    """Return the standard error of the difference of two combinations, and its degrees of freedom (F. E. Satterthwaite,
    Biometrics Bulletin 1946).

    Args:
        variances, dof: of either, as of `noises`; shape (2,) each.
        rounds: that both were in.
    """
    both, parts = float(variances.sum()), float((variances ** 2 / dof).sum())
    return float(np.sqrt(both / rounds)), both ** 2 / parts if parts else 1.0
