"""The pages of studies and of histories, and the figures of studies: put together from what is kept."""

from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING, Any, cast

from keenlattice.blocks import Block, Telling, Text
from keenlattice.errors import CaptureError, UsageError
from keenlattice.logbook.kept import studies
from keenlattice.profile.compare import changes
from keenlattice.profile.version import Version, stock
from keenlattice.rig.find import described
from keenlattice.study.kind import kind_named
from keenlattice.study.record import spec_of
from keenlattice.workspace._context import context_of, passed
from keenlattice.workspace._kept import (
    finished,
    kept_study,
    provenance_of,
    study_numbered,
    trials_of,
    versions_of,
)
from keenlattice.workspace._made import base_of, tuned
from keenlattice.workspace.page import Drawing, Page
from keenlattice.workspace.played import Played, sides

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

    from keenlattice.blocks import Report
    from keenlattice.report.page.context import Context
    from keenlattice.study.screen.result import Screen
    from keenlattice.study.tune.plan import Tuning
    from keenlattice.workspace.opened import Opened


def picture_of(study: Played[Any], ax: "Axes | None" = None) -> Drawing:
    """A picture of what a study found.

    Args:
        ax: axes onto which its main part is drawn at once.

    Raises:
        UsageError: it has no trial that could be drawn.
    """
    from keenlattice.report import figure_of_pool, figure_of_trial, forest

    result = study.result
    draws: dict[str, tuple[Callable[[], Figure], Callable[[Axes], object]]] = {
        "screen": (lambda: forest.screen_figure(result), lambda axes: forest.effects(axes, result)),
        "tune": (lambda: forest.tune_figure(result), lambda axes: forest.combinations(axes, result)),
        "pool": (lambda: figure_of_pool.pool_figure(result),
                 lambda axes: figure_of_pool.effects(axes, result.changes, result.plan.metrics[0]))}
    if study.kind in draws:
        whole, main = draws[study.kind]
    else:
        proof: Played[Any] | None = study if study.kind in ("trial", "hunt") else study.proof
        if proof is None:
            raise UsageError(f"{study.kind} {study.number} has no trial that could be drawn")
        trial = proof.result.trial if proof.kind == "hunt" else proof.result
        whole, main = (lambda: figure_of_trial.trial_figure(trial, *sides(proof, needed=True)),
                       lambda axes: figure_of_trial.intervals(axes, trial))
    if ax is None:
        return Drawing(whole)
    main(ax)
    return Drawing(lambda: cast("Figure", ax.figure))


def telling_of(opened: "Opened", study: Played[Any]) -> Telling:
    """What a study found, in blocks.

    Raises:
        UsageError: nothing tells studies of its kind.
    """
    from keenlattice.report.page.of_hunt import tell_hunt
    from keenlattice.report.page.of_pool import tell_pool
    from keenlattice.report.page.of_screen import tell_screen
    from keenlattice.report.page.of_trial import tell_blind, tell_trial
    from keenlattice.report.page.of_tune import tell_ramp, tell_tuning

    result = study.result
    if study.kind == "hunt":
        line = versions_of(opened, study)
        left_out = sorted({key for version in line for key in version.entries if key not in opened.rig.catalog()})
        return tell_hunt(result, _context_of_hunt(opened, study), [(one.reference, one.note) for one in line], left_out)
    if study.kind == "tune":
        return tell_tuning(result, *_made(opened, study))
    if study.kind == "ramp":
        return tell_ramp(result, opened.rig.catalog()[result.plan.key].unit, *_made(opened, study))
    tells: dict[str, Callable[[Any], Telling]] = {
        "trial": tell_trial, "screen": tell_screen, "blind": tell_blind,
        "pool": lambda result: tell_pool(result, study.number, {})}
    tell = tells.get(study.kind) or kind_named(study.kind).tell
    if tell is None:
        raise UsageError(f"nothing tells what a {study.kind} found")
    return tell(result)


