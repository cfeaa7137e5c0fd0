"""Stepping a clock offset up until the rig is not stable, and settling below.

Each step is played several times; the first run that goes wrong (the game crashes, or nothing can be recorded) ends
it. What ran is no proof that it always will: a rig that is a little unstable may pass any check. So it settles a margin
below the highest step at which every run went well.
"""

from collections.abc import Mapping
from dataclasses import asdict, dataclass, replace
from typing import Any

import numpy as np

from keenlattice.catalog.model import Catalog
from keenlattice.errors import BadValue
from keenlattice.measure.capture import Capture
from keenlattice.measure.metrics import metric, metrics_of
from keenlattice.profile.compare import with_changes
from keenlattice.profile.version import Version
from keenlattice.rig.base import Rig, game_of
from keenlattice.rig.change import changing
from keenlattice.trial.plan import check_seconds, check_seed
from keenlattice.trial.player import Each, Player, entries_on, ignore, put_back
from keenlattice.trial.run import game_for

SCHEMA = "keen-lattice/steps/1"
MOST_STEPS = 500


@dataclass(frozen=True)
class StepPlan:
    """How an offset is stepped up.

    Args:
        key: the setting; a whole number or a number.
        by: how much a step adds.
        margin: how far below the highest step that ran it settles.
        runs: of a step, all of which have to go well.
        goal: a metric that is told beside each step.
    """

    key: str
    by: float
    margin: float
    runs: int = 3
    goal: str = "frame_ms_mean"
    seconds: float = 30.0
    seed: int = 0

    def __post_init__(self) -> None:
        metric(self.goal)
        if not self.by > 0:
            raise BadValue(f"steps of {self.by:g}: a step goes up")
        check_seed(self.seed)
        if not self.margin >= 0:
            raise BadValue(f"a margin of {self.margin:g}: it is 0 or more")
        if not 1 <= self.runs <= 50:
            raise BadValue(f"{self.runs} runs of a step: 1 to 50 are played")
        check_seconds(self.seconds)


@dataclass(frozen=True)
class Step:
    """One step: the value, its mean of the goal over the runs that went well, and what went wrong ("" if nothing)."""

    value: float
    goal: float | None
    wrong: str


@dataclass(frozen=True)
class StepsResult:
    """What stepping up found: `settled` is the value to keep, never below the one that it started from."""

    game: str
    base: str
    rig: str
    plan: StepPlan
    steps: tuple[Step, ...]
    settled: float

    @property
    def highest(self) -> float | None:
        """The highest value at which every run went well; None if not even the first did."""
        return max((one.value for one in self.steps if not one.wrong), default=None)

    def to_json(self) -> dict[str, Any]:
        """As documented in `docs/formats.md`; JSON types only."""
        return {"schema": SCHEMA, **asdict(self), "highest": self.highest}


def steps_of(catalog: Catalog, base: Version, plan: StepPlan) -> list[float]:
    """The values that are stepped through, from what a version has to the end of what the catalog allows.

    Raises:
        UnknownName, BadValue: no such setting, one that holds no number, or too many steps.
    """
    setting = catalog[plan.key]
    if setting.kind not in ("whole", "number") or setting.high is None:
        raise BadValue(f"{plan.key} takes {setting.allowed()}: only numbers with an end can be stepped up")
    start = base.entries.get(plan.key, setting.stock)
    begin = float(start) if isinstance(start, int | float) else 0.0
    if not (float(setting.high) - begin) / plan.by < MOST_STEPS:
        raise BadValue(f"steps of {plan.by:g} from {begin:g} to {setting.high:g}: that is more than {MOST_STEPS}; take "
                       "larger ones")
    return [begin + count * plan.by for count in range(int((float(setting.high) - begin) / plan.by) + 1)]


def run_steps(rig: Rig, base: Version, plan: StepPlan, game: str | None = None, each: Each = ignore,
              done: Mapping[int, Capture] | None = None) -> StepsResult:
    """Steps a setting up from what a version has, to the end of what the catalog allows or to the first crash.

    Args:
        base, game, each, done: as in `run_trial`; a capture without frames stands for a run that went wrong.

    Raises:
        UnknownName, BadValue: no such setting, or one that holds no number.
        RigError: the rig refuses a value; it is put back to what it was.
    """
    setting, values = rig.catalog()[plan.key], steps_of(rig.catalog(), base, plan)
    steps, place = list[Step](), 0
    with changing(rig, f"stepping {plan.key} up") as change:
        player = Player(change, base.profile, game_of(rig, game_for(base, base, game)).name, plan.seconds, each=each)
        for count, value in enumerate(values):
            entries = entries_on(rig, Version(base.profile, with_changes(base.entries, {
                plan.key: setting.checked(int(value) if setting.kind == "whole" else value)})))
            goals, wrong = [], ""
            for _ in range(plan.runs):
                seed = int(np.random.default_rng([plan.seed, 23, place]).integers(2**31))
                capture = (done or {}).get(place)
                if capture is None:
                    run = player.once(place, count, f"{value:g}", entries, seed)
                    capture, wrong = run.capture, run.excluded
                elif not capture.shown_ms.size:
                    wrong = "a run went wrong, before this was stopped and resumed"
                place += 1
                if wrong:
                    break
                goals.append(metrics_of(capture, [plan.goal])[plan.goal])
            steps.append(Step(value, float(np.mean(goals)) if goals and not wrong else None, wrong))
            if wrong:
                break
        put_back(change, [plan.key])
    result = StepsResult(player.game, base.reference, rig.name, plan, tuple(steps), values[0])
    if result.highest is None:
        return result
    return replace(result, settled=max(values[0], result.highest - plan.margin))
