"""The guide: a person at a terminal is led through a study by hand, run by run."""

import time
from collections.abc import Sequence
from dataclasses import replace
from itertools import groupby
from pathlib import Path
from typing import TYPE_CHECKING, Self

from keenlattice.catalog.values import Value
from keenlattice.cli.keys import Keys
from keenlattice.cli.output import minutes, say
from keenlattice.cli.views.next_run import held_in_words
from keenlattice.cli.views.sheet import show_step
from keenlattice.errors import BadValue, CaptureError, KeenLatticeError, UsageError
from keenlattice.measure.serial_log import SerialLog
from keenlattice.report._sheet_page import heading
from keenlattice.rig.hand import ComingRun, Noted, Paused, TakenBack
from keenlattice.workspace._handed import HASHED, Handed, check_plausible, read_handed, told_apart
from keenlattice.workspace.watching import WatchedFolder

if TYPE_CHECKING:
    from keenlattice.measure.capture import Capture
    from keenlattice.profile.sheet import SheetStep
    from keenlattice.workspace.workspace import Workspace

LOOK_EVERY_S = 0.15
SENSOR_LATE_S = 3.0
"""So long a sensor's file is waited for behind the frames, once one has come with an earlier run."""
GUESSED_STEPS = 0.5  # a run, before any were asked for: for the time that is left
CLOCKS_S = 2.0  # a file's stamp may be that coarse
LEAVE = "p to pause, u to take your last run back"


