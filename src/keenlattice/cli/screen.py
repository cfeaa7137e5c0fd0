"""`keen screen`: which of many changes matter, with far fewer runs than a trial of each."""

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from keenlattice.cli.complete import metrics, references
from keenlattice.cli.fitting import only
from keenlattice.cli.options import REFERENCE, Again, Book, Json, Matters, Played, Resume, Rig, Seconds, Seed, WarmUp

if TYPE_CHECKING:
    from keenlattice.cli.session import Session
    from keenlattice.logbook.studies import Study
    from keenlattice.profile.pack import Claim
    from keenlattice.profile.version import Version
    from keenlattice.trial.screen import ScreenPlan, ScreenResult


def screen(
    ctx: typer.Context,
    before: Annotated[str, typer.Argument(autocompletion=references, help=REFERENCE)] = "",
    after: Annotated[str, typer.Argument(
        autocompletion=references, help="The version whose changes are to be told apart, or a pack (.toml) on "
                                              "top of the first one.")] = "",
    together: Annotated[list[str] | None, typer.Option("--together", metavar="SETTING,SETTING", help="Settings that "
                                                       "are switched as one; once or more. `checks`: those of which "
                                                       "one decides what another does.")] = None,
    rounds: Annotated[int, typer.Option("--rounds", help="At most so many; it ends with the first after which nothing "
                                        "is unclear.")] = 3,
    seconds: Seconds = 30.0,
    decides: Annotated[str, typer.Option(
        "--decides", autocompletion=metrics, help="The metric that decides, where nothing is claimed."
                                         )] = "frame_ms_mean",
    matters: Matters = "1",
    game: Played = None,
    warm_up: WarmUp = 0.0,
    plan_only: Annotated[bool, typer.Option("--plan", help="Say what would be played, and how long it takes.")] = False,
    resume: Resume = False,
    again: Again = None,
    figure: Annotated[Path | None, typer.Option("--figure", help="Draw it: .png or .svg.")] = None,
    seed: Seed = None, book: Book = None, rig: Rig = "standin", json: Json = False,
) -> None:
    """Find out which of the changes between two versions matter, all at once.

    Every run switches about half of the changes on. The rig is put back to what it was, whatever happens.
    """
    from keenlattice.cli.outfile import new_file
    from keenlattice.cli.output import emit_json
    from keenlattice.cli.session import begin
    from keenlattice.cli.studies import begun, matters_pct, recompute, version_kept
    from keenlattice.errors import UsageError
    from keenlattice.logbook.studies import study
    from keenlattice.trial.keeping import kept_version
    from keenlattice.trial.kept import screen_plan
    from keenlattice.trial.plan import fresh_seed
    from keenlattice.trial.screen import ScreenPlan, factors_of, run_screen

    if again is not None:
        only(ctx, "--again", "again")
    elif resume:
        only(ctx, "--resume", "resume", "figure")
    elif plan_only and figure:
        raise UsageError("--figure does not go with --plan: nothing is played that could be drawn")
    figure = new_file(figure, ".png", ".svg")
    session = begin(book, rig)
    if resume or again is not None:
        found = study(session.book, session.rig.name, again, "screen")
        kept = screen_plan(found)
        one, other = version_kept(session, kept.before), version_kept(session, kept.after)
        plan, game = kept.plan, kept.game
    elif not (before and after):
        raise UsageError("a screen takes two versions, or a version and a pack: keen screen BEFORE AFTER; or --resume")
    else:
        one = session.find(before)
        other, claims = _after(session, one, after)
        factors = factors_of(one.entries, other.entries, _groups(together or [], one, other))
        plan = ScreenPlan(factors, tuple(_claims_of(group, claims) for group in factors) if claims else (), rounds,
                          seconds, fresh_seed() if seed is None else seed, decides,
                          matters_pct(session, matters, decides, one, json), warm_up)
        if plan_only:
            _tell_plan(session, plan, json)
            return
        found = begun(session, "screen", [one, other], game, {
            "before": kept_version(one), "after": kept_version(other), "plan": plan.to_json()})
    if again is not None:
        recompute(lambda captures: run_screen(session.rig, one, other, plan, game, done=captures).to_json(),
                  session, "screen", again, json)
        return
    result = _play(session, found, one, other, plan, quiet=json)
    if figure:
        draw(result, figure)
    if json:
        emit_json("screen", result.to_json())
        return
    _show(result)


def _after(session: "Session", before: "Version", after: str) -> "tuple[Version, dict[str, tuple[Claim, ...]]]":
    """The other version, and what is claimed of each of its settings if it is a pack."""
    from keenlattice.cli.pack import here, with_rules_of
    from keenlattice.profile.offer import offer
    from keenlattice.profile.pack import read_pack

    if not after.endswith(".toml"):
        return session.find(after), {}
    pack = read_pack(Path(after))
    offers = offer(pack, here(session))
    claims = {setting.key: tuple(one.rule.claim) for one in offers if one.rule.game == before.profile and not one.fails
              for setting in one.settings}
    return with_rules_of(session, offers, before, pack.title), claims


