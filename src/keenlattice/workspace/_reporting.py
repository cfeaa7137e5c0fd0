"""Reports: of a study, or of a game's whole history."""

from typing import Any

from keenlattice.workspace._pages import history_page, page_of, picture_of
from keenlattice.workspace._studying import Studying
from keenlattice.workspace.figures import Drawing
from keenlattice.workspace.page import Page
from keenlattice.workspace.played import Played


class Reporting(Studying):
    """What makes pages of what was found."""

    def _page_of(self, study: Played[Any]) -> Page:
        return page_of(self, study)

    def _picture_of(self, study: Played[Any]) -> Drawing:
        return picture_of(study)

    def report(self, game: str = "", study: int | None = None) -> Page:
        """The page about a game's whole history, or about a study: the newest, if nothing is said.

        Of a tuning and the trial that it ended in it is the tuning's, which holds both.

        Raises:
            UnknownName: no such game.
            UsageError: no such study, or it is not finished; or both were asked for.
        """
        from keenlattice.errors import UsageError

        if game and study is not None:
            raise UsageError("a report is of a game's history or of one study: give one of them")
        if game:
            return history_page(self, game)
        return self._finished(self._newest() if study is None else study).report()

    def _newest(self) -> int:
        """The number of the newest study that is finished and has a report."""
        from keenlattice.errors import UsageError
        from keenlattice.logbook._studies import studies
        from keenlattice.study.record import spec_of

        found = [study for study in studies(self.book, self.rig_name, finished=True)
                 if study.kind != "ramp" and not getattr(spec_of(study), "is_pilot", False)]
        if not found:
            raise UsageError(f"nothing has been measured on {self.rig_name} yet: keen trial, keen screen, keen hunt "
                             "and keen tune do; or name a game, for its history")
        newest, earlier = found[0], found[1] if len(found) > 1 else None
        if (earlier and newest.kind == "trial" and earlier.kind == "tune" and newest.number == earlier.number + 1
                and spec_of(newest).versions[0] == spec_of(earlier).versions[0]):
            return earlier.number
        return newest.number
