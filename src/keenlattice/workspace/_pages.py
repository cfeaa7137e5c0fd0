"""The pages of studies and of histories, and the figures of studies: put together from what is kept."""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING, Any, cast

from keenlattice import _version
from keenlattice.blocks import Report, Telling, Text
from keenlattice.errors import CaptureError, UsageError, way
from keenlattice.logbook.file import now
from keenlattice.logbook.kept import studies
from keenlattice.profile.compare import changes
from keenlattice.profile.version import Version, own_key, owners, stock
from keenlattice.rig.find import described
from keenlattice.study.kind import Made, kind_named
from keenlattice.study.record import Provenance, spec_of
from keenlattice.workspace.kept import finished, kept_study, provenance_of, study_numbered, trials_of, versions_of
from keenlattice.workspace.page import Drawing, Page
from keenlattice.workspace.played import Played
from keenlattice.workspace.profile_results import in_words, value_text
from keenlattice.workspace.profiles import Profiles
from keenlattice.workspace.standing import Standing

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

    from keenlattice.catalog.model import Catalog
    from keenlattice.catalog.values import Value
    from keenlattice.logbook.kept import Study
    from keenlattice.measure.capture import Capture
    from keenlattice.profile.compare import Change
    from keenlattice.profile.layers import Base
    from keenlattice.report.context import Changed, Context
    from keenlattice.study.history import PastVersion
    from keenlattice.workspace.opened import Opened


def context_of(opened: "Opened", game: str, before: Version, after: Version,
               provenance: "Provenance | None" = None) -> "Context":
    """What surrounds a result about two versions.

    Args:
        provenance: what a study's result rests on: the facts of the rig as it was then, software and time.
    """
    from keenlattice.profile.layers import Base
    from keenlattice.report.context import Context
    from keenlattice.rig.applying import find_drift
    from keenlattice.rig.base import Playable, pending_on

    rests_on, rig = provenance or Provenance(), opened.rig
    standing = Standing(opened)
    base = standing.base() if provenance is None else Base(provenance.held, provenance.facts)
    titles = {"rig": "The rig-wide profile", **{listed.name: listed.title for listed in rig.games()}}
    applied = [last.title for owner in owners(before.profile)
               if (last := opened.book.last_apply(opened.rig_name, owner))]
    return Context(
        game=titles.get(game, game), changes=changed(opened, before, after, base),
        findings=standing.findings(after, base),
        slipped={drift.version.reference: tuple(_slipped(opened, change) for change in drift.changes)
                 for drift in find_drift(rig, opened.book)},
        waiting=dict(pending_on(rig)), facts=rests_on.facts or dict(rig.facts()),
        kind=f"{opened.rig_name.capitalize()}, {described(opened.kind)}", rig=opened.kind,
        plays=isinstance(rig, Playable),
        applied=" and ".join(applied),
        of_pack=after.reference if after.entries and not after.time else "",
        software=rests_on.software or _version.__version__,
        time=(rests_on.time or now())[:16].replace("T", " ") + " UTC")


def changed(opened: "Opened", before: Version, after: Version, base: "Base") -> "tuple[Changed, ...]":
    """What differs between two versions, in words: what holds on either side, why, and what to expect of it.

    That a setting is inert is said by the checks, beside it.
    """
    from keenlattice.report.context import Changed

    standing = Standing(opened)
    catalog, effective, result = opened.rig.catalog(), standing.effective(after, base), []
    for difference in standing.differing(before, after, base):
        key, was, is_now, remark = in_words(catalog, difference)
        held, in_catalog = effective.get(own_key(key)), key in catalog
        holder = standing.set_by(after, held) if held else None
        result.append(Changed(
            key, catalog[key].title if in_catalog else "", was, is_now, held.layer if held else "",
            _reason(after, holder), catalog[key].trades if in_catalog else "",
            "; ".join(part for part in ("" if difference.inert else remark, _sure(opened, key)) if part)))
    return tuple(result)


def _reason(after: Version, holder: Version | None) -> str:
    """Why a setting is as it is: the note of the version that set it; of a version that is in no history, its own."""
    if holder is not None:
        return holder.note
    return after.note if after.entries and not after.time else ""


