"""Stepping a clock offset up until the rig is not stable, and settling below.

Each step is played several times; the first run that goes wrong (the game crashes, or nothing can be recorded) ends
it. What ran is not proof that it always will: a rig that is a little unstable may pass any check. So it settles a
margin below the highest step at which every run went well.
"""

from collections.abc import Callable, Mapping, Sequence
from functools import partial
from typing import TYPE_CHECKING

import numpy as np

from keenlattice.blocks import MOST_KEYS, KeyFigure, Table, Telling, Text
from keenlattice.catalog.values import written
from keenlattice.errors import counted
from keenlattice.measure.capture import Capture
from keenlattice.measure.metrics import METRICS, metrics_of
from keenlattice.profile.compare import with_changes
from keenlattice.profile.version import Entries, Version
from keenlattice.report.words import TITLES
from keenlattice.rig.base import Rig
from keenlattice.study.kind import KeptVersion, Kind
from keenlattice.study.player import Each, Player, entries_on, ignore
from keenlattice.study.playing import play
from keenlattice.study.ramp.plan import Ramp, RampPlan, RampSpec, RampStep, make_of_settled, steps_of
from keenlattice.study.trial.words import keys_of, what_was_made

if TYPE_CHECKING:
    from keenlattice.study.kind import Beside


def tell_ramp(result: Ramp, beside: "Beside") -> Telling:
    """Tell a ramp: how far it went, and where it settles."""
    unit, (made, advice) = beside.catalog[result.plan.key].unit, what_was_made(result.plan.goal, beside)
    plan, last = result.plan, result.steps[-1]
    stopped = (f"At {last.value:g} a run went wrong: {last.wrong}." if last.wrong else
               "Nothing went wrong up to the end of what the catalog allows.")
    about = ("" if result.highest is None else
             f"The highest step at which {counted(plan.runs, 'run')} of {plan.seconds:g} s went well is "
             f"{result.highest:g}; what ran may still be a little unstable, so it settles {plan.margin:g} below.")
    rows = [[f"{step.value:g}", "-" if step.goal is None else f"{step.goal:.2f}", step.wrong or "ran"]
            for step in result.steps]
    table = Table([f"{plan.key}, {unit}", f"{TITLES[plan.goal]}, {METRICS[plan.goal].unit}", ""], rows, right=(0, 1))
    settled = written(result.settled, unit)
    key = KeyFigure(f"{plan.key} settles at {settled}.", "", plan.key, settled, stopped)
    proof = keys_of(beside.made.proof, MOST_KEYS - 1) if beside.made and beside.made.proof else []
    return Telling([key, *proof], f"{stopped} {about}".strip(), [table, *(made or [Text(
        "Nothing was changed: no step is far enough above where it started.")])], advice)


def play_ramp(player: Player, spec: RampSpec, versions: Sequence[Version]) -> Ramp:
    """Plays a ramp through, or computes it again."""
    plan, (base,) = spec.plan, versions
    setting, values = player.rig.catalog()[plan.key], steps_of(player.rig.catalog(), base, plan)

    def entries(value: float) -> Entries:
        return entries_on(player.rig, Version(base.profile, with_changes(base.entries, {
            plan.key: setting.checked(int(value) if setting.kind == "whole" else value)})))

    steps, place = list[RampStep](), 0
    for number, value in enumerate(values):
        step, played = _step(player, plan, number, value, partial(entries, value), place)
        steps.append(step)
        place += played
        if step.wrong:
            break
    highest = max((step.value for step in steps if not step.wrong), default=None)
    settled = values[0] if highest is None else max(values[0], highest - plan.margin)
    return Ramp(player.game, base.reference, player.rig.name, plan, tuple(steps), highest, settled)


def _step(player: Player, plan: RampPlan, number: int, value: float, entries: Callable[[], Entries],
          place: int) -> tuple[RampStep, int]:
    """One step, and how many runs it took: all that it is to have, or up to the first that went wrong."""
    goals = list[float]()
    for at in range(place, place + plan.runs):
        capture, wrong = player.done.get(at), ""
        if capture is None:
            seed = int(np.random.default_rng([plan.seed, 23, at]).integers(2**31))
            run = player.once(at, number, f"{value:g}", entries(), seed)
            capture, wrong = run.capture, run.excluded
        elif not capture.shown_ms.size:
            wrong = str(capture.about.get("excluded") or "a run went wrong, before this was stopped and resumed")
        if wrong:
            return RampStep(value, None, wrong), at - place + 1
        goals.append(metrics_of(capture, [plan.goal])[plan.goal])
    return RampStep(value, float(np.mean(goals)), ""), plan.runs


KIND = Kind("ramp", RampSpec, Ramp, play_ramp, failures=1, tell=tell_ramp,
            makes=make_of_settled)


def run_ramp(rig: Rig, base: Version, plan: RampPlan, game: str | None = None, on_run: Each = ignore,
             done: Mapping[int, Capture] | None = None) -> Ramp:
    """Steps a setting up from what a version has, to the end of what the catalog allows or to the first crash; nothing
    of it is kept (`Workspace.ramp` keeps).

    Args:
        base, game, on_run, done: as in `run_trial`; a capture without frames stands for a run that went wrong.

    Raises:
        UnknownName, BadValue: no such setting, or one that holds no number.
        RigError: the rig refuses a value; it is put back to what it was.
    """
    steps_of(rig.catalog(), base, plan)
    return play(rig, KIND, RampSpec(KeptVersion.of(base), plan, game), [base], on_run, done)
