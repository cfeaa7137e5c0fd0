"""Finding where something changed, from noisy looks: over a line of versions, and over the settings of one.

A look is the log ratio of two runs played one after the other, a candidate's over the base's. It lies around `delta` if
the candidate has the change and around 0 if not, spread as Student's t of the noise that a trial has shown. What has
been seen counts by Bayes's rule from even odds; the next look is taken where it splits them best (as in M.
Horstein's search, IEEE Transactions on Information Theory 1963), until one answer has a probability of all but `error`.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from keenlattice.measure.capture import Floats


@dataclass(frozen=True)
class Signal:
    """What is looked for: a change of `delta` in the logarithm of a metric, in looks of this noise."""

    delta: float
    sd: float
    dof: int

    def log_odds(self, seen: float) -> float:
        """How much one look speaks for the change: the logarithm of the likelihoods' ratio; one without a number says
        nothing, either way."""
        if not np.isfinite(seen):
            return 0.0
        with_it, without = (((seen - at) / self.sd) ** 2 / self.dof for at in (self.delta, 0.0))
        return float((self.dof + 1) / 2 * (np.log1p(without) - np.log1p(with_it)))


@dataclass(frozen=True)
class Found:
    """Where it changed: the first candidate that has the change, how sure that is, and how many looks it took."""

    first: int
    probability: float
    looks: int


def first_changed(candidates: int, look: Callable[[int], float], signal: Signal, error: float, most: int) -> Found:
    """The first of some candidates in a line that has the change; all after it have it, too.

    Args:
        candidates: how many there are; the last is known to have it.
        look: the log ratio of one block of a candidate, counted from 0, against the base.
        most: looks, after which the likeliest is told with the probability that it has.
    """
    logs: Floats = np.zeros(candidates)  # of the probabilities, up to a factor
    looks = 0
    while True:
        share = np.exp(logs - logs.max())
        share /= share.sum()
        best = int(np.argmax(share))
        if share[best] >= 1 - error or looks >= most:
            return Found(best, float(share[best]), looks)
        before = np.cumsum(share)[:-1]  # that it changed at this one or earlier
        at = int(np.argmin(np.abs(before - 0.5)))
        logs[:at + 1] += signal.log_odds(look(at))
        looks += 1


@dataclass(frozen=True)
class Least:
    """The least set of items that brings the change about: none of them can be left out. `sure` is False if a question
    was still open when its looks were used up, and was taken for a no."""

    items: tuple[int, ...]
    looks: int
    sure: bool


def least_set(items: int, look: Callable[[frozenset[int]], float], signal: Signal, error: float, most: int) -> Least:
    """The least set of items that has the change, by halving (after A. Zeller and R. Hildebrandt, IEEE Transactions on
    Software Engineering 2002); what two do only together is found, too.

    Args:
        items: how many there are; all together have it.
        look: the log ratio of one block with some of the items, counted from 0, against none.
        error: of each question.
        most: looks for each question.
    """
    asked: dict[frozenset[int], bool] = {}
    looks, sure = 0, True

    def has_it(some: Sequence[int]) -> bool:
        nonlocal looks, sure
        these = frozenset(some)
        if these not in asked:
            odds, bound, used = 0.0, float(np.log(1 / error - 1)), 0
            while abs(odds) < bound and used < most:
                odds += signal.log_odds(look(these))
                used += 1
            looks += used
            sure &= abs(odds) >= bound
            asked[these] = odds >= bound
        return asked[these]

    return Least(tuple(sorted(_reduced(list(range(items)), has_it))), looks, sure)


def _reduced(current: list[int], has_it: Callable[[Sequence[int]], bool]) -> list[int]:
    parts = 2
    while len(current) > 1:
        chunks = [part.tolist() for part in np.array_split(np.array(current), parts)]
        rests = [[one for one in current if one not in chunk] for chunk in chunks] if parts > 2 else []
        smaller = next((some for some in (*chunks, *rests) if has_it(some)), None)
        if smaller is not None:
            parts = 2 if smaller in chunks else max(2, parts - 1)
            current = smaller
        elif parts >= len(current):
            break
        else:
            parts = min(2 * parts, len(current))
    return current
