"""A hand that has nothing but files."""

from collections.abc import Collection, Sequence
from typing import TYPE_CHECKING

from keenlattice.errors import CaptureError, UsageError
from keenlattice.rig.hand import ComingRun, Noted, Paused
from keenlattice.workspace._handed import HASHED, Handed, check_plausible, read_handed
from keenlattice.workspace.next_run import Waiting

if TYPE_CHECKING:
    from keenlattice.measure.capture import Capture
    from keenlattice.profile.sheet import SheetStep
    from keenlattice.workspace.opened import Opened


class FilesHand:
    """A hand that has nothing but files: each run's recordings, or word that it went wrong; then it waits.

    Args:
        opened: the rig that is played, and the logbook that knows the files' columns.
        handed: the runs, in their order.
        seen: the hashes of what was handed over before.
        anyway: whether what does not look like the run that was asked for is taken all the same.
        wrong: why the next run does not count; "" if one is handed over.
    """

    def __init__(self, opened: "Opened", handed: Sequence[Handed] = (), seen: Collection[str] = (), *,
                 anyway: bool = False, wrong: str = "") -> None:
        self._opened = opened
        self._left, self._seen = list(handed), set(seen)
        self._anyway, self._wrong = anyway, wrong
        self._run: ComingRun | None = None
        self._capture: Capture | None = None

    def coming(self, run: ComingRun) -> None:
        self._run, self._capture = run, None
        if self._left:
            self._capture = self._read(run, self._left.pop(0))

    def change(self, steps: "Sequence[SheetStep]") -> Noted:
        if self._capture is None and not self._wrong and self._run is not None:
            raise Waiting(self._run, steps)
        return {}

    def play(self, run: ComingRun) -> "Capture":
        if self._wrong:
            why, self._wrong = self._wrong, ""
            raise CaptureError(why)
        if self._capture is None:
            raise Waiting(run, ())
        return self._capture

    def back(self, steps: "Sequence[SheetStep]") -> Noted:
        raise Paused("the way back waits")

    def _read(self, run: ComingRun, handed: Handed) -> "Capture":
        capture = read_handed(self._opened, handed, run.game, run.warm_up_s)
        against = check_plausible(self._opened.rig, run, capture, self._seen)
        if against and not self._anyway:
            raise UsageError(f"{handed.frames.name} does not look like run {run.place + 1}: {'; '.join(against)}. "
                             "Nothing was kept of it; play the run again, or say --anyway to take it as it is")
        self._seen |= set(capture.about.get(HASHED, ()))
        return capture
