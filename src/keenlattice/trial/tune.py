"""Tuning: the best of some combinations of settings, by letting them race.

In every round each combination that is still in the race is played once, in random order, so that what a round's
conditions do to all cancels. From the third round on a combination is out if it surely breaks a limit, if it is surely
worse than the best so far (Student's t of the log ratios of a round's runs, the error of 5 % shared by all
combinations), or if the game does not run with it. So runs go where it is not yet told. It ends when no combination
that is left can be better than the best by more than what matters, or with the last round. (Racing, after O. Maron and
A. W. Moore, 1994.)
"""

import math
from collections.abc import Mapping
from dataclasses import asdict, dataclass, replace
from itertools import product
from typing import TYPE_CHECKING, Any, Literal

import numpy as np

from keenlattice.catalog.model import Catalog
from keenlattice.catalog.values import Value
from keenlattice.errors import BadValue
from keenlattice.measure.capture import Capture, Floats
from keenlattice.measure.metrics import METRICS, logarithms, metric, metrics_of
from keenlattice.measure.summary import t_interval
from keenlattice.notebook import Shown
from keenlattice.profile.compare import with_changes
from keenlattice.profile.version import Entries, Version
from keenlattice.rig.base import Rig, game_of
from keenlattice.rig.change import changing
from keenlattice.trial.conclude import Numbers
from keenlattice.trial.plan import check_matters, check_seconds, check_seed
from keenlattice.trial.player import Each, Player, RunsFailed, entries_on, ignore, put_back
from keenlattice.trial.reading import read_as
from keenlattice.trial.run import game_for

if TYPE_CHECKING:
    import pandas

SCHEMA = "keen-lattice/tune/1"
ERROR = 0.05
FIRST_LOOK = 3      # rounds
MOST_COMBINATIONS = 200

Standing = Literal["best", "not told apart", "worse", "breaks a limit", "does not run"]


@dataclass(frozen=True)
class Limit:
    """A bound that has to be kept: a metric that is to stay below or above (`side`) a value in its own unit.

    >>> Limit("frame_ms_p99", "below", 8.0)
    Limit(metric='frame_ms_p99', side='below', value=8.0)
    """

    metric: str
    side: Literal["below", "above"]
    value: float


@dataclass(frozen=True)
class TunePlan:
    """What is tuned, and how.

    Args:
        choices: setting to the values that are tried.
        goal: the metric that is to be as good as can be.
        limits: what has to be kept besides.
        rounds: how many at most.
        matters_pct: of combinations that differ by no more than this, any will do.
        seconds, seed, warm_up_s: as in a trial.
    """

    choices: tuple[tuple[str, tuple[Value, ...]], ...]
    goal: str
    limits: tuple[Limit, ...] = ()
    rounds: int = 30
    seconds: float = 20.0
    seed: int = 0
    matters_pct: float = 1.0
    warm_up_s: float = 0.0

    def __post_init__(self) -> None:
        for name in (self.goal, *(one.metric for one in self.limits)):
            metric(name)
        count = math.prod(len(values) for _, values in self.choices)
        if not 2 <= count <= MOST_COMBINATIONS:
            raise BadValue(f"{count} combinations: 2 to {MOST_COMBINATIONS} can be tuned over; give fewer values")
        if not FIRST_LOOK <= self.rounds <= 200:
            raise BadValue(f"{self.rounds} rounds: a race takes {FIRST_LOOK} to 200")
        check_matters(self.matters_pct)
        check_seconds(self.seconds)
        check_seed(self.seed)

    def combinations(self) -> list[dict[str, Value]]:
        """All combinations of the values."""
        keys = [key for key, _ in self.choices]
        return [dict(zip(keys, values, strict=True)) for values in product(*(values for _, values in self.choices))]


