"""What `keen trial` does besides playing: a pilot, runs that are recorded elsewhere, and recomputing."""

from dataclasses import asdict, replace
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from keenlattice.cli.session import Session
    from keenlattice.cli.trial import Captures
    from keenlattice.logbook.studies import Study
    from keenlattice.measure.capture import Capture
    from keenlattice.profile.version import Version
    from keenlattice.trial.plan import Plan
    from keenlattice.trial.result import TrialResult

WARM_UP_FROM_S = 1.0
SWITCH_S = {"none": 0.0, "game": 0.0, "driver": 15.0, "machine": 90.0}
"""How long a switch takes by the restart that it needs: a guess, for the time that a plan names."""


def restart_between(session: "Session", before: "Version", after: "Version") -> str:
    """The restart that switching from one version to the other takes."""
    from keenlattice.profile.compare import changes
    from keenlattice.rig.apply import restart_for

    return restart_for(session.rig, [one.key for one in changes(before.entries, after.entries)])


def few_switches(session: "Session", before: "Version", after: "Version") -> bool:
    """Whether switching is so costly that a block begins with the version that the last one ended with."""
    return SWITCH_S[restart_between(session, before, after)] > 0


def planned_by(session: "Session", study: "Study") -> "tuple[Version, Version, Plan]":
    """The versions and the plan of a trial that the logbook has."""
    from keenlattice.cli.studies import version_kept
    from keenlattice.trial.kept import trial_plan

    kept = trial_plan(study)
    return version_kept(session, kept.before), version_kept(session, kept.after), kept.plan


def play_pilot(session: "Session", before: "Version", after: "Version", plan: "Plan", blocks: int, game: str | None,
               json: bool) -> None:
    """Plays one version against itself, and says how many blocks would settle the trial."""
    from keenlattice.cli.output import emit_json, hint, say, table
    from keenlattice.cli.trial import run_and_keep
    from keenlattice.report.words import TITLES
    from keenlattice.trial.pilot import noise_of, warm_up_of
    from keenlattice.trial.power import blocks_to_settle, chance_to_settle

    small = replace(plan, blocks=blocks, early=False)
    result, captures = run_and_keep(session, before, before, small, game, quiet=json)
    noise, warm_up = noise_of(result), warm_up_of([*captures["before"], *captures["after"]])
    needed = blocks_to_settle(noise, plan.matters_pct)
    switch_s = SWITCH_S[restart_between(session, before, after)]
    rows = []
    for count in sorted({4, 8, 16, 32, *([needed] if needed else [])}):
        would = replace(plan, blocks=count)
        rows.append({"blocks": count, "chance": chance_to_settle(noise, count, plan.matters_pct),
                     "minutes": would.minutes(switch_s)})
    if json:
        emit_json("pilot", {"decides": plan.decides, "matters_pct": plan.matters_pct, "noise_sd": noise.sd,
                            "noise_dof": noise.dof, "warm_up_s": warm_up, "blocks_to_settle": needed, "plans": rows})
        return
    say(f"{TITLES[plan.decides].capitalize()} of {before.reference} against itself: from block to block the ratio of "
        f"two runs varies by {100 * noise.sd:.2g} % (standard deviation, {blocks} blocks).", "bold")
    if result.deciding.verdict in ("better", "worse"):
        say(f"! a version came out {result.deciding.verdict} than itself: something else changes while you measure")
    table(["blocks", "chance to settle", "about"], [
        [str(row["blocks"]), f"{100 * row['chance']:.0f} %", f"{row['minutes']:.0f} min"] for row in rows],
        right=(0, 1, 2))
    say(f"Settled: the interval lies wholly within {plan.matters_pct:g} %, or wholly beyond. The chances are for two "
        "versions that are alike.", "dim")
    if warm_up >= max(WARM_UP_FROM_S, plan.warm_up_s):
        say(f"Runs begin otherwise than they go on, for {warm_up:.1f} s: --warm-up {warm_up:.1f} leaves that out.")
    if needed is None:
        say("No number of blocks up to 1000 would do with four chances in five: let more matter, or play longer runs.")
        return
    hint(f"keen trial {before.reference} {after.reference} --blocks {needed} --decides {plan.decides} "
        f"--matters {plan.matters_pct:g} --seconds {plan.seconds:g}")


