"""A tuning is played: round by round, every combination that is still in the race once, in random order."""

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from functools import cache
from itertools import pairwise

import numpy as np

from keenlattice.catalog.values import written
from keenlattice.measure.capture import Capture, Floats
from keenlattice.measure.metrics import METRICS, logarithms, metrics_of
from keenlattice.measure.summaries import NO_WIDTH, percent_of, t_interval
from keenlattice.profile.compare import with_changes
from keenlattice.profile.version import Entries, Version
from keenlattice.rig.base import Rig
from keenlattice.study.deciding import Numbers
from keenlattice.study.kind import KeptVersion, Kind
from keenlattice.study.player import TRIES, Each, Interim, Player, RunsFailed, entries_on, ignore
from keenlattice.study.playing import play
from keenlattice.study.trial.looks import ERROR, errors_of
from keenlattice.study.tune.noise import error_of_difference, noises
from keenlattice.study.tune.plan import (
    FIRST_LOOK,
    Combination,
    Limit,
    Standing,
    TunePlan,
    TuneSpec,
    Tuning,
    checked,
    make_of_best,
)
from keenlattice.study.tune.tell import tell_tuning, tune_figures, tune_page

# In every round each combination that is still in the race is played once, in random order, so that what a round's
# conditions do to all cancels. From the third round on a combination is out if it surely breaks a limit, if it is
# surely worse than the best so far, or surely not better than that by more than what matters (Student's t of the log
# ratios of a round's runs, by what the runs of either vary), or if the game does not run with it. A best one that only
# seems to keep a limit puts nobody out, and is not named; a limit whose metric was not measured is not kept. So runs
# go where it is not yet told. It ends when nobody but the best is left, or with the last round. (Racing, after O. Maron
# and A. W. Moore, 1994.)
#
# Whichever is the best in truth, each of the others may put it out: so the error of 5 % is shared by all combinations
# but one, and spent over the rounds as over the looks at a trial; so is that of the limits, by the combinations.

ORDERS_DRAWN = 60
Interval = tuple[float, float, float]
"""A middle, and the ends of its interval."""


