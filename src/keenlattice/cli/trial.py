"""`keen trial`: two versions against each other, and a verdict."""

from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from keenlattice.cli.options import REFERENCE, Book, Json, Rig, Seconds, Seed

if TYPE_CHECKING:
    from keenlattice.cli.session import Session
    from keenlattice.measure.capture import Capture
    from keenlattice.profile.version import Version
    from keenlattice.trial.plan import Plan
    from keenlattice.trial.result import TrialResult


def trial(
    before: Annotated[str, typer.Argument(help=REFERENCE)],
    after: Annotated[str, typer.Argument(help="The version to compare with it.")],
    blocks: Annotated[int, typer.Option("--blocks", help="Pairs of runs; each holds one run of either version.")] = 8,
    seconds: Seconds = 30.0,
    decides: Annotated[str, typer.Option("--decides", help="The metric that decides, named in advance."
                                         )] = "frame_ms_mean",
    matters: Annotated[float, typer.Option("--matters", help="The smallest difference that matters to you, in %."
                                           )] = 1.0,
    game: Annotated[str | None, typer.Option("--game", help="The game to play; needed for rig-wide versions."
                                             )] = None,
    figure: Annotated[Path | None, typer.Option("--figure", help="Write a figure (PNG) to this file.")] = None,
    seed: Seed = None, book: Book = None, rig: Rig = "standin", json: Json = False,
) -> None:
    """Play two versions against each other, in blocks in random order, and say what differs.

    The rig is put back to what it was, whatever happens.
    """
    from keenlattice.cli.output import emit_json, say
    from keenlattice.cli.session import begin
    from keenlattice.trial.plan import Plan, fresh_seed

    session = begin(book, rig)
    plan = Plan(blocks, seconds, fresh_seed() if seed is None else seed, decides, matters)
    one, other = session.find(before), session.find(after)
    result, captures = run_and_keep(session, one, other, plan, game, quiet=json)
    if figure:
        draw(result, captures, figure)
    if json:
        content = result.to_json()
        emit_json("trial", {name: value for name, value in content.items() if name != "schema"})
        return
    show_result(result)
    if figure:
        say(f"\nfigure: {figure}")


def run_and_keep(session: "Session", before: "Version", after: "Version", plan: "Plan", game: str | None,
                 quiet: bool = False) -> "tuple[TrialResult, dict[str, list[Capture]]]":
    """Runs a trial with a progress bar; captures and result go into the logbook."""
    from keenlattice.cli.progress import steps
    from keenlattice.trial.run import Run, run_trial

    captures: dict[str, list[Capture]] = {"before": [], "after": []}
    files: list[str] = []
    versions = {"before": before.id, "after": after.id}
    with steps(f"{plan.blocks} blocks of two runs", 2 * plan.blocks, quiet) as advance:
        def each(run: Run) -> None:
            captures[run.arm].append(run.capture)
            files.append(session.book.keep_capture(run.capture, session.rig.name, game or before.profile,
                                                   versions[run.arm]))
            advance()

        result = run_trial(session.rig, before, after, plan, game, each)
    session.book.add_trial(session.rig.name, result.to_json(), files)
    return result, captures


def draw(result: "TrialResult", captures: "dict[str, list[Capture]]", path: Path) -> None:
    """Writes the trial's figure."""
    from keenlattice.report.style import save
    from keenlattice.report.trial_figure import trial_figure

    save(trial_figure(result, captures["before"], captures["after"]), path)


def show_result(result: "TrialResult") -> None:
    """The answer first, then what it rests on."""
    from keenlattice.cli.output import VERDICT_STYLES, say
    from keenlattice.report.words import headline

    say(headline(result), VERDICT_STYLES[result.deciding.verdict])
    plan = result.plan
    say(f"{result.before} against {result.after} on {result.rig}: {plan.blocks} blocks of {plan.seconds:g} s runs, "
        f"seed {plan.seed}; {plan.matters_pct:g} % matter.\n", "dim")
    show_metrics(result.to_json())


def show_metrics(result: dict[str, Any]) -> None:
    """The table of a trial's metrics (as `TrialResult.to_json` has it), the one that decides marked."""
    from keenlattice.cli.output import say, table
    from keenlattice.report.words import TITLES, amount, percent
    from keenlattice.trial.result import MetricResult

    rows = [MetricResult(**one) for one in result["metrics"]]
    table(["", "before", "after", "change, %", "verdict"], [
        [f"{'>' if one.name == result['decides'] else ' '} {TITLES[one.name]}, {one.unit}", amount(one, one.before),
         amount(one, one.after), percent(one)[1].removesuffix(" %"), one.verdict] for one in rows], right=(1, 2, 3))
    say("> decides, interval at 95 %; the others share one error of 5 % among them.", "dim")
