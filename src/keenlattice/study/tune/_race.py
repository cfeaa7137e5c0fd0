"""Tuning: the best of some combinations of settings, by letting them race.

In every round each combination that is still in the race is played once, in random order, so that what a round's
conditions do to all cancels. From the third round on a combination is out if it surely breaks a limit, if it is surely
worse than the best so far (Student's t of the log ratios of a round's runs, the error of 5 % shared by all
combinations), or if the game does not run with it. A best one that only seems to keep a limit puts nobody out; a limit
whose metric was not measured is not kept. So runs go where it is not yet told. It ends when the best surely keeps the
limits and none that is left can be better by more than what matters, or with the last round. (Racing, after O. Maron
and A. W. Moore, 1994.)
"""

import math
from itertools import pairwise

import numpy as np

from keenlattice.measure._summary import NO_WIDTH, percent_of, t_interval
from keenlattice.measure.capture import Floats
from keenlattice.measure.metrics import METRICS, logarithms
from keenlattice.study.trial._conclude import Numbers
from keenlattice.study.tune.plan import FIRST_LOOK, Limit, TunePlan
from keenlattice.study.tune.result import Combination, Standing

ERROR = 0.05
ORDERS_DRAWN = 60


class Race:
    """The race itself, apart from the rig: who is in it, and what is known of each."""

    def __init__(self, plan: TunePlan) -> None:
        self.plan = plan
        self.combinations = plan.combinations()
        self.count = len(self.combinations)
        self.runs: list[dict[int, Numbers]] = [{} for _ in range(self.count)]  # by round
        self.out: dict[int, Standing] = {}
        self.beaten: dict[int, tuple[float, float, float]] = {}  # by how much, when it was put out

    def entered(self) -> list[int]:
        """Those that are still in the race."""
        return [one for one in range(self.count) if one not in self.out]

    def order(self, number: int) -> list[int]:
        """The order of a round, drawn from the seed; where hands are dear, of many the one that switches the fewest
        settings."""
        inside, random = self.entered(), np.random.default_rng([self.plan.seed, 17, number])
        orders = [[inside[place] for place in random.permutation(len(inside)).tolist()]
                  for _ in range(ORDERS_DRAWN if self.plan.few_switches else 1)]
        return min(orders, key=self._switched)

    def _switched(self, order: list[int]) -> int:
        all_of = self.combinations
        return sum(all_of[one][key] != all_of[other][key] for one, other in pairwise(order) for key in all_of[one])

    def add(self, number: int, one: int, numbers: Numbers) -> None:
        """One run of a round."""
        self.runs[one][number] = numbers

    def look(self, number: int) -> bool:
        """Puts out whoever is surely beaten, after a round; says whether the race is over."""
        if number + 1 < FIRST_LOOK:
            return False
        for one in self.entered():
            if any(found is not None and found[1] > 0 for found in self._beyond_all(one)):
                self.out[one] = "breaks a limit"
        best = self.best()
        if best is None:
            return not self.entered()
        keeps = all(found is not None and found[2] <= 0 for found in self._beyond_all(best))
        for one in self.entered() if keeps else ():  # one that only seems to keep the limits puts nobody out
            if one != best and (found := self.against(one, best))[1] > 0:
                self.out[one], self.beaten[one] = "worse", found
        margin = math.log1p(self.plan.matters_pct / 100)
        return keeps and all(self.against(one, best)[1] > -margin for one in self.entered() if one != best)

    def best(self) -> int | None:
        """The best of those still in the race that keep the limits, as far as is known."""
        keeping = [one for one in self.entered() if self.runs[one]
                   and all(found is not None and found[0] <= 0 for found in self._beyond_all(one))]
        return min(keeping, key=self.mean, default=None)

    def mean(self, one: int) -> float:
        """Mean of the goal's logarithm, the smaller the better."""
        return float(np.mean(list(self._logs(one).values()))) if self._logs(one) else math.inf

    def _logs(self, one: int) -> dict[int, float]:
        sign = 1.0 if METRICS[self.plan.goal].lower_is_better else -1.0
        values = [numbers[self.plan.goal] for numbers in self.runs[one].values()]
        logs = logarithms(self.plan.goal, values, self.plan.seconds).tolist()
        return {number: sign * log for number, log in zip(self.runs[one], logs, strict=True) if math.isfinite(log)}

    def against(self, one: int, best: int) -> tuple[float, float, float]:
        """How much worse one is than the best, as log ratio, with its interval, over the rounds of both."""
        mine, its = self._logs(one), self._logs(best)
        rounds = sorted({*mine} & {*its})
        if len(rounds) < 2:
            return 0.0, -math.inf, math.inf
        ratios: Floats = np.array([mine[number] - its[number] for number in rounds])
        middle, low, high = t_interval(ratios, 1 - 2 * ERROR / self.count)
        return (middle, low, high) if high - low > NO_WIDTH else (middle, -math.inf, math.inf)

    def _beyond(self, one: int, limit: Limit) -> tuple[float, float, float] | None:
        """How far the mean of the runs lies beyond a limit, with its interval; below zero it is kept. None if fewer
        than two runs have measured what it is about."""
        values: Floats = np.array([numbers[limit.metric] for numbers in self.runs[one].values()])
        values = values[np.isfinite(values)]
        if values.size < 2:
            return None
        middle, low, high = t_interval(values, 1 - 2 * ERROR / self.count)
        if limit.side == "below":
            return middle - limit.value, low - limit.value, high - limit.value
        return limit.value - middle, limit.value - high, limit.value - low

    def _beyond_all(self, one: int) -> list[tuple[float, float, float] | None]:
        return [self._beyond(one, limit) for limit in self.plan.limits]

    def standings(self) -> list[Combination]:
        """What became of everyone, the best first."""
        best, all_of = self.best(), self.combinations
        found = []
        for one in range(self.count):
            beyond = self._beyond_all(one)
            over = any(limited is not None and limited[0] > 0 for limited in beyond)
            known = all(limited is not None for limited in beyond)
            standing = self.out.get(one) or ("best" if one == best else "breaks a limit" if over else
                                             "not told apart" if known else "limit not measured")
            sign = 1.0 if METRICS[self.plan.goal].lower_is_better else -1.0
            added = METRICS[self.plan.goal].half_an_event(self.plan.seconds)
            goal = math.exp(sign * self.mean(one)) - added if self._logs(one) else None
            pct: tuple[float | None, ...] = (None, None, None)
            if best is not None and one != best and len({*self._logs(one)} & {*self._logs(best)}) >= 2:
                middle, low, high = self.beaten.get(one) or self.against(one, best)
                pct = tuple(percent_of(sign * end) for end in ((middle, low, high) if sign > 0
                                                                    else (middle, high, low)))
            found.append(Combination(all_of[one], standing, len(self.runs[one]), goal, *pct))
        order = ["best", "not told apart", "worse", "breaks a limit", "limit not measured", "does not run"]
        return sorted(found, key=lambda one: (order.index(one.standing), abs(one.change_pct or 0.0)))