class Race:
    """The race itself, apart from the rig: who is in it, and what is known of each."""

    def __init__(self, plan: TunePlan) -> None:
        self.plan = plan
        self.combinations = plan.combinations()
        self.count = len(self.combinations)
        self.rounds = 0
        self.runs: list[dict[int, Numbers]] = [{} for _ in range(self.count)]  # by round
        self.out: dict[int, Standing] = {}
        self.beaten: dict[int, Interval] = {}  # by how much, when it was put out
        self.keeping: set[int] = set()         # those that surely keep the limits
        self._noises_at = 0, (np.empty(0), np.empty(0))  # the round of a look, and what its runs vary

    def entered(self) -> list[int]:
        """Those that are still in the race."""
        return [combination for combination in range(self.count) if combination not in self.out]

    def order(self, number: int) -> list[int]:
        """The order of a round, drawn from the seed; where hands are dear, of many the one that switches the fewest
        settings."""
        inside, random = self.entered(), np.random.default_rng([self.plan.seed, 17, number])
        orders = [[inside[place] for place in random.permutation(len(inside)).tolist()]
                  for _ in range(ORDERS_DRAWN if self.plan.few_switches else 1)]
        return min(orders, key=self._switched)

    def _switched(self, order: list[int]) -> int:
        all_of = self.combinations
        return sum(all_of[previous][key] != all_of[version][key] for previous, version in pairwise(order)
                   for key in all_of[previous])

    def add(self, number: int, combination: int, numbers: Numbers) -> None:
        """One run of a round."""
        self.runs[combination][number] = numbers

    def look(self, number: int) -> bool:
        """Puts out what is surely beaten, after a round; says whether the race is over."""
        self.rounds = number + 1
        if self.rounds < FIRST_LOOK:
            return False
        for combination in self.entered():
            beyond = self._beyond_all(combination)
            if any(result is not None and result[1] > 0 for result in beyond):
                self.out[combination] = "breaks a limit"
            elif all(result is not None and result[2] <= 0 for result in beyond):
                self.keeping.add(combination)
        best = self.best()
        if best is None:
            return not self.entered()
        for combination in self.entered():
            if combination != best and (result := self.against(combination, best))[1] > -self.margin():
                self.out[combination], self.beaten[combination] = "worse" if result[1] > 0 else "no better", result
        return self.entered() == [best]

    def best(self) -> int | None:
        """The best of those still in the race that surely keep the limits."""
        keeping = [effect for effect in self.entered() if effect in self.keeping and self._scores(effect)]
        return min(keeping, key=self.mean, default=None)

    def margin(self) -> float:
        """What matters, as log ratio; of several goals, the mean."""
        first = [runs[0] for runs in self.runs if 0 in runs]
        return float(np.mean([math.log1p(self.plan.goal.in_pct(goal, first) / 100)
                              for goal in self._goals()]))

    def mean(self, combination: int) -> float:
        """Mean of what is to be small."""
        return float(np.mean(list(self._scores(combination).values()))) if self._scores(combination) else math.inf

    def _goals(self) -> list[str]:
        """The goals that were measured at all; if none was, all of them."""
        return [goal for goal in self.plan.goals
                if any(math.isfinite(run[goal]) for runs in self.runs for run in runs.values())] or [*self.plan.goals]

    def _logs(self, combination: int, goal: str) -> Floats:
        """The goal's logarithm of each run, the smaller the better."""
        values = [numbers[goal] for numbers in self.runs[combination].values()]
        return (1.0 if METRICS[goal].lower_is_better else -1.0) * logarithms(goal, values, self.plan.seconds)

    def _scores(self, combination: int) -> dict[int, float]:
        """By round: what is to be small, the mean of the goals' logarithms."""
        scores = np.mean([self._logs(combination, goal) for goal in self._goals()], axis=0)
        return {number: score for number, score in zip(self.runs[combination], scores.tolist(), strict=True)
                if math.isfinite(score)}

    def against(self, combination: int, best: int) -> Interval:
        """How much worse one is than the best, as log ratio, with its interval, over the rounds of both."""
        mine, its = self._scores(combination), self._scores(best)
        ratios = np.array([mine[number] - its[number] for number in sorted({*mine} & {*its})])
        middle, half = float(ratios.mean()) if ratios.size else 0.0, self._half_width(combination, best, ratios)
        return (middle, middle - half, middle + half) if half > NO_WIDTH else (middle, -math.inf, math.inf)

    def _half_width(self, combination: int, best: int, ratios: Floats) -> float:
        from scipy.special import stdtrit

        if ratios.size < 2:
            return math.inf
        variances, of_noise = self._noises()
        pair = [combination, best]
        error, dof = error_of_difference(variances[pair], of_noise[pair], ratios.size)
        return error * float(stdtrit(dof, 1 - self._error_now(self.count - 1))) if math.isfinite(error) else math.inf

    def _noises(self) -> tuple[Floats, Floats]:
        """As `noise.noises`; computed once a look."""
        if self._noises_at[0] != self.rounds:
            scores = [self._scores(combination) for combination in range(self.count)]
            self._noises_at = self.rounds, noises(np.array([[row.get(number, math.nan) for number in range(self.rounds)]
                                                            for row in scores]))
        return self._noises_at[1]

    def _error_now(self, shared_by: float) -> float:
        """This look's part of the error."""
        looks = tuple(range(FIRST_LOOK, self.plan.rounds + 1))
        return errors_of(looks, ERROR / shared_by)[max(FIRST_LOOK, self.rounds)]

    def _interval(self, values: Floats, shared_by: float) -> Interval:
        """Mean and Student's t interval, at this look's part of the error."""
        if values.size < 2:
            return (float(values.mean()) if values.size else 0.0), -math.inf, math.inf
        return t_interval(values, 1 - 2 * self._error_now(shared_by))

    def _beyond(self, combination: int, limit: Limit) -> Interval | None:
        """How far the mean of the runs lies beyond a limit, with its interval; below zero it is kept. None if fewer
        than two runs have measured what it is about."""
        values: Floats = np.array([numbers[limit.metric] for numbers in self.runs[combination].values()])
        values = values[np.isfinite(values)]
        if values.size < 2:
            return None
        return self._interval((values - limit.value) * (1 if limit.side == "below" else -1), self.count)

    def _beyond_all(self, combination: int) -> list[Interval | None]:
        return [self._beyond(combination, limit) for limit in self.plan.limits]

    def standings(self) -> list[Combination]:
        """What became of everyone, the best first."""
        best = self.best()
        rows = [Combination(values, self._standing(place, best), len(self.runs[place]), tuple(
            self._mean_of(place, goal) for goal in self.plan.goals), *self._change_pct(place, best))
            for place, values in enumerate(self.combinations)]
        order = ["best", "no better", "not told apart", "worse", "limit not sure", "breaks a limit",
                 "limit not measured", "does not run"]
        return sorted(rows, key=lambda row: (order.index(row.standing), abs(row.change_pct or 0.0)))

    def interim(self) -> tuple[Interim, ...]:
        """Where each combination stands, the best first: how far it is from the best."""
        goal, matters = self.plan.goals[0], 100 * math.expm1(self.margin())
        # Of several goals a change says how much worse: towards less, where more of the first one is better.
        sign = -1 if len(self.plan.goals) > 1 and not METRICS[goal].lower_is_better else 1
        result = []
        for row in self.standings():
            title = " ".join(f"{key.partition('.')[2]} {written(value)}" for key, value in row.values.items())
            change, low, high = (None if pct is None else sign * pct
                                 for pct in (row.change_pct, row.low_pct, row.high_pct))
            result.append(Interim(title, goal, change, low, high, row.standing, matters))
        return tuple(result)

    def _standing(self, combination: int, best: int | None) -> Standing:
        if combination in self.out or combination == best:
            return self.out.get(combination, "best")
        if any(limited is None for limited in self._beyond_all(combination)):
            return "limit not measured"
        return "not told apart" if combination in self.keeping else "limit not sure"

    def _mean_of(self, combination: int, goal: str) -> float | None:
        logs = self._logs(combination, goal)
        logs = logs[np.isfinite(logs)]
        if not logs.size:
            return None
        sign = 1.0 if METRICS[goal].lower_is_better else -1.0
        return math.exp(sign * float(logs.mean())) - METRICS[goal].half_an_event(self.plan.seconds)

    def _change_pct(self, combination: int, best: int | None) -> tuple[float | None, float | None, float | None]:
        """Of one goal, as that changes; of several, how much worse."""
        if best is None or combination == best or len({*self._scores(combination)} & {*self._scores(best)}) < 2:
            return None, None, None
        middle, low, high = self.beaten.get(combination) or self.against(combination, best)
        if len(self.plan.goals) == 1 and not METRICS[self.plan.goal.metrics].lower_is_better:
            middle, low, high = -middle, -high, -low
        return percent_of(middle), percent_of(low), percent_of(high)


