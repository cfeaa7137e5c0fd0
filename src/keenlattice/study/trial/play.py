"""A trial is played: one version on the rig, a run, the other on it, a run; and everything back at the end."""

from collections.abc import Mapping, Sequence
from functools import cache, partial

import numpy as np

from keenlattice.measure.capture import Capture
from keenlattice.measure.doubts import held_by_screen
from keenlattice.measure.metrics import METRICS, PRICES, metrics_of
from keenlattice.measure.summaries import t_interval
from keenlattice.measure.telemetry import limited_by, mean_limits
from keenlattice.profile.version import Version
from keenlattice.report.words import brief_title, capital
from keenlattice.rig.base import Rig
from keenlattice.study.deciding import Numbers
from keenlattice.study.kind import KeptVersion, Kind
from keenlattice.study.player import Each, Interim, Player, entries_on, ignore
from keenlattice.study.playing import play
from keenlattice.study.trial.adjusting import AT_START, at_start
from keenlattice.study.trial.concluding import (
    AT_SCREEN_RATE,
    conclude_deciding,
    concluded,
    metrics_in,
    over,
    runs_asked_for,
)
from keenlattice.study.trial.plan import NOW, Arm, TrialPlan, TrialSpec
from keenlattice.study.trial.result import Price, Trial
from keenlattice.study.trial.tell import tell_trial, trial_figures, trial_page


def play_trial(player: Player, spec: TrialSpec, versions: Sequence[Version]) -> Trial:
    """Plays a trial through, or computes it again."""
    plan, runs, costs = spec.plan, list[tuple[Arm, Numbers]](), list[tuple[int, Arm, Numbers]]()
    limits: dict[Arm, list[Mapping[str, float]]] = {"before": [], "after": []}
    arms = {arm: cache(partial(entries_on, player.rig, version))
            for arm, version in zip(("before", "after"), versions, strict=True)}
    for place, (block, arm, seed) in enumerate(plan.runs()):
        capture = player.play(place, block, arm, arms[arm], seed)
        numbers = dict(metrics_of(capture, metrics_in(plan)))
        if held_by_screen(capture):
            numbers[AT_SCREEN_RATE] = 1.0
        if plan.adjusts_for:
            numbers[AT_START] = at_start(capture, plan.adjusts_for)
        runs.append((arm, numbers))
        costs.append((block, arm, metrics_of(capture, PRICES)))
        limits[arm].append(limited_by(capture))
        if over(plan, runs):
            break
        player.most = runs_asked_for(plan, runs) or player.most
    player.doubts[:0] = doubts_of_order(spec)
    return concluded(plan, runs, Trial(
        player.game, spec.before.reference, spec.after.reference, plan, (), player.rig.name,
        excluded=tuple(player.excluded), prices=prices(costs), doubts=tuple(player.doubts),
        limited_by={arm: shares for arm, limit in limits.items() if (shares := mean_limits(limit))}))


def doubts_of_order(spec: TrialSpec) -> list[str]:
    """Return what speaks against the order of runs that were recorded before they were planned."""
    doubts = list[str]()
    if spec.dated:
        doubts.append("the order of the runs is by when their files were saved: say it, if that is not how they were "
                      "played")
    if spec.plan.out_of_turn:
        in_turn = "" if spec.after.reference.endswith(NOW) else (
            f"; {spec.before.reference} and {spec.after.reference} have to be played in turn")
        doubts.append("all runs of one version came before those of the other: what the machine did meanwhile counts "
                      f"for a difference, too, so there is no word{in_turn}")
    return doubts


def trial_so_far(spec: TrialSpec, numbers: Mapping[int, Numbers]) -> Sequence[Interim]:
    """Return what decides a trial as it stands by its whole blocks so far; nothing before there are three: an
    interval of two blocks spans hundreds of per cent and tells nothing."""
    plan = spec.plan
    runs = [(arm, numbers[place]) for place, (_, arm, _) in enumerate(plan.runs()[:len(numbers)]) if place in numbers]
    count = len(runs) - len(runs) % (2 * plan.repeats)
    metrics = conclude_deciding(plan, runs[:count]) if count >= 6 * plan.repeats else ()
    return [Interim(capital(brief_title(metric.name)), metric.name, metric.change_pct, metric.low_pct, metric.high_pct,
                    metric.verdict, metric.matters_pct) for metric in metrics if metric.n]


KIND = Kind("trial", TrialSpec, Trial, play_trial, tell=tell_trial, page=trial_page, figure=trial_figures,
            so_far=trial_so_far)


def run_trial(rig: Rig, before: Version, after: Version, plan: TrialPlan, game: str | None = None,
              on_run: Each = ignore, done: Mapping[int, Capture] | None = None) -> Trial:
    """Plays two versions against each other and says what differs; nothing of it is kept (`Workspace.trial` keeps).

    Args:
        before, after: two versions of one profile.
        plan: how many blocks of which runs, what decides, and what matters.
        game: what is played; may be left out if the profile is a game's.
        on_run: is called with every run once it is done, for progress and for keeping captures; with one that went
            wrong, too, which is then played again.
        done: the runs that were played earlier, by their place in the plan: they are not played again.

    Raises:
        UsageError: versions of two profiles, or of the rig-wide one without a game.
        RigError: the rig refuses, or nothing can be recorded; it is put back to what it was.

    >>> import tempfile
    >>> from pathlib import Path
    >>> from keenlattice import open_rig, stock
    >>> from keenlattice.study import Deciding
    >>> rig = open_rig("standin", Path(tempfile.mkdtemp()))
    >>> shorter = Version("brass-orbit", {"frame.queue-depth": 1})
    >>> plan = TrialPlan(blocks=4, seconds=20, seed=1, decides=Deciding("latency", 3))
    >>> run_trial(rig, stock("brass-orbit"), shorter, plan).deciding.verdict
    'better'
    """
    spec = TrialSpec(KeptVersion.of(before), KeptVersion.of(after), plan, game)
    return play(rig, KIND, spec, [before, after], on_run, done)


AT, FEWEST = 0.95, 2  # the confidence of a price's interval, and the fewest blocks that give one


def prices(runs: Sequence[tuple[int, Arm, Mapping[str, float]]]) -> tuple[Price, ...]:
    """What each metric of telemetry was with either version, and how much they differ.

    The differences of the blocks that know it for both versions, their mean, and its interval by Student's t.

    Args:
        runs: of each its block, its version, and its metrics.
    """
    result = []
    for name in runs[0][2] if runs else ():
        by_arm = {arm: {block: row[name] for block, of, row in runs if of == arm and np.isfinite(row[name])}
                  for arm in ("before", "after")}
        blocks = sorted(by_arm["before"].keys() & by_arm["after"].keys())
        if len(blocks) < FEWEST:
            continue
        before, after = (np.array([by_arm[arm][block] for block in blocks]) for arm in ("before", "after"))
        result.append(Price(name, METRICS[name].unit, float(before.mean()), float(after.mean()),
                            *t_interval(after - before, AT), len(blocks)))
    return tuple(result)
