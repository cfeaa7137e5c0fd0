"""`keen trial`: two versions against each other, and a verdict."""

from collections.abc import Callable
from dataclasses import asdict
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from keenlattice.cli.complete import metrics, references
from keenlattice.cli.fitting import only
from keenlattice.cli.options import REFERENCE, Again, Book, Json, Matters, Played, Resume, Rig, Seconds, Seed, WarmUp

if TYPE_CHECKING:
    from keenlattice.cli.session import Session
    from keenlattice.logbook.studies import Study
    from keenlattice.measure.capture import Capture
    from keenlattice.profile.version import Version
    from keenlattice.trial.plan import Plan
    from keenlattice.trial.player import Run
    from keenlattice.trial.result import TrialResult

Captures = dict[str, list["Capture"]]


def trial(
    ctx: typer.Context,
    before: Annotated[str, typer.Argument(autocompletion=references, help=REFERENCE)] = "",
    after: Annotated[str, typer.Argument(autocompletion=references, help="The version to compare with it.")] = "",
    blocks: Annotated[int, typer.Option("--blocks", help="Pairs of runs; each holds one run of either version.")] = 8,
    seconds: Seconds = 30.0,
    decides: Annotated[str, typer.Option(
        "--decides", autocompletion=metrics, help="The metric that decides, named in advance."
                                         )] = "frame_ms_mean",
    matters: Matters = "1",
    game: Played = None,
    early: Annotated[bool, typer.Option("--early", help="End as soon as it is settled, at four looks fixed in "
                                                        "advance; the intervals are wider for it.")] = False,
    repeats: Annotated[int, typer.Option("--repeats", help="Runs of either in a block, one after the other.")] = 1,
    warm_up: WarmUp = 0.0,
    pilot: Annotated[int | None, typer.Option("--pilot", min=3, max=50, help="First play so many blocks of the version "
                                              "against itself, and say how many would settle the trial.")] = None,
    resume: Resume = False,
    from_files: Annotated[bool, typer.Option("--from-files", help="Plan one whose runs you record yourself.")] = False,
    take: Annotated[list[Path] | None, typer.Option("--take", help="Such a run's recording, the next in order; once or "
                                                    "more.")] = None,
    by: Annotated[str, typer.Option("--map", help="The column map for it.  [default: by its header]")] = "",
    claims: Annotated[Path | None, typer.Option("--claims", metavar="PACK", help="Repeat here what a pack claims.")
                      ] = None,
    again: Again = None,
    figure: Annotated[Path | None, typer.Option("--figure", help="Draw it: .png or .svg.")] = None,
    seed: Seed = None, book: Book = None, rig: Rig = "standin", json: Json = False,
) -> None:
    """Play two versions against each other, in blocks in random order, and say what differs.

    The rig is put back to what it was, whatever happens. Every run is kept as soon as it is played.
    """
    from keenlattice.cli import trial_plan
    from keenlattice.cli.claims import repeat_claims
    from keenlattice.cli.outfile import new_file
    from keenlattice.cli.session import begin
    from keenlattice.cli.studies import matters_pct
    from keenlattice.errors import UsageError
    from keenlattice.trial.plan import Plan, fresh_seed

    _check_what_goes_together(ctx, again, claims, take, resume, pilot, from_files)
    figure = new_file(figure, ".png", ".svg")
    session = begin(book, rig)
    if again is not None:
        trial_plan.recompute(session, again, json)
        return
    if claims is not None:
        plan = Plan(blocks, seconds, fresh_seed() if seed is None else seed, decides, early=early, repeats=repeats,
                    warm_up_s=warm_up)
        repeat_claims(session, claims, plan, game, json)
        return
    if take:
        done = trial_plan.take_in(session, take, by, json)
    elif resume:
        done = resumed(session, json)
    elif not (before and after):
        raise UsageError("a trial takes two versions: keen trial BEFORE AFTER; or --resume, --take or --again")
    else:
        one, other = session.find(before), session.find(after)
        plan = Plan(blocks, seconds, fresh_seed() if seed is None else seed, decides,
                    matters_pct(session, matters, decides, one, json), early,
                    trial_plan.few_switches(session, one, other), repeats, warm_up)
        if pilot is not None:
            trial_plan.play_pilot(session, one, other, plan, pilot, game, json)
            return
        if from_files:
            trial_plan.plan_files(session, one, other, plan, game, json)
            return
        done = run_and_keep(session, one, other, plan, game, quiet=json)
    if done:
        _finish(*done, figure, json)


def _check_what_goes_together(ctx: typer.Context, again: int | None, claims: Path | None, take: list[Path] | None,
                              resume: bool, pilot: int | None, from_files: bool) -> None:
    """There are several ways of running a trial; each takes what it can use."""
    plan = ("before", "after", "blocks", "seconds", "decides", "matters", "game", "early", "repeats", "warm_up", "seed")
    if again is not None:
        only(ctx, "--again", "again")
    elif claims is not None:
        only(ctx, "--claims", "claims", "blocks", "seconds", "game", "early", "repeats", "warm_up", "seed")
    elif take:
        only(ctx, "--take", "take", "by", "figure")
    elif resume:
        only(ctx, "--resume", "resume", "figure")
    elif pilot is not None:
        only(ctx, "--pilot", "pilot", *(one for one in plan if one not in ("blocks", "early")))
    elif from_files:
        only(ctx, "--from-files", "from_files", *plan)
    else:
        only(ctx, "a trial that is played now", "figure", *plan)