def play_tune(player: Player, spec: TuneSpec, versions: Sequence[Version]) -> Tuning:
    """Plays a race through, or computes it again."""
    plan, (base,) = spec.plan, versions
    race, combinations = Race(plan), plan.combinations()
    player.called = lambda arm: f" (combination {int(arm) + 1})"

    @cache
    def entries(combination: int) -> Entries:
        return entries_on(player.rig, replace(base, entries=with_changes(base.entries, combinations[combination])))

    place, over, number = 0, False, 0
    while not over and number < plan.rounds:
        for chosen in race.order(number):
            numbers = _numbers(player, plan, place, number, chosen,
                               lambda combination=chosen: entries(combination))  # type: ignore[misc]
            if numbers is None:
                race.out[chosen] = "does not run"
            else:
                race.add(number, chosen, numbers)
            place += 1
        over, number = race.look(number), number + 1
        player.interim = race.interim()
    return Tuning(player.game, base.reference, player.rig.name, plan, tuple(race.standings()), place, number, over,
                      tuple(player.excluded), tuple(player.doubts))


KIND = Kind("tune", TuneSpec, Tuning, play_tune, failures=TRIES, tell=tell_tuning, page=tune_page, figure=tune_figures,
            makes=make_of_best)


def run_tune(rig: Rig, base: Version, plan: TunePlan, game: str | None = None, on_run: Each = ignore,
             done: Mapping[int, Capture] | None = None) -> Tuning:
    """Races combinations of settings on top of a version; nothing of it is kept (`Workspace.tune` keeps).

    Args:
        plan: the settings and their values, the goal, the limits.
        base, game, on_run, done: as in `run_trial`; a run's arm is the combination's number. A capture without frames
            stands for a run that went wrong as often as it is tried.

    Raises:
        UnknownName, BadValue: a setting or a value that the catalog does not have.
        RigError: the rig refuses; it is put back to what it was.
    """
    return play(rig, KIND, TuneSpec(KeptVersion.of(base), checked(rig.catalog(), plan), game), [base], on_run, done)


def _numbers(player: Player, plan: TunePlan, place: int, number: int, combination: int,
             entries: Callable[[], Entries]) -> Numbers | None:
    """The metrics of one run; None if the game does not run with this combination."""
    seed = int(np.random.default_rng([plan.seed, 19, place]).integers(2**31))
    try:
        capture = player.play(place, number, str(combination), entries, seed)
    except RunsFailed:
        return None
    if not capture.shown_ms.size:
        return None
    return metrics_of(capture, [*plan.goals, *(limit.metric for limit in plan.limits)])
