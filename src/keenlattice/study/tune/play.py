"""A tuning is played: round by round, every combination that is still in the race once, in random order."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from functools import cache

import numpy as np

from keenlattice.measure.capture import Capture
from keenlattice.measure.metrics import metrics_of
from keenlattice.profile.compare import with_changes
from keenlattice.profile.version import Entries, Version
from keenlattice.rig.base import Rig
from keenlattice.study.deciding import Numbers
from keenlattice.study.kind import KeptVersion, Kind
from keenlattice.study.player import TRIES, Each, Player, RunsFailed, entries_on, ignore
from keenlattice.study.playing import play
from keenlattice.study.tune._race import Race
from keenlattice.study.tune.plan import TunePlan, TuneSpec, Tuning, checked, make_of_best
from keenlattice.study.tune.tell import tell_tuning, tune_figures, tune_page


def play_tune(player: Player, spec: TuneSpec, versions: Sequence[Version]) -> Tuning:
    """Plays a race through, or computes it anew."""
    plan, (base,) = spec.plan, versions
    race, combinations = Race(plan), plan.combinations()
    player.called = lambda arm: f" (combination {int(arm) + 1})"

    @cache
    def entries(one: int) -> Entries:
        return entries_on(player.rig, replace(base, entries=with_changes(base.entries, combinations[one])))

    place, over, number = 0, False, 0
    while not over and number < plan.rounds:
        for one in race.order(number):
            numbers = _numbers(player, plan, place, number, one, lambda one=one: entries(one))  # type: ignore[misc]
            if numbers is None:
                race.out[one] = "does not run"
            else:
                race.add(number, one, numbers)
            place += 1
        over, number = race.look(number), number + 1
    return Tuning(player.game, base.reference, player.rig.name, plan, tuple(race.standings()), place, number, over,
                      tuple(player.excluded), tuple(player.doubts))


KIND = Kind("tune", TuneSpec, Tuning, play_tune, failures=TRIES, tell=tell_tuning, page=tune_page, figure=tune_figures,
            makes=make_of_best)


def run_tune(rig: Rig, base: Version, plan: TunePlan, game: str | None = None, each: Each = ignore,
             done: Mapping[int, Capture] | None = None) -> Tuning:
    """Races combinations of settings on top of a version; nothing of it is kept (`Workspace.tune` keeps).

    Args:
        plan: the settings and their values, the goal, the limits.
        base, game, each, done: as in `run_trial`; a run's arm is the combination's number. A capture without frames
            stands for a run that went wrong as often as it is tried.

    Raises:
        UnknownName, BadValue: a setting or a value that the catalog does not have.
        RigError: the rig refuses; it is put back to what it was.
    """
    return play(rig, KIND, TuneSpec(KeptVersion.of(base), checked(rig.catalog(), plan), game), [base], each, done)


def _numbers(player: Player, plan: TunePlan, place: int, number: int, one: int,
             entries: Callable[[], Entries]) -> Numbers | None:
    """The metrics of one run; None if the game does not run with this combination."""
    seed = int(np.random.default_rng([plan.seed, 19, place]).integers(2**31))
    try:
        capture = player.play(place, number, str(one), entries, seed)
    except RunsFailed:
        return None
    if not capture.shown_ms.size:
        return None
    return metrics_of(capture, [*plan.goals, *(limit.metric for limit in plan.limits)])
