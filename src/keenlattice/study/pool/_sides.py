"""The fact that parts the rigs of a change best, where one does, and what the change does on either side of it."""

from dataclasses import dataclass

import numpy as np

from keenlattice.measure.capture import Floats
from keenlattice.study.pool._answers import ERROR, LEAST_RIGS, Answers, Flags, answers
from keenlattice.study.pool._meta import Index, Rigs
from keenlattice.study.pool.moderators import MODERATORS


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


def parted(rigs: Rigs, moderators: Floats, whole: Answers) -> Parted | None:
    """Parts the rigs of every change by the fact whose two sides differ most surely: a t test of their weighted means
    (B. L. Welch, Biometrika 1947), corrected for how many facts could be tried. None where no change is parted.

    Args:
        moderators: of each rig of each change; shape (rows, MODERATORS), NaN for what is not known.
    """
    lines = np.array([one.line for one in MODERATORS])
    above = moderators > lines
    below = np.isfinite(moderators) & ~above
    chances = np.column_stack([_chance(rigs, above[:, one], below[:, one], whole) for one in range(lines.size)])
    tried = np.isfinite(chances).sum(axis=1)
    best = np.argmin(np.where(np.isfinite(chances), chances, np.inf), axis=1)
    least = chances[np.arange(best.size), best]
    changes = np.flatnonzero((tried > 0) & (np.where(np.isfinite(least), least, 1.0) * tried < ERROR))
    if not changes.size:
        return None
    parts = rigs.parts()
    rows = [np.arange(parts[change].start, parts[change].stop)[side[parts[change], best[change]]]
            for change in changes for side in (above, below)]
    chosen, sizes = np.concatenate(rows), np.array([one.size for one in rows])
    halves, both = rigs.some(chosen, sizes), np.repeat(changes, 2)
    return Parted(changes, best[changes], answers(halves, whole.matters[both], whole.good[both], coming=False))


def _chance(rigs: Rigs, above: Flags, below: Flags, whole: Answers) -> Floats:
    """How likely the two sides of each change are to differ so much by chance; NaN where one has too few rigs."""
    from scipy.special import stdtr

    w = 1 / (rigs.variance + rigs.each(whole.found.tau2))
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
