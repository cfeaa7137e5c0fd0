"""Hunting: the version of a history at which a metric changed, and the settings in it that did it.

First a trial of the oldest version against the newest: unless that says better or worse, there is nothing to hunt.
What changed there is then looked for (`search`): over the line of versions, and then among the settings that differ
between the version that was found and the one before it.
"""

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace

import numpy as np

from keenlattice.errors import UsageError
from keenlattice.measure.capture import Capture
from keenlattice.measure.metrics import logarithms, metrics_of
from keenlattice.profile.compare import changes, with_changes
from keenlattice.profile.version import Entries, Version
from keenlattice.rig.base import Rig
from keenlattice.study.deciding import Numbers
from keenlattice.study.hunt.plan import Hunt, HuntPlan, HuntSpec
from keenlattice.study.hunt.search import Signal, first_changed, least_set
from keenlattice.study.hunt.tell import hunt_figures, hunt_page, tell_hunt
from keenlattice.study.kind import Kind
from keenlattice.study.player import Each, Player, entries_on, ignore
from keenlattice.study.playing import play
from keenlattice.study.trial.concluding import concluded, metrics_in, over
from keenlattice.study.trial.plan import Arm
from keenlattice.study.trial.power import noise_of
from keenlattice.study.trial.result import MetricResult, Trial

MOST_LOOKS, MOST_PER_QUESTION = 300, 60


class Looks:
    """Blocks of a candidate against a base, one after the other.

    Args:
        play: plays one run: its place among all, its arm, the entries on the rig, and the seed.
    """

    def __init__(self, plan: HuntPlan, play: Callable[[int, str, Entries, int], Numbers]) -> None:
        self._plan, self._play = plan, play
        self.place = 0

    def left(self, looks: int) -> int:
        """How many of some blocks the runs that are left are enough for."""
        plan = self._plan
        return min(looks, (plan.most_runs - self.place) // (2 * plan.trial.repeats)) if plan.most_runs else looks

    def run(self, arm: str, entries: Entries, seed: int) -> Numbers:
        """The metrics of the next run."""
        place, self.place = self.place, self.place + 1
        return self._play(place, arm, entries, seed)

    def ratio(self, base: Entries, candidate: Entries, name: str, metric: str) -> float:
        """The log ratio of a metric in one block like those of the trial, in random order; NaN if a run has no
        number."""
        trial = self._plan.trial
        random = np.random.default_rng([trial.seed, 13, self.place])
        arms = [("base", base), (name, candidate)]
        means = {}
        for which in random.permutation(2):
            arm, entries = arms[which]
            values = [self.run(arm, entries, int(random.integers(2**31)))[metric] for _ in range(trial.repeats)]
            means[which] = float(logarithms(metric, values, trial.seconds).mean())
        return means[1] - means[0]


def play_hunt(player: Player, spec: HuntSpec, versions: Sequence[Version]) -> Hunt:
    """Plays a hunt through, or computes it again."""
    on_rig = [entries_on(player.rig, _known_here(player.rig, version)) for version in versions]

    def play_run(place: int, arm: str, entries: Entries, seed: int) -> Numbers:
        return metrics_of(player.play(place, place // 2, arm, lambda: entries, seed), metrics_in(spec.plan.trial))

    looks = Looks(spec.plan, play_run)
    first = Trial(player.game, spec.line[0], spec.line[-1], spec.plan.trial, (), player.rig.name)
    hunt = hunted(versions, on_rig, spec.plan, looks, first)
    return replace(hunt, runs=looks.place, excluded=tuple(player.excluded), doubts=tuple(player.doubts))


KIND = Kind("hunt", HuntSpec, Hunt, play_hunt, tell=tell_hunt, page=hunt_page, figure=hunt_figures)


def run_hunt(rig: Rig, line: Sequence[Version], plan: HuntPlan, game: str | None = None, on_run: Each = ignore,
             done: Mapping[int, Capture] | None = None) -> Hunt:
    """Hunts over a line of versions, the oldest first; nothing of it is kept (`Workspace.hunt` keeps).

    Args:
        plan: the trial that it begins with, and how likely it may be wrong.
        game, on_run, done: as in `run_trial`; a run's arm is a version's reference, or "base", or some settings.

    Raises:
        UsageError: fewer than two versions, or of two profiles.
        RigError: the rig refuses, or nothing can be recorded; it is put back to what it was.
    """
    if len(line) < 2:
        raise UsageError("a hunt takes a line of two versions at least")
    return play(rig, KIND, HuntSpec(tuple(version.reference for version in line), plan, game), line, on_run, done)


def _known_here(rig: Rig, version: Version) -> Version:
    """The version without what this rig does not have: that acts on nothing here, and history cannot be changed."""
    catalog = rig.catalog()
    return replace(version, entries={key: value for key, value in version.entries.items() if key in catalog})


def hunted(line: Sequence[Version], on_rig: Sequence[Entries], plan: HuntPlan, looks: Looks,
           result: Trial) -> Hunt:
    """The hunt itself.

    Args:
        on_rig: what each version of the line sets, formulas evaluated.
        result: what is known of the first trial before it is played.
    """
    trial = _first_trial(line, on_rig, plan, looks, result)
    changed = [metric for metric in trial.decisive if metric.verdict in ("better", "worse")]
    if not changed:
        return Hunt(trial, "", "", 0.0, (), True, 0)
    hunted_for = max(changed, key=_sureness).name
    noise = noise_of(trial, hunted_for)
    signal = Signal(math.log1p((trial[hunted_for].change_pct or 0) / 100), max(noise.sd, 1e-6), noise.dof)
    step = first_changed(len(line) - 1, lambda at: looks.ratio(
        on_rig[0], on_rig[at + 1], line[at + 1].reference, hunted_for), signal, plan.error, MOST_LOOKS, looks.left)
    before, first = step.first, step.first + 1
    keys = [change.key for change in changes(on_rig[before], on_rig[first])]

    def with_some(items: frozenset[int]) -> float:
        chosen = {keys[item]: on_rig[first].get(keys[item]) for item in items}
        return looks.ratio(on_rig[before], with_changes(on_rig[before], chosen), " + ".join(sorted(chosen)), hunted_for)

    least = least_set(len(keys), with_some, signal, plan.error / max(4, 2 * len(keys)), MOST_PER_QUESTION, looks.left)
    return Hunt(trial, line[before].reference, line[first].reference, step.probability,
                tuple(keys[item] for item in least.items), least.sure, 0, metric=hunted_for, more=step.more)


def _sureness(result: MetricResult) -> float:
    """How far a change lies from none, in widths of its interval."""
    low, high, middle = (math.log1p((end or 0.0) / 100) for end in (result.low_pct, result.high_pct, result.change_pct))
    return abs(middle) / max(high - low, 1e-12)


def _first_trial(line: Sequence[Version], on_rig: Sequence[Entries], plan: HuntPlan, looks: Looks,
                 result: Trial) -> Trial:
    ends = {"before": (line[0].reference, on_rig[0]), "after": (line[-1].reference, on_rig[-1])}
    runs: list[tuple[Arm, Numbers]] = []
    for _, arm, seed in plan.trial.runs():
        runs.append((arm, looks.run(*ends[arm], seed)))
        if over(plan.trial, runs):
            break
    return concluded(plan.trial, runs, result)