def _made(opened: "Opened", study: Played[Any]) -> tuple[list[Block], str]:
    """What was made of a tuning or a ramp and what proves it, and what to do next."""
    from keenlattice.report.page.of_tune import what_was_made

    if study.version is None:
        return [], ""
    latest = opened.find(study.spec.owner)
    lacks = [key for key in latest.entries if key not in study.version.entries]
    base, label = study.spec.versions[0].reference, f"{study.version.profile}@{study.label}"
    advice = (f"keen apply {label}; or into your profile: keen merge {study.version.profile} {label}; keen report "
              "makes a page of it" if study.proof else
              f"keen trial {base} {study.version.reference} --decides {study.result.plan.goal}, which alone proves it")
    return what_was_made(label, study.version.reference, base, latest.reference, lacks,
                         study.proof.result if study.proof else None), advice


def page_of(opened: "Opened", study: Played[Any]) -> Page:
    """The page about a study.

    Raises:
        UsageError: there is none of its kind.
    """
    makers = {"trial": _of_trial, "screen": _of_screen, "tune": _of_tune, "hunt": _of_hunt, "blind": _of_blind,
              "pool": _of_pool}
    if study.kind == "ramp":
        raise UsageError(f"study {study.number} stepped a setting up: its report is that of the trial which came after")
    make = makers.get(study.kind, _of_any)
    return Page(f"{study.kind}-{study.number}", make(opened, study), _missing(study))


def _missing(study: Played[Any]) -> str:
    if study.kind not in ("trial", "hunt"):
        return ""
    try:
        study.captures()
    except CaptureError as error:
        return f"{error}; the report goes without the pictures of these runs"
    return ""


def _of_trial(opened: "Opened", study: Played[Any]) -> "Report":
    from keenlattice.report.page.of_screen import standings
    from keenlattice.report.page.of_trial import trial_report

    result = study.result
    before, after = versions_of(opened, study)
    screens = [one for one in _screens(opened, result.game)
               if (one.before, one.after) == (result.before, result.after)]
    context = context_of(opened, result.game, before, after, provenance_of(opened, study))
    return trial_report(result, *sides(study), context, study.number,
                        [block for one in screens[:1] for block in (
                            Text("A screen of the same two versions told them apart:"), standings(one))])


def _of_screen(opened: "Opened", study: Played[Any]) -> "Report":
    from keenlattice.report.page.of_screen import screen_report

    before, after = versions_of(opened, study)
    context = context_of(opened, study.result.game, before, after, provenance_of(opened, study))
    return screen_report(study.result, context, study.number)


def _of_tune(opened: "Opened", study: Played[Any]) -> "Report":
    from keenlattice.report.page.of_tune import tune_report

    result, base = study.result, base_of(opened, study)
    made = _made_of(opened, base, result)
    context = context_of(opened, result.game, base, made or base, provenance_of(opened, study))
    for one in trials_of(opened, result.game):
        proof = one.result
        if made and one.number > study.number and (proof.before, proof.after) == (base.reference, made.reference):
            return tune_report(result, context, made.reference, proof, *sides(one), number=study.number)
    return tune_report(result, context, made.reference if made else "", number=study.number)


def _made_of(opened: "Opened", base: Version, result: "Tuning") -> Version | None:
    """The version that was made of a tuning's best."""
    entries = tuned(base, result)
    if entries is None:
        return None
    return next((one for one in opened.book.history(base.profile) if not changes(one.entries, entries)), None)


def _of_hunt(opened: "Opened", study: Played[Any]) -> "Report":
    from keenlattice.report.page.of_hunt import hunt_report

    result, line = study.result, versions_of(opened, study)
    return hunt_report(result, _context_of_hunt(opened, study), [(one.reference, one.note) for one in line],
                       *sides(study), study.number, study.spec.plan.error)


