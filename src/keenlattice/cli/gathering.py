"""Reports of what the logbook holds: a study's result with its captures and versions, or a game's whole history."""

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from keenlattice.cli.session import Session
    from keenlattice.logbook.studies import Study
    from keenlattice.measure.capture import Capture
    from keenlattice.profile.version import Version
    from keenlattice.report.page.content import Report
    from keenlattice.trial.plan import Plan
    from keenlattice.trial.result import TrialResult
    from keenlattice.trial.screen import ScreenResult
    from keenlattice.trial.tune import TuneResult

Sides = tuple[list["Capture"], list["Capture"]]


def study_report(session: "Session", study: "Study") -> "Report":
    """The report of a study that is through."""
    return {"trial": _of_trial, "screen": _of_screen, "tune": _of_tune, "hunt": _of_hunt}[study.kind](session, study)


def _of_trial(session: "Session", study: "Study") -> "Report":
    from keenlattice.cli.scene import scene_of
    from keenlattice.cli.studies import version_kept
    from keenlattice.report.page.content import Text
    from keenlattice.report.page.of_screen import standings
    from keenlattice.report.page.of_trial import trial_report
    from keenlattice.trial.kept import evidence, trial_plan

    content = study.result or {}
    result = trial_of(study)
    kept = trial_plan(study)
    before, after = version_kept(session, kept.before), version_kept(session, kept.after)
    scene = scene_of(session, result.game, before, after, evidence(content))
    screens = [one for one in _screens(session, result.game)
               if (one.before, one.after) == (result.before, result.after)]
    return trial_report(result, *_sides(session, study, result.plan), scene, study.number,
                        [block for one in screens[:1] for block in (
                            Text("A screen of the same two versions told them apart:"), standings(one))])


def _of_screen(session: "Session", study: "Study") -> "Report":
    from keenlattice.cli.scene import scene_of
    from keenlattice.cli.studies import version_kept
    from keenlattice.report.page.of_screen import screen_report
    from keenlattice.trial.kept import evidence, screen_plan
    from keenlattice.trial.screen import ScreenResult

    content = study.result or {}
    result = ScreenResult.of_json(content)
    kept = screen_plan(study)
    before, after = version_kept(session, kept.before), version_kept(session, kept.after)
    return screen_report(result, scene_of(session, result.game, before, after, evidence(content)), study.number)


def _of_tune(session: "Session", study: "Study") -> "Report":
    from keenlattice.cli.scene import scene_of
    from keenlattice.cli.studies import version_kept
    from keenlattice.report.page.of_tune import tune_report
    from keenlattice.trial.kept import evidence, tune_plan
    from keenlattice.trial.tune import TuneResult

    content = study.result or {}
    result = TuneResult.of_json(content)
    base = version_kept(session, tune_plan(study).base)
    made = _made_of(session, base, result)
    scene = scene_of(session, result.game, base, made or base, evidence(content))
    for one in _trials(session, result.game):
        proof = trial_of(one)
        if made and one.number > study.number and (proof.before, proof.after) == (base.reference, made.reference):
            sides = _sides(session, one, proof.plan)
            return tune_report(result, scene, made.reference, proof, *sides, number=study.number)
    return tune_report(result, scene, made.reference if made else "", number=study.number)


def _made_of(session: "Session", base: "Version", result: "TuneResult") -> "Version | None":
    """The version that was made of a tuning's best."""
    from keenlattice.profile.compare import changes, with_changes

    if result.best is None:
        return None
    entries = with_changes(base.entries, result.best.values)
    return next((one for one in session.book.history(base.profile) if not changes(one.entries, entries)), None)


def _of_hunt(session: "Session", study: "Study") -> "Report":
    from keenlattice.cli.scene import scene_of
    from keenlattice.report.page.of_hunt import hunt_report
    from keenlattice.trial.hunt import HuntResult
    from keenlattice.trial.kept import evidence, hunt_plan

    content = study.result or {}
    result = HuntResult.of_json(content)
    kept = hunt_plan(study)
    line = [session.find(reference) for reference in kept.line]
    before, first = session.find(result.before or line[0].reference), session.find(result.first or line[-1].reference)
    scene = scene_of(session, result.trial.game, before, first, evidence(content))
    return hunt_report(result, scene, [(one.reference, one.note) for one in line],
                       *_sides(session, study, result.trial.plan), study.number, kept.error)


def history_of(session: "Session", game: str) -> "Report":
    """The report of a game's history.

    Raises:
        UnknownName: no such game.
    """
    from keenlattice.cli.history import changed_by
    from keenlattice.cli.scene import scene_of
    from keenlattice.profile.version import stock
    from keenlattice.report.page.of_history import Past, history_report

    session.find(game)
    versions, labels = session.book.history(game), session.book.labels(game)
    known, applied = {one.id: one for one in versions}, session.book.last_apply(session.rig_name, game)
    past = [Past(one.reference, one.time[:10], one.author, one.note, ", ".join(changed_by(session.book, one, known)),
                 ", ".join([*labels.get(one.id, []), *(["applied"] if applied and one.id == applied.version else [])]))
            for one in versions]
    trials = _trials(session, game)
    results = [trial_of(one) for one in trials]
    sides = _sides(session, trials[0], results[0].plan) if trials else ([], [])
    scene = scene_of(session, game, stock(game), versions[0] if versions else stock(game))
    return history_report(game, past, results, scene, *sides, screens=_screens(session, game))


def trial_of(study: "Study") -> "TrialResult":
    """The result of a trial that is through."""
    from keenlattice.trial.result import TrialResult

    return TrialResult.of_json(study.result or {})


def is_pilot(study: "Study") -> bool:
    """Whether it is a version against itself."""
    from keenlattice.trial.kept import trial_plan

    if study.kind != "trial":
        return False
    kept = trial_plan(study)
    return kept.before == kept.after


def _trials(session: "Session", game: str) -> "list[Study]":
    """The trials of a game or of the rig-wide profile, the newest first; without pilots."""
    from keenlattice.logbook.studies import studies

    return [one for one in studies(session.book, session.rig_name)
            if one.kind == "trial" and one.result and not is_pilot(one)
            and game in (trial_of(one).game, trial_of(one).before.partition("@")[0])]


def _screens(session: "Session", game: str) -> "list[ScreenResult]":
    from keenlattice.logbook.studies import studies
    from keenlattice.trial.screen import ScreenResult

    found = [ScreenResult.of_json(one.result) for one in studies(session.book, session.rig_name)
             if one.kind == "screen" and one.result]
    return [one for one in found if one.game == game]


def _sides(session: "Session", study: "Study", plan: "Plan") -> Sides:
    """The captures of a trial's two versions, in their order; of a hunt, those of the trial that it began with.

    None, with a word about it, if they are gone.
    """
    from keenlattice.cli.output import warn
    from keenlattice.errors import CaptureError
    from keenlattice.logbook.studies import done_of

    sides: Sides = ([], [])
    try:
        captures = done_of(session.book, study)
    except CaptureError as error:
        warn(f"{error}; the report goes without the pictures of these runs")
        return sides
    for place, (_, arm, _) in enumerate(plan.runs()):
        if place in captures:
            sides[arm == "after"].append(captures[place])
    return sides
