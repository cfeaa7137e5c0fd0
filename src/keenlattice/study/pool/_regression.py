"""How an effect depends on the facts of a rig: a regression over rigs whose slopes are drawn towards none.

All slopes (of facts in units of their own spread) are taken for normal around zero with one variance, which the rigs
themselves tell: the one that makes what they say likeliest (empirical Bayes; A. E. Hoerl and R. W. Kennard,
Technometrics 1970; N. M. Laird and J. H. Ware, Biometrics 1982). So facts that tell nothing come to slopes of nearly
zero, however many of them there are.
"""

from dataclasses import dataclass

import numpy as np

from keenlattice.measure.capture import Floats
from keenlattice.study.pool._meta import Rigs, tau2_of

LEAST_RIGS = 10
SPREADS = np.geomspace(1e-7, 1e-1, 49)  # of the slopes' variance, as squared log ratios
PASSES = 4


@dataclass(frozen=True)
class Slopes:
    """How an effect depends on facts; arrays over those that vary.

    Args:
        places: which of the moderators.
        centre, scale: mean and spread over the rigs, by which a fact is measured.
        mean: the effect on a rig whose facts are all at their centre.
        slope: the effect of a fact one `scale` above its centre.
        covariance: of mean and slopes, in that order.
        tau2: variance of true effects that the facts leave open.
        dof: for intervals.
    """

    places: tuple[int, ...]
    centre: Floats
    scale: Floats
    mean: float
    slope: Floats
    covariance: Floats
    tau2: float
    dof: int

    def on(self, facts: Floats) -> tuple[float, float]:
        """The effect to be expected on a rig with these moderators (NaN: not known, taken for the centre), and the
        standard deviation of its true one around that."""
        at = (facts[list(self.places)] - self.centre) / self.scale
        unknown = ~np.isfinite(at)
        at = np.clip(np.where(unknown, 0.0, at), -3.0, 3.0)  # no further than where rigs were
        one = np.r_[1.0, at]
        missing = float((self.slope[unknown] ** 2).sum())
        return float(self.mean + at @ self.slope), float(np.sqrt(one @ self.covariance @ one + self.tau2 + missing))


def slopes_of(effect: Floats, variance: Floats, facts: Floats) -> Slopes | None:
    """The dependence of one change's effects on facts; None with fewer than LEAST_RIGS rigs, or where no fact varies.

    Args:
        effect, variance: of each rig; shape (rigs,).
        facts: shape (rigs, moderators); what is not known is taken for the mean.
    """
    if effect.size < LEAST_RIGS:
        return None
    known = np.isfinite(facts)
    counts = known.sum(axis=0)
    filled = np.where(known, facts, 0.0)
    centre = filled.sum(axis=0) / np.maximum(1, counts)
    apart = np.where(known, facts - centre, 0.0)
    scale = np.sqrt((apart ** 2).mean(axis=0))
    places = tuple(int(one) for one in np.flatnonzero(scale > 1e-9))
    if not places:
        return None
    x = apart[:, places] / scale[list(places)]
    return _fitted(effect, variance, x, places, centre[list(places)], scale[list(places)])


def _fitted(y: Floats, v: Floats, x: Floats, places: tuple[int, ...], centre: Floats, scale: Floats) -> Slopes:
    left = y
    for _ in range(PASSES):  # what the slopes explain is no longer open; what is open weights the slopes
        tau2 = float(tau2_of(Rigs(left, v, np.zeros(1, dtype=np.intp)))[0])
        w = 1 / (v + tau2)
        ridge = _ridge(x, y, w)
        design = np.column_stack([np.ones(y.size), x])
        penalty = np.diag(np.r_[0.0, np.full(x.shape[1], 1 / ridge)])
        covariance = np.linalg.inv(design.T @ (w[:, None] * design) + penalty)
        found = covariance @ (design.T @ (w * y))
        left = y - x @ found[1:]
    return Slopes(places, centre, scale, float(found[0]), np.asarray(found[1:]), np.asarray(covariance), tau2,
                  max(1, y.size - 1 - x.shape[1]))


def _ridge(x: Floats, y: Floats, w: Floats) -> float:
    """The variance of the slopes that makes the effects likeliest."""
    total = w.sum()
    x, y = x - (w @ x) / total, y - (w @ y) / total
    size, turned = np.linalg.eigh(x.T @ (w[:, None] * x))
    size = np.maximum(size, 0.0)
    along = turned.T @ (x.T @ (w * y))
    grown = 1 + SPREADS[:, None] * size
    likely = -0.5 * np.log(grown).sum(axis=1) + 0.5 * (SPREADS[:, None] * along ** 2 / grown).sum(axis=1)
    return float(SPREADS[int(np.argmax(likely))])