@dataclass(frozen=True)
class Combination:
    """A combination, and what became of it.

    Args:
        goal: geometric mean of the goal over its runs; None if it never ran.
        change_pct, low_pct, high_pct: how much its goal differs from the best one's, over the rounds of both; of one
            that was put out as worse, from the one that was the best then.
    """

    values: dict[str, Value]
    standing: Standing
    rounds: int
    goal: float | None
    change_pct: float | None = None
    low_pct: float | None = None
    high_pct: float | None = None


@dataclass(frozen=True)
class TuneResult(Shown):
    """What a race found, the best first. `settled` is False if it ended with its last round."""

    game: str
    base: str
    rig: str
    plan: TunePlan
    combinations: tuple[Combination, ...]
    runs: int
    rounds_played: int
    settled: bool
    excluded: tuple[str, ...] = ()

    @property
    def best(self) -> Combination | None:
        """The best that keeps the limits; None if none does."""
        return next((one for one in self.combinations if one.standing == "best"), None)

    def to_json(self) -> dict[str, Any]:
        """As documented in `docs/formats.md`; JSON types only."""
        return {"schema": SCHEMA, **asdict(self)}

    def table(self) -> "pandas.DataFrame":
        """A row for each combination, the best first, with a column for each setting."""
        import pandas

        return pandas.DataFrame([{**one.values, **{key: value for key, value in asdict(one).items() if key != "values"}}
                                 for one in self.combinations])

    def _caption(self) -> str:
        return (f"{len(self.combinations)} combinations on top of {self.base}, for {self.plan.goal}: {self.runs} runs, "
                f"{'settled' if self.settled else 'not settled'}")

    @classmethod
    def of_json(cls, content: Mapping[str, Any]) -> "TuneResult":
        """A result as `to_json` has it.

        Raises:
            BookError: it is not of that form.
        """
        return read_as(cls, content, "a tuning")


def checked(catalog: Catalog, plan: TunePlan) -> TunePlan:
    """The plan with every value as its setting takes it.

    Raises:
        UnknownName: no such setting.
        BadValue: a value beyond its limits.
    """
    return replace(plan, choices=tuple((key, tuple(catalog[key].checked(value) for value in values))
                                       for key, values in plan.choices))


class Race:
    """The race itself, apart from the rig: who is in it, and what is known of each."""

    def __init__(self, plan: TunePlan) -> None:
        self.plan = plan
        self.count = len(plan.combinations())
        self.runs: list[dict[int, Numbers]] = [{} for _ in range(self.count)]  # by round
        self.out: dict[int, Standing] = {}
        self.beaten: dict[int, tuple[float, float, float]] = {}  # by how much, when it was put out

    def entered(self) -> list[int]:
        """Those that are still in the race."""
        return [one for one in range(self.count) if one not in self.out]

    def order(self, number: int) -> list[int]:
        """The order of a round, drawn from the seed."""
        inside = self.entered()
        drawn = np.random.default_rng([self.plan.seed, 17, number]).permutation(len(inside))
        return [inside[place] for place in drawn.tolist()]

    def add(self, number: int, one: int, numbers: Numbers) -> None:
        """One run of a round."""
        self.runs[one][number] = numbers

    def look(self, number: int) -> bool:
        """Puts out whoever is surely beaten, after a round; says whether the race is over."""
        if number + 1 < FIRST_LOOK:
            return False
        for one in self.entered():
            if any(self._breaks(one, limit, surely=True) for limit in self.plan.limits):
                self.out[one] = "breaks a limit"
        best = self.best()
        if best is None:
            return not self.entered()
        for one in self.entered():
            if one != best and (found := self.against(one, best))[1] > 0:
                self.out[one], self.beaten[one] = "worse", found
        margin = math.log1p(self.plan.matters_pct / 100)
        return all(self.against(one, best)[1] > -margin for one in self.entered() if one != best)

    def best(self) -> int | None:
        """The best of those still in the race that keep the limits, as far as is known."""
        keeping = [one for one in self.entered() if self.runs[one]
                   and not any(self._breaks(one, limit, surely=False) for limit in self.plan.limits)]
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
        return t_interval(ratios, 1 - 2 * ERROR / self.count)

    def _breaks(self, one: int, limit: Limit, surely: bool) -> bool:
        """Whether a limit is broken: by the mean of the runs, or surely, by its whole interval."""
        values: Floats = np.array([numbers[limit.metric] for numbers in self.runs[one].values()])
        values = values[np.isfinite(values)]
        if values.size < 2:
            return False
        middle, low, high = t_interval(values, 1 - 2 * ERROR / self.count)
        if limit.side == "below":
            return (low if surely else middle) > limit.value
        return (high if surely else middle) < limit.value

    def standings(self) -> list[Combination]:
        """What became of everyone, the best first."""
        best, all_of = self.best(), self.plan.combinations()
        found = []
        for one in range(self.count):
            over = any(self._breaks(one, limit, surely=False) for limit in self.plan.limits)
            standing = self.out.get(one) or ("best" if one == best else "breaks a limit" if over else "not told apart")
            sign = 1.0 if METRICS[self.plan.goal].lower_is_better else -1.0
            added = METRICS[self.plan.goal].half_an_event(self.plan.seconds)
            goal = math.exp(sign * self.mean(one)) - added if self._logs(one) else None
            pct: tuple[float | None, ...] = (None, None, None)
            if best is not None and one != best and len({*self._logs(one)} & {*self._logs(best)}) >= 2:
                middle, low, high = self.beaten.get(one) or self.against(one, best)
                pct = tuple(100 * math.expm1(sign * end) for end in ((middle, low, high) if sign > 0
                                                                    else (middle, high, low)))
            found.append(Combination(all_of[one], standing, len(self.runs[one]), goal, *pct))
        order = ["best", "not told apart", "worse", "breaks a limit", "does not run"]
        return sorted(found, key=lambda one: (order.index(one.standing), abs(one.change_pct or 0.0)))


