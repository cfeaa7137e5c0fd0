"""`keen tune --step`: a clock offset stepped up until the rig is not stable."""

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from keenlattice.cli.session import Session
    from keenlattice.logbook.studies import Study
    from keenlattice.profile.version import Version
    from keenlattice.trial.plan import Plan
    from keenlattice.trial.steps import StepPlan, StepsResult


def step_up(session: "Session", base: str, step: str, margin: float | None, trial: "Plan", proof: bool,
            game: str | None, json: bool) -> None:
    """Steps a setting up, settles below, and makes a version of that.

    Args:
        trial: of that version against where it started, if there is to be a `proof`; seconds, seed and goal are its.
    """
    from dataclasses import asdict

    from keenlattice.cli.studies import begun
    from keenlattice.errors import UsageError
    from keenlattice.trial.keeping import kept_version
    from keenlattice.trial.steps import StepPlan, steps_of

    key, _, text = step.partition("=")
    try:
        by = float(text)
    except ValueError:
        raise UsageError(f"--step {step!r}: write SETTING=BY, such as gpu.core-offset@gpu0=15") from None
    if not base:
        raise UsageError("stepping up takes a version to start from: keen tune rig --step SETTING=BY --game GAME")
    start = session.find(base)
    plan = StepPlan(key.strip(), by, 2 * by if margin is None else margin, goal=trial.decides, seconds=trial.seconds,
                    seed=trial.seed)
    steps_of(session.rig.catalog(), start, plan)  # says so if there are none, before anything is begun
    step_on(session, begun(session, "steps", [start], game, {
        "base": kept_version(start), "plan": asdict(plan), "proof": asdict(trial) if proof else None}), json)


def step_on(session: "Session", study: "Study", json: bool) -> None:
    """Plays what is left of a stepping up, and says what came out."""
    from keenlattice.cli.output import VERDICT_STYLES, emit_json, say
    from keenlattice.cli.studies import played, version_kept
    from keenlattice.cli.trial import run_and_keep
    from keenlattice.logbook.studies import failed_of
    from keenlattice.report.words import headline
    from keenlattice.trial.keeping import end
    from keenlattice.trial.kept import steps_plan
    from keenlattice.trial.run import game_for
    from keenlattice.trial.steps import run_steps

    kept = steps_plan(study)
    start, plan, game = version_kept(session, kept.base), kept.plan, kept.game
    result = played(session, study, game_for(start, start, game), f"stepping {plan.key} up", 3 * plan.runs,
                    lambda arm: f"steps {study.number}, {arm}", json,
                    lambda each, done: run_steps(session.rig, start, plan, game, each,
                                                 {**failed_of(session.book, study), **done}))
    end(session.book, session.rig, study, result.to_json())
    made = _commit(session, start, result)
    found = run_and_keep(session, start, made, kept.proof, game, quiet=json)[0] if made and kept.proof else None
    if json:
        emit_json("steps", {"version": made.reference if made else None, "trial": found.to_json() if found else None,
                            **result.to_json()})
        return
    _show(session, start, plan, result, made)
    if found:
        say("Against where it started, in blocks of runs of their own:")
        say(headline(found), VERDICT_STYLES[found.deciding.verdict])


def _commit(session: "Session", base: "Version", result: "StepsResult") -> "Version | None":
    from keenlattice.profile.compare import with_changes

    setting = session.rig.catalog()[result.plan.key]
    value = int(result.settled) if setting.kind == "whole" else result.settled
    if setting.checked(value) == base.entries.get(result.plan.key, setting.stock):
        return None
    highest = f"{result.highest:g}" if result.highest is not None else "none"
    return session.commit([base], with_changes(base.entries, {result.plan.key: value}),
                          f"stepped up: {highest} ran, {result.plan.margin:g} below it")


def _show(session: "Session", base: "Version", plan: "StepPlan", result: "StepsResult", made: "Version | None") -> None:
    from keenlattice.cli.output import say, table
    from keenlattice.measure.metrics import METRICS
    from keenlattice.report.words import TITLES

    unit = session.rig.catalog()[plan.key].unit
    last = result.steps[-1]
    say(f"{plan.key}: {result.settled:g} {unit}." + (
        f" At {last.value:g} a run went wrong: {last.wrong}." if last.wrong else
        " Nothing went wrong up to the end of what the catalog allows."), "bold")
    if result.highest is not None:
        say(f"The highest step at which all {plan.runs} runs of {plan.seconds:g} s went well is {result.highest:g}; "
            f"what ran may still be a little unstable, so it settles {plan.margin:g} below.\n", "dim")
    table([f"{plan.key}, {unit}", f"{TITLES[plan.goal]}, {METRICS[plan.goal].unit}", ""], [
        [f"{one.value:g}", "-" if one.goal is None else f"{one.goal:.2f}", one.wrong or "ran"] for one in result.steps],
        right=(0, 1))
    if made:
        say(f"\n{made.reference} was made of it. The rig is as it was.")
    else:
        say("\nNothing was changed: no step is far enough above where it started.")
