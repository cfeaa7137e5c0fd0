"""Hunting: the version of a history at which a metric changed, and the settings in it that did it.

First a trial of the oldest version against the newest: unless that says better or worse, there is nothing to hunt. Its
effect and its noise are what is then looked for (`search`): over the line of versions, and then among the settings that
differ between the version that was found and the one before it.
"""

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from typing import TYPE_CHECKING, Any

import numpy as np

from keenlattice.errors import BadValue, UsageError
from keenlattice.measure.capture import Capture
from keenlattice.measure.metrics import TRIAL_METRICS, logarithms, metrics_of
from keenlattice.notebook import Shown
from keenlattice.profile.compare import changes, with_changes
from keenlattice.profile.version import Entries, Version
from keenlattice.rig.base import Rig, game_of
from keenlattice.rig.change import changing
from keenlattice.trial.conclude import Numbers, concluded
from keenlattice.trial.pilot import noise_of
from keenlattice.trial.plan import Arm, Plan
from keenlattice.trial.player import Each, Player, entries_on, ignore, put_back
from keenlattice.trial.reading import read_as
from keenlattice.trial.result import TrialResult
from keenlattice.trial.run import game_for
from keenlattice.trial.search import Signal, first_changed, least_set

if TYPE_CHECKING:
    import pandas

SCHEMA = "keen-lattice/hunt/1"
MOST_LOOKS, MOST_PER_QUESTION = 200, 40


@dataclass(frozen=True)
class HuntPlan:
    """How a hunt is run.

    Args:
        trial: the trial of the oldest version against the newest; its seed is the hunt's.
        error: how likely the version may be the wrong one.
    """

    trial: Plan
    error: float = 0.05

    def __post_init__(self) -> None:
        if not 0.001 <= self.error <= 0.3:
            raise BadValue(f"an error of {self.error:g}: give one from 0.001 to 0.3")


@dataclass(frozen=True)
class HuntResult(Shown):
    """What a hunt found.

    Args:
        trial: the oldest version against the newest.
        before, first: the last version without the change and the first with it, as references; "" if there was
            nothing to hunt.
        weight: how sure that is, from 0 to 1.
        settings: the least set of settings in it that brings the change about.
        sure: whether every question about those was answered.
        runs: that were played in all.
    """

    trial: TrialResult
    before: str
    first: str
    weight: float
    settings: tuple[str, ...]
    sure: bool
    runs: int
    excluded: tuple[str, ...] = ()

    def to_json(self) -> dict[str, Any]:
        """As documented in `docs/formats.md`; JSON types only."""
        return {"schema": SCHEMA, **asdict(self), "trial": self.trial.to_json()}

    def table(self) -> "pandas.DataFrame":
        """The trial of the oldest version against the newest: a row for each metric."""
        return self.trial.table()

    def _caption(self) -> str:
        if not self.first:
            return f"{self.trial.before} against {self.trial.after}: no change to hunt for"
        return f"It changed with {self.first} ({100 * self.weight:.0f} % sure): {', '.join(self.settings)}"

    @classmethod
    def of_json(cls, content: Mapping[str, Any]) -> "HuntResult":
        """A result as `to_json` has it.

        Raises:
            BookError: it is not of that form.
        """
        trial = content.get("trial")
        flat = TrialResult.of_json(trial if isinstance(trial, Mapping) else {})
        return read_as(cls, {**content, "trial": flat}, "a hunt")


class Looks:
    """Blocks of a candidate against a base, one after the other.

    Args:
        play: plays one run: its place among all, its arm, the entries on the rig, and the seed.
    """

    def __init__(self, plan: HuntPlan, play: Callable[[int, str, Entries, int], Numbers]) -> None:
        self._plan, self._play = plan, play
        self.place = 0

    def run(self, arm: str, entries: Entries, seed: int) -> Numbers:
        """The metrics of the next run."""
        place, self.place = self.place, self.place + 1
        return self._play(place, arm, entries, seed)

    def ratio(self, base: Entries, candidate: Entries, name: str) -> float:
        """The log ratio of one block, in random order; NaN if a run has no number."""
        random = np.random.default_rng([self._plan.trial.seed, 13, self.place])
        arms = [("base", base), (name, candidate)]
        values = {}
        for which in random.permutation(2):
            arm, entries = arms[which]
            values[which] = self.run(arm, entries, int(random.integers(2**31)))[self._plan.trial.decides]
        logs = logarithms(self._plan.trial.decides, [values[0], values[1]], self._plan.trial.seconds)
        return float(logs[1] - logs[0])