def plan_files(session: "Session", before: "Version", after: "Version", plan: "Plan", game: str | None,
               json: bool) -> None:
    """Writes down a trial whose runs the player records, and says which comes first."""
    from keenlattice.cli.studies import begun
    from keenlattice.trial.keeping import kept_version

    study = begun(session, "trial", [before, after], game, {
        "before": kept_version(before), "after": kept_version(after), "plan": asdict(plan), "files": True})
    _say_next(study, plan, 0, json)


def take_in(session: "Session", files: list[Path], by: str, json: bool) -> "tuple[TrialResult, Captures] | None":
    """Takes recordings as the next runs of a trial from files; concludes it with the last one."""
    from keenlattice.cli.trial import keep_result
    from keenlattice.errors import UsageError
    from keenlattice.logbook.studies import KeptRun, add_run, done_of, study
    from keenlattice.trial.conclude import from_captures
    from keenlattice.trial.kept import trial_plan
    from keenlattice.trial.run import game_for

    found = study(session.book, session.rig.name, None, "trial")
    if not trial_plan(found).files:
        raise UsageError(f"trial {found.number} is played, not recorded: keen trial --resume goes on with it")
    before, after, plan = planned_by(session, found)
    game, versions = game_for(before, after, trial_plan(found).game), {"before": before.id, "after": after.id}
    done, runs = done_of(session.book, found), plan.runs()
    if len(done) + len(files) > len(runs):
        raise UsageError(f"{len(files)} recordings, but only {len(runs) - len(done)} runs are still to come")
    read = [_read(session, file, by) for file in files]  # all are read before any is kept
    for place, capture in enumerate(read, len(done)):
        arm = runs[place][1]
        kept = session.book.keep_capture(capture, session.rig.name, game, versions[arm])
        add_run(session.book, found, KeptRun(place, arm, runs[place][2], kept, ""))
        done[place] = capture
    result = from_captures(plan, [done[place] for place in range(len(done))], game, before.reference, after.reference,
                           session.rig.name)
    if result is None:
        _say_next(found, plan, len(done), json)
        return None
    return result, keep_result(session, found, result, done)


def _read(session: "Session", file: Path, by: str) -> "Capture":
    from keenlattice.cli.draw import run_of
    from keenlattice.cli.ingest import known_map
    from keenlattice.errors import UsageError
    from keenlattice.measure.ingest import ingest
    from keenlattice.measure.rows import header_of

    if file.suffix == ".parquet" and not by:
        return run_of(session, str(file))[1]
    columns = known_map(session, by, header_of(file)[0])
    if columns is None:
        raise UsageError(f"{file}: no column map is known for its header: give one once with keen ingest {file} --time "
                         "COLUMN --name NAME")
    return ingest(file, columns).capture


def _say_next(study: "Study", plan: "Plan", played: int, json: bool) -> None:
    from keenlattice.cli.output import emit_json, hint, say, table
    from keenlattice.trial.kept import trial_plan

    runs = plan.runs()[played:]
    kept = trial_plan(study)
    versions = {"before": kept.before.reference, "after": kept.after.reference}
    if json:
        emit_json("trial-runs", {"study": study.number, "recorded": played,
                                 "to_come": [{"place": played + place, "block": block, "version": versions[arm]}
                                             for place, (block, arm, _) in enumerate(runs)]})
        return
    say(f"Trial {study.number}, {played} of {len(plan.runs())} runs recorded. Record these, {plan.seconds:g} s each, "
        "in this order:", "bold")
    table(["run", "block", "with this version on the rig"], [
        [str(played + place + 1), str(block + 1), versions[arm]] for place, (block, arm, _) in enumerate(runs[:8])],
        right=(0, 1))
    if len(runs) > 8:
        say(f"and {len(runs) - 8} more", "dim")
    hint("keen trial --take FILE, after each or with several at once")


def recompute(session: "Session", number: int, json: bool) -> None:
    """Computes a trial again from its captures."""
    from keenlattice.cli import studies
    from keenlattice.logbook.studies import study
    from keenlattice.trial.conclude import from_captures
    from keenlattice.trial.kept import trial_plan
    from keenlattice.trial.run import game_for

    def again(captures: "dict[int, Capture]") -> dict[str, object]:
        found = study(session.book, session.rig.name, number, "trial")
        before, after, plan = planned_by(session, found)
        result = from_captures(plan, [captures[place] for place in sorted(captures)],
                               game_for(before, after, trial_plan(found).game), before.reference, after.reference,
                               session.rig.name)
        return result.to_json() if result else {}

    studies.recompute(again, session, "trial", number, json)
