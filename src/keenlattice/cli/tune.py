"""`keen tune`: the best of some combinations of settings for this rig."""

import re
from dataclasses import asdict
from typing import TYPE_CHECKING, Annotated

import typer

from keenlattice.cli.complete import assignments, metrics, references
from keenlattice.cli.fitting import only
from keenlattice.cli.options import REFERENCE, Again, Book, Json, Matters, Played, Resume, Rig, Seconds, Seed, WarmUp

if TYPE_CHECKING:
    from keenlattice.catalog.values import Value
    from keenlattice.cli.session import Session
    from keenlattice.logbook.studies import Study
    from keenlattice.profile.version import Version
    from keenlattice.trial.result import TrialResult
    from keenlattice.trial.tune import Combination, Limit, TunePlan, TuneResult

SHOWN = 12


def tune(
    ctx: typer.Context,
    base: Annotated[str, typer.Argument(autocompletion=references, help=f"Where to start from. {REFERENCE}")] = "",
    vary: Annotated[list[str] | None, typer.Option(
        "--try", autocompletion=assignments, metavar="SETTING=VALUE,VALUE", help="A setting and the "
                                                   "values to try, as frame.cap=off,120,160; once or more.")] = None,
    goal: Annotated[str, typer.Option(
        "--goal", autocompletion=metrics, help="The metric that is to be as good as can be.")] = "frame_ms_mean",
    keep: Annotated[list[str] | None, typer.Option("--keep", metavar="METRIC<VALUE", help="A bound to keep, such as "
                                                   "'frame_ms_p99<8' or 'fps_mean>100'; once or more.")] = None,
    step: Annotated[str, typer.Option("--step", metavar="SETTING=BY", help="Instead of a race: step a clock offset up "
                                      "until the rig is not stable, such as gpu.core-offset@gpu0=15.")] = "",
    margin: Annotated[float | None, typer.Option("--margin", help="How far below the highest step that ran it settles."
                                                 "  [default: two steps]")] = None,
    rounds: Annotated[int, typer.Option("--rounds", help="At most so many; each plays every combination that is still "
                                        "in the race once.")] = 30,
    matters: Matters = "1",
    warm_up: WarmUp = 0.0,
    game: Played = None,
    proof: Annotated[int, typer.Option("--proof", help="Blocks of the trial of the best against where it started; 0 "
                                       "for none.")] = 8,
    resume: Resume = False,
    again: Again = None,
    seconds: Seconds = 20.0, seed: Seed = None, book: Book = None, rig: Rig = "standin", json: Json = False,
) -> None:
    """Find the best combination of some values for this rig, and make a version of it.

    The rig is put back to what it was, whatever happens.
    """
    from keenlattice.cli.output import emit_json
    from keenlattice.cli.session import begin
    from keenlattice.cli.steps import step_on, step_up
    from keenlattice.cli.studies import begun, matters_pct, recompute, version_kept
    from keenlattice.cli.trial import run_and_keep
    from keenlattice.errors import UsageError
    from keenlattice.logbook.studies import study
    from keenlattice.trial.keeping import kept_version
    from keenlattice.trial.kept import tune_plan
    from keenlattice.trial.plan import Plan, fresh_seed
    from keenlattice.trial.tune import TunePlan, checked, run_tune

    _check_what_goes_together(ctx, resume, again, step)
    session = begin(book, rig)
    if step:
        seed = fresh_seed() if seed is None else seed
        enough = matters_pct(session, matters, goal, session.find(base), json) if base else 1.0
        step_up(session, base, step, margin, Plan(max(2, proof), seconds, seed, goal, enough), proof > 0, game, json)
        return
    if resume and (waiting := _stepping(session)):
        step_on(session, waiting, json)
        return
    if resume or again is not None:
        found = study(session.book, session.rig.name, again, "tune")
        kept = tune_plan(found)
        start, plan, proof, game = version_kept(session, kept.base), kept.plan, kept.proof, kept.game
    elif not (base and vary):
        raise UsageError("tuning takes a version and settings to vary: keen tune GAME --try SETTING=VALUE,VALUE; or "
                         "--resume")
    else:
        start = session.find(base)
        choices = tuple(_choice(session, text) for text in vary)
        plan = checked(session.rig.catalog(), TunePlan(
            choices, goal, tuple(_limit(text) for text in keep or []), rounds, seconds,
            fresh_seed() if seed is None else seed, matters_pct(session, matters, goal, start, json), warm_up))
        found = begun(session, "tune", [start], game, {"base": kept_version(start), "plan": asdict(plan),
                                                          "proof": proof})
    if again is not None:
        recompute(lambda captures: run_tune(session.rig, start, plan, game, done=captures).to_json(),
                  session, "tune", again, json)
        return
    result = _play(session, found, start, plan, quiet=json)
    made = _commit(session, start, result)
    trial = None
    if made and proof:
        again_plan = Plan(proof, plan.seconds, plan.seed, plan.goal, plan.matters_pct, warm_up_s=plan.warm_up_s)
        trial, _ = run_and_keep(session, start, made, again_plan, game, quiet=json)
    if json:
        emit_json("tune", {"version": made.reference if made else None, "trial": trial.to_json() if trial else None,
                           **result.to_json()})
        return
    _show(session, start, result, made, trial)


