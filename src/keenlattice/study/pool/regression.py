"""How effects depend on the facts of a rig: a regression over rigs whose slopes are drawn towards none.

All slopes of a change (of facts in units of their own spread) are taken for normal around zero with one variance, which
the rigs themselves tell: the one that makes what they say likeliest (empirical Bayes; A. E. Hoerl and R. W. Kennard,
Technometrics 1970; N. M. Laird and J. H. Ware, Biometrics 1982). So facts that tell nothing come to slopes of nearly
zero, however many of them there are.
"""

import numpy as np

from keenlattice.measure.capture import Floats
from keenlattice.quickly import dataclass
from keenlattice.study.pool.meta import Rigs, tau2_of

LEAST_RIGS = 10
SPREADS = np.geomspace(1e-7, 1e-1, 49)  # of the slopes' variance, as squared log ratios
PASSES = 4
VARIES = 1e-9


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
        row = np.r_[1.0, at]
        missing = float((self.slope[unknown] ** 2).sum())
        return float(self.mean + at @ self.slope), float(np.sqrt(row @ self.covariance @ row + self.tau2 + missing))


def slopes_of(rigs: Rigs, facts: Floats) -> list[Slopes | None]:
    """How the effects of each change depend on facts; None with fewer than LEAST_RIGS rigs, or where no fact varies.

    Args:
        facts: of each rig of each change; shape (rows, moderators). What is not known is taken for the mean.
    """
    finite, count = np.isfinite(facts), facts.shape[1]
    with np.errstate(divide="ignore", invalid="ignore"):
        centre = rigs.total(np.where(finite, facts, 0.0)) / np.maximum(1, rigs.total(finite.astype(float)))
        apart = np.where(finite, facts - rigs.each(centre), 0.0)
        scale = np.sqrt(rigs.total(apart ** 2) / rigs.sizes[:, None])
        x = np.where(rigs.each(scale) > VARIES, apart / rigs.each(scale), 0.0)
    left = rigs.effect
    design = np.column_stack([np.ones(left.size), x])
    for _ in range(PASSES):  # what the slopes explain is no longer open; what is open weights the slopes
        tau2 = tau2_of(Rigs(left, rigs.variance, rigs.starts))
        w = 1 / (rigs.variance + rigs.each(tau2))
        normal = np.array([design[own].T @ (w[own, None] * design[own]) for own in rigs.parts()])
        right = rigs.total((w * rigs.effect)[:, None] * design)
        penalty = np.eye(count + 1)[None] / ridges(normal, right)[:, None, None]
        penalty[:, 0, 0] = 0.0
        covariance = np.linalg.inv(normal + penalty)
        slopes = (covariance @ right[:, :, None])[:, :, 0]
        left = rigs.effect - (x * rigs.each(slopes[:, 1:])).sum(axis=1)
    result = []
    for place, size in enumerate(rigs.sizes):
        places = np.flatnonzero(scale[place] > VARIES)
        own = np.r_[0, places + 1]
        result.append(None if size < LEAST_RIGS or not places.size else Slopes(
            tuple(map(int, places)), centre[place, places], scale[place, places], float(slopes[place, 0]),
            slopes[place, places + 1], covariance[place][np.ix_(own, own)], float(tau2[place]),
            max(1, int(size) - 1 - places.size)))
    return result


def ridges(normal: Floats, right: Floats) -> Floats:
    """The variance of the slopes that makes the effects of each change likeliest; from the normal equations, out of
    which the mean is taken first."""
    total = normal[:, :1, :1]
    inner = normal[:, 1:, 1:] - normal[:, 1:, :1] * normal[:, :1, 1:] / total
    along = right[:, 1:] - normal[:, 1:, 0] * right[:, :1] / total[:, 0]
    size, turned = np.linalg.eigh(inner)
    size = np.maximum(size, 0.0)
    turned_along = (turned.transpose(0, 2, 1) @ along[:, :, None])[:, :, 0]
    grown = 1 + SPREADS[None, :, None] * size[:, None, :]
    likely = (-0.5 * np.log(grown) + 0.5 * SPREADS[None, :, None] * turned_along[:, None, :] ** 2 / grown).sum(axis=2)
    return np.asarray(SPREADS[np.argmax(likely, axis=1)])
