"""Random effects over rigs, for many changes at once: what a change does in general, and on the next rig.

Each rig has its own effect, normal around a mean with variance tau2, and is measured with its own error. Per
change:

    tau2        by restricted maximum likelihood, Fisher scoring (W. Viechtbauer, Journal of Educational and Behavioral
                Statistics 2005)
    the mean    weighted by 1 / (variance + tau2), with an interval that does not take tau2 for known (J. Hartung and
                G. Knapp, Statistics in Medicine 2001; K. Sidik and J. N. Jonkman, Statistics in Medicine 2002)
    Q, I2       whether, and how far, rigs differ by more than their errors (W. G. Cochran, Biometrics 1954; J. P. T.
                Higgins and S. G. Thompson, Statistics in Medicine 2002)
    next rig    with fewer than EMPIRICAL rigs from the confidence distribution of tau2, since a tau2 that a few rigs
                show is often far too low (K. Nagashima, H. Noma and T. A. Furukawa, Statistical Methods in Medical
                Research 2019; here with the generalised Q as pivot); with more of them from the rigs' own effects, each
                shrunken so that they vary as much as true effects do, which does not need them to be normal (C.-C. Wang
                and W.-C. Lee, Research Synthesis Methods 2019)

All arrays are ragged: the rigs of one change stand together, and `starts` says where each change begins.
"""

from collections.abc import Callable
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from keenlattice.measure.capture import Floats
from keenlattice.quickly import dataclass

Index = NDArray[np.intp]
ROUNDS, ENOUGH = 60, 1e-10
EMPIRICAL = 40
HALVINGS = 60
QUANTILES = 60          # points of the confidence distribution of tau2
COUNTED, LEAST = 6.0, 0.1  # see `moderated`


@dataclass(frozen=True)
class Rigs:
    """What the rigs say of each change.

    Args:
        effect: log ratio on each rig; shape (rigs of all changes,).
        variance: its squared standard error, likewise.
        starts: where the rigs of each change begin; shape (changes,), at least one rig each.
    """

    effect: Floats
    variance: Floats
    starts: Index

    @cached_property
    def sizes(self) -> Index:
        """How many rigs each change has."""
        return np.diff(np.append(self.starts, self.effect.size))

    def parts(self) -> list[slice]:
        """Where the rigs of each change are."""
        return [slice(int(start), int(start + size)) for start, size in zip(self.starts, self.sizes, strict=True)]

    def some(self, rows: Index, sizes: Index) -> "Rigs":
        """Those of some rows, of which this many stand together each time."""
        return Rigs(self.effect[rows], self.variance[rows], np.r_[0, np.cumsum(sizes)[:-1]].astype(np.intp))

    def total(self, values: Floats) -> Floats:
        """The sum over the rigs of each change."""
        return np.asarray(np.add.reduceat(values, self.starts, axis=0))

    def each(self, of_change: Floats) -> Floats:
        """What each change has, for each of its rigs."""
        return np.asarray(np.repeat(of_change, self.sizes, axis=0))


@dataclass(frozen=True)
class Pooled:
    """The random effects of each change; every array of shape (changes,).

    Args:
        rigs: how many.
        mean, error: the mean effect and its standard error, with rigs - 1 degrees of freedom.
        tau2: variance of the rigs' true effects.
        i2: share of the rigs' differences that is not error.
        low, high: the interval of the next rig's true effect.
    """

    rigs: Index
    mean: Floats
    error: Floats
    tau2: Floats
    i2: Floats
    low: Floats
    high: Floats


