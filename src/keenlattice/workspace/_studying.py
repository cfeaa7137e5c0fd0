"""What all kinds of study have: each is kept run by run, goes on after a stop, and can be computed anew."""

import math
from collections.abc import Iterator, Mapping, Sequence
from typing import TYPE_CHECKING, Any

from keenlattice.profile.version import Version
from keenlattice.workspace.comparing import Comparing
from keenlattice.workspace.editing import Editing
from keenlattice.workspace.figures import Drawing
from keenlattice.workspace.measuring import Measuring
from keenlattice.workspace.next_run import NextRun, Waiting
from keenlattice.workspace.opened import VersionLike
from keenlattice.workspace.played import ListedStudy, Played, Recomputed, StudyList, StudyRun, StudyRuns

if TYPE_CHECKING:
    from keenlattice.logbook._studies import Study
    from keenlattice.study.kind import Spec
    from keenlattice.study.record import Progress, Provenance
    from keenlattice.study.trial.result import Trial


class Studying(Comparing, Editing, Measuring):
    """What is done with studies of any kind. The rig is put back to what it was, whatever happens."""

    def resume(self, number: int | None = None, *, progress: "Progress | None" = None) -> "Played[Any]":
        """Goes on with a study that was stopped.

        Args:
            number: which; the newest, if it is not given.
            progress: is told how many runs are done, of how many.

        Raises:
            UsageError: none was, or not this one; or it waits for recordings.
            RigError: the rig refuses, or nothing can be recorded.
            Waiting: of a rig that is changed by hand: it says for what.
        """
        from keenlattice.errors import UsageError
        from keenlattice.study.record import spec_of

        study = self._unfinished(number=number)
        if spec_of(study).files:
            raise UsageError(f"{study.kind} {study.number} waits for your recordings: keen trial --take FILE")
        return self._play(study, progress)

    def _unfinished(self, *kinds: str, number: int | None = None) -> "Study":
        from keenlattice.errors import UsageError
        from keenlattice.logbook._studies import studies

        if number is not None:
            study = self._study(number)
            if study.result is not None:
                raise UsageError(f"{study.kind} {number} is finished: keen report --study {number} makes a page of it")
            return study
        waiting = studies(self.book, self.rig_name, *kinds, finished=False, most=1)
        if not waiting:
            raise UsageError(f"no {' or '.join(kinds) or 'study'} on {self.rig_name} was left unfinished")
        return waiting[0]

    def recompute(self, number: int) -> Recomputed:
        """Computes a study again from its captures.

        Raises:
            UsageError: there is no such study, or it is not finished.
            KeenLatticeError: a number comes out otherwise.
        """
        from keenlattice.study.record import recompute

        study = self._study(number)
        return Recomputed(number, study.kind, True, recompute(self.book, self.rig, study))

    def studies(self) -> StudyList:
        """All studies on the rig, the newest first."""
        from keenlattice.logbook._studies import studies

        return StudyList(self.rig_name, tuple(_listed(one) for one in studies(self.book, self.rig_name)))

    def runs(self, number: int | None = None) -> StudyRuns:
        """Return the runs of one study or of all on the rig; `.table()` has a row for each, with all its metrics.

        Args:
            number: the study's; all studies, if it is not given.

        Raises:
            UsageError: there is no such study.
            CaptureError: a run's capture is gone, or damaged.
        """
        from keenlattice.logbook._studies import studies

        chosen = studies(self.book, self.rig_name) if number is None else [self._study(number)]
        return StudyRuns(tuple(run for study in chosen for run in self._runs_of_study(study)))

    def _runs_of_study(self, study: "Study") -> Iterator[StudyRun]:
        from keenlattice.logbook._studies import runs_of
        from keenlattice.measure.metrics import metrics_of
        from keenlattice.study.record import spec_of

        spec: Any = spec_of(study)
        blocks = [block for block, *_ in spec.plan.runs()] if study.kind == "trial" else []
        for run in runs_of(self.book, study):
            version = spec.version_of(run.arm)
            yield StudyRun(
                study.number, study.kind, run.place + 1, blocks[run.place] + 1 if run.place < len(blocks) else None,
                run.arm, "" if version is None else spec.versions[version].reference, run.excluded, run.file,
                metrics_of(self.book.capture(run.file)) if run.file else {})

    def unfinished(self, number: int | None = None) -> ListedStudy:
        """The study that `resume` goes on with.

        Args:
            number: which; the newest that was stopped, if it is not given.

        Raises:
            UsageError: none was, or not this one.
        """
        return _listed(self._unfinished(number=number))

    def study(self, number: int) -> "Played[Any]":
        """A finished study, by its number.

        Raises:
            UsageError: there is none, or it is not finished.
        """
        return self._finished(number)

    def finished(self, kind: str) -> "list[Played[Any]]":
        """The finished studies of a kind on this rig, the newest first."""
        from keenlattice.logbook._studies import studies

        return [self._played(study) for study in studies(self.book, self.rig_name, kind, finished=True)]

    def trials_of(self, game: str) -> "list[Played[Trial]]":
        """The trials of a game or of the rig-wide profile, the newest first; without pilots."""
        return [one for one in self.finished("trial") if not one.spec.is_pilot  # type: ignore[attr-defined]
                and game in (one.result.game, one.result.before.partition("@")[0])]

    def versions_of(self, study: "Played[Any]") -> list[Version]:
        """The versions that a study is about.

        Raises:
            UnknownName: one is no longer in the logbook.
        """
        from keenlattice.study.record import versions_of

        return versions_of(self.book, self.rig_name, study.spec)

    def provenance_of(self, study: "Played[Any]") -> "Provenance":
        """What a study's result rests on."""
        from keenlattice.study.record import provenance_of

        return provenance_of(self._study(study.number))

    def _study(self, number: int, *kinds: str) -> "Study":
        from keenlattice.errors import UsageError
        from keenlattice.logbook._studies import studies

        for study in studies(self.book, self.rig_name, *kinds, number=number):
            return study
        known = studies(self.book, self.rig_name, *kinds, most=8)
        raise UsageError(f"there is no {' or '.join(kinds) or 'study'} {number} on {self.rig_name}; there are "
                         f"{', '.join(str(study.number) for study in known) or 'none yet'}; see keen studies")

    def play(self, kind: str, spec: "Spec", progress: "Progress | None" = None) -> "Played[Any]":
        """Plays a study of any kind, and keeps it run by run.

        Args:
            kind: its name, one of `study.KINDS`.
            spec: the versions, the plan and the game, in the form of that kind.
            progress: is told how many runs are done, of how many.

        Raises:
            UsageError: it could not be played at all; then nothing of it is kept.
            RigError: the rig refuses, or nothing can be recorded.
        """
        from keenlattice.study.record import start

        study = start(self.book, self.rig, kind, spec)
        self._tell_of_base(spec)
        return self._play(study, progress)

    def _tell_of_base(self, spec: "Spec") -> None:
        """Says so, before a study of a game's versions plays, where the rig does not hold what is planned rig-wide."""
        if spec.on_rig_wide and (planned := self.planned_in_words()):
            self.notice(f"{planned}. The runs are played on what the rig holds; to have it on first: keen apply rig")

    def _play(self, study: "Study", progress: "Progress | None") -> "Played[Any]":
        """Plays what is left of a study; one by hand may wait for its player, and then says for what."""
        from keenlattice.rig.base import ByHand
        from keenlattice.study.record import play_on
        from keenlattice.workspace._files_hand import FilesHand

        nobody = isinstance(self.rig, ByHand) and self.rig.hand is None
        if isinstance(self.rig, ByHand) and nobody:
            self.rig.hand = FilesHand(self)  # type: ignore[arg-type]
        try:
            play_on(self.book, self.rig, study, progress)
        except Waiting as waiting:
            waiting.next = self._what_is_next(study, waiting)
            raise
        finally:
            if isinstance(self.rig, ByHand) and nobody:
                self.rig.hand = None
        return self._with_version(self._finished(study.number), progress)

    def _finished(self, number: int) -> "Played[Any]":
        return self._played(self._study(number))

    def _played(self, study: "Study") -> "Played[Any]":
        from keenlattice.logbook._studies import done_of
        from keenlattice.study.record import result_of, spec_of

        played: Played[Any] = Played(study.kind, study.number, spec_of(study), result_of(study),
                                     lambda: self._page_of(played), lambda: done_of(self.book, study),
                                     lambda: self._picture_of(played))
        return played

    def _what_is_next(self, study: "Study", waiting: Waiting) -> NextRun:
        """What a study by hand waits for; see `Handing`."""
        raise NotImplementedError

    def _page_of(self, study: "Played[Any]") -> Any:
        """The page about a study; see `Reporting`."""
        raise NotImplementedError

    def _picture_of(self, study: "Played[Any]") -> Drawing:
        """A picture of what a study found; see `Reporting`."""
        raise NotImplementedError

    def newest_value(self, name: str, which: VersionLike) -> float:
        """A metric of the newest kept run of a version; NaN if there is none.

        Args:
            name: the metric's.
            which: the version, in any of the ways that `VersionLike` has.
        """
        from keenlattice.measure.metrics import metrics_of

        version = self.find(which, both=True)
        kept = self.runs_of(version)
        return metrics_of(self.book.capture(kept[0]), [name])[name] if kept else math.nan

    @property
    def by_hand(self) -> bool:
        """Whether a person changes the rig, and plays on it."""
        from keenlattice.rig.base import ByHand

        return isinstance(self.rig, ByHand)

    def _repeats(self, options: Mapping[str, Any], keys: Sequence[str], share: float, default: Any) -> int:
        """How many runs to play between two switches: as many as pay, where a person switches; else one.

        Args:
            options: of the study; `repeats`, if it was said, is taken.
            keys: the settings that differ.
            share: of them, how many each switch changes.
            default: the plan's own values.
        """
        from keenlattice.rig._apply import restart_for
        from keenlattice.rig.byhand.pace import HANDLING_MINUTES, RESTARTS_MINUTES, cheapest_repeats

        if options.get("repeats") is not None or not self.by_hand:
            return int(options.get("repeats") or 1)
        seconds = (options.get("seconds") or default.seconds) + (options.get("warm_up_s") or 0.0)
        switch = share * len(keys) * self.minutes_a_step(options) + RESTARTS_MINUTES[restart_for(self.rig, list(keys))]
        return cheapest_repeats(switch, seconds / 60 + HANDLING_MINUTES)

    def minutes_a_step(self, options: Mapping[str, Any]) -> float:
        """How long a person takes to change one setting: as they say, or as is learnt from the steps that they took.

        Args:
            options: of a study; `switch_minutes` is looked at.
        """
        from keenlattice.rig.byhand.pace import minutes_a_step

        told = options.get("switch_minutes")
        return float(told) if told is not None else minutes_a_step(self.rig.home)

    def _with_version(self, found: "Played[Any]", progress: "Progress | None") -> "Played[Any]":
        """The same, with what is made of it in the end."""
        return found


def _listed(study: "Study") -> ListedStudy:
    """A study as it stands in a list."""
    from keenlattice.study.record import spec_of

    spec = spec_of(study)
    return ListedStudy(study.number, study.kind, study.time, spec.about, study.result is not None,
                       getattr(spec, "is_pilot", False))


def seeded(options: Mapping[str, Any]) -> dict[str, Any]:
    """What was said of how a study is played, with a seed that is drawn if none was given."""
    from keenlattice.study._limits import fresh_seed

    return {"seed": fresh_seed(), **{name: value for name, value in options.items()
                                     if value is not None and name != "switch_minutes"}}