def _groups(together: list[str], before: "Version", after: "Version") -> list[tuple[str, ...]]:
    """The groups that a player has named; `checks` stands for those that the checks know of."""
    from keenlattice.profile.checks import belong_together
    from keenlattice.profile.compare import changes

    named = [tuple(part.strip() for part in group.split(",")) for group in together if group != "checks"]
    if "checks" in together:
        taken = {key for group in named for key in group}
        named += belong_together(one.key for one in changes(before.entries, after.entries) if one.key not in taken)
    return named


def _claims_of(group: "tuple[str, ...]", claims: "dict[str, tuple[Claim, ...]]") -> "tuple[Claim, ...]":
    return next((claims[key] for key in group if claims.get(key)), ())


def _tell_plan(session: "Session", plan: "ScreenPlan", json: bool) -> None:
    from keenlattice.cli.output import emit_json, say
    from keenlattice.profile.checks import belong_together
    from keenlattice.trial.screen import costly

    in_round, restarts = len(plan.design()), [plan.factors[place] for place in costly(session.rig, plan)]
    minutes = in_round * (plan.seconds + plan.warm_up_s) / 60
    if json:
        emit_json("screen-plan", {"plan": plan.to_json(), "runs_per_round": in_round, "minutes_per_round": minutes,
                                  "restarting": [list(group) for group in restarts]})
        return
    say(f"{len(plan.factors)} changes, {in_round} runs of {plan.seconds:g} s a round: {minutes:.0f} min, and at most "
        f"{plan.rounds} rounds.", "bold")
    for group in plan.factors:
        say("  " + " + ".join(group) + " (restarts the machine)" * (group in restarts))
    alone = [group[0] for group in plan.factors if len(group) == 1]
    for group in belong_together(alone):
        say(f"! {' and '.join(group)}: one decides what the other does; --together {','.join(group)} switches them as "
            "one, or --together checks all such")
    if restarts:
        say("Runs that agree in what restarts the machine come one after the other, so that it restarts seldom; what "
            "changes slowly meanwhile weighs more on those.")


def _play(session: "Session", study: "Study", before: "Version", after: "Version", plan: "ScreenPlan",
          quiet: bool) -> "ScreenResult":
    from keenlattice.cli.studies import played
    from keenlattice.trial.keeping import end
    from keenlattice.trial.kept import screen_plan
    from keenlattice.trial.run import game_for
    from keenlattice.trial.screen import run_screen

    game = game_for(before, after, screen_plan(study).game)
    result = played(session, study, game, f"{len(plan.factors)} changes at once", len(plan.runs()),
                    lambda row: f"screen {study.number}, row {row}", quiet,
                    lambda each, done: run_screen(session.rig, before, after, plan, game, each, done))
    end(session.book, session.rig, study, result.to_json())
    return result


def draw(result: "ScreenResult", path: Path) -> None:
    """Writes the screen's figure."""
    from keenlattice.report.screen_figure import screen_figure
    from keenlattice.report.style import save

    save(screen_figure(result), path)


def _show(result: "ScreenResult") -> None:
    from keenlattice.cli.output import hint, say, table
    from keenlattice.cli.studies import say_excluded
    from keenlattice.report.words import TITLES, effect_percent, screen_headline

    plan = result.plan
    say(screen_headline(result), "bold")
    say(f"{result.game} on {result.rig}: {result.runs} runs of {plan.seconds:g} s in {result.rounds_played} rounds, "
        f"seed {plan.seed}; {plan.matters_pct:g} % matter. One by one, {result.one_by_one_runs} runs would tell as "
        "much.\n", "dim")
    table(["change", "interval", "metric", "verdict"], [
        [" + ".join(one.settings), effect_percent(one.judged), TITLES[one.judged.metric], one.judged.standing]
        for one in result.factors], right=(1,))
    say_excluded(result.excluded)
    for pair in result.interactions:
        others = f" (or {', '.join(' with '.join(one) for one in pair.or_of[:3])}: this design cannot tell)"
        say(f"! {' with '.join(pair.settings)} does {pair.change_pct:+.1f} % beyond what each does alone"
            + others * bool(pair.or_of))
    if not result.interactions:
        say("No two of them were seen to do together what neither does alone.", "dim")
    if unclear := [" + ".join(one.settings) for one in result.factors if one.judged.standing == "unclear"]:
        hint(f"more rounds or longer runs tell of what is unclear, or a trial of {unclear[0]} alone; keen report makes "
             "a page of it")
    else:
        hint("keep those that help with keen edit, and prove them together: keen trial; keen report makes a page of it")