def run_hunt(rig: Rig, line: Sequence[Version], plan: HuntPlan, game: str | None = None, each: Each = ignore,
             done: Mapping[int, Capture] | None = None) -> HuntResult:
    """Hunts over a line of versions, the oldest first.

    Args:
        plan: the trial that it begins with, and how likely it may be wrong.
        game, each, done: as in `run_trial`; a run's arm is a version's reference, or "base", or some settings.

    Raises:
        UsageError: fewer than two versions, or of two profiles.
        RigError: the rig refuses, or nothing can be recorded; it is put back to what it was.
    """
    if len(line) < 2:
        raise UsageError("a hunt takes a line of two versions at least")
    played = game_of(rig, game_for(line[0], line[-1], game)).name
    on_rig = [entries_on(rig, _known_here(rig, version)) for version in line]

    with changing(rig, f"hunt from {line[0].reference} to {line[-1].reference}") as change:
        player = Player(change, line[0].profile, played, plan.trial.seconds, plan.trial.warm_up_s, each)
        kept = done or {}

        def play(place: int, arm: str, entries: Entries, seed: int) -> Numbers:
            capture = kept[place] if place in kept else player.play(place, place // 2, arm, entries, seed)
            return metrics_of(capture, TRIAL_METRICS)

        looks = Looks(plan, play)
        first = TrialResult(played, line[0].reference, line[-1].reference, plan.trial, (), rig.name)
        result = hunted(line, on_rig, plan, looks, first)
        put_back(change, sorted({key for entries in on_rig for key in entries}))
    return HuntResult(**{**result.__dict__, "runs": looks.place, "excluded": tuple(player.excluded)})


def _known_here(rig: Rig, version: Version) -> Version:
    """The version without what this rig does not have: that acts on nothing here, and history cannot be changed."""
    catalog = rig.catalog()
    return replace(version, entries={key: value for key, value in version.entries.items() if key in catalog})


def hunted(line: Sequence[Version], on_rig: Sequence[Entries], plan: HuntPlan, looks: Looks,
           result: TrialResult) -> HuntResult:
    """The hunt itself.

    Args:
        on_rig: what each version of the line sets, formulas reckoned.
        result: what is known of the first trial before it is played.
    """
    trial = _first_trial(line, on_rig, plan, looks, result)
    if trial.deciding.verdict not in ("better", "worse"):
        return HuntResult(trial, "", "", 0.0, (), True, 0)
    noise = noise_of(trial)
    signal = Signal(math.log1p((trial.deciding.change_pct or 0) / 100), max(noise.sd, 1e-6), noise.dof)
    found = first_changed(
        len(line) - 1, lambda at: looks.ratio(on_rig[0], on_rig[at + 1], line[at + 1].reference), signal, plan.error,
        MOST_LOOKS)
    before, first = found.first, found.first + 1
    keys = [one.key for one in changes(on_rig[before], on_rig[first])]

    def with_some(some: frozenset[int]) -> float:
        chosen = {keys[item]: on_rig[first].get(keys[item]) for item in some}
        return looks.ratio(on_rig[before], with_changes(on_rig[before], chosen), " + ".join(sorted(chosen)))

    least = least_set(len(keys), with_some, signal, plan.error / max(4, 2 * len(keys)), MOST_PER_QUESTION)
    return HuntResult(trial, line[before].reference, line[first].reference, found.weight,
                      tuple(keys[item] for item in least.items), least.sure, 0)


def _first_trial(line: Sequence[Version], on_rig: Sequence[Entries], plan: HuntPlan, looks: Looks,
                 result: TrialResult) -> TrialResult:
    ends = {"before": (line[0].reference, on_rig[0]), "after": (line[-1].reference, on_rig[-1])}
    runs: list[tuple[Arm, Numbers]] = [(arm, looks.run(*ends[arm], seed)) for _, arm, seed in plan.trial.runs()]
    return concluded(plan.trial, runs, result)
