"""Looking at a trial after every block, at a cost that is settled in advance.

Both ends of an interval may be wrong in 5 % of trials. Where a trial is looked at several times, that error is spent
as it goes: by the time that a share t of the blocks is played, t^1.5 of it (the power family of K. Kim and D. L.
DeMets, Biometrika 1987). What each look may spend follows from the joint distribution of all looks so far, which is
had by going through it step by step (P. Armitage, C. K. McPherson and B. C. Rowe, JRSS A 1969): so looks that see
nearly the same runs are not paid for twice. The bounds are of a normal mean; each goes over to Student's t at the same
one-sided probability, as is usual. With so few blocks that is a little too kind (5.5 to 6 % where 5 are meant); one
degree of freedom less makes up for it (4.5 to 5.1 %, by 40,000 simulated trials each of 8 to 40 blocks).

A sized trial takes its maximum from the noise of its own first SIZING blocks (an internal pilot: J. Wittes and E.
Brittain, Statistics in Medicine 1990; D. M. Zucker and others, 1999). Until then it spends its error as a trial of
PROVISIONAL blocks would, afterwards what is left over the blocks that it has given itself. The noise says nothing of
the effect, so what was spent stays right; but a noise that happened to look small ends the trial early and looks small
in its end, too. One more degree of freedom less makes up for that: either end is wrong in 2.5 to 4.9 % of trials
whose effect is just what matters (30,000 simulated trials each, runs that vary by 1 to 4 % where 3 % matters).
"""

from functools import lru_cache

import numpy as np

from keenlattice.measure.capture import Floats
from keenlattice.study.limits import SIZING

ERROR = 0.05
FIRST_LOOK = 4
MOST_LOOKS = 40
POWER = 1.5
POINTS, HALVINGS, FAR = 400, 50, 7.0

FIRST_LOOKS = (4, 6, 7, 8)
PROVISIONAL = 10
GENEROUS = 2.6  # times the variance that is seen: so a noise that looks smaller than it is still leaves enough blocks
CHANCE = 0.9    # that either end is settled where two versions are alike


def looks(blocks: int) -> tuple[int, ...]:
    """After how many blocks a trial that may end early is looked at; the last is its end.

    >>> looks(8)
    (4, 5, 6, 7, 8)
    """
    step = -(-max(1, blocks - FIRST_LOOK) // MOST_LOOKS)
    return tuple(sorted({*range(FIRST_LOOK, blocks, step), blocks}))


def looks_of_sized(blocks: int) -> tuple[int, ...]:
    """The same of a sized trial that has given itself this many blocks.

    >>> looks_of_sized(10)
    (4, 6, 7, 8, 9, 10)
    """
    return (*FIRST_LOOKS, *range(SIZING + 1, blocks + 1))


def blocks_for(noise: float, margin: float, error: float, generous: float = GENEROUS) -> int:
    """How many blocks tell two versions that are alike, as a rule.

    Args:
        noise: standard deviation of a block's log ratio, as the first SIZING blocks show it.
        margin: the log ratio that matters.
        error: of either end of the interval.
        generous: times the variance that is seen.
    """
    from scipy.special import ndtri

    wanted = generous * ((ndtri(1 - error) + ndtri(CHANCE)) * noise / margin) ** 2
    return int(np.ceil(min(wanted, 1e6)))


def errors_at(blocks: int, error: float = ERROR, early: bool = True, sized: bool = False) -> dict[int, float]:
    """The one-sided error of an interval's end at each look (a number of blocks).

    Args:
        blocks: how many there are at most; of a sized trial, how many it has given itself.
        error: of all looks together.
        early: whether there are looks before the last.
        sized: whether its own first blocks say how many it takes.
    """
    if sized:
        return errors_of_sized(looks_of_sized(blocks), error, SIZING, PROVISIONAL)
    return errors_of(looks(blocks) if early else (blocks,), error)


def degrees(dof: int, early: bool, sized: bool = False) -> int:
    """The degrees of freedom that an interval is made with: where there are looks, one less than it has; once a trial
    has sized itself, two less."""
    return max(1, dof - early - sized)


@lru_cache(maxsize=256)
def errors_of(at: tuple[int, ...], error: float) -> dict[int, float]:
    """The same, for looks after `at` blocks or rounds."""
    spent = np.diff([0.0, *(error * (look / at[-1]) ** POWER for look in at)])
    return dict(zip(at, _nominal(at, spent), strict=True))


@lru_cache(maxsize=256)
def errors_of_sized(at: tuple[int, ...], error: float, sizing: int, provisional: int) -> dict[int, float]:
    """The same, of a study that sizes itself.

    Args:
        at: its looks; the last is its end.
        error: of all looks together.
        sizing: the look that sized it.
        provisional: until then it spends its error as one of this many blocks or rounds.
    """
    spent = [error * (look / provisional) ** POWER for look in at if look <= sizing]
    spent += [spent[-1] + (error - spent[-1]) * ((look - sizing) / (at[-1] - sizing)) ** POWER
              for look in at[len(spent):]]
    return dict(zip(at, _nominal(at, np.diff([0.0, *spent[:-1], error])), strict=True))


def _nominal(at: tuple[int, ...], spent: Floats) -> list[float]:
    """The probability beyond each bound, seen alone; of a sum of this many standard normal values at each look that has
    not gone beyond a bound before."""
    from scipy.special import ndtr, ndtri

    grid: Floats = np.zeros(1)
    mass: Floats = np.ones(1)  # of each grid point, without what went beyond
    result, before = [], 0
    for look, part in zip(at, spent.tolist(), strict=True):
        step = (look - before) ** 0.5
        low, high = -2.0 * look ** 0.5, (FAR + 2) * look ** 0.5
        for _ in range(HALVINGS):
            bound = (low + high) / 2
            low, high = (bound, high) if float(mass @ ndtr((grid - bound) / step)) > part else (low, bound)
        # Seen alone, no look may be kinder than the whole error.
        result.append(min(float(ndtr(-bound / look ** 0.5)), float(spent.sum())))
        bound = -float(ndtri(result[-1])) * look ** 0.5
        points = np.linspace(-FAR * look ** 0.5, bound, POINTS)
        density = np.exp(-(points[:, None] - grid) ** 2 / (2 * step ** 2)) @ mass / (2 * np.pi) ** 0.5 / step
        width = np.full(POINTS, points[1] - points[0])
        width[[0, -1]] /= 2
        grid, mass, before = points, density * width, look
    return result
