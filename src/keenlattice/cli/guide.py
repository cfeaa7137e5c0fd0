"""The guide: a person at a terminal is led through a study by hand, run by run."""

import time
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Self

from keenlattice._state_folder import expanded
from keenlattice.cli.output import say
from keenlattice.cli.steps import StepsAtTerminal, answered
from keenlattice.cli.terminal import Keys
from keenlattice.cli.views.sheet import held_in_words, run_of
from keenlattice.errors import CaptureError, KeenLatticeError, UsageError, counted
from keenlattice.measure.serial_log import SerialLog
from keenlattice.rig.hand import ComingRun, Noted, Paused, TakenBack
from keenlattice.rig.player.pace import minutes_left
from keenlattice.rig.session import start_by_hand
from keenlattice.workspace.handed import HASHED, Handed, check_plausible, is_of_one_time, read_handed, told_apart
from keenlattice.workspace.next_run import decided_by_latency
from keenlattice.workspace.opened import by_hand_rig
from keenlattice.workspace.watching import Arrived, FolderGone, WatchedFolder

if TYPE_CHECKING:
    from keenlattice.measure.capture import Capture
    from keenlattice.profile.sheet import SheetStep
    from keenlattice.workspace.workspace import Workspace

LOOK_EVERY_S = 0.15
GUESSED_STEPS = 0.5  # a run, before any were asked for: for the time that is left
WRITTEN_FOR_S = 10.0  # a file that is written for longer beside a whole recording is named
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
        self._seen = ws.studies.by_hand.handed_before()
        self._done, self._total, self._run = 0, 0, ComingRun(-1, "", "", 0, "", {})
        self._steps = StepsAtTerminal(ws.rig.machine, self._asked, LEAVE)
        self._asked_for: list[int] = []
        self._sensor_comes: bool | None = None  # not known before the first run
        self._wants_latency, self._latency_alone, self._since = False, False, 0.0
        self._clicks_in: dict[tuple[Path, int], bool] = {}  # of a file as it was saved at that moment
        self._watch = WatchedFolder(ws.opened, watch) if watch is not None else None
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
        from keenlattice.rig.player.session import holding

        spec = self._ws.studies.by_hand.unfinished_spec()
        self._wants_latency = spec is not None and any(name.startswith("latency") for name in spec.judged_by)
        self._latency_alone = decided_by_latency(spec)
        most = None if spec is not None and spec.most_runs is None else max(self._total, self._done + 1)
        once_more, self._run, self._since = run.place == self._run.place, run, time.time()
        steps = sum(self._asked_for) / len(self._asked_for) if self._asked_for else GUESSED_STEPS
        left = minutes_left(self._ws.rig.machine.home, max(1, self._total - self._done), run.seconds, steps)
        heading = run_of(self._done + 1, most, left)
        say(f"\n{heading[0].upper()}{heading[1:]}" + ", once more" * (once_more or run.again > 0), "bold")
        say(f"The rig holds: {held_in_words(holding(by_hand_rig(self._ws.opened)))}", "dim")
        if once_more:
            self._steps.show_again()
        else:
            self._steps.forget()
            self._asked_for.append(0)

    def change(self, steps: "Sequence[SheetStep]") -> Noted:
        self._asked_for[-1:] = [len(steps)]
        return self._steps.change(steps)

    def back(self, steps: "Sequence[SheetStep]") -> Noted:
        return self._steps.back(steps)

    def _asked(self, question: str) -> str:
        answer = answered(self._keys, question)
        self._leave_if(answer)
        return answer

    def _leave_if(self, answer: str) -> None:
        if answer.lower() == "p":
            raise Paused(f"Paused. {counted(self._done, 'run')} handed over and kept, and the rig stays as it is")
        if answer.lower() == "u":
            say("Your last run is taken back.")
            raise TakenBack

    def play(self, run: ComingRun) -> "Capture":
        if start := start_by_hand(self._ws.rig.machine, run):
            say(f"Start the game by {start}: what is set of its process holds for no other start.")
        say(f"\nNow play {run.game} for {run.seconds:g} s, and record it.", "bold")
        if self._log is not None:
            self._log.start(self._log_file())
        while True:
            handed = self._handed_over()
            try:
                handed = self._with_log(handed)
                capture = read_handed(self._ws.opened, handed, run.game, run.warm_up_s)
            except (CaptureError, UsageError) as error:
                say(f"! {error}")
                continue
            if self._counts(run, handed, capture):
                return capture

    def _counts(self, run: ComingRun, handed: Handed, capture: "Capture") -> bool:
        """Shows a run before it counts; what speaks against it, the player decides on."""
        import numpy as np

        frames, latency = capture.frame_ms, capture.latency_ms
        counts = [f"{frames.size} frames in {capture.seconds:.1f} s, {1000 / float(np.median(frames)):.0f} frames a "
                  "second"] if frames.size else []
        counts += [f"{latency.size} answered presses, {float(np.median(latency)):.1f} ms"] if latency.size else []
        say(f"{' and '.join(file.name for file in handed.files)}: {'; '.join(counts) or 'nothing was recorded'}")
        against = check_plausible(self._ws.rig.machine, run, capture, self._seen)
        for item in against:
            say(f"! {item}")
        if against and not self._taken_anyway():
            return False
        self._seen |= set(capture.about.get(HASHED, ()))
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
        frames, sensors, waits_for_sensor = list[Handed](), list[Handed](), False
        told_at = time.monotonic()
        self._say_what_is_awaited(None)
        while True:
            arrived = self._arrived()
            frames += self._of_this_run(arrived.frames)
            sensors += self._of_this_run(arrived.sensors)
            fresh = bool(arrived.left_alone or arrived.grown or arrived.frames or arrived.sensors)
            if sensors and self._latency_alone and not frames and not self._watch.growing:
                return sensors[-1]
            if frames and not self._watch.growing:
                run = self._with_sensor(frames[-1], sensors)
                if run is not None:
                    for frame in frames[:-1]:
                        say(f"left alone: {frame.frames.name} (a newer one came)")
                    return run
                fresh, waits_for_sensor = fresh or not waits_for_sensor, True
            if frames and self._watch.growing and time.monotonic() > told_at + WRITTEN_FOR_S:
                say(f"still written: {', '.join(self._watch.growing)}; what else is in this folder is not taken before "
                    "that ends")
                told_at = time.monotonic()
            if fresh and (waits_for_sensor or not frames):
                self._say_what_is_awaited(frames[-1] if frames else None)
            typed = self._keys_typed()
            if typed.lower() == "s" and frames:
                self._sensor_comes = False
            self._wrong_if(typed)

    def _say_what_is_awaited(self, frames: Handed | None) -> None:
        """What is awaited is always on the screen: a run's frames; or, once these are there, its sensor's file."""
        assert self._watch is not None
        leave = f"w if the run went wrong, {LEAVE}"
        if frames is None:
            say(f"> Waiting for its recording in {self._watch.folder} ({leave}): ")
        else:
            say(f"> {frames.frames.name} is there; its sensor's file is not there yet (s if there is none, {leave}): ")

    def _arrived(self) -> Arrived:
        """What has appeared in the folder; what is not taken is said.

        Raises:
            Paused: the folder is gone.
        """
        assert self._watch is not None
        try:
            arrived = self._watch.arrived()
        except FolderGone as error:
            raise Paused(f"Paused: {error}. {counted(self._done, 'run')} handed over and kept") from None
        for name, why in arrived.left_alone.items():
            say(f"left alone: {name} ({why})")
        for name in arrived.grown:
            say(f"{name} has grown since it was taken: it is the same run and not another. To read it again, take "
                "that run back with u")
        return arrived

    def _with_sensor(self, frames: Handed, sensors: list[Handed]) -> Handed | None:
        """The run with its sensor's file, if one was recorded at its time; None while that is awaited.

        Pairing by arrival would give a file that is saved late to the next run.
        """
        for sensor in reversed(sensors):
            sensors.remove(sensor)
            if is_of_one_time(frames, sensor.frames, sensor.by) or self._is_of_this_run(frames, sensor):
                for unpaired in sensors:
                    say(f"left alone: {unpaired.frames.name} (a newer one came)")
                self._sensor_comes = True
                return replace(frames, sensor=sensor.sensor, by=sensor.by)
        waits = self._sensor_comes if self._sensor_comes is not None else self._wants_latency
        return None if waits and self._log is None and not self._has_clicks(frames) else frames

    def _is_of_this_run(self, frames: Handed, sensor: Handed) -> bool:
        """Whether the player says that a sensor's file is of this run, though it was recorded at another time."""
        say(f"! {sensor.frames.name} was recorded at another time than {frames.frames.name}: it is of an earlier run, "
            "or was saved late")
        return self._asked("y if it is of this run all the same, Enter to leave it alone").lower() == "y"

    def _has_clicks(self, frames: Handed) -> bool:
        """Whether a recording holds its own presses, or cannot be read, which is said later.

        It is asked at every look while a sensor's file is awaited, and the recording is read once.
        """
        try:
            saved = frames.frames, frames.frames.stat().st_mtime_ns
            if saved not in self._clicks_in:
                capture = read_handed(self._ws.opened, frames, self._run.game)
                self._clicks_in[saved] = capture.click_ms.size > 0
            return self._clicks_in[saved]
        except (CaptureError, UsageError, OSError):
            return True

    def _of_this_run(self, fresh: list[Handed]) -> list[Handed]:
        """The files that may be of this run; one that was written before it was asked for is not."""
        old = [item for item in fresh if item.frames.stat().st_mtime < self._since - CLOCKS_S]
        for item in old:
            say(f"left alone: {item.frames.name} (it was written before this run was asked for)")
        return [item for item in fresh if item not in old]

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
            wanted = ("The path of its film, or of what its sensor recorded" if self._latency_alone else
                      "The recording's path, and behind it the sensor's if there is one")
            answer = self._asked(f"{wanted} (w if the run went wrong, {LEAVE})")
            self._wrong_if(answer)
            try:
                handed = told_apart(self._ws.opened, [expanded(Path(word)) for word in words_of(answer)],
                                    latency_alone=self._latency_alone)
                if len(handed) == 1:
                    return handed[0]
                say("! name the files of one run")
            except KeenLatticeError as error:
                say(f"! {error}")

    def _log_file(self) -> Path:
        return Path(self._ws.rig.machine.home) / "sensor-log.csv"

    def _with_log(self, handed: Handed) -> Handed:
        """The run with what the sensor at the serial port has sent meanwhile."""
        if self._log is None or handed.sensor is not None:
            return handed
        self._log.stop()
        return told_apart(self._ws.opened, [handed.frames, self._log_file()])[0]


def words_of(line: str) -> list[str]:
    """The paths in a line, quotes around one that holds blanks; a backslash is part of a path, as on Windows."""
    import shlex

    try:
        return [word.strip("\"'") for word in shlex.split(line, posix=False)]
    except ValueError:
        raise UsageError("a quote is open at the end of the line") from None
