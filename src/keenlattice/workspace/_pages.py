"""The pages of studies and of histories, and the figures of studies: put together from what is kept."""

from typing import TYPE_CHECKING, Any

from keenlattice.profile.version import Version, stock
from keenlattice.workspace._context import context_of, passed
from keenlattice.workspace._made import base_of, tuned
from keenlattice.workspace.figures import Drawing
from keenlattice.workspace.page import Page
from keenlattice.workspace.played import Played, sides

if TYPE_CHECKING:
    from keenlattice.report.page.content import Report
    from keenlattice.study.screen.result import Screen
    from keenlattice.study.tune.result import Tuning
    from keenlattice.workspace._studying import Studying


def picture_of(study: Played[Any]) -> Drawing:
    """A picture of what a study found."""
    from keenlattice.report._screen_figure import screen_figure
    from keenlattice.report._trial_figure import trial_figure
    from keenlattice.report._tune_figure import tune_figure

    if study.kind == "screen":
        return Drawing(lambda: screen_figure(study.result))
    if study.kind == "pool":
        from keenlattice.report._pool_figure import pool_figure

        return Drawing(lambda: pool_figure(study.result))
    if study.kind == "tune":
        return Drawing(lambda: tune_figure(study.result))
    proof: Played[Any] | None = study if study.kind in ("trial", "hunt") else study.proof
    if proof is None:
        from keenlattice.errors import UsageError

        raise UsageError(f"{study.kind} {study.number} has no trial that could be drawn")
    before, after = sides(proof)
    result = proof.result.trial if proof.kind == "hunt" else proof.result
    return Drawing(lambda: trial_figure(result, before, after))


def page_of(workspace: "Studying", study: Played[Any]) -> Page:
    """The page about a study.

    Raises:
        UsageError: there is none of its kind.
    """
    from keenlattice.errors import UsageError

    makers = {"trial": _of_trial, "screen": _of_screen, "tune": _of_tune, "hunt": _of_hunt, "blind": _of_blind,
              "pool": _of_pool}
    if study.kind == "ramp":
        raise UsageError(f"study {study.number} stepped a setting up: its report is that of the trial which came after")
    if study.kind not in makers:
        raise UsageError(f"there is no page about a {study.kind}")
    return Page(f"{study.kind}-{study.number}", makers[study.kind](workspace, study), _missing(study))


def _missing(study: Played[Any]) -> str:
    from keenlattice.errors import CaptureError

    if study.kind not in ("trial", "hunt"):
        return ""
    try:
        study.captures()
    except CaptureError as error:
        return f"{error}; the report goes without the pictures of these runs"
    return ""


def _of_trial(workspace: "Studying", study: Played[Any]) -> "Report":
    from keenlattice.report.page.content import Text
    from keenlattice.report.page.of_screen import standings
    from keenlattice.report.page.of_trial import trial_report

    result = study.result
    before, after = workspace.versions_of(study)
    screens = [one for one in _screens(workspace, result.game)
               if (one.before, one.after) == (result.before, result.after)]
    context = context_of(workspace, result.game, before, after, workspace.provenance_of(study))
    return trial_report(result, *sides(study), context, study.number,
                        [block for one in screens[:1] for block in (
                            Text("A screen of the same two versions told them apart:"), standings(one))])


def _of_screen(workspace: "Studying", study: Played[Any]) -> "Report":
    from keenlattice.report.page.of_screen import screen_report

    before, after = workspace.versions_of(study)
    context = context_of(workspace, study.result.game, before, after, workspace.provenance_of(study))
    return screen_report(study.result, context, study.number)


def _of_tune(workspace: "Studying", study: Played[Any]) -> "Report":
    from keenlattice.report.page.of_tune import tune_report

    result, base = study.result, base_of(workspace, study)
    made = _made_of(workspace, base, result)
    context = context_of(workspace, result.game, base, made or base, workspace.provenance_of(study))
    for one in workspace.trials_of(result.game):
        proof = one.result
        if made and one.number > study.number and (proof.before, proof.after) == (base.reference, made.reference):
            return tune_report(result, context, made.reference, proof, *sides(one), number=study.number)
    return tune_report(result, context, made.reference if made else "", number=study.number)


def _made_of(workspace: "Studying", base: Version, result: "Tuning") -> Version | None:
    """The version that was made of a tuning's best."""
    from keenlattice.profile.compare import changes

    entries = tuned(base, result)
    if entries is None:
        return None
    return next((one for one in workspace.book.history(base.profile) if not changes(one.entries, entries)), None)


def _of_hunt(workspace: "Studying", study: Played[Any]) -> "Report":
    from keenlattice.report.page.of_hunt import hunt_report

    result, line = study.result, workspace.versions_of(study)
    before = workspace.find(result.before or line[0].reference, both=True)
    first = workspace.find(result.first or line[-1].reference, both=True)
    context = context_of(workspace, result.trial.game, before, first, workspace.provenance_of(study))
    return hunt_report(result, context, [(one.reference, one.note) for one in line], *sides(study), study.number,
                       study.spec.plan.error)


def _of_blind(workspace: "Studying", study: Played[Any]) -> "Report":
    from keenlattice.report.page.of_blind import blind_report

    before, after = workspace.versions_of(study)
    return blind_report(study.result, context_of(workspace, study.result.game, before, after,
                                                 workspace.provenance_of(study)))


def _of_pool(workspace: "Studying", study: Played[Any]) -> "Report":
    from keenlattice.report.page.context import Context
    from keenlattice.report.page.of_pool import pool_report

    about, rig = workspace.provenance_of(study), workspace.rig
    return pool_report(study.result, Context(
        facts=dict(rig.facts()), kind=f"{workspace.rig_name.capitalize()}, {workspace.described}", rig=workspace.kind,
        software=about.software, time=about.time[:16].replace("T", " ") + " UTC"), study.number)


def history_page(workspace: "Studying", game: str) -> Page:
    """The page about a game's history.

    Raises:
        UnknownName: no such game.
    """
    from keenlattice.report.page.of_history import history_report

    past = passed(workspace, game)
    versions = workspace.book.history(game)
    trials = workspace.trials_of(game)
    newest = sides(trials[0]) if trials else ([], [])
    context = context_of(workspace, game, stock(game), versions[0] if versions else stock(game))
    return Page(f"{game}-history", history_report(game, past, [one.result for one in trials], context, *newest,
                                                  screens=_screens(workspace, game)),
                _missing(trials[0]) if trials else "")


def _screens(workspace: "Studying", game: str) -> "list[Screen]":
    found = [one.result for one in workspace.finished("screen")]
    return [one for one in found if one.game == game]
