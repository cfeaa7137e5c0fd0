"""A study on a rig that is changed by hand, step by step: what comes next, and each run's recording handed over."""

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from keenlattice._door import check_methods
from keenlattice.errors import UsageError
from keenlattice.logbook.kept import runs_of, take_back_run
from keenlattice.study.record import spec_of
from keenlattice.workspace._play import StudyPlayer
from keenlattice.workspace.handed import HASHED, FilesHand, read_handed, told_apart
from keenlattice.workspace.kept import unfinished_study
from keenlattice.workspace.next_run import NextRun, Waiting, decided_by_latency
from keenlattice.workspace.opened import Opened, by_hand_rig
from keenlattice.workspace.recording_results import MeasureResult

if TYPE_CHECKING:
    from keenlattice.study.kind import Spec
    from keenlattice.workspace.played import Played


@check_methods
class ByHandStudies:
    """What hands over the runs of a study on a rig that is changed by hand."""

    def __init__(self, opened: Opened, player: StudyPlayer) -> None:
        self._opened, self._player = opened, player

    def next_run(self) -> NextRun:
        """What the newest unfinished study waits for.

        Raises:
            UsageError: the rig is not changed by hand, or no study is unfinished.
        """
        waiting = self.hand_over([])
        assert isinstance(waiting, NextRun)
        return waiting

    def hand_over(self, files: "Sequence[Path | str]", columns: str = "", *, anyway: bool = False,
                  wrong: str = "") -> "NextRun | Played[Any]":
        """Hands recordings over as the next runs of the newest unfinished study; with them it is said that the steps
        before them were taken.

        Args:
            files: of each run its frames, and behind them what a sensor recorded of it, if one did; where latency alone
                decides, what the sensor recorded is enough.
            columns: the name of the column map for the frames; without one, the map that is kept for their header.
            anyway: take what does not look like the run that was asked for.
            wrong: the next run went wrong, and why; it does not count, and is asked for again.

        Returns: what comes next; or the study, once the last run was handed over.

        Raises:
            UsageError: no study is unfinished, no map is known, or a recording does not look like its run.
            CaptureError: a recording cannot be read.
        """
        rig = by_hand_rig(self._opened)
        hand = rig.hand
        spec = spec_of(unfinished_study(self._opened))  # that there is none is said before any file is read
        handed = told_apart(self._opened, [Path(file) for file in files], columns,
                            latency_alone=decided_by_latency(spec))
        rig.hand = FilesHand(self._opened, handed, self.handed_before() if files else (), anyway=anyway,
                             wrong=wrong)
        try:
            return self._player.resume(None, None)
        except Waiting as waiting:
            assert waiting.next is not None
            return waiting.next
        finally:
            rig.hand = hand

    def handed_before(self) -> set[str]:
        """The hashes of all files that were handed over in the newest unfinished study, if there is one."""
        try:
            files = [run.file for run in runs_of(self._opened.book, unfinished_study(self._opened)) if not run.excluded]
        except UsageError:
            return set()
        return {digest for file in files for digest in self._opened.book.about_capture(file).get(HASHED, ())}

    def unfinished_spec(self) -> "Spec | None":
        """What the newest unfinished study was planned with; None if there is none."""
        try:
            return spec_of(unfinished_study(self._opened))
        except UsageError:
            return None

    def measure(self, game: str, files: "Sequence[Path | str]", columns: str = "") -> MeasureResult:
        """Takes recordings as runs of the rig as it stands, by all that was said of it.

        Args:
            game: what was played.
            files, columns: as in `hand_over`.

        Raises:
            UsageError: the rig is not changed by hand, or no map is known.
            UnknownName: no such game.
            CaptureError: a recording cannot be read; none of them is kept then.
        """
        from keenlattice.rig.base import game_of

        game_of(by_hand_rig(self._opened), game)
        handed = told_apart(self._opened, [Path(file) for file in files], columns)
        captures = [read_handed(self._opened, files, game) for files in handed]
        if not captures:
            raise UsageError("no recording was handed over")
        book, name = self._opened.book, self._opened.rig_name
        applied = book.last_apply(name, game)
        kept = tuple(book.keep_capture(capture, name, game, applied.version if applied else "stock")
                     for capture in captures)
        seconds = round(sum(capture.seconds for capture in captures) / len(captures), 1)
        from keenlattice.workspace._recorded import measured

        return measured(name, game, seconds, 0, captures, kept)

    def take_back(self) -> NextRun:
        """Takes back the run that was handed over last: it does not count, and is asked for again.

        Raises:
            UsageError: none was handed over.
        """
        by_hand_rig(self._opened)
        study = unfinished_study(self._opened)
        if take_back_run(self._opened.book, study) is None:
            raise UsageError(f"no run of {study.kind} {study.number} was handed over yet")
        return self.next_run()

    def left_over(self) -> list[str]:
        """The settings that studies by hand have left different from before; none on any other rig."""
        from keenlattice.rig.session import left_changed

        return left_changed(self._opened.rig)
