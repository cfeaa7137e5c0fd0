"""From what the rigs say of each change to the word for it.

A word rests on at least LEAST_RIGS rigs, and on the difference m that matters:

    nothing that matters anywhere   the interval of the next rig lies within m
    helps everywhere                the mean's interval is beyond m, and the next rig's beyond nothing
    helps where ...                 a fact parts the rigs (`_sides`), and on one side the mean's interval is beyond m
    helps on some                   the mean's interval is beyond m; or it is beyond nothing, and SOME_PCT of the rigs
                                    are beyond m; or rigs surely differ, and a fifth of them are beyond m
    not known                       anything else

and alike for what hurts. Whatever is said to help or to hurt surely does so without the tenth of the rigs that say so
most, too: the interval of what the others say leaves out nothing. So a tenth of liars brings no word about.
"""

from collections.abc import Sequence
from typing import Literal

import numpy as np

from keenlattice.measure.capture import Floats
from keenlattice.measure.metrics import METRICS
from keenlattice.measure.summaries import percent_of
from keenlattice.quickly import dataclass
from keenlattice.study.pool.answers import DIFFER, LEAST_RIGS, Answers, Parted, answers, parted
from keenlattice.study.pool.gather import MODERATORS, Gathered, Group
from keenlattice.study.pool.meta import Index, Rigs, shrunken
from keenlattice.study.pool.regression import Slopes, slopes_of
from keenlattice.study.pool.result import Dependence, PooledMetric, Side, Span, Standing
from keenlattice.study.pool.vetting import small_studies, without_each

AT_ONCE = 64          # groups that are computed together at most, and
ROWS_AT_ONCE = 20_000  # rows; neither depends on what computes them
ONE_DECIDES = 0.5     # of the interval's half width, that the mean moves by without one rig
DEFAULT_PCT, SOME_PCT = 1.0, 15.0
NORMAL_WIDTH, NARROWEST = 2 * 1.96, 1e-6


@dataclass(frozen=True)
class Chunk:
    """Some groups with their rows, to be concluded alone."""

    groups: tuple[Group, ...]
    rigs: Rigs
    moderators: Floats
    matters_pct: float | None


def chunks_of(evidence: Gathered, chosen: Sequence[int], matters_pct: float | None) -> list[Chunk]:
    """Some groups in chunks of about ROWS_AT_ONCE."""
    parts, chunks = evidence.rigs.parts(), []
    for portion in _portions(chosen, evidence.rigs.sizes):
        rows = np.concatenate([np.arange(parts[portion_place].start, parts[portion_place].stop)
                               for portion_place in portion])
        chunks.append(Chunk(tuple(evidence.groups[portion_place] for portion_place in portion), evidence.rigs.some(
            rows, evidence.rigs.sizes[portion]), evidence.moderators[rows], matters_pct))
    return chunks


def _portions(chosen: Sequence[int], sizes: Index) -> list[list[int]]:
    result, rows = list[list[int]](), 0
    for group in chosen:
        if not result or len(result[-1]) == AT_ONCE or rows >= ROWS_AT_ONCE:
            result.append([])
            rows = 0
        result[-1].append(group)
        rows += int(sizes[group])
    return result


def concluded(chunk: Chunk) -> list[PooledMetric]:
    """What is known of each group."""
    rigs, pct = chunk.rigs, [chunk.matters_pct or group.matters_pct or DEFAULT_PCT for group in chunk.groups]
    good = np.array([-1.0 if METRICS[group.metric].lower_is_better else 1.0 for group in chunk.groups])
    result = answers(rigs, np.log1p(np.array(pct) / 100), good)
    sides = _sides(parted(rigs, chunk.moderators, result))
    slopes = slopes_of(rigs, chunk.moderators)
    doubts, shares = _doubts(rigs, result), [shares_beyond(rigs, result, way) for way in (1.0, -1.0)]
    return [_metric(group, result, place, pct[place], sides.get(place, ()), (shares[0][place], shares[1][place]),
                    doubts[place], slopes[place]) for place, group in enumerate(chunk.groups)]


def shares_beyond(rigs: Rigs, result: Answers, way: float) -> Floats:
    """On how many rigs of a hundred each change is better (`way` 1) or worse (-1) by what matters: by the rigs' own
    effects, each spread so far that all of them are as wide as the interval of the next rig."""
    from scipy.special import ndtr

    of, gain = result.found, way * result.good
    likely = shrunken(rigs.effect, rigs.variance, rigs.each(of.mean), rigs.each(of.tau2))
    with np.errstate(invalid="ignore"):
        wide = np.where(of.rigs > 1, (of.high - of.low) / NORMAL_WIDTH, 0.0) ** 2
    middle = rigs.total(likely) / rigs.sizes
    own = rigs.total((likely - rigs.each(middle)) ** 2) / rigs.sizes
    spread = np.sqrt(np.maximum(wide - own, NARROWEST ** 2))
    beyond = ndtr((rigs.each(gain) * likely - rigs.each(result.matters)) / rigs.each(spread))
    return np.asarray(100 * rigs.total(beyond) / rigs.sizes)


