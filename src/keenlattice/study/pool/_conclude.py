"""From what the rigs say of a change to the word for it.

A word rests on at least LEAST_RIGS rigs, and on the difference m that matters:

    nothing that matters anywhere   the interval of the next rig lies within m
    helps everywhere                the mean's interval is beyond m, and the next rig's beyond nothing
    helps where ...                 a fact parts the rigs (a t test of the two sides' means, corrected for how many
                                    facts were tried), and on one side the mean's interval is beyond m
    helps on some                   the mean's interval is beyond nothing and rigs differ, or that interval is beyond m;
                                    or a fifth of the rigs are beyond m
    not known                       anything else

and alike for what hurts. Whatever is said to help or to hurt does so without the tenth of the rigs that say so most:
a tenth of liars brings no word about.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from keenlattice.measure._summary import percent_of
from keenlattice.measure.capture import Floats
from keenlattice.measure.metrics import METRICS
from keenlattice.study.pool._checks import TENTH, small_studies, without_a_tenth, without_each
from keenlattice.study.pool._meta import Index, Pooled, Rigs, pooled, shrunken, tau2_of
from keenlattice.study.pool._regression import Slopes, slopes_of
from keenlattice.study.pool.gather import Gathered, Group
from keenlattice.study.pool.moderators import MODERATORS
from keenlattice.study.pool.result import Dependence, PooledMetric, Side, Span, Standing

LEAST_RIGS, ERROR, DIFFER, FIFTH = 5, 0.05, 0.01, 0.2
ONE_DECIDES = 0.5  # of the interval's half width, that the mean moves by without one rig


@dataclass(frozen=True)
class Chunk:
    """Some groups with their rows, to be concluded by themselves."""

    groups: tuple[Group, ...]
    rigs: Rigs
    moderators: Floats
    matters_pct: float | None


def chunks_of(evidence: Gathered, chosen: Sequence[int], matters_pct: float | None) -> list[Chunk]:
    """A chunk for each of some groups."""
    ends = [*evidence.rigs.starts[1:], evidence.rigs.effect.size]
    found = []
    for place in chosen:
        own = slice(int(evidence.rigs.starts[place]), int(ends[place]))
        found.append(Chunk((evidence.groups[place],), Rigs(
            evidence.rigs.effect[own], evidence.rigs.variance[own], np.zeros(1, dtype=np.intp)),
            evidence.moderators[own], matters_pct))
    return found


def concluded(chunk: Chunk) -> PooledMetric:
    """What is known of a group."""
    group, rigs = chunk.groups[0], chunk.rigs
    metric = METRICS[group.metric]
    matters_pct = chunk.matters_pct or group.matters_pct or 1.0
    if rigs.effect.size < 2:
        return PooledMetric(group.metric, int(rigs.effect.size), group.studies, group.silent, matters_pct, None, None,
                            None, 0.0, 0.0, 0.0, "not known", "", digest=group.digest)
    good = -1.0 if metric.lower_is_better else 1.0
    one = _Answer.of(rigs, np.log1p(matters_pct / 100), good)
    sides = _sides(chunk, one)
    standing, where = _standing(one, sides)
    likely = good * shrunken(rigs.effect, rigs.variance, one.mean, one.tau2)
    return PooledMetric(
        group.metric, one.rigs, group.studies, group.silent, matters_pct, _span(one.mean, one.half),
        (percent_of(one.next_rig[0]), percent_of(one.next_rig[1])),
        (percent_of(one.bounds[0] - one.half), percent_of(one.bounds[1] + one.half)), 100 * one.i2,
        100 * float((likely > one.matters).mean()), 100 * float((likely < -one.matters).mean()), standing, where,
        tuple(sides), _doubts(rigs, one), 100 * group.block_noise,
        _dependence(slopes_of(rigs.effect, rigs.variance, chunk.moderators)), group.digest)


@dataclass(frozen=True)
class _Answer:
    """The random effects of one change, with what its word takes; log ratios, `good` tells which way is better."""

    rigs: int
    mean: float
    half: float
    next_rig: tuple[float, float]
    bounds: tuple[float, float]
    tau2: float
    i2: float
    matters: float
    good: float
    differ: bool
    beyond: tuple[bool, bool]

    @classmethod
    def of(cls, rigs: Rigs, matters: float, good: float) -> "_Answer":
        """That of the rigs of one change."""
        from scipy.special import stdtrit

        found: Pooled = pooled(rigs)
        size, tau2 = int(found.rigs[0]), float(found.tau2[0])
        half = float(stdtrit(size - 1, 1 - ERROR / 2)) * float(found.error[0])
        low, high = without_a_tenth(rigs, found.tau2)
        return cls(size, float(found.mean[0]), half, (float(found.low[0]), float(found.high[0])),
                   (float(low[0]), float(high[0])), tau2, float(found.i2[0]), matters, good,
                   *_differing(rigs, float(found.mean[0]), tau2, matters, good))

    def oriented(self, ends: tuple[float, float]) -> tuple[float, float]:
        """An interval as a gain: more is better."""
        low, high = self.good * ends[0], self.good * ends[1]
        return min(low, high), max(low, high)

    @property
    def gain(self) -> tuple[float, float]:
        """The interval of the mean, as a gain."""
        return self.oriented((self.mean - self.half, self.mean + self.half))

    @property
    def surely(self) -> tuple[bool, bool]:
        """Whether it helps, and whether it hurts, in general: without the tenth that says so most, too."""
        low, high = self.oriented(self.bounds)
        return self.gain[0] > self.matters and low > 0, self.gain[1] < -self.matters and high < 0


def _differing(rigs: Rigs, mean: float, tau2: float, matters: float, good: float) -> tuple[bool, tuple[bool, bool]]:
    """Whether rigs differ by more than their errors, and whether a fifth of them are better, or worse, by what matters:
    without the tenth that is furthest off."""
    from scipy.special import chdtrc

    far = np.abs(rigs.effect - mean) / np.sqrt(rigs.variance + tau2)
    kept = np.sort(np.argsort(far)[:rigs.effect.size - -(-rigs.effect.size // TENTH)])
    y, v = rigs.effect[kept], rigs.variance[kept]
    if y.size < LEAST_RIGS - 1:
        return False, (False, False)
    w = 1 / v
    q = float((w * (y - np.average(y, weights=w)) ** 2).sum())
    if chdtrc(y.size - 1, q) >= DIFFER:
        return False, (False, False)
    left = float(tau2_of(Rigs(y, v, np.zeros(1, dtype=np.intp)))[0])
    likely = good * shrunken(y, v, float(np.average(y, weights=1 / (v + left))), left)
    low, high = np.quantile(likely, [FIFTH, 1 - FIFTH])
    return True, (bool(high > matters), bool(low < -matters))


def _standing(one: _Answer, sides: Sequence[Side]) -> tuple[Standing, str]:
    if one.rigs < LEAST_RIGS:
        return "not known", ""
    gain, coming = one.gain, one.oriented(one.next_rig)
    if -one.matters <= coming[0] and coming[1] <= one.matters:
        return "nothing that matters anywhere", ""
    helps, hurts = one.surely
    if helps and coming[0] > 0:
        return "helps everywhere", ""
    if hurts and coming[1] < 0:
        return "hurts everywhere", ""
    bounds = one.oriented(one.bounds)
    helped = helps or one.beyond[0] or (gain[0] > 0 and one.differ and bounds[0] > 0 and coming[1] > one.matters)
    hurt = hurts or one.beyond[1] or (gain[1] < 0 and one.differ and bounds[1] < 0 and coming[0] < -one.matters)
    told = {word: _place([side for side in sides if side.word == word]) for word in ("helps", "hurts")}
    helped, hurt = helped or bool(told["helps"]), hurt or bool(told["hurts"])
    if helped and hurt:
        return "helps some, hurts some", ", ".join(
            f"{side.word} {side.where}" for side in sides if side.word in ("helps", "hurts"))
    if helped or hurt:
        return ("helps some", told["helps"]) if helped else ("hurts some", told["hurts"])
    return "not known", ""


def _place(sides: Sequence[Side]) -> str:
    """Where it does something, from the sides on which it does."""
    if not sides:
        return ""
    most = max(sides, key=lambda side: abs(side.mean.pct))
    return most.where if len(sides) == 1 else f"on most rigs, more {most.where}"


def _sides(chunk: Chunk, whole: _Answer) -> list[Side]:
    """What it does on either side of the fact that parts the rigs best, if one does."""
    rigs, found = chunk.rigs, list[tuple[float, int, NDArray[np.bool_]]]()
    for place, moderator in enumerate(MODERATORS):
        known = np.isfinite(chunk.moderators[:, place])
        above = known & (chunk.moderators[:, place] > moderator.line)
        below = known & ~above
        if min(above.sum(), below.sum()) >= LEAST_RIGS:
            found.append((_parted(rigs, above, below, whole.tau2), place, above))
    if not found:
        return []
    chance, place, above = min(found, key=lambda one: (one[0], one[1]))
    if chance * len(found) >= ERROR:
        return []
    below = np.isfinite(chunk.moderators[:, place]) & ~above
    return [_side(rigs, above, MODERATORS[place].above, whole), _side(rigs, below, MODERATORS[place].below, whole)]


def _parted(rigs: Rigs, above: NDArray[np.bool_], below: NDArray[np.bool_], tau2: float) -> float:
    """How likely two sides are to differ so much by chance: a t test of their weighted means."""
    from scipy.special import stdtr

    w = 1 / (rigs.variance + tau2)
    means, errors = [], []
    for side in (above, below):
        mean = float(np.average(rigs.effect[side], weights=w[side]))
        left = float((w[side] * (rigs.effect[side] - mean) ** 2).sum()) / (side.sum() - 1) / float(w[side].sum())
        means.append(mean)
        errors.append(left)
    spread = np.sqrt(max(sum(errors), 1e-300))
    dof = spread ** 4 / max(sum(one ** 2 / (side.sum() - 1) for one, side in zip(errors, (above, below), strict=True)),
                            1e-300)
    return float(2 * stdtr(max(1.0, dof), -abs(means[0] - means[1]) / spread))


def _side(rigs: Rigs, side: NDArray[np.bool_], where: str, whole: _Answer) -> Side:
    start: Index = np.zeros(1, dtype=np.intp)
    one = _Answer.of(Rigs(rigs.effect[side], rigs.variance[side], start), whole.matters, whole.good)
    word: Literal["helps", "hurts", "nothing that matters", "unclear"] = "unclear"
    helps, hurts = one.surely
    if helps or hurts:
        word = "helps" if helps else "hurts"
    elif -one.matters <= one.gain[0] and one.gain[1] <= one.matters:
        word = "nothing that matters"
    return Side(where, one.rigs, _span(one.mean, one.half), word)


def _doubts(rigs: Rigs, one: _Answer) -> tuple[str, ...]:
    tau2 = np.array([one.tau2])
    moved = np.abs(without_each(rigs, tau2) - one.mean)
    found = []
    if one.rigs > 2 and float(np.nanmax(moved)) > ONE_DECIDES * one.half and one.rigs >= LEAST_RIGS:
        without = percent_of(float(without_each(rigs, tau2)[int(np.nanargmax(moved))]))
        found.append(f"one rig decides much of it: without that the mean is {without:+.1f} %")
    if float(small_studies(rigs, tau2)[0]) < DIFFER:
        found.append("rigs that measured less say more: what found nothing may have been left out elsewhere")
    return tuple(found)


def _span(middle: float, half: float) -> Span:
    return Span(percent_of(middle), percent_of(middle - half), percent_of(middle + half))


def _dependence(slopes: Slopes | None) -> Dependence | None:
    if slopes is None:
        return None
    return Dependence(tuple(MODERATORS[place].name for place in slopes.places), tuple(map(float, slopes.centre)),
                      tuple(map(float, slopes.scale)), slopes.mean, tuple(map(float, slopes.slope)),
                      tuple(tuple(map(float, row)) for row in slopes.covariance), slopes.tau2, slopes.dof)