def _finish(result: "TrialResult", captures: Captures, figure: Path | None, json: bool) -> None:
    from keenlattice.cli.output import emit_json, say

    if figure:
        draw(result, captures, figure)
    if json:
        emit_json("trial", result.to_json())
        return
    show_result(result)
    if figure:
        say(f"\nfigure: {figure}")
    _hint(result)


def _hint(result: "TrialResult") -> None:
    """What a player would do next, after this verdict."""
    from keenlattice.cli.output import hint

    page = "; keen report makes a page of it"
    hint({"better": f"keen apply {result.after}, to have it so{page}",
          "worse": f"leave {result.after} be{page}",
          "no difference that matters": f"leave {result.after} be: it gains nothing{page}",
          "unclear": f"keen trial {result.before} {result.after} --decides {result.plan.decides} --matters "
                     f"{result.plan.matters_pct:g} --pilot 8, which says how many blocks would settle it{page}",
          }[result.deciding.verdict])


def run_and_keep(session: "Session", before: "Version", after: "Version", plan: "Plan", game: str | None,
                 quiet: bool = False) -> "tuple[TrialResult, Captures]":
    """Runs a trial with a progress bar; every run and the result go into the logbook."""
    from keenlattice.cli.studies import begun
    from keenlattice.trial.keeping import kept_version

    study = begun(session, "trial", [before, after], game, {
        "before": kept_version(before), "after": kept_version(after), "plan": asdict(plan)})
    return play_study(session, study, before, after, plan, quiet)


def resumed(session: "Session", quiet: bool) -> "tuple[TrialResult, Captures]":
    """Goes on with the newest trial that was stopped."""
    from keenlattice.cli.output import say
    from keenlattice.cli.trial_plan import planned_by
    from keenlattice.errors import UsageError
    from keenlattice.logbook.studies import study
    from keenlattice.trial.kept import trial_plan

    found = study(session.book, session.rig.name, None, "trial")
    if trial_plan(found).files:
        raise UsageError(f"trial {found.number} waits for your recordings: keen trial --take FILE")
    before, after, plan = planned_by(session, found)
    if not quiet:
        say(f"Going on with trial {found.number}: {before.reference} against {after.reference}.", "dim")
    return play_study(session, found, before, after, plan, quiet)


def play_study(session: "Session", study: "Study", before: "Version", after: "Version", plan: "Plan",
               quiet: bool) -> "tuple[TrialResult, Captures]":
    """Plays what is left of a trial, and concludes it."""
    from keenlattice.cli.studies import played
    from keenlattice.trial.kept import trial_plan
    from keenlattice.trial.run import game_for, run_trial

    kept = trial_plan(study)
    game, ids = game_for(before, after, kept.game), {"before": before.id, "after": after.id}
    captures: dict[int, Capture] = {}

    def run(each: "Callable[[Run], None]", done: "dict[int, Capture]") -> "TrialResult":
        def told(one: "Run") -> None:
            each(one)
            if not one.excluded:
                captures[one.place] = one.capture

        captures.update(done)
        return run_trial(session.rig, before, after, plan, kept.game, told, done)

    result = played(session, study, game, f"{plan.blocks} blocks of two runs", len(plan.runs()), ids.__getitem__, quiet,
                    run)
    return result, keep_result(session, study, result, captures)


def keep_result(session: "Session", study: "Study", result: "TrialResult", by_place: "dict[int, Capture]") -> Captures:
    """Keeps a trial's result with what it rests on; returns its captures by arm."""
    from keenlattice.trial.keeping import end

    end(session.book, session.rig, study, result.to_json())
    captures: Captures = {"before": [], "after": []}
    runs = result.plan.runs()
    for place, capture in sorted(by_place.items()):
        captures[runs[place][1]].append(capture)
    return captures


def draw(result: "TrialResult", captures: Captures, path: Path) -> None:
    """Writes the trial's figure."""
    from keenlattice.report.style import save
    from keenlattice.report.trial_figure import trial_figure

    save(trial_figure(result, captures["before"], captures["after"]), path)


def show_result(result: "TrialResult") -> None:
    """The answer first, then what it rests on."""
    from keenlattice.cli.output import VERDICT_STYLES, say
    from keenlattice.cli.studies import say_excluded
    from keenlattice.report.words import drift_sentence, whole_answer

    say(whole_answer(result), VERDICT_STYLES[result.deciding.verdict])
    plan = result.plan
    early = f" of {plan.blocks} planned, settled early" if result.blocks_played < plan.blocks else ""
    say(f"{result.before} against {result.after} on {result.rig}: {result.blocks_played} blocks{early} of "
        f"{plan.seconds:g} s runs, seed {plan.seed}; {plan.matters_pct:g} % matter.\n", "dim")
    say_excluded(result.excluded)
    show_metrics(result)
    say(drift_sentence(result), "dim")


def show_metrics(result: "TrialResult") -> None:
    """The table of a trial's metrics, the one that decides marked."""
    from keenlattice.cli.output import say, table
    from keenlattice.report.words import TITLES, amount, percent
    rows = result.metrics
    table(["", "before", "after", "change, %", "verdict"], [
        [f"{'>' if one.name == result.plan.decides else ' '} {TITLES[one.name]}, {one.unit}", amount(one, one.before),
         amount(one, one.after), percent(one)[1].removesuffix(" %"), one.verdict] for one in rows], right=(1, 2, 3))
    error = 100 * (1 - rows[0].confidence)
    say(f"> decides, interval at {100 - error:.3g} %; the others share one error of {error:.2g} % among them.", "dim")
