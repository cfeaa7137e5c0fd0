"""The rounds of a screen, apart from the rig: what each plays, and what is settled after it."""

from dataclasses import replace

import numpy as np

from keenlattice.study.deciding import Numbers
from keenlattice.study.screen._design import Signs
from keenlattice.study.screen._fit import Played, factors, interactions
from keenlattice.study.screen.plan import ScreenPlan
from keenlattice.study.screen.result import Factor, Screen


class Rounds:
    """A screen as far as it is played.

    Args:
        costly: the places of the factors whose switching restarts the machine.
    """

    def __init__(self, plan: ScreenPlan, costly: list[int]) -> None:
        self.plan, self.costly = plan, costly
        self.settled: dict[int, Factor] = {}  # by place, as they were when they were settled
        self.signs: list[Signs] = []          # of each run
        self.numbers: list[Numbers] = []
        self.sizes: list[int] = []            # rows of each round
        self._found: list[Factor] = []        # what is known of all factors since the last look
        self.alone = 0                        # runs that trials one by one would have taken

    @property
    def open(self) -> list[int]:
        """The places of the factors that are still switched."""
        return [place for place in range(len(self.plan.factors)) if place not in self.settled]

    @property
    def over(self) -> bool:
        """Whether nothing is unclear any more, or the last round was played."""
        return not self.open or len(self.sizes) == self.plan.rounds

    def coming(self) -> list[tuple[int, Signs, int]]:
        """Row of the design, which factors it has on, and seed of every run of the round that comes."""
        number = len(self.sizes)
        design = self.plan.design(number, self.open)
        costly = [place for place in self.costly if place in self.open]
        return [(row, design[row], seed) for row, seed in self.plan.round_of(number, design, costly)]

    def add(self, signs: Signs, numbers: Numbers) -> None:
        """A run of the round."""
        self.signs.append(signs)
        self.numbers.append(numbers)

    def look(self) -> None:
        """Ends a round: what is settled is switched no more."""
        self.sizes.append(len(self.numbers) // self.plan.repeats - sum(self.sizes))
        # A trial of b blocks knows an effect to 2 / b of a run's variance, a round to 4 / runs: as well with half as
        # many blocks as runs.
        self.alone += len(self.open) * self.sizes[-1] * self.plan.repeats
        played = self._played()
        self._found = factors(played)
        known = [place for place, one in enumerate(self._found) if not any(
            effect.standing == "unclear" and played.has(effect.metric) for effect in one.judged)]
        self.settled = {**{place: self._found[place] for place in known}, **self.settled}

    def result(self, what: Screen) -> Screen:
        """The screen's result; `what` is what is known of it besides."""
        found = [self.settled.get(place, one) for place, one in enumerate(self._found)]
        return replace(what, factors=tuple(sorted(found, key=_strength, reverse=True)),
                       interactions=interactions(self._played()), runs=len(self.numbers), rounds_played=len(self.sizes),
                       one_by_one_runs=self.alone)

    def _played(self) -> Played:
        return Played(self.plan, np.array(self.signs), self.numbers, self.sizes, self.costly)


def _strength(factor: Factor) -> float:
    return max(abs(one.change_pct or 0.0) for one in factor.judged)
