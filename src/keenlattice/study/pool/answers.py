"""The random effects of many changes at once, with what their words take; log ratios, ragged as in `meta`."""

from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from keenlattice.measure.capture import Floats
from keenlattice.quickly import dataclass
from keenlattice.study.pool.gather import MODERATORS
from keenlattice.study.pool.meta import Index, Pooled, Rigs, pooled, shrunken, tau2_of
from keenlattice.study.pool.vetting import TENTH, without_a_tenth

LEAST_RIGS, ERROR, DIFFER, FIFTH = 5, 0.05, 0.01, 0.2

Flags = NDArray[np.bool_]


@dataclass(frozen=True)
class Answers:
    """What the rigs say of each change; every array of shape (changes,).

    Args:
        found: the random effects.
        half: half the width of the mean's interval.
        low, high: where the mean lies without a tenth of the rigs, whichever they are.
        matters: the log ratio that matters.
        good: 1 where more is better, -1 where less is.
        gain, loss: whether rigs differ by more than their errors, and a fifth of them are better, or worse, by what
            matters: without the tenth that is furthest off.
    """

    found: Pooled
    half: Floats
    low: Floats
    high: Floats
    matters: Floats
    good: Floats
    gain: Flags
    loss: Flags

    def oriented(self, low: Floats, high: Floats) -> tuple[Floats, Floats]:
        """Intervals as gains: more is better."""
        return np.minimum(self.good * low, self.good * high), np.maximum(self.good * low, self.good * high)

    @cached_property
    def gains(self) -> tuple[Floats, Floats]:
        """The intervals of the means, as gains."""
        return self.oriented(self.found.mean - self.half, self.found.mean + self.half)

    @cached_property
    def coming(self) -> tuple[Floats, Floats]:
        """The intervals of the next rigs, as gains."""
        return self.oriented(self.found.low, self.found.high)

    @cached_property
    def bounds(self) -> tuple[Floats, Floats]:
        """The intervals of the means without a tenth of the rigs, whichever they are, as gains."""
        return self.oriented(self.low - self.half, self.high + self.half)

    @cached_property
    def surely(self) -> tuple[Flags, Flags]:
        """Whether each helps, and whether each hurts, in general: surely without the tenth that says so most, too."""
        (low, high), (least, most) = self.gains, self.bounds
        return (low > self.matters) & (least > 0), (high < -self.matters) & (most < 0)


def answers(rigs: Rigs, matters: Floats, good: Floats, coming: bool = True, chosen_of: Floats | float = 1.0) -> Answers:
    """The answers of all changes.

    Args:
        matters, good: as in `Answers`.
        coming: whether the next rig is asked for.
        chosen_of: of how many that could be asked these rigs are the most striking; the error of the mean's interval is
            shared by them (Bonferroni).
    """
    from scipy.special import stdtrit

    mean = pooled(rigs, ERROR, coming)
    half = np.asarray(stdtrit(np.maximum(1, mean.rigs - 1), 1 - ERROR / chosen_of / 2)) * mean.error
    return Answers(mean, half, *without_a_tenth(rigs, mean.tau2), matters, good,
                   *_differing(rigs, mean, matters, good))


def _differing(rigs: Rigs, pooled_all: Pooled, matters: Floats, good: Floats) -> tuple[Flags, Flags]:
    from scipy.special import chdtrc

    kept = _without_the_furthest(rigs, pooled_all)
    y, v, total, spread = kept.effect, kept.variance, kept.total, kept.each
    w, dof = 1 / v, np.maximum(1, kept.sizes - 1)
    middle = total(w * y) / total(w)
    left = tau2_of(kept)
    differing = (kept.sizes >= LEAST_RIGS - 1) & (chdtrc(dof, total(w * (y - spread(middle)) ** 2)) < DIFFER)
    by = 1 / (v + spread(left))
    mean = total(by * y) / total(by)
    likely = spread(good) * shrunken(y, v, spread(mean), spread(left))
    enough = FIFTH * kept.sizes
    return (differing & (total((likely > spread(matters)).astype(float)) >= enough),
            differing & (total((likely < -spread(matters)).astype(float)) >= enough))