def moderated(variance: Floats, dof: Floats, rigs: Index) -> Floats:
    """Variances that were had from few blocks, drawn towards the typical one of their change, so that nobody counts
    for much by luck or by a claim of next to no error (G. K. Smyth, Statistical Applications in Genetics and Molecular
    Biology 2004, with COUNTED degrees of freedom for what is typical); never less than LEAST of it. What is typical is
    the median, put right for how far that of so few degrees of freedom lies below their mean (E. B. Wilson and M. M.
    Hilferty, Proceedings of the National Academy of Sciences 1931).

    Args:
        rigs: place of the change that each variance is of; sorted.
    """
    order = np.lexsort((variance, rigs))
    starts = np.flatnonzero(np.r_[True, np.diff(rigs) != 0])
    sizes = np.diff(np.append(starts, rigs.size))
    middle = starts + sizes // 2
    below = (1 - 2 / (9 * np.maximum(1.0, dof[np.lexsort((dof, rigs))][middle]))) ** 3
    typical = np.repeat(variance[order][middle] / below, sizes)
    drawn = (dof * variance + COUNTED * typical) / (dof + COUNTED)
    return np.asarray(np.maximum(drawn, LEAST * typical))


def tau2_of(rigs: Rigs) -> Floats:
    """The variance of true effects, by restricted maximum likelihood; shape (changes,)."""
    y, v, total, spread = rigs.effect, rigs.variance, rigs.total, rigs.each
    sizes = rigs.sizes
    plain = total(y) / sizes
    tau2 = np.maximum(0.0, total((y - spread(plain)) ** 2) / np.maximum(1, sizes - 1) - total(v) / sizes)
    open_ = sizes > 1
    for _ in range(ROUNDS):
        w = 1 / (v + spread(tau2))
        sum1, sum2, sum3 = total(w), total(w ** 2), total(w ** 3)
        mean = total(w * y) / sum1
        score = total((w * (y - spread(mean))) ** 2) - sum1 + sum2 / sum1
        information = np.maximum(sum2 - 2 * sum3 / sum1 + (sum2 / sum1) ** 2, 1e-300)
        then = np.where(open_, np.maximum(0.0, tau2 + score / information), tau2)
        open_ = open_ & (np.abs(then - tau2) >= ENOUGH)  # each change stops by itself, whatever it is computed with
        tau2 = then
        if not open_.any():
            break
    return np.asarray(np.where(sizes > 1, tau2, 0.0))


def pooled(rigs: Rigs, error: float = 0.05, coming: bool = True) -> Pooled:
    """The random effects of each change. Of a change that one rig alone has tried, nothing is known of the next: its
    standard error and intervals are infinite.

    Args:
        error: both ends of the interval of the next rig together.
        coming: whether that is asked for; it is infinite if not.
    """
    tau2, sizes = tau2_of(rigs), rigs.sizes
    mean, spread = _mean(rigs, tau2)
    fixed = 1 / rigs.variance
    middle = rigs.total(fixed * rigs.effect) / rigs.total(fixed)
    q = rigs.total(fixed * (rigs.effect - rigs.each(middle)) ** 2)
    i2 = np.where(q > 0, np.maximum(0.0, 1 - (sizes - 1) / np.maximum(q, 1e-300)), 0.0)
    low, high = np.full(mean.size, -np.inf), np.full(mean.size, np.inf)
    for place in np.flatnonzero(sizes > 1) if coming else ():
        few = sizes[place] < EMPIRICAL
        own = slice(int(rigs.starts[place]), int(rigs.starts[place] + sizes[place]))
        values = rigs.effect[own], rigs.variance[own]
        low[place], high[place] = (_next_of_few(*values, error) if few else _next_of_many(
            *values, float(mean[place]), float(spread[place]), float(tau2[place]), error))
    return Pooled(sizes, mean, spread, tau2, i2, low, high)


def _mean(rigs: Rigs, tau2: Floats) -> tuple[Floats, Floats]:
    """Mean effect and its standard error (Hartung and Knapp's, for rigs - 1 degrees of freedom). Rigs that agree by
    luck make it no smaller than their own errors do (C. Roever, G. Knapp and T. Friede, BMC Medical Research
    Methodology 2015)."""
    w = 1 / (rigs.variance + rigs.each(tau2))
    total = rigs.total(w)
    mean = rigs.total(w * rigs.effect) / total
    left = rigs.total(w * (rigs.effect - rigs.each(mean)) ** 2)
    with np.errstate(divide="ignore", invalid="ignore"):
        error = np.where(rigs.sizes > 1, np.sqrt(np.maximum(1.0, left / (rigs.sizes - 1)) / total), np.inf)
    return np.asarray(mean), np.asarray(error)


