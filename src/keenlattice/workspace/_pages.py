"""The pages of studies and of histories, and the figures of studies: put together from what is kept."""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING, Any, cast

from keenlattice.blocks import Report, Telling, Text
from keenlattice.errors import CaptureError, UsageError
from keenlattice.logbook.kept import studies
from keenlattice.profile.compare import changes
from keenlattice.profile.version import Version, stock
from keenlattice.rig.find import described
from keenlattice.study.kind import Made, kind_named
from keenlattice.study.record import spec_of
from keenlattice.workspace._context import context_of, passed
from keenlattice.workspace._kept import finished, kept_study, provenance_of, study_numbered, trials_of, versions_of
from keenlattice.workspace.page import Drawing, Page
from keenlattice.workspace.played import Played

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

    from keenlattice.catalog.model import Catalog
    from keenlattice.catalog.values import Value
    from keenlattice.measure.capture import Capture
    from keenlattice.report.context import Context
    from keenlattice.workspace.opened import Opened


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
    make, beside = kind_named(study.kind).page, StudyBeside(opened, study)
    content = make(study.result, beside) if make else _of_any(opened, study, beside)
    return Page(f"{study.kind}-{study.number}", content, beside.without)


def _of_any(opened: "Opened", study: Played[Any], beside: StudyBeside) -> Report:
    """Return the page about a study of a kind that has none of its own: what it tells, and on which rig."""
    from keenlattice.report.context import again, the_rig, to_repeat

    telling, versions = telling_of(opened, study), beside.versions
    context = beside.context(study.spec.owner, versions[0], versions[-1])
    return Report(f"{study.kind.capitalize()} {study.number}: {study.spec.about}", telling.verdict, telling.headline,
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


def newest_with_page(opened: "Opened") -> int:
    """Return the number of the newest study that is finished and has a report."""
    having = [study for study in studies(opened.book, opened.rig_name, finished=True)
              if study.kind != "ramp" and not getattr(spec_of(study), "is_pilot", False)]
    if not having:
        raise UsageError(f"nothing has been measured on {opened.rig_name} yet: keen trial, keen screen, keen hunt "
                         "and keen tune do; or name a game, for its history")
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
