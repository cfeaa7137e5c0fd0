"""A screen is played, round by round, and what is settled after each is switched no more."""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from functools import partial

import numpy as np

from keenlattice.measure.capture import Capture
from keenlattice.measure.doubts import held_by_screen
from keenlattice.measure.metrics import metrics_of
from keenlattice.measure.telemetry import limited_by, mean_limits
from keenlattice.profile.compare import with_changes
from keenlattice.profile.version import Entries, Version
from keenlattice.rig.applying import restart_for
from keenlattice.rig.base import Rig
from keenlattice.study.deciding import Numbers
from keenlattice.study.kind import KeptVersion, Kind
from keenlattice.study.player import Each, Interim, Player, entries_on, ignore
from keenlattice.study.playing import play
from keenlattice.study.screen.fit import ScreenRuns, factors, interactions, rounds_asked
from keenlattice.study.screen.plan import ScreenPlan, ScreenSpec, Signs
from keenlattice.study.screen.result import Effect, Factor, Screen
from keenlattice.study.screen.tell import screen_figures, screen_page, tell_screen


def play_screen(player: Player, spec: ScreenSpec, versions: Sequence[Version]) -> Screen:
    """Plays a screen through, or computes it again."""
    plan, (before, after) = spec.plan, versions
    rounds, place = Rounds(plan, costly(player.rig, plan)), 0
    limits: list[Mapping[str, float]] = []
    hidden = False
    player.called = lambda _: ""

    def entries(signs: Signs) -> Entries:
        return entries_on(player.rig, mixed(before, after, plan, signs))

    while not rounds.over:
        for row, signs, seed in rounds.coming():
            capture = player.play(place, len(rounds.sizes), str(row), partial(entries, signs), seed)
            rounds.add(signs, metrics_of(capture, plan.metrics()))
            hidden = hidden or held_by_screen(capture) > 0
            limits.append(limited_by(capture))
            place += 1
        rounds.look()
        player.interim, player.most = rounds.interim(), rounds.most_runs
    played = rounds.result(Screen(
        player.game, spec.before.reference, spec.after.reference, player.rig.name, plan, (), (), 0, 0, 0,
        tuple(player.excluded), tuple(player.doubts), mean_limits(limits)))
    return _with_what_is_hidden(played) if hidden else played


def _with_what_is_hidden(played: Screen) -> Screen:
    """A screen of which runs went as fast as the monitor lets see: that a change does nothing is not known there."""
    def unclear(effects: Sequence[Effect]) -> tuple[Effect, ...]:
        return tuple(replace(effect, standing="unclear") if effect.standing == "does nothing that matters"
                     and not effect.metric.startswith("latency") else effect for effect in effects)

    return replace(played, factors=tuple(
        replace(effect, judged=unclear(effect.judged), others=unclear(effect.others)) for effect in played.factors))


KIND = Kind("screen", ScreenSpec, Screen, play_screen, tell=tell_screen, page=screen_page, figure=screen_figures)


def run_screen(rig: Rig, before: Version, after: Version, plan: ScreenPlan, game: str | None = None,
               on_run: Each = ignore, done: Mapping[int, Capture] | None = None) -> Screen:
    """Screens the settings that differ between two versions; nothing of it is kept (`Workspace.screen` keeps).

    Args:
        plan: which settings, how often, and what is judged.
        before, after, game, on_run, done: as in `run_trial`; a run's arm is the row of the design.

    Raises:
        UsageError: as `run_trial`.
        RigError: the rig refuses a combination, or nothing can be recorded; it is put back to what it was.
    """
    spec = ScreenSpec(KeptVersion.of(before), KeptVersion.of(after), plan, game)
    return play(rig, KIND, spec, [before, after], on_run, done)


def costly(rig: Rig, plan: ScreenPlan) -> list[int]:
    """The factors whose switching restarts the machine or the driver."""
    return [place for place, group in enumerate(plan.factors)
            if restart_for(rig, list(group)) in ("driver", "machine")]


def mixed(before: Version, after: Version, plan: ScreenPlan, row: "Signs") -> Version:
    """The version of one run: `before`, with the factors that its row switches on as in `after`."""
    on = {key: after.entries.get(key) for group, sign in zip(plan.factors, row, strict=True) if sign > 0
          for key in group}
    return Version(before.profile, with_changes(before.entries, on))


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
        self.asked = 0                        # rounds that the first asks for, of a sized screen; 0 if it cannot

    @property
    def open(self) -> list[int]:
        """The places of the factors that are still switched."""
        return [place for place in range(len(self.plan.factors)) if place not in self.settled]

    @property
    def most(self) -> int:
        """How many rounds it takes at most, as far as that is known."""
        return self.plan.most_rounds(self.asked)

    @property
    def most_runs(self) -> int:
        """How many runs it takes at most, if what is open now stays so."""
        coming = len(self.plan.design(0, self.open)) * self.plan.repeats if self.open else 0
        return len(self.numbers) + coming * (self.most - len(self.sizes))

    @property
    def over(self) -> bool:
        """Whether nothing is unclear any more, or the last round was played."""
        return not self.open or len(self.sizes) == self.most

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
        if self.plan.sized and not self.asked:  # a first round of few runs may not tell how much they vary
            self.asked = len(self.sizes) * rounds_asked(played)
            played = replace(played, most=self.most)
        self._found = factors(played)
        settled = [place for place, factor in enumerate(self._found) if not any(
            effect.standing == "unclear" and played.has(effect.metric) for effect in factor.judged)]
        self.settled = {**{place: self._found[place] for place in settled}, **self.settled}

    def interim(self) -> tuple[Interim, ...]:
        """What is known so far of every factor, by the effect that tells most, the strongest first."""
        return tuple(Interim(" + ".join(factor.settings), effect.metric, effect.change_pct, effect.low_pct,
                             effect.high_pct, effect.standing, effect.matters_pct)
                     for factor in self._factors() for effect in [factor.telling])

    def result(self, base: Screen) -> Screen:
        """The screen's result; `base` is what else is known of it."""
        return replace(base, factors=tuple(self._factors()),
                       interactions=interactions(self._played()), runs=len(self.numbers),
                       rounds_played=len(self.sizes), asked_rounds=self.asked, one_by_one_runs=self.alone)

    def _factors(self) -> list[Factor]:
        """Every factor, the strongest first: as it was when it was settled, else as of the last look."""
        current = [self.settled.get(place, factor) for place, factor in enumerate(self._found)]
        return sorted(current, key=_strength, reverse=True)

    def _played(self) -> ScreenRuns:
        return ScreenRuns(self.plan, np.array(self.signs), self.numbers, self.sizes, self.most, self.costly)


def _strength(factor: Factor) -> float:
    return max(abs(effect.change_pct or 0.0) for effect in factor.judged)