def _without_the_furthest(rigs: Rigs, mean: Pooled) -> Rigs:
    """The rigs of each change without the tenth, rounded up, that is furthest off; one at least stays."""
    far = np.abs(rigs.effect - rigs.each(mean.mean)) / np.sqrt(rigs.variance + rigs.each(mean.tau2))
    group = np.repeat(np.arange(rigs.sizes.size), rigs.sizes)
    order = np.lexsort((far, group))
    place = np.arange(far.size) - np.repeat(rigs.starts, rigs.sizes)
    stays = np.maximum(1, rigs.sizes - -(-rigs.sizes // TENTH))
    kept: Index = np.sort(order[place < np.repeat(stays, rigs.sizes)])
    return rigs.some(kept, stays)


@dataclass(frozen=True)
class Parted:
    """The changes whose rigs a fact parts.

    Args:
        changes: which; shape (parted,).
        facts: by which moderator each; likewise.
        sides: the answers above the line and below it, by turns; two for each.
    """

    changes: Index
    facts: Index
    sides: Answers


def parted(rigs: Rigs, moderators: Floats, overall: Answers) -> Parted | None:
    """Parts the rigs of every change by the fact whose two sides differ most surely: a t test of their weighted means
    (B. L. Welch, Biometrika 1947), corrected for how many facts could be tried. None where no change is parted.

    Args:
        moderators: of each rig of each change; shape (rows, MODERATORS), NaN for what is not known.
    """
    lines = np.array([moderator.line for moderator in MODERATORS])
    above = moderators > lines
    below = np.isfinite(moderators) & ~above
    chances = np.column_stack([chance_of_sides(rigs, above[:, line], below[:, line], overall)
                               for line in range(lines.size)])
    tried = np.isfinite(chances).sum(axis=1)
    best = np.argmin(np.where(np.isfinite(chances), chances, np.inf), axis=1)
    least = chances[np.arange(best.size), best]
    changes = np.flatnonzero((tried > 0) & (np.where(np.isfinite(least), least, 1.0) * tried < ERROR))
    if not changes.size:
        return None
    parts = rigs.parts()
    rows = [np.arange(parts[change].start, parts[change].stop)[side[parts[change], best[change]]]
            for change in changes for side in (above, below)]
    chosen, sizes = np.concatenate(rows), np.array([row.size for row in rows])
    halves, both = rigs.some(chosen, sizes), np.repeat(changes, 2)
    sides = answers(halves, overall.matters[both], overall.good[both], coming=False,
                    chosen_of=tried[both].astype(float))
    return Parted(changes, best[changes], sides)


def chance_of_sides(rigs: Rigs, above: Flags, below: Flags, overall: Answers) -> Floats:
    """How likely the two sides of each change are to differ so much by chance; NaN where one has too few rigs."""
    from scipy.special import stdtr

    w = 1 / (rigs.variance + rigs.each(overall.found.tau2))
    means, errors, counts = [], [], []
    with np.errstate(divide="ignore", invalid="ignore"):
        for side in (above, below):
            by = np.where(side, w, 0.0)
            total, count = rigs.total(by), rigs.total(side.astype(float))
            mean = rigs.total(by * rigs.effect) / total
            means.append(mean)
            errors.append(rigs.total(by * (rigs.effect - rigs.each(mean)) ** 2) / (count - 1) / total)
            counts.append(count)
        spread = errors[0] + errors[1]
        dof = spread ** 2 / (errors[0] ** 2 / (counts[0] - 1) + errors[1] ** 2 / (counts[1] - 1))
        chance = 2 * stdtr(np.maximum(1.0, dof), -np.abs(means[0] - means[1]) / np.sqrt(np.maximum(spread, 1e-300)))
    return np.asarray(np.where(np.minimum(*counts) >= LEAST_RIGS, chance, np.nan))