def _sure(opened: "Opened", key: str) -> str:
    """What the catalog says against expecting much of a setting."""
    catalog = opened.rig.catalog()
    sure = catalog[key].sure if key in catalog else "known"
    return {"known": "", "disputed": "players disagree on whether it helps",
            "placebo": "nothing is known by which it could act"}[sure]


def _slipped(opened: "Opened", change: "Change") -> str:
    catalog = opened.rig.catalog()
    return (f"{change.key}: {value_text(catalog, change.key, change.after)} instead of "
            f"{value_text(catalog, change.key, change.before)}")


def passed(opened: "Opened", game: str) -> "list[PastVersion]":
    """The versions of a game, the newest first, in words.

    Raises:
        UnknownName: no such game.
    """
    from keenlattice.study.history import PastVersion

    return [PastVersion(past.version.reference, past.version.time[:10], past.version.author, past.version.note,
                        ", ".join(past.changes), ", ".join(past.marks))
            for past in Profiles(opened).history(game).versions]


class PlanBeside:
    """What a study is planned with; see `study.kind.Planning`."""

    def __init__(self, opened: "Opened") -> None:
        self._opened = opened

    @property
    def catalog(self) -> "Catalog":
        """The rig's."""
        return self._opened.rig.catalog()

    def find(self, reference: str) -> Version:
        """Return a version, or two together."""
        return self._opened.find(reference, both=True)


class StudyBeside:
    """What stands beside a study's result in the logbook and on the rig; see `study.kind.Beside`."""

    def __init__(self, opened: "Opened", study: Played[Any]) -> None:
        self._opened, self._study, self.find = opened, study, PlanBeside(opened).find
        self.number, self.spec, self.without = study.number, study.spec, ""

    @property
    def versions(self) -> Sequence[Version]:
        """The versions that it is about."""
        return versions_of(self._opened, self._study)

    @property
    def catalog(self) -> "Catalog":
        """The rig's."""
        return self._opened.rig.catalog()

    @property
    def made(self) -> Made | None:
        """What was made of the result just now."""
        study = self._study
        if study.version is None:
            return None
        return Made(study.version, study.label, study.proof.result if study.proof else None)

    def captures(self, *, needed: bool = False) -> "Mapping[int, Capture]":
        """Return its runs by their place; of runs that are gone, `without` says so."""
        try:
            return self._study.captures()
        except CaptureError as error:
            if needed:
                raise
            self.without = f"{error}; the report goes without the pictures of these runs"
            return {}

    def context(self, game: str = "", before: Version | None = None, after: Version | None = None) -> "Context":
        """Return what surrounds the result."""
        from keenlattice.report.context import Context

        opened, about = self._opened, provenance_of(self._opened, self._study)
        if before is not None and after is not None:
            return context_of(opened, game, before, after, about)
        return Context(
            facts=dict(opened.rig.facts()), kind=f"{opened.rig_name.capitalize()}, {described(opened.kind)}",
            rig=opened.kind, software=about.software, time=about.time[:16].replace("T", " ") + " UTC")

    def made_of(self, profile: str, entries: "Mapping[str, Value]") -> Version | None:
        """Return the newest version that sets just that."""
        history = self._opened.book.history(profile)
        return next((version for version in history if not changes(version.entries, entries)), None)

    def finished(self, kind: str) -> Sequence[Played[Any]]:
        """Return the finished studies of a kind, the newest first; pilots are none."""
        return [study for study in finished(self._opened, kind) if not getattr(study.spec, "is_pilot", False)]


def picture_of(opened: "Opened", study: Played[Any], ax: "Axes | None" = None) -> Drawing:
    """Return a picture of what a study found.

    Args:
        ax: axes onto which its main part is drawn at once.

    Raises:
        UsageError: it has no trial that could be drawn.
    """
    draws = kind_named(study.kind).figure
    if draws is None and study.proof is not None:
        return picture_of(opened, study.proof, ax)
    if draws is None:
        raise UsageError(f"{study.kind} {study.number} has no trial that could be drawn")
    figures = draws(study.result, StudyBeside(opened, study))
    if ax is None:
        return Drawing(figures.whole)
    figures.onto(ax)
    return Drawing(lambda: cast("Figure", ax.figure))