class Guide:
    """The hand of a player who sits at this terminal.

    Args:
        ws: the workspace that the study is played in.
        watch: a folder that recordings appear in; without one, files are named.
        sensor: the serial port of a sensor that is read while a run is played; "" for none.
    """

    def __init__(self, ws: "Workspace", watch: Path | None = None, sensor: str = "") -> None:
        self._ws, self._keys = ws, Keys()
        self._seen = ws.handed_before()
        self._done, self._total, self._run = 0, 0, ComingRun(-1, "", "", 0, "", {})
        self._steps: Sequence[SheetStep] = ()
        self._asked_for: list[int] = []
        self._explained: set[str] = set()
        self._sensor_comes, self._since = False, 0.0
        self._watch = WatchedFolder(ws, watch) if watch is not None else None
        self._log = SerialLog(sensor) if sensor else None

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        if self._log is not None:
            self._log.close()

    def told(self, done: int, total: int) -> None:
        """How many runs are done, of how many."""
        self._done, self._total = done, total

    def coming(self, run: ComingRun) -> None:
        from keenlattice.rig.base import ByHand
        from keenlattice.rig.byhand.pace import minutes_left
        from keenlattice.rig.byhand.session import holding

        once_more, self._run, self._since = run.place == self._run.place, run, time.time()
        steps = sum(self._asked_for) / len(self._asked_for) if self._asked_for else GUESSED_STEPS
        left = minutes_left(self._ws.rig.home, max(1, self._total - self._done), run.seconds, steps)
        say(f"\nRun {self._done + 1} of {max(self._total, self._done + 1)}, about {minutes(left)} to go"
            + ", once more" * (once_more or run.again > 0), "bold")
        if isinstance(self._ws.rig, ByHand):
            say(f"The rig holds: {held_in_words(holding(self._ws.rig))}", "dim")
        if once_more and self._steps:
            say("Its steps were these; see that each was taken:")
            self._show(self._steps)
        elif not once_more:
            self._steps = ()
            self._asked_for.append(0)

    def change(self, steps: "Sequence[SheetStep]") -> Noted:
        return self._take(steps, "Change this, and restart as it says; then Enter")

    def back(self, steps: "Sequence[SheetStep]") -> Noted:
        say("\nAll runs are played. To go back to what was there before:", "bold")
        return self._take(steps, "Enter once that is done, or p to leave it for later", last=True)

    def _take(self, steps: "Sequence[SheetStep]", ask: str, last: bool = False) -> Noted:
        from keenlattice.rig.byhand.pace import learn

        self._steps, self._asked_for[-1:] = steps, [len(steps)]
        self._show(steps)
        begin = time.monotonic()
        noted = {} if last else self._noted(steps)
        self._asked(ask if last else f"{ask} ({LEAVE})")
        learn(self._ws.rig.home, len(steps), (time.monotonic() - begin) / 60)
        return noted

    def _show(self, steps: "Sequence[SheetStep]") -> None:
        """The steps; where each is made, and how it is checked, is told once."""
        for restart, some in groupby(steps, key=lambda step: step.restart):
            say(heading(restart), "bold")
            for step in some:
                show_step(step, why=False, how=step.key not in self._explained)
                self._explained.add(step.key)

    def _noted(self, steps: "Sequence[SheetStep]") -> dict[tuple[str, str], Value]:
        """What was there before, where nobody has told yet."""
        found: dict[tuple[str, str], Value] = {}
        for step in (one for one in steps if one.before is None and one.was is None):
            while answer := self._asked(f"What does {step.title} show now, before you change it? Enter if you cannot "
                                        "tell"):
                try:
                    found[step.owner, step.key] = self._ws.rig.catalog()[step.key].parsed(answer)
                    break
                except BadValue as error:
                    say(f"! {error}")
        return found

    def _asked(self, question: str) -> str:
        """What the player answers; the keys for leaving are acted on.

        Raises:
            Paused, TakenBack: they leave.
        """
        say(f"> {question}: ")
        try:
            answer = (self._keys.line() or "").strip()
        except EOFError:
            raise Paused("Paused: nobody is at the terminal any more. All runs handed over are kept") from None
        self._leave_if(answer)
        return answer

    def _leave_if(self, answer: str) -> None:
        if answer.lower() == "p":
            raise Paused(f"Paused. All {self._done} runs that were handed over are kept, and the rig stays as it is")
        if answer.lower() == "u":
            say("Your last run is taken back.")
            raise TakenBack

    def play(self, run: ComingRun) -> "Capture":
        say(f"\nNow play {run.game} for {run.seconds:g} s, and record it.", "bold")
        if self._log is not None:
            self._log.start(self._log_file())
        while True:
            handed = self._handed_over()
            try:
                handed = self._with_log(handed)
                capture = read_handed(self._ws, handed, run.game, run.warm_up_s)
            except (CaptureError, UsageError) as error:
                say(f"! {error}")
                continue
            if self._counts(run, handed, capture):
                return capture

    def _counts(self, run: ComingRun, handed: Handed, capture: "Capture") -> bool:
        """Shows a run before it counts; what speaks against it, the player decides on."""
        import numpy as np

        latency = capture.latency_ms
        say(f"{' and '.join(file.name for file in handed.files)}: {capture.frame_ms.size} frames in "
            f"{capture.seconds:.1f} s, {1000 / float(np.median(capture.frame_ms)):.0f} frames a second"
            + (f"; {latency.size} answered presses, {float(np.median(latency)):.1f} ms" if latency.size else ""))
        against = check_plausible(self._ws.rig, run, capture, self._seen)
        for one in against:
            say(f"! {one}")
        if against and not self._taken_anyway():
            return False
        self._seen |= set(capture.about.get(HASHED, ()))
        self._sensor_comes = self._sensor_comes or handed.sensor is not None
        return True

    def _taken_anyway(self) -> bool:
        """Whether a doubtful recording counts.

        Raises:
            CaptureError: the run went wrong.
        """
        while True:
            answer = self._asked("t to take it all the same, w if the run went wrong, n to hand over another file "
                                 f"({LEAVE})").lower()
            if answer == "w":
                raise CaptureError("its player says that it went wrong")
            if answer in ("t", "n"):
                return answer == "t"

    def _handed_over(self) -> Handed:
        """The files of a run: named, or new in the folder that is watched.

        Raises:
            CaptureError: the player says that the run went wrong.
        """
        if self._watch is None:
            return self._named()
        say(f"> Waiting for its recording in {self._watch.folder} (w if the run went wrong, {LEAVE}): ")
        frames: list[Handed] = []
        sensors: list[Handed] = []
        since = 0.0
        while True:
            arrived = self._watch.arrived()
            for name, why in arrived.left_alone.items():
                say(f"left alone: {name} ({why})")
            frames, sensors = self._of_this_run(frames, arrived.frames), self._of_this_run(sensors, arrived.sensors)
            since = time.monotonic() if arrived.frames else since
            late = self._sensor_comes and not sensors and time.monotonic() - since < SENSOR_LATE_S
            if frames and not self._watch.growing and not late:
                for other in [*frames[:-1], *sensors[:-1]]:
                    say(f"left alone: {other.frames.name} (a newer one came)")
                return replace(frames[-1], sensor=sensors[-1].sensor, by=sensors[-1].by) if sensors else frames[-1]
            self._wrong_if(self._keys_typed())

    def _of_this_run(self, before: list[Handed], more: list[Handed]) -> list[Handed]:
        """The files that may be of this run, with some more; one that was written before it was asked for is not."""
        old = [one for one in more if one.frames.stat().st_mtime < self._since - CLOCKS_S]
        for one in old:
            say(f"left alone: {one.frames.name} (it was written before this run was asked for)")
        return [*before, *(one for one in more if one not in old)]

    def _keys_typed(self) -> str:
        try:
            return (self._keys.line(LOOK_EVERY_S) or "").strip()
        except EOFError:
            time.sleep(LOOK_EVERY_S)  # nobody types, and recordings may still come
            return ""

    def _wrong_if(self, answer: str) -> None:
        if answer.lower() == "w":
            raise CaptureError("its player says that it went wrong")
        self._leave_if(answer)

    def _named(self) -> Handed:
        while True:
            answer = self._asked("The recording's path, and behind it the sensor's if there is one (w if the run went "
                                 f"wrong, {LEAVE})")
            self._wrong_if(answer)
            try:
                handed = told_apart(self._ws, [Path(word).expanduser() for word in words_of(answer)])
                if len(handed) == 1:
                    return handed[0]
                say("! name the files of one run")
            except KeenLatticeError as error:
                say(f"! {error}")

    def _log_file(self) -> Path:
        return Path(self._ws.rig.home) / "sensor-log.csv"

    def _with_log(self, handed: Handed) -> Handed:
        """The run with what the sensor at the serial port has sent meanwhile."""
        if self._log is None or handed.sensor is not None:
            return handed
        self._log.stop()
        return told_apart(self._ws, [handed.frames, self._log_file()])[0]


def words_of(line: str) -> list[str]:
    """The paths in a line, quotes around one that holds blanks; a backslash is part of a path, as on Windows."""
    import shlex

    try:
        return [word.strip("\"'") for word in shlex.split(line, posix=False)]
    except ValueError:
        raise UsageError("a quote is open at the end of the line") from None