def shrunken(effect: Floats, variance: Floats, mean: float | Floats, tau2: float | Floats) -> Floats:
    """The rigs' own effects, drawn together so far that they vary as true ones do."""
    return np.asarray(mean + np.sqrt(tau2 / (tau2 + variance)) * (effect - mean))


def _next_of_many(effect: Floats, variance: Floats, mean: float, spread: float, tau2: float, error: float
                  ) -> tuple[float, float]:
    from scipy.special import stdtrit

    likely = shrunken(effect, variance, mean, tau2)
    half = float(stdtrit(effect.size - 1, 1 - error / 2)) * spread
    low, high = (ranked(np.sort(likely), share) for share in (error / 2, 1 - error / 2))
    return min(low, mean - half), max(high, mean + half)


def ranked(ordered: Floats, share: float) -> float:
    """Where a new value lies below with that probability: the one of rank share (n + 1) (W. Weibull, 1939)."""
    rank = min(max(share * (ordered.size + 1) - 1, 0.0), ordered.size - 1.0)
    low = int(rank)
    high = min(low + 1, ordered.size - 1)
    return float(ordered[low] + (rank - low) * (ordered[high] - ordered[low]))


def _next_of_few(effect: Floats, variance: Floats, error: float) -> tuple[float, float]:
    """The mixture over what tau2 may be: for each, the mean is Student's t around its estimate, and the rig's own
    effect normal around that."""
    from scipy.special import ndtr, stdtrit

    likely = _tau2_that_may_be(effect, variance)
    w = 1 / (variance + likely[:, None])
    total = w.sum(axis=1)
    means = (w * effect).sum(axis=1) / total
    dof = effect.size - 1
    spread = np.sqrt(np.maximum((w * (effect - means[:, None]) ** 2).sum(axis=1) / dof / total, 1e-300))
    points = stdtrit(dof, (np.arange(QUANTILES) + 0.5) / QUANTILES)
    centres = means[:, None] - points * spread[:, None]
    tau = np.maximum(np.sqrt(likely), 1e-12)[:, None]

    def share_below(at: float) -> float:
        return float(ndtr((at - centres) / tau).mean())

    reach = 40 * float(np.max(tau) + np.max(spread)) + float(np.ptp(effect))
    ends = float(means.min()) - reach, float(means.max()) + reach
    return _where(share_below, error / 2, ends), _where(share_below, 1 - error / 2, ends)


def _tau2_that_may_be(effect: Floats, variance: Floats) -> Floats:
    """Points of the confidence distribution of tau2: where the generalised Q meets the quantiles of its chi-squared
    distribution; shape (QUANTILES,)."""
    from scipy.special import chdtri

    wanted = chdtri(effect.size - 1, 1 - (np.arange(QUANTILES) + 0.5) / QUANTILES)
    low, high = np.zeros(QUANTILES), np.full(QUANTILES, 1e3 * (float(np.var(effect)) + float(variance.max())))
    for _ in range(HALVINGS):
        middle = (low + high) / 2
        w = 1 / (variance + middle[:, None])
        means = (w * effect).sum(axis=1) / w.sum(axis=1)
        above = (w * (effect - means[:, None]) ** 2).sum(axis=1) > wanted
        low, high = np.where(above, middle, low), np.where(above, high, middle)
    return np.asarray(np.where(low > 1e-14, low, 0.0))


def _where(share_below: Callable[[float], float], share: float, ends: tuple[float, float]) -> float:
    """Where a distribution reaches a share."""
    low, high = ends
    for _ in range(HALVINGS):
        middle = (low + high) / 2
        low, high = (middle, high) if share_below(middle) < share else (low, middle)
    return (low + high) / 2