def _context_of_hunt(opened: "Opened", study: Played[Any]) -> "Context":
    result, line = study.result, study.spec.versions
    before = opened.find(result.before or line[0].reference, both=True)
    first = opened.find(result.first or line[-1].reference, both=True)
    return context_of(opened, result.trial.game, before, first, provenance_of(opened, study))


def _of_any(opened: "Opened", study: Played[Any]) -> "Report":
    """The page about a study of a kind that has none of its own: what it tells, and on which rig."""
    from keenlattice.blocks import Report
    from keenlattice.report.page.context import again, the_rig, to_repeat

    telling, versions = telling_of(opened, study), versions_of(opened, study)
    context = context_of(opened, study.spec.owner, versions[0], versions[-1], provenance_of(opened, study))
    return Report(f"{study.kind.capitalize()} {study.number}: {study.spec.about}", telling.verdict, telling.headline,
                  [Text(telling.about)], telling.blocks, [], [], the_rig(context),
                  to_repeat(context, [], "", again(study.number)), [])


def _of_blind(opened: "Opened", study: Played[Any]) -> "Report":
    from keenlattice.report.page.of_trial import blind_report

    before, after = versions_of(opened, study)
    return blind_report(study.result, context_of(opened, study.result.game, before, after,
                                                 provenance_of(opened, study)))


def _of_pool(opened: "Opened", study: Played[Any]) -> "Report":
    from keenlattice.report.page.context import Context
    from keenlattice.report.page.of_pool import pool_report

    about, rig = provenance_of(opened, study), opened.rig
    return pool_report(study.result, Context(
        facts=dict(rig.facts()), kind=f"{opened.rig_name.capitalize()}, {described(opened.kind)}", rig=opened.kind,
        software=about.software, time=about.time[:16].replace("T", " ") + " UTC"), study.number)


def history_page(opened: "Opened", game: str) -> Page:
    """The page about a game's history.

    Raises:
        UnknownName: no such game.
    """
    from keenlattice.report.page.of_history import history_report

    past = passed(opened, game)
    versions = opened.book.history(game)
    trials = trials_of(opened, game)
    newest = sides(trials[0]) if trials else ([], [])
    context = context_of(opened, game, stock(game), versions[0] if versions else stock(game))
    return Page(f"{game}-history", history_report(game, past, [one.result for one in trials], context, *newest,
                                                  screens=_screens(opened, game)),
                _missing(trials[0]) if trials else "")


def _screens(opened: "Opened", game: str) -> "list[Screen]":
    found = [one.result for one in finished(opened, "screen")]
    return [one for one in found if one.game == game]


def newest_with_page(opened: "Opened") -> int:
    """The number of the newest study that is finished and has a report."""
    found = [study for study in studies(opened.book, opened.rig_name, finished=True)
             if study.kind != "ramp" and not getattr(spec_of(study), "is_pilot", False)]
    if not found:
        raise UsageError(f"nothing has been measured on {opened.rig_name} yet: keen trial, keen screen, keen hunt "
                         "and keen tune do; or name a game, for its history")
    newest, earlier = found[0], found[1] if len(found) > 1 else None
    if (earlier and newest.kind == "trial" and earlier.kind == "tune" and newest.number == earlier.number + 1
            and spec_of(newest).versions[0] == spec_of(earlier).versions[0]):
        return earlier.number
    return newest.number


def finished_study(opened: "Opened", number: int) -> Played[Any]:
    """Return a finished study with its page and its picture.

    Raises:
        UsageError: there is none of that number, or it is not finished.
    """
    return with_page(opened, kept_study(opened, study_numbered(opened, number)))


def with_page(opened: "Opened", study: Played[Any]) -> Played[Any]:
    """Return a finished study with its page and its picture."""
    return replace(study, _page=lambda study: page_of(opened, study), _figure=picture_of,
                   _telling=lambda study: telling_of(opened, study))