def telling_of(opened: "Opened", study: Played[Any]) -> Telling:
    """Return what a study found, in blocks.

    Raises:
        UsageError: nothing tells studies of its kind.
    """
    tell = kind_named(study.kind).tell
    if tell is None:
        raise UsageError(f"nothing tells what a {study.kind} found")
    return tell(study.result, StudyBeside(opened, study))


def page_of(opened: "Opened", study: Played[Any]) -> Page:
    """Return the page about a study.

    Raises:
        UsageError: there is none of its kind.
    """
    if study.kind == "ramp":
        raise UsageError(f"study {study.number} stepped a setting up: its report is that of the trial which came after")
    kind, beside = kind_named(study.kind), StudyBeside(opened, study)
    content = kind.page(study.result, beside) if kind.page else _of_any(opened, study, beside)
    figures = kind.figure(study.result, beside) if kind.figure else None
    onto = (figures.small or figures.onto) if figures else None
    return Page(f"{study.kind}-{study.number}", content, beside.without, onto)


def _of_any(opened: "Opened", study: Played[Any], beside: StudyBeside) -> Report:
    """Return the page about a study of a kind that lacks its own: what it tells, and on which rig."""
    from keenlattice.report.context import again, the_rig, to_repeat

    telling, versions = telling_of(opened, study), beside.versions
    context = beside.context(study.spec.owner, versions[0], versions[-1])
    return Report(f"{study.kind.capitalize()} {study.number}: {study.spec.about}", telling.keys,
                  [Text(telling.about)], telling.blocks, [], [], the_rig(context),
                  to_repeat(context, [], "", again(study.number)), [])


def history_page(opened: "Opened", game: str) -> Page:
    """Return the page about a game's history.

    Raises:
        UnknownName: no such game.
    """
    from keenlattice.study.history import history_report
    from keenlattice.study.trial.tell import sides_of

    past, versions, trials = passed(opened, game), opened.book.history(game), trials_of(opened, game)
    newest: tuple[list[Capture], list[Capture]] = ([], [])
    without = ""
    if trials:
        beside = StudyBeside(opened, trials[0])
        newest = sides_of(trials[0].result.plan, trials[0].result.runs_played, beside.captures())
        without = beside.without
    screens = [study.result for study in finished(opened, "screen") if study.result.game == game]
    context = context_of(opened, game, stock(game), versions[0] if versions else stock(game))
    return Page(f"{game}-history", history_report(game, past, [study.result for study in trials], context, *newest,
                                                  screens=screens), without)


def studies_with_page(opened: "Opened") -> "list[Study]":
    """Return the studies that are finished and have a report, the newest first."""
    return [study for study in studies(opened.book, opened.rig_name, finished=True)
            if study.kind != "ramp" and not getattr(spec_of(study), "is_pilot", False)]


def newest_with_page(opened: "Opened") -> int:
    """Return the number of the newest study that is finished and has a report."""
    having = studies_with_page(opened)
    if not having:
        raise UsageError(f"nothing has been measured on {opened.rig_name} yet: "
                         f"{way('keen trial', 'ws.trial')}, screen, hunt and tune do; or name a game, for its history")
    newest, earlier = having[0], having[1] if len(having) > 1 else None
    if (earlier and newest.kind == "trial" and earlier.kind == "tune" and newest.number == earlier.number + 1
            and spec_of(newest).versions[0] == spec_of(earlier).versions[0]):
        return earlier.number
    return newest.number


def finished_study(opened: "Opened", number: int) -> Played[Any]:
    """Return a finished study with its page and its picture.

    Raises:
        UsageError: there is none of that number, or it is not finished.
    """
    return replace(
        kept_study(opened, study_numbered(opened, number)), _page=lambda study: page_of(opened, study),
        _figure=lambda study, ax: picture_of(opened, study, ax), _telling=lambda study: telling_of(opened, study))
