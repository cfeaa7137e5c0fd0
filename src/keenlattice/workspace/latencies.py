"""Input latency, from press to screen, in what sensors, cameras and our own runs have recorded."""

from collections.abc import Mapping
from pathlib import Path
from typing import TYPE_CHECKING

from keenlattice._door import check_methods
from keenlattice.errors import UsageError
from keenlattice.measure.film import is_film
from keenlattice.measure.header import header_of
from keenlattice.workspace.lookup import known_sensor, run_of
from keenlattice.workspace.opened import Opened, VersionLike
from keenlattice.workspace.page import Drawing
from keenlattice.workspace.recording_results import LatencyResult

if TYPE_CHECKING:
    from keenlattice.measure.columns import Unit
    from keenlattice.measure.film.reader import Progress
    from keenlattice.measure.film.shown import Look
    from keenlattice.measure.latency import Latency
    from keenlattice.measure.sensors import SensorMap


@check_methods
class Latencies:
    """Input latency, by what has seen it."""

    def __init__(self, opened: Opened) -> None:
        self._opened = opened

    def measure(self, source: "Latency | Path | str", of: VersionLike = "", file: str = "",
                look: "Look | None" = None) -> LatencyResult:
        """Input latency, from press to screen, with intervals.

        Args:
            source: as `read_log`, `read_sound`, `read_tally` or `read_events` of `keenlattice.measure` give it; or a
                run with clicks, by its file or its name in the logbook.
            of: the version that was played: then it is kept in the logbook.
            file: what it was read from, for the title.
            look: what a film shows, for the figure.

        Raises:
            CaptureError: it holds no presses, or too few.
        """
        from keenlattice.measure.latency import described, of_capture, stage_means
        from keenlattice.workspace._recorded import tell_latency

        version = self._opened.find(of) if of else None
        if isinstance(source, Path | str):
            file, source = Path(source).name, of_capture(run_of(self._opened, str(source))[1])
        numbers, kept = described(source), None
        if version is not None:
            kept = self._opened.keep(source.to_capture(), version)
        return LatencyResult(
            file, int(source.press_ms.size), numbers.answered, source.misses, source.unasked, numbers.mean,
            numbers.mean_low, numbers.mean_high, numbers.spread,
            {f"p{share}": tuple(values) for share, values in numbers.percentiles.items()},
            {name: tuple(values) for name, values in stage_means(source).items()}, numbers.grid_ms, source.about, kept,
            tuple(source.doubts), source, numbers, tell_latency, look)

    def by_map(self, file: Path | str, of: VersionLike = "") -> LatencyResult | None:
        """As `measure`, of a sensor's file by the map that is kept for its header; None if none is.

        Args:
            file: its path.
        """
        sensor = known_sensor(self._opened, header_of(Path(file))[0])
        return None if sensor is None else self.measure(sensor.read(Path(file)), of, Path(file).name)

    def keep_map(self, file: Path | str, name: str, *, camera: float | None = None, unit: str = "ms",
                 readout_ms: float | None = None, **columns: str) -> "SensorMap":
        """Keeps what a sensor's files hold, for others with the header of one.

        Args:
            file: that one.
            name: what the map is called.
            camera: of a camera's tally, how many frames it takes a second; of a film, how many it was shot at.
            unit: of the times: s, ms, us or ns.
            readout_ms: of a film, how long the camera takes to read one picture.
            columns: of a log `time`, `light` and `button`; of events and of a film `press` and `answer`.

        Raises:
            CaptureError: the file cannot be read, or the map does not hold together.
        """
        from keenlattice.measure.sensors import sensor_map

        named = {column: text for column, text in columns.items() if text}
        reads = "film" if is_film(Path(file)) else "tally" if camera else "events" if "press" in named else "log"
        made = sensor_map(name=name, reads=reads, camera_hz=camera, unit=unit, readout_ms=readout_ms, **named)
        self._opened.book.keep_map(name, header_of(Path(file))[0], made.model_dump(exclude_defaults=True))
        return made

    def of_camera(self, file: Path | str, fps: float, of: VersionLike = "") -> LatencyResult:
        """As `measure`, of a tally of a camera's frames, its last column; `fps` is how many it takes a second.

        Args:
            file: its path.
        """
        from keenlattice.measure.sensors import read_tally

        return self.measure(read_tally(Path(file), fps), of, Path(file).name)

    def of_film(self, file: Path | str, shot_at: float = 0.0, press: str = "", answer: str = "",
                readout_ms: float | None = None, of: VersionLike = "", progress: "Progress | None" = None
                ) -> LatencyResult:
        """As `measure`, of a film that shows a lamp at the button and the screen.

        What is not said is taken from the map that is kept for films of this size and rate, or else found in the film.

        Args:
            file: its path.
            shot_at: how many pictures a second the camera took, where the file claims fewer.
            press, answer: where the lamp and the screen's answer are, as X,Y,WIDTH,HEIGHT in pixels of the film.
            readout_ms: how long the camera takes to read one picture.
            progress: is called with how many pictures are read, and how many there are.

        Raises:
            NotSure: it cannot be told where the film shows them, or how fast it was shot.
            CaptureError: it cannot be read, or holds no presses, or too few.
            NeedsInstalling: the extra `film` is not installed.
        """
        from keenlattice.measure.sensors import sensor_map

        sensor = known_sensor(self._opened, header_of(Path(file))[0])
        fields = {"camera_hz": shot_at or None, "press": press, "answer": answer, "readout_ms": readout_ms}
        given = {field: value for field, value in fields.items() if value not in (None, "")}
        kept = sensor.model_dump(exclude_defaults=True) if sensor else {"name": "film", "reads": "film"}
        latency, look = sensor_map(**{**kept, **given}).of_film(Path(file), progress)
        return self.measure(latency, of, Path(file).name, look)

    def still(self, look: "Look", title: str = "") -> Drawing:
        """A still of a film with the areas in which light comes on and goes off, as a `NotSure` has it.

        Args:
            look: what the film shows.
            title: of the picture.
        """
        from keenlattice.report.still import film_figure

        return Drawing(lambda: film_figure(look, title))

    def of_sound(self, file: Path | str, light_channel: int = 2, of: VersionLike = "") -> LatencyResult:
        """As `measure`, of a stereo WAV: the button on one channel, the light on the other (1 is left, 2 is right).

        Args:
            file: its path.
            light_channel: 1 or 2.
        """
        from keenlattice.measure.sensors import read_sound

        return self.measure(read_sound(Path(file), light_channel), of, Path(file).name)

    def of_log(self, file: Path | str, time: str, light: str, button: str, unit: str = "ms",
                       of: VersionLike = "") -> LatencyResult:
        """As `measure`, of a sensor's log (CSV): its columns, and the unit of its times (s, ms, us or ns).

        Args:
            file: its path.
            time: the column of times.
            light: the column of light.
            button: the column of the button.
        """
        from keenlattice.measure.sensors import read_log

        return self.measure(read_log(Path(file), time, light, button, _unit(unit)), of, Path(file).name)

    def of_events(self, file: Path | str, press: str, answer: str, unit: str = "ms",
                          stages: Mapping[str, str] | None = None, of: VersionLike = "") -> LatencyResult:
        """As `measure`, of a file of events (CSV): the columns of presses and answers, and of how long each press spent
        in a stage, as far as that is known.

        Args:
            answer: the column of answers.
            unit: of the times: s, ms, us or ns.
            stages: stage to the column of how long each press spent in it, as far as that is known.

        Raises:
            UsageError: a column or a stage that there is not.
            CaptureError: the file cannot be read.
        """
        from keenlattice.measure.capture import STAGES
        from keenlattice.measure.sensors import read_events

        if not (press and answer):
            raise UsageError("events take both --press and --answer")
        for name, column in (stages or {}).items():
            if name not in STAGES or not column:
                raise UsageError(f"--stage {name}={column}: write STAGE=COLUMN; the stages are {', '.join(STAGES)}")
        return self.measure(read_events(Path(file), press, answer, _unit(unit), dict(stages or {})), of,
                            Path(file).name)


def _unit(text: str) -> "Unit":
    if text not in ("s", "ms", "us", "ns"):
        raise UsageError(f"--unit {text}: there are s, ms, us and ns")
    return text  # type: ignore[return-value]
