"""Recordings that a player hands over as runs: what each file is, a run as one capture, and a hand made of files."""

import hashlib
from collections.abc import Collection, Sequence
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from keenlattice.errors import CaptureError, UsageError, way
from keenlattice.measure.film import is_film
from keenlattice.measure.header import header_of
from keenlattice.profile.matching import match
from keenlattice.quickly import dataclass
from keenlattice.rig.hand import ComingRun, Noted, Paused
from keenlattice.workspace.lookup import known_map, known_screen, known_sensor, run_of
from keenlattice.workspace.next_run import Waiting

if TYPE_CHECKING:
    from keenlattice.measure.capture import Capture
    from keenlattice.measure.columns import ColumnMap
    from keenlattice.measure.film.screen import ScreenMap
    from keenlattice.measure.sensors import SensorMap
    from keenlattice.profile.sheet import SheetStep
    from keenlattice.rig.base import Rig
    from keenlattice.rig.hand import ComingRun
    from keenlattice.workspace.opened import Opened

HASHED = "sha256"
TIME_OF_DAY_FROM_S = 1e9  # stamps beyond it count from 1970; no run is thirty years long


@dataclass(frozen=True)
class Handed:
    """The files of one run: its frames, and what a sensor recorded of it, if one did.

    Of a run that is about latency alone both are the sensor's file.
    """

    frames: Path
    columns: "ColumnMap | ScreenMap | None"
    sensor: Path | None = None
    by: "SensorMap | None" = None

    @property
    def latency_alone(self) -> bool:
        """Whether no frames were recorded of the run."""
        return self.frames == self.sensor

    @property
    def files(self) -> list[Path]:
        """All of them."""
        return list(dict.fromkeys([self.frames, *([self.sensor] if self.sensor else [])]))


def told_apart(opened: "Opened", files: Sequence[Path], columns: "ColumnMap | str" = "", *,
               latency_alone: bool = False) -> list[Handed]:
    """The runs that files are of: each begins with its frames; a sensor's file goes with the frames beside it.

    Args:
        columns: the column map for the frames, or its name; without one, the map that is kept for their header.
        latency_alone: whether a sensor's file without frames is a run, too.

    Raises:
        UsageError: no map is known for a file, or a sensor's file stands alone.
        CaptureError: a file cannot be read.
    """
    runs: list[Handed] = []
    waiting: list[tuple[Path, SensorMap | None]] = []
    for file in files:
        kind = kind_of_file(opened, file, columns)
        if isinstance(kind, Handed):
            runs.append(kind)
        elif runs and runs[-1].sensor is None:
            runs[-1] = replace(runs[-1], sensor=file, by=kind[0])
        else:
            waiting.append((file, kind[0]))
    if len(waiting) == 1 and runs and runs[0].sensor is None:  # the sensor's was named first
        runs[0] = replace(runs[0], sensor=waiting[0][0], by=waiting[0][1])
    elif latency_alone and not runs:
        return [Handed(file, None, file, by) for file, by in waiting]
    elif waiting:
        raise UsageError(f"{waiting[0][0].name} is a sensor's: name it behind the frames of its run")
    return runs


def kind_of_file(opened: "Opened", file: Path,
                 columns: "ColumnMap | str" = "") -> "Handed | tuple[SensorMap | None]":
    """What a file is, by its header: frames; or a sensor's, with its map.

    Raises:
        UsageError: no map is known for it.
        CaptureError: it cannot be read.
    """
    from keenlattice.measure.sensors import is_sound

    if is_sound(file):
        return (None,)
    if is_film(file) and not columns:
        return _kind_of_film(opened, file)
    if file.suffix == ".parquet" and not file.exists():
        return Handed(file, None)  # a capture of the logbook's, by its name
    header = header_of(file)[0]
    if not columns and (sensor := known_sensor(opened, header)) is not None:
        return (sensor,)
    kept = known_map(opened, header, columns) if isinstance(columns, str) else columns
    if kept is None and file.suffix == ".parquet":
        return Handed(file, None)  # a capture of ours
    if kept is None:
        call, of_sensor = "columns=ColumnMap(...)", "--time COLUMN --light COLUMN --button COLUMN --name NAME"
        raise UsageError(f"{file}: no column map is known for its header. Of frames, give one once: "
                         f"{way(f'keen ingest {file.name} --time COLUMN --name NAME', call)}; of a sensor: "
                         f"{way(f'keen latency {file.name} {of_sensor}', call)}")
    return Handed(file, kept)


def _kind_of_film(opened: "Opened", file: Path) -> "Handed | tuple[SensorMap | None]":
    """A film is a phone's, which shows presses, unless films of its size are known to be of the screen."""
    header = header_of(file)[0]
    sensor, screen = known_sensor(opened, header), known_screen(opened, header)
    return Handed(file, screen) if sensor is None and screen is not None else (sensor,)


