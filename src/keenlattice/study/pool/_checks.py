"""What could make a pooled answer wrong, held against it: one rig that decides all, a tenth of the rigs that are
careless or lie, and small studies that say more than large ones.

All of it takes tau2 for known, so that it costs no more than the answer itself.
"""

import numpy as np

from keenlattice.measure.capture import Floats
from keenlattice.study.pool._meta import Index, Rigs

TENTH = 10


def without_each(rigs: Rigs, tau2: Floats) -> Floats:
    """The mean of each change without one rig, for each of its rigs; NaN where it has no other. Shape (rows,)."""
    w = 1 / (rigs.variance + rigs.each(tau2))
    total, sums = rigs.each(rigs.total(w)), rigs.each(rigs.total(w * rigs.effect))
    with np.errstate(divide="ignore", invalid="ignore"):
        return np.asarray((sums - w * rigs.effect) / np.where(total - w > 1e-12 * total, total - w, np.nan))


def without_a_tenth(rigs: Rigs, tau2: Floats) -> tuple[Floats, Floats]:
    """The least and the greatest mean of each change that is left once a tenth of its rigs (rounded up) is taken out,
    whichever they are: the bounds of what the others say, if a tenth of all is careless or lies. Shape (changes,)."""
    low, high = np.empty(tau2.size), np.empty(tau2.size)
    for place, own in enumerate(rigs.parts()):
        y, w = rigs.effect[own], 1 / (rigs.variance[own] + tau2[place])
        least, out = np.argsort(y), -(-y.size // TENTH)
        low[place], high[place] = _left(y, w, least[::-1], out), _left(y, w, least, out)
    return low, high


def _left(y: Floats, w: Floats, order: Index, out: int) -> float:
    """The mean without those that pull it furthest one way: the `out` largest of w (y - mean), found anew as the mean
    moves; `order` is where to begin."""
    if out >= y.size:
        return float("nan")
    gone, mean = order[:out], np.nan
    for _ in range(20):
        kept = np.ones(y.size, dtype=bool)
        kept[gone] = False
        then = float(np.average(y[kept], weights=w[kept]))
        if then == mean:
            break
        mean, pull = then, w * (y - then)
        gone = np.argsort(pull)[-out:] if y[order[0]] >= y[order[-1]] else np.argsort(pull)[:out]
    return float(mean)


def small_studies(rigs: Rigs, tau2: Floats) -> Floats:
    """How likely it is, per change, that rigs with larger errors say so much more (or less) by chance: the p of the
    slope of effects over standard errors (M. Egger et al., British Medical Journal 1997, with tau2 in the weights; S.
    G. Thompson and S. J. Sharp, Statistics in Medicine 1999). 1 with fewer than ten rigs. Shape (changes,)."""
    from scipy.special import stdtr

    x, w = np.sqrt(rigs.variance), 1 / (rigs.variance + rigs.each(tau2))
    total = rigs.total(w)
    x, y = (one - rigs.each(rigs.total(w * one) / total) for one in (x, rigs.effect))
    xx, dof = rigs.total(w * x * x), np.maximum(1, rigs.sizes - 2)
    with np.errstate(divide="ignore", invalid="ignore"):
        slope = rigs.total(w * x * y) / xx
        left = rigs.total(w * (y - rigs.each(slope) * x) ** 2) / dof
        t = slope / np.sqrt(np.maximum(left, 1e-300) / xx)
    told = (rigs.sizes >= TENTH) & np.isfinite(t) & (xx > 1e-9 * rigs.total(w * rigs.variance))
    return np.asarray(np.where(told, 2 * stdtr(dof, -np.abs(np.where(told, t, 0.0))), 1.0))
