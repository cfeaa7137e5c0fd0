"""Finding where something changed, from noisy looks: over a line of versions, and over the settings of one.

A look is the log ratio of two runs played one after the other, a candidate's over the base's. How large the change is
and how noisy looks are is not taken from the trial that chose to hunt: anyone who hunts what looked large hunts what
looked larger than it is. Its size may be anything from next to nothing to half as much again as in that trial, and its
noise is Student's t of what that trial and the looks have shown. What has been seen counts by Bayes's rule from even
odds; the next look is taken where it splits them best (as in M. Horstein's search, IEEE Transactions on Information
Theory 1963), until one answer has a probability of all but `error`.
"""

from collections.abc import Callable, Sequence

import numpy as np

from keenlattice.measure.capture import Floats
from keenlattice.quickly import dataclass

SIZES = np.linspace(0.1, 1.5, 29)  # of the change, as shares of what the trial has shown
COUNTED = 0.5                      # of the degrees of freedom of that trial's noise
PART = 0.5                         # of the change: a set that has no more than this does not have it
UNLIKELY = -float(np.log(10))      # log odds below which nothing more is looked for
CHECKS = 30                          # looks at whether another version has a part, at least
FULL_LOOKS = 6                     # at a whole set of settings, before its parts are asked for


@dataclass(frozen=True)
class Signal:
    """What is looked for: a change of about `delta` in the logarithm of a metric, in looks of about this noise."""

    delta: float
    sd: float
    dof: int

    @property
    def sizes(self) -> Floats:
        """The changes that it may be."""
        return np.asarray(self.delta * SIZES)

    def log_likelihood(self, squares: Floats, count: int) -> Floats:
        """Of this many looks that are so far (in squares, summed) from what was expected."""
        counted = max(1.0, COUNTED * self.dof)
        return np.asarray(-(counted + count) / 2 * np.log(counted * self.sd ** 2 + squares))


class Tally:
    """What was seen of each of some candidates; a look without a number says nothing."""

    def __init__(self, candidates: int) -> None:
        self.count, self.sum, self.squares = (np.zeros(candidates) for _ in range(3))
        self.played = 0

    def add(self, at: int, seen: float) -> None:
        """One look at a candidate."""
        self.played += 1
        if np.isfinite(seen):
            self.count[at] += 1
            self.sum[at] += seen
            self.squares[at] += seen ** 2

    def far_from(self, expected: Floats) -> Floats:
        """The squares of all looks from what is expected, summed; `expected` has shape (..., candidates)."""
        return np.asarray((self.squares - 2 * expected * self.sum + self.count * expected ** 2).sum(axis=-1))


@dataclass(frozen=True)
class FirstChange:
    """Where it changed: the first candidate that has the change, how sure that is, and how many looks it took; and
    whether another one was seen to have a part in it."""

    first: int
    probability: float
    looks: int
    more: bool = False


def first_changed(candidates: int, look: Callable[[int], float], signal: Signal, error: float, most: int,
                  left: Callable[[int], int] = int) -> FirstChange:
    """The first of some candidates in a line that has the change; all after it have it, too.

    Args:
        candidates: how many there are; the last is known to have it.
        look: the log ratio of one block of a candidate, counted from 0, against the base.
        most: looks, after which the likeliest is given with the probability that it has.
        left: how many of some looks may still be taken; all, if not given.
    """
    seen = Tally(candidates)
    after = np.triu(np.ones((candidates, candidates)))  # a row for each answer: which candidates have the change
    while True:
        share = _shares(seen, after, signal)
        best = int(np.argmax(share))
        if share[best] >= 1 - error or seen.played >= most or not left(1):
            break
        before = np.cumsum(share)[:-1]  # that it changed at this one or earlier
        at = int(np.argmin(np.abs(before - 0.5)))
        seen.add(at, look(at))
    # At about the price of the search: what is not seen by then is not said.
    more = _more_than_one(seen, best, look, signal, error, seen.played + CHECKS, left)
    return FirstChange(best, float(share[best]), seen.played, more)


def _shares(seen: Tally, answers: Floats, signal: Signal) -> Floats:
    """The probability of each answer; shape (answers,)."""
    expected = signal.sizes[None, :, None] * answers[:, None, :]
    logs = signal.log_likelihood(seen.far_from(expected), int(seen.count.sum()))
    share = np.exp(logs - logs.max()).sum(axis=1)
    return np.asarray(share / share.sum())


def _more_than_one(seen: Tally, best: int, look: Callable[[int], float], signal: Signal, error: float, most: int,
                   left: Callable[[int], int]) -> bool:
    """Whether the last differs from the one that was found, or the one before that from the base."""
    last = seen.count.size - 1
    return (last != best and _differs(seen, last, best, 1.0, look, signal, error, most, left)) or (
        best > 0 and _differs(seen, best - 1, best, 0.0, look, signal, error, most, left))