def _metric(group: Group, result: Answers, place: int, pct: float, sides: tuple[Side, ...],
            shares: tuple[float, float], doubts: tuple[str, ...], slopes: Slopes | None) -> PooledMetric:
    of, half = result.found, float(result.half[place])
    size = int(of.rigs[place])
    about = (group.metric, size, group.studies, group.silent, pct)
    if size < 2:
        return PooledMetric(*about, None, None, None, 0.0, 0.0, 0.0, "not known", "", digest=group.digest)
    standing, where = standing_of(result, place, sides, shares)
    return PooledMetric(
        *about, _span(float(of.mean[place]), half),
        (percent_of(float(of.low[place])), percent_of(float(of.high[place]))),
        (percent_of(float(result.low[place]) - half), percent_of(float(result.high[place]) + half)),
        100 * float(of.i2[place]), float(shares[0]), float(shares[1]), standing, where, sides, doubts,
        100 * group.block_noise, _dependence(slopes), group.digest)


def standing_of(result: Answers, place: int, sides: Sequence[Side],
                shares: tuple[float, float]) -> tuple[Standing, str]:
    if result.found.rigs[place] < LEAST_RIGS:
        return "not known", ""
    matters = float(result.matters[place])
    gain, coming, bounds = ((float(low[place]), float(high[place])) for low, high in (
        result.gains, result.coming, result.bounds))
    if -matters <= coming[0] and coming[1] <= matters:
        return "nothing that matters anywhere", ""
    helps, hurts = (bool(side[place]) for side in result.surely)
    if helps and coming[0] > 0:
        return "helps everywhere", ""
    if hurts and coming[1] < 0:
        return "hurts everywhere", ""
    helps = helps or bool(result.gain[place]) or (gain[0] > 0 and bounds[0] > 0 and shares[0] >= SOME_PCT)
    hurts = hurts or bool(result.loss[place]) or (gain[1] < 0 and bounds[1] < 0 and shares[1] >= SOME_PCT)
    side_text = {word: _place([side for side in sides if side.word == word]) for word in ("helps", "hurts")}
    helps, hurts = helps or bool(side_text["helps"]), hurts or bool(side_text["hurts"])
    if helps and hurts:
        return "helps some, hurts some", ", ".join(
            f"{side.word} {side.where}" for side in sides if side.word in ("helps", "hurts"))
    if helps or hurts:
        return ("helps some", side_text["helps"]) if helps else ("hurts some", side_text["hurts"])
    return "not known", ""


def _place(sides: Sequence[Side]) -> str:
    """Where it does something, from the sides on which it does."""
    if not sides:
        return ""
    most = max(sides, key=lambda side: abs(side.mean.pct))
    return most.where if len(sides) == 1 else f"on most rigs, more {most.where}"


def _sides(parts: Parted | None) -> dict[int, tuple[Side, ...]]:
    """By the place of a group what it does on either side, where its rigs are parted."""
    if parts is None:
        return {}
    return {int(change): (_side(parts.sides, 2 * place, MODERATORS[fact].above),
                          _side(parts.sides, 2 * place + 1, MODERATORS[fact].below))
            for place, (change, fact) in enumerate(zip(parts.changes, parts.facts, strict=True))}


def _side(result: Answers, place: int, where: str) -> Side:
    word: Literal["helps", "hurts", "nothing that matters", "unclear"] = "unclear"
    helps, hurts = (bool(side[place]) for side in result.surely)
    low, high = (float(gain[place]) for gain in result.gains)
    if helps or hurts:
        word = "helps" if helps else "hurts"
    elif -result.matters[place] <= low and high <= result.matters[place]:
        word = "nothing that matters"
    return Side(where, int(result.found.rigs[place]), _span(float(result.found.mean[place]), float(result.half[place])),
                word)


def _doubts(rigs: Rigs, result: Answers) -> list[tuple[str, ...]]:
    without, small = without_each(rigs, result.found.tau2), small_studies(rigs, result.found.tau2)
    moved, doubts = np.abs(without - rigs.each(result.found.mean)), []
    for place, own in enumerate(rigs.parts()):
        reasons = []
        if result.found.rigs[place] >= LEAST_RIGS:
            most = int(np.argmax(moved[own]))
            if moved[own][most] > ONE_DECIDES * result.half[place]:
                reasons.append("one rig decides much of it: without that the mean is "
                               f"{percent_of(float(without[own][most])):+.1f} %")
        if small[place] < DIFFER:
            reasons.append("rigs that measured less say more: what found nothing may have been left out elsewhere")
        doubts.append(tuple(reasons))
    return doubts


def _span(middle: float, half: float) -> Span:
    return Span(percent_of(middle), percent_of(middle - half), percent_of(middle + half))


def _dependence(slopes: Slopes | None) -> Dependence | None:
    if slopes is None:
        return None
    return Dependence(tuple(MODERATORS[place].name for place in slopes.places), tuple(map(float, slopes.centre)),
                      tuple(map(float, slopes.scale)), slopes.mean, tuple(map(float, slopes.slope)),
                      tuple(tuple(map(float, row)) for row in slopes.covariance), slopes.tau2, slopes.dof)
