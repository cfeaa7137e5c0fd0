"""`keen hunt`: since which version a metric has changed, and because of which settings."""

from dataclasses import asdict
from typing import TYPE_CHECKING, Annotated

import typer

from keenlattice.cli.complete import games, metrics, references
from keenlattice.cli.fitting import only
from keenlattice.cli.options import Again, Book, Json, Matters, Played, Resume, Rig, Seconds, Seed

if TYPE_CHECKING:
    from keenlattice.cli.session import Session
    from keenlattice.logbook.studies import Study
    from keenlattice.profile.version import Version
    from keenlattice.trial.hunt import HuntPlan, HuntResult


def hunt(
    ctx: typer.Context,
    profile: Annotated[str, typer.Argument(
        autocompletion=games, help="The profile whose history is gone through: a game's name, or rig."
                                           )] = "",
    since: Annotated[str, typer.Option(
        "--since", autocompletion=references, metavar="VERSION", help="Where it was still otherwise.  [default: "
                                       "stock]")] = "",
    until: Annotated[str, typer.Option(
        "--until", autocompletion=references, metavar="VERSION", help="Where it is as it is now.  [default: the "
                                       "latest]")] = "",
    decides: Annotated[str, typer.Option(
        "--decides", autocompletion=metrics, help="The metric that changed.")] = "frame_ms_mean",
    matters: Matters = "1",
    blocks: Annotated[int, typer.Option("--blocks", help="Of the trial of the oldest against the newest.")] = 8,
    error: Annotated[float, typer.Option("--error", help="How likely it may name the wrong version.")] = 0.05,
    game: Played = None,
    resume: Resume = False,
    again: Again = None,
    seconds: Seconds = 30.0, seed: Seed = None, book: Book = None, rig: Rig = "standin", json: Json = False,
) -> None:
    """Find the version at which a metric changed, and the least set of settings in it that did it.

    The rig is put back to what it was, whatever happens.
    """
    from keenlattice.cli.output import emit_json
    from keenlattice.cli.session import begin
    from keenlattice.cli.studies import begun, matters_pct, recompute
    from keenlattice.errors import UsageError
    from keenlattice.logbook.studies import study
    from keenlattice.trial.hunt import HuntPlan, run_hunt
    from keenlattice.trial.kept import hunt_plan
    from keenlattice.trial.plan import Plan, fresh_seed

    if resume or again is not None:
        only(ctx, "--resume" if again is None else "--again", "resume" if again is None else "again")
    session = begin(book, rig)
    if resume or again is not None:
        found = study(session.book, session.rig.name, again, "hunt")
        kept = hunt_plan(found)
        plan, line, game = kept.plan, [session.find(reference) for reference in kept.line], kept.game
    elif not profile:
        raise UsageError("a hunt takes a profile: keen hunt GAME; or --resume")
    else:
        line = line_of(session, since or f"{profile}@stock", until or profile)
        trial = Plan(blocks, seconds, fresh_seed() if seed is None else seed, decides,
                     matters_pct(session, matters, decides, line[0], json))
        plan = HuntPlan(trial, error)
        found = begun(session, "hunt", line, game, {
            "line": [version.reference for version in line], "trial": asdict(trial), "error": error})
    if again is not None:
        recompute(lambda captures: run_hunt(session.rig, line, plan, game, done=captures).to_json(),
                  session, "hunt", again, json)
        return
    result = _play(session, found, line, plan, quiet=json)
    if json:
        emit_json("hunt", result.to_json())
        return
    _show(session, result, line)


def line_of(session: "Session", since: str, until: str) -> "list[Version]":
    """The versions from one to another, the oldest first: each with the one that it was made from before it.

    Raises:
        UsageError: the one is no ancestor of the other.
    """
    from keenlattice.errors import UsageError

    first, version = session.find(since), session.find(until)
    line = [version]
    while line[0].id != first.id and line[0].parents:
        line.insert(0, session.book.version(version.profile, line[0].parents[0]))
    if line[0].id != first.id:
        if first.entries or first.time:
            raise UsageError(f"{until} was not made from {since}: keen history {version.profile} shows the lines")
        line.insert(0, first)  # stock comes before every history
    if len(line) < 2:
        raise UsageError(f"{since} and {until} are the same version: there is nothing between them")
    return line


def _play(session: "Session", study: "Study", line: "list[Version]", plan: "HuntPlan", quiet: bool) -> "HuntResult":
    from keenlattice.cli.studies import played
    from keenlattice.trial.hunt import run_hunt
    from keenlattice.trial.keeping import end
    from keenlattice.trial.kept import hunt_plan
    from keenlattice.trial.run import game_for

    game = game_for(line[0], line[-1], hunt_plan(study).game)
    ids = {version.reference: version.id for version in line}
    result = played(session, study, game, f"{len(line)} versions", 2 * plan.trial.blocks,
                    lambda arm: ids.get(arm, f"hunt {study.number}, {arm}"), quiet,
                    lambda each, done: run_hunt(session.rig, line, plan, game, each, done))
    end(session.book, session.rig, study, result.to_json())
    return result


def _show(session: "Session", result: "HuntResult", line: "list[Version]") -> None:
    from keenlattice.cli.changes import value_text
    from keenlattice.cli.output import VERDICT_STYLES, hint, say, table
    from keenlattice.cli.studies import say_excluded
    from keenlattice.profile.compare import changes
    from keenlattice.report.words import headline

    say(headline(result.trial), VERDICT_STYLES[result.trial.deciding.verdict])
    say(f"{len(line)} versions from {line[0].reference} to {line[-1].reference}, {result.runs} runs of "
        f"{result.trial.plan.seconds:g} s, seed {result.trial.plan.seed}.\n", "dim")
    say_excluded(result.excluded)
    catalog = session.rig.catalog()
    for key in sorted({key for version in line for key in version.entries if key not in catalog}):
        say(f"! {key} was left out of all versions: the rig {session.rig.name} does not have it")
    if not result.first:
        say("Between the oldest and the newest no change beyond what matters was told: there is nothing to hunt for.")
        hint("more blocks, longer runs, or another metric (--decides)")
        return
    by_reference = {version.reference: version for version in line}
    first, before = by_reference[result.first], by_reference[result.before]
    say(f"It changed with {result.first}{f', {first.note!r}' if first.note else ''} "
        f"({100 * result.weight:.0f} % sure); before that came {result.before}.", "bold")
    differing = changes(before.entries, first.entries)
    say(f"Of the {len(differing)} settings that differ between them, "
        f"{'this one does' if len(result.settings) == 1 else 'these do'} it:" if len(differing) > 1 else
        "They differ in one setting:")
    table(["setting", "before", "since"], [
        [one.key, value_text(catalog, one.key, one.before), value_text(catalog, one.key, one.after)]
        for one in differing if one.key in result.settings])
    if not result.sure:
        say("! not every question could be settled by forty looks: there may be a setting too many here")
    hint(f"keen trial {result.before} {result.first} --decides {result.trial.plan.decides}, to see how much of it "
         "that is; keen report makes a page of this")