def _differs(seen: Tally, at: int, best: int, without: float, look: Callable[[int], float], signal: Signal,
             error: float, most: int, left: Callable[[int], int]) -> bool:
    """Whether a candidate has more or less of the change than it would if the one that was found had done it all, by
    half of it or more. That it does is said at two such questions' part of the error; that it does not, once that is
    likely.

    Args:
        without: what it would have, as a share of what the one that was found has.
    """
    surely, used = float(np.log(3 / error - 1)), 0
    while UNLIKELY < (odds := _odds_of_more(seen, at, best, without, signal)) < surely and used < most and left(1):
        which = at if seen.count[at] <= seen.count[best] else best
        seen.add(which, look(which))
        used += 1
    return odds >= surely


def _odds_of_more(seen: Tally, at: int, best: int, without: float, signal: Signal) -> float:
    """For half of the change or more beyond that, either way, against nothing beyond it."""
    sizes, parts = signal.sizes[:, None], np.array([0.0, 0.5, 0.75, 1.0, -0.5, -0.75, -1.0])
    expected = np.stack([np.broadcast_to(sizes, (sizes.size, parts.size)), sizes * (without + parts)], axis=-1)
    pair = Tally(2)
    pair.count, pair.sum, pair.squares = (sums[[best, at]] for sums in (seen.count, seen.sum, seen.squares))
    logs = signal.log_likelihood(pair.far_from(expected), int(pair.count.sum()))
    likely = np.exp(logs - logs.max()).sum(axis=0)
    return float(np.log(likely[1:].mean() + 1e-300) - np.log(likely[0] + 1e-300))


@dataclass(frozen=True)
class Least:
    """The least set of items that brings the change about: none of them can be left out. `sure` is False if a question
    was still open when its looks were used up, and was taken for a no."""

    items: tuple[int, ...]
    looks: int
    sure: bool


def least_set(items: int, look: Callable[[frozenset[int]], float], signal: Signal, error: float, most: int,
              left: Callable[[int], int] = int) -> Least:
    """The least set of items that has the change, by halving (after A. Zeller and R. Hildebrandt, IEEE Transactions on
    Software Engineering 2002); what two do only together is found, too, and what each does half of.

    Args:
        items: how many there are; all together have it.
        look: the log ratio of one block with some of the items, counted from 0, against none.
        error: of each question.
        most: looks for each question.
        left: how many of some looks may still be taken; all, if not given.
    """
    every, asked, sure = frozenset(range(items)), dict[frozenset[int], bool](), True
    seen = Tally(2)  # of all items, and of those that are asked for
    if items > 1:
        for _ in range(left(FULL_LOOKS)):
            seen.add(0, look(every))

    def has_it(items: Sequence[int]) -> bool:
        nonlocal sure
        these = frozenset(items)
        if these not in asked:
            seen.count[1] = seen.sum[1] = seen.squares[1] = 0.0
            odds, bound, used = 0.0, float(np.log(1 / error - 1)), 0
            while abs(odds) < bound and used < most and left(1):
                at = 1 if seen.count[1] <= seen.count[0] else 0
                seen.add(at, look(these if at else every))
                odds, used = _odds(seen, signal), used + 1
            sure &= abs(odds) >= bound
            asked[these] = odds >= bound
        return asked[these]

    return Least(tuple(sorted(_reduced(list(range(items)), has_it))), seen.played, sure)


def _odds(seen: Tally, signal: Signal) -> float:
    """For some items having the whole change, against their having none of it or half."""
    sizes = signal.sizes[:, None]
    expected = np.stack([np.broadcast_to(sizes, (sizes.size, 3)), sizes * np.array([1.0, PART, 0.0])], axis=-1)
    logs = signal.log_likelihood(seen.far_from(expected), int(seen.count.sum()))
    likely = np.exp(logs - logs.max()).sum(axis=0)
    return float(np.log(likely[0] + 1e-300) - np.log(likely[1:].mean() + 1e-300))


def _reduced(current: list[int], has_it: Callable[[Sequence[int]], bool]) -> list[int]:
    parts = 2
    while len(current) > 1:
        chunks = [part.tolist() for part in np.array_split(np.array(current), parts)]
        rests = [[item for item in current if item not in chunk] for chunk in chunks] if parts > 2 else []
        smaller = next((items for items in (*chunks, *rests) if has_it(items)), None)
        if smaller is not None:
            parts = 2 if smaller in chunks else max(2, parts - 1)
            current = smaller
        elif parts >= len(current):
            break
        else:
            parts = min(2 * parts, len(current))
    return current