def run_tune(rig: Rig, base: Version, plan: TunePlan, game: str | None = None, each: Each = ignore,
             done: Mapping[int, Capture] | None = None) -> TuneResult:
    """Races combinations of settings on top of a version.

    Args:
        plan: the settings and their values, the goal, the limits.
        base, game, each, done: as in `run_trial`; a run's arm is the combination's number. A capture without frames
            stands for a run that went wrong as often as it is tried.

    Raises:
        UnknownName, BadValue: a setting or a value that the catalog does not have.
        RigError: the rig refuses; it is put back to what it was.
    """
    plan = checked(rig.catalog(), plan)
    played = game_of(rig, game_for(base, base, game)).name
    race, kept = Race(plan), done or {}
    on_rig = [entries_on(rig, replace(base, entries=with_changes(base.entries, one))) for one in plan.combinations()]
    place, over, number = 0, False, 0

    with changing(rig, f"tuning {base.reference}") as change:
        player = Player(change, base.profile, played, plan.seconds, plan.warm_up_s, each,
                        lambda arm: f" (combination {int(arm) + 1})")
        while not over and number < plan.rounds:
            for one in race.order(number):
                numbers = _played(player, kept, place, number, one, on_rig[one], plan)
                if numbers is None:
                    race.out[one] = "does not run"
                else:
                    race.add(number, one, numbers)
                place += 1
            over, number = race.look(number), number + 1
        put_back(change, [key for key, _ in plan.choices])
    return TuneResult(played, base.reference, rig.name, plan, tuple(race.standings()), place, number, over,
                      tuple(player.excluded))


def _played(player: Player, kept: Mapping[int, Capture], place: int, number: int, one: int, entries: Entries,
            plan: TunePlan) -> Numbers | None:
    """The metrics of one run; None if the game does not run with this combination."""
    seed = int(np.random.default_rng([plan.seed, 19, place]).integers(2**31))
    names = [plan.goal, *(limit.metric for limit in plan.limits)]
    try:
        capture = kept[place] if place in kept else player.play(place, number, str(one), entries, seed)
    except RunsFailed:
        return None
    if not capture.shown_ms.size:
        return None
    return metrics_of(capture, names)