def is_of_one_time(handed: Handed, sensor: Path, by: "SensorMap | None") -> bool:
    """Return whether a sensor recorded at least half of a run, by when both were recorded: their own stamps where these
    tell the time of day, else their lengths and when they were saved.
    """
    from keenlattice.measure.columns import ColumnMap

    columns = handed.columns if isinstance(handed.columns, ColumnMap) else None
    begin, end = _recorded(handed.frames, columns.time if columns else "", columns.unit if columns else "ms",
                           intervals=columns is not None and columns.means == "intervals")
    first, last = _recorded(sensor, (by.time or by.press) if by else "", by.unit if by else "ms",
                            shot_at=(by.camera_hz or 0.0) if by else 0.0)
    if first == last:  # how long it is cannot be told
        return last >= (begin + end) / 2
    return min(end, last) - max(begin, first) >= (end - begin) / 2


def _recorded(file: Path, column: str, unit: str, *, intervals: bool = False, shot_at: float = 0.0
              ) -> tuple[float, float]:
    """From when to when a file was recorded, in s since 1970; one moment, where its length cannot be told."""
    import numpy as np

    from keenlattice.measure.columns import IN_MS
    from keenlattice.measure.rows import read_rows
    from keenlattice.measure.sensors import is_sound

    saved, length = file.stat().st_mtime, 0.0
    try:
        if is_sound(file):
            length = _sound_s(file)
        elif is_film(file):
            from keenlattice.measure.film.reader import look_at

            film = look_at(file)
            length = film.pictures / shot_at if shot_at else film.seconds
        elif column and unit in IN_MS:
            times = read_rows(file, [column], []).numbers[column] * IN_MS[unit] / 1000
            times = times[np.isfinite(times)]
            if times.size and not intervals and float(times.min()) > TIME_OF_DAY_FROM_S:
                return float(times.min()), float(times.max())
            length = float(times.sum() if intervals else np.ptp(times)) if times.size else 0.0
    except (CaptureError, OSError):
        length = 0.0
    return saved - length, saved


def _sound_s(file: Path) -> float:
    import wave

    try:
        with wave.open(str(file), "rb") as sound:
            return sound.getnframes() / sound.getframerate()
    except (wave.Error, EOFError, ZeroDivisionError):
        return 0.0


def read_handed(opened: "Opened", handed: Handed, game: str = "",
                warm_up_s: float = 0.0) -> "Capture":
    """A run's files as one capture, which remembers by their hashes what it was made of.

    Args:
        game: whose frames are taken, where the file holds several programs'.
        warm_up_s: what is cut off later.

    Raises:
        CaptureError: a file cannot be read.
    """
    from keenlattice.measure.ingesting import ingest
    from keenlattice.measure.sensors import read_sensor, with_latency

    if handed.latency_alone:
        capture = read_sensor(handed.frames, handed.by).to_capture()
    elif handed.columns is None:
        capture = run_of(opened, str(handed.frames))[1]
    else:
        capture = ingest(handed.frames, handed.columns, process=_program(opened.rig, handed, game)).capture
    if capture.shown_ms.size < 2 and not handed.latency_alone:
        raise CaptureError(f"{handed.frames} holds no frames: a run takes them, and what a sensor recorded behind them")
    if handed.sensor is not None and not handed.latency_alone:
        capture = with_latency(capture, read_sensor(handed.sensor, handed.by), 1000 * warm_up_s)
    return replace(capture, about={**capture.about, HASHED: [_hash(file) for file in handed.files
                                                                     if file.exists()]})


def in_length(capture: "Capture", seconds: float, warm_up_s: float) -> "Capture":
    """A recording as long as its plan has it: what begins before it counts, and what goes on after it, is cut off.

    Raises:
        CaptureError: too little is left.
    """
    from keenlattice.measure.course import cut

    if not warm_up_s and capture.seconds <= seconds:
        return capture
    return cut(capture, 1000 * warm_up_s, 1000 * (warm_up_s + seconds))


def _program(rig: "Rig", handed: Handed, game: str) -> str | None:
    """Whose frames to take of a file that holds several programs': the game's, if it is known."""
    from keenlattice.measure.ingesting import programs_in

    game_listed = next((listed for listed in rig.games() if listed.name == game), None)
    names = programs_in(handed.frames, handed.columns) if handed.columns and game_listed else []
    for name in names if len(names) > 1 else ():
        try:
            match(name, [game_listed] if game_listed else [], case_matters=rig.facts().get("case_matters") is True)
        except UsageError:
            continue
        return name
    return None


def _hash(file: Path) -> str:
    digest = hashlib.sha256()
    with file.open("rb") as content:
        while part := content.read(1 << 20):
            digest.update(part)
    return digest.hexdigest()


def check_plausible(rig: "Rig", run: "ComingRun", capture: "Capture", seen: Collection[str]) -> list[str]:
    """What speaks against a recording being of a run: as `plausible.doubts`; or it was handed over before.

    Args:
        seen: the hashes of the files that were handed over before.
    """
    from keenlattice.rig.session import doubts_by_hand

    twice = any(digest in seen for digest in capture.about.get(HASHED, ()))
    against = doubts_by_hand(rig, run, capture)
    return ["it was handed over before, as another run", *against] if twice else against


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