def _check_what_goes_together(ctx: typer.Context, resume: bool, again: int | None, step: str) -> None:
    both = ("base", "goal", "matters", "game", "proof", "seconds", "seed")
    if resume or again is not None:
        only(ctx, "--resume" if again is None else "--again", "resume" if again is None else "again")
    elif step:
        only(ctx, "--step", "step", "margin", *both)
    else:
        only(ctx, "a race (which has no --step)", "vary", "keep", "rounds", "warm_up", *both)


def _stepping(session: "Session") -> "Study | None":
    """The stepping up that was stopped, if it is newer than any race that was."""
    from keenlattice.logbook.studies import studies

    waiting = [one for one in studies(session.book, session.rig.name)
               if one.result is None and one.kind in ("tune", "steps")]
    return waiting[0] if waiting and waiting[0].kind == "steps" else None


def _choice(session: "Session", text: str) -> "tuple[str, tuple[Value, ...]]":
    """A setting and its values, as the player has written them."""
    from keenlattice.errors import UsageError

    key, equals, values = text.partition("=")
    texts = [one.strip() for one in values.split(",") if one.strip()]
    if not equals or len(texts) < 2:
        raise UsageError(f"--try {text!r}: write SETTING=VALUE,VALUE, two values at least")
    setting = session.rig.catalog()[key.strip()]
    return key.strip(), tuple(setting.parsed(one) for one in texts)


def _limit(text: str) -> "Limit":
    """A bound, as the player has written it."""
    from keenlattice.errors import UsageError
    from keenlattice.trial.tune import Limit

    found = re.fullmatch(r"\s*([a-z0-9_]+)\s*([<>])\s*([0-9.]+)\s*", text)
    try:
        if found:
            return Limit(found[1], "below" if found[2] == "<" else "above", float(found[3]))
    except ValueError:
        pass
    raise UsageError(f"--keep {text!r}: write METRIC<VALUE or METRIC>VALUE, such as frame_ms_p99<8")


def _play(session: "Session", study: "Study", base: "Version", plan: "TunePlan", quiet: bool) -> "TuneResult":
    from keenlattice.cli.studies import played
    from keenlattice.trial.keeping import end
    from keenlattice.trial.kept import tune_plan
    from keenlattice.trial.run import game_for
    from keenlattice.trial.tune import run_tune

    game, count = game_for(base, base, tune_plan(study).game), len(plan.combinations())
    result = played(session, study, game, f"{count} combinations", count * plan.rounds,
                    lambda arm: f"tune {study.number}, combination {arm}", quiet,
                    lambda each, done: run_tune(session.rig, base, plan, game, each, done))
    end(session.book, session.rig, study, result.to_json())
    return result


def _commit(session: "Session", base: "Version", result: "TuneResult") -> "Version | None":
    """The best combination as a new version; None if there is none, or it is what was there before."""
    from keenlattice.profile.compare import changes, with_changes

    if result.best is None:
        return None
    entries = with_changes(base.entries, result.best.values)
    if not changes(base.entries, entries):
        return None
    return session.commit([base], entries, f"tuned for {result.plan.goal}")


def _show(session: "Session", base: "Version", result: "TuneResult", made: "Version | None",
          trial: "TrialResult | None") -> None:
    from keenlattice.cli.output import VERDICT_STYLES, hint, say, table
    from keenlattice.cli.studies import say_excluded
    from keenlattice.measure.metrics import METRICS
    from keenlattice.report.words import TITLES, headline, tune_headline

    plan = result.plan
    say(tune_headline(result), "bold" if result.best else "bold red")
    say(f"{len(result.combinations)} combinations on top of {base.reference} on {result.rig}: {result.runs} runs of "
        f"{plan.seconds:g} s in {result.rounds_played} rounds, seed {plan.seed}.\n", "dim")
    table([*(key for key, _ in plan.choices), f"{TITLES[plan.goal]}, {METRICS[plan.goal].unit}", "against the best",
           "runs", ""], [_row(session, one) for one in result.combinations[:SHOWN]],
          right=(len(plan.choices), len(plan.choices) + 1, len(plan.choices) + 2))
    if len(result.combinations) > SHOWN:
        say(f"and {len(result.combinations) - SHOWN} more (--json lists all)", "dim")
    say_excluded(result.excluded)
    if made:
        say(f"\n{made.reference} was made of the best. The rig is as it was.")
    if made and trial:
        say(f"Against where it started, in {trial.blocks_played} blocks of runs of their own:")
        say(headline(trial), VERDICT_STYLES[trial.deciding.verdict])
        hint(f"keen apply {made.reference}; keen report makes a page of it")
    elif made:
        hint(f"keen trial {base.reference} {made.reference} --decides {plan.goal}, which alone proves it")


def _row(session: "Session", one: "Combination") -> list[str]:
    from keenlattice.cli.changes import value_text
    from keenlattice.report.words import between

    against = between(one.low_pct, one.high_pct)
    return [*(value_text(session.rig.catalog(), key, value) for key, value in one.values.items()),
            "-" if one.goal is None else f"{one.goal:.1f}", against, str(one.rounds), one.standing]
