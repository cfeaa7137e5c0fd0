"""Files of home-made sensors: a log of light and button, a stereo recording, a camera's tally; and a simulated one."""

import os
import threading
import warnings
from collections.abc import Mapping
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, model_validator

from keenlattice.errors import CaptureError
from keenlattice.files import check_regular
from keenlattice.measure.capture import Capture, Floats
from keenlattice.measure.columns import IN_MS, Unit, made_of
from keenlattice.measure.film import is_film
from keenlattice.measure.header import header_of
from keenlattice.measure.latency import Latency, from_camera, from_events, from_sensor
from keenlattice.measure.rows import read_rows

if TYPE_CHECKING:
    from keenlattice.measure.film.reader import Progress
    from keenlattice.measure.film.shown import Look

SOUND = (".wav", ".wave")


class SensorMap(BaseModel):
    """What a sensor's file holds.

    Args:
        name: what the player calls this map.
        reads: "log" (samples of light and button), "events" (presses and answers), "tally" (a camera's counts) or
            "film".
        time, light, button: the columns of a log.
        press, answer: the columns of events; the areas of a film, as X,Y,WIDTH,HEIGHT.
        unit: of the times: s, ms, us or ns.
        camera_hz: of a tally and a film, how many pictures the camera takes a second.
        readout_ms: of a film, how long the camera takes to read one picture.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    name: str = Field(pattern=r"^[a-z][a-z0-9-]{0,39}$")
    reads: Literal["log", "events", "tally", "film"]
    time: str = ""
    light: str = ""
    button: str = ""
    press: str = ""
    answer: str = ""
    unit: Unit = "ms"
    camera_hz: float | None = Field(default=None, ge=10, le=100_000)
    readout_ms: float | None = Field(default=None, ge=0, le=100)

    @model_validator(mode="after")
    def _holds_together(self) -> "SensorMap":
        needed = {"log": (self.time, self.light, self.button), "events": (self.press, self.answer),
                  "tally": (self.camera_hz,), "film": ()}[self.reads]
        if not all(needed):
            raise ValueError("a log takes time, light and button; events press and answer; a tally camera_hz")
        if self.unit not in IN_MS:
            raise ValueError("the unit of a sensor's times is s, ms, us or ns")
        return self

    def read(self, path: Path) -> Latency:
        """Reads a file by this map.

        Raises:
            CaptureError: it cannot be read, or nothing is found in it.
        """
        if self.reads == "log":
            return read_log(path, self.time, self.light, self.button, self.unit)
        if self.reads == "events":
            return read_events(path, self.press, self.answer, self.unit)
        if self.reads == "film":
            return self.of_film(path)[0]
        return read_tally(path, self.camera_hz or 0.0)

    def of_film(self, path: Path, progress: "Progress | None" = None) -> "tuple[Latency, Look]":
        """Reads a film by this map; with what it shows.

        Raises:
            CaptureError: it cannot be read; a `NotSure` says that it cannot be told what it shows.
        """
        from keenlattice.measure.film.latency import from_film
        from keenlattice.measure.film.reader import look_at
        from keenlattice.measure.film.shown import area_of

        press, answer = (area_of(text) if text else None for text in (self.press, self.answer))
        return from_film(look_at(path), self.camera_hz or 0.0, press, answer, self.readout_ms, progress)


def sensor_map(**fields: Any) -> SensorMap:
    """A sensor map from what a player gave.

    Args:
        fields: the fields of `SensorMap`, by name.

    Raises:
        CaptureError: it does not hold together; the message names the field.
    """
    return made_of(SensorMap, "sensor map", fields)


def is_sound(path: Path) -> bool:
    """Whether a file is a stereo recording, by its name: it needs no map."""
    return path.suffix.lower() in SOUND


def read_sensor(path: Path, by: SensorMap | None) -> Latency:
    """A sensor's file: by its map, or, of a WAV and a film, without one.

    Raises:
        CaptureError: it cannot be read, or nothing is found in it.
    """
    if by is None:
        return SensorMap(name="film", reads="film").read(path) if is_film(path) else read_sound(path)
    return by.read(path)


def with_latency(run: Capture, latency: Latency, warm_up_ms: float = 0.0) -> Capture:
    """A run with the presses and answers of a sensor beside its frames.

    The two were recorded on clocks of their own, begun by hand: presses count from the sensor's first sample or the
    film's first picture, or of events and tallies from the first press. So a press and a frame are on one scale to a
    second or so, which is enough to cut a warm-up off; how long an answer took is on the sensor's clock alone. A
    camera's tally has no times: its presses are spread over what comes after the warm-up.

    Args:
        warm_up_ms: what is cut off later.

    Raises:
        CaptureError: the run has its own clicks; or no press was answered.
    """
    if run.click_ms.size:
        raise CaptureError("the recording of frames holds its own clicks already: hand it over without the sensor's")
    if not latency.waits_ms.size:
        raise CaptureError("the sensor saw no press answered: is it where the screen answers, and was it pressed?")
    waits, press = latency.answer_ms - latency.press_ms, latency.press_ms
    of_film = "pictures" in latency.about
    if latency.half_width_ms and not of_film:
        press = np.linspace(warm_up_ms, max(warm_up_ms, 1000 * run.seconds), press.size + 2)[1:-1]
    elif not (latency.about.get("rate_hz") or of_film):
        press = press - press.min()
    return replace(run, click_ms=press, answer_ms=press + waits, stage_ms=latency.stage_ms,
                   about={**run.about, "sensor": dict(latency.to_capture().about)})


MOST_SOUND_BYTES = 2**30
NO_ANSWER = ("", "-", "\N{EN DASH}", "\N{EM DASH}", "nan")  # as they are written in a camera's tally
JITTER = 0.5
MOST_TIMES_LONGER = 3  # than its samples account for: a log may have gaps


def read_log(path: Path, time: str, light: str, button: str, unit: Unit = "ms") -> Latency:
    """A log with a row per sample: time, light, button.

    Args:
        time, light, button: the columns' names.
        unit: of the times.

    Raises:
        CaptureError: it cannot be read, its samples are not evenly spaced, or nothing is found in it.
    """
    rows = read_rows(path, [time, light, button], [])
    columns = [rows.numbers[name] for name in (time, light, button)]
    good = np.isfinite(columns).all(axis=0)
    if good.sum() < 100:
        raise CaptureError(f"{path} holds {int(good.sum())} samples: too few to find anything in")
    at, lights, buttons = (values[good] for values in columns)
    at = at * IN_MS[unit]
    steps = np.diff(at)
    if not (steps > 0).all():
        row = int(np.flatnonzero(good)[int(np.argmin(steps)) + 1])
        raise CaptureError(f"{path}: line {rows.line(row)}: time does not move on; samples have to come in order")
    rate_hz = 1000 / float(np.median(steps))
    if not 200 <= rate_hz <= 1e6:
        raise CaptureError(f"{path}: in {unit} that is {rate_hz:.3g} samples a second; 200 to a million are read: "
                           "is the unit right?")
    if at[-1] - at[0] > MOST_TIMES_LONGER * at.size * float(np.median(steps)):
        raise CaptureError(f"{path}: {at.size} samples at {rate_hz:.0f} a second over {(at[-1] - at[0]) / 1000:.0f} s: "
                           "most of them are missing, or a stamp is wrong; cut the log to the part that is whole")
    even = np.arange(at[0], at[-1], 1000 / rate_hz)  # a sensor's own clock wavers: onto even steps, between samples
    if np.abs(steps - np.median(steps)).max() <= JITTER * np.median(steps) and abs(even.size - at.size) <= 2:
        latency = from_sensor(buttons, lights, 1000 * (at.size - 1) / (at[-1] - at[0]))
    else:
        latency = from_sensor(np.interp(even, at, buttons), np.interp(even, at, lights), rate_hz)
    latency.about.update({"source": path.name, "rate_hz": round(rate_hz, 1)})
    return latency


def read_sound(path: Path, light_channel: int = 2) -> Latency:
    """A stereo WAV: the press (a microphone or a switch) on one channel, a photodiode on the other.

    Args:
        light_channel: 1 for the left one, 2 for the right.

    Raises:
        CaptureError: it cannot be read, is not stereo, or nothing is found in it.
    """
    from scipy.io import wavfile

    if light_channel not in (1, 2):
        raise CaptureError(f"channel {light_channel}: a stereo recording has 1 (left) and 2 (right)")
    try:
        check_regular(path)
        if path.stat().st_size > MOST_SOUND_BYTES:
            raise CaptureError(f"{path} is larger than {MOST_SOUND_BYTES >> 30} GiB: not read")
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")  # of chunks that hold no sound
            rate_hz, samples = wavfile.read(path)
    except CaptureError:
        raise
    except Exception as error:  # a parser of a binary format, given anything at all
        reason = " ".join(str(error).split()) or type(error).__name__
        raise CaptureError(f"cannot read {path} as WAV: {reason}") from None
    if samples.ndim != 2 or samples.shape[1] != 2:
        raise CaptureError(f"{path} is not stereo: the press is on one channel, the light on the other")
    if not 200 <= rate_hz <= 1_000_000 or samples.shape[0] < 100:
        raise CaptureError(f"{path}: {samples.shape[0]} samples at {rate_hz} a second: that cannot be used")
    sound: Floats = samples.astype(np.float64)
    if not np.isfinite(sound).all():
        raise CaptureError(f"{path} holds samples that are not numbers")
    latency = from_sensor(sound[:, 2 - light_channel], sound[:, light_channel - 1], float(rate_hz))
    latency.about.update({"source": path.name, "rate_hz": rate_hz})
    return latency


def read_tally(path: Path, rate_hz: float) -> Latency:
    """A camera's tally: a column of counts, one for each press. A dash is a press without an answer, and so is an empty
    cell where the file has other columns.

    Raises:
        CaptureError: it cannot be read, or holds something else.
    """
    header, _ = header_of(path)
    name = header[-1]
    rows = read_rows(path, [name], [], exact=True)
    if rows.unreadable:
        line, reason = rows.unreadable[0]
        raise CaptureError(f"{path}: line {line}: {reason}")
    counts = rows.numbers[name]
    unknown = np.flatnonzero(np.isnan(counts))
    words = read_rows(path, [], [name], exact=True).texts[name] if unknown.size else ()
    for row in unknown.tolist():
        if words[row].strip().lower() not in NO_ANSWER:
            raise CaptureError(f"{path}: line {rows.line(row)}: {words[row][:40]!r} is not a count; a dash stands for "
                               "a press without an answer")
    latency = from_camera(counts.tolist(), rate_hz)
    latency.about["source"] = path.name
    return latency


def read_events(path: Path, press: str, answer: str, unit: Unit = "ms",
                stages: Mapping[str, str] | None = None) -> Latency:
    """A list of events: a column of times of presses, one of times of answers; either may have empty cells.

    Args:
        stages: stage (of `capture.STAGES`) to the column that says how long the row's press spent in it.

    Raises:
        CaptureError: it cannot be read, or holds no press.
    """
    rows = read_rows(path, list(dict.fromkeys([press, answer, *(stages or {}).values()])), [], exact=True)
    there = np.isfinite(rows.numbers[press])
    pressed, answered = (values[np.isfinite(values)] * IN_MS[unit]
                         for values in (rows.numbers[press], rows.numbers[answer]))
    spent = {name: rows.numbers[column][there] * IN_MS[unit] for name, column in (stages or {}).items()}
    if not pressed.size:
        raise CaptureError(f"{path}: the column {press} holds no times")
    latency = from_events(pressed, answered, spent)
    latency.about["source"] = path.name
    return latency


RATE_HZ = 1000.0
PRESS_MS = 60.0
LIT_MS = 90.0
HEADER = "micros;photo;switch"


def sensor_lines(run: Capture, seed: int, rate_hz: float = RATE_HZ) -> list[str]:
    """What the sensor sees of a run's clicks and answers: a line per sample, time in us, light and button.

    Args:
        run: with clicks; its frames are not looked at.
        seed: of the sensor's noise.
        rate_hz: samples a second.
    """
    seconds = max(run.seconds, float(np.max(run.click_ms, initial=0.0)) / 1000 + 1)
    at: Floats = np.arange(0.0, 1000 * seconds, 1000 / rate_hz)
    random = np.random.default_rng([seed, 29])
    light, button = 210 + random.normal(0, 3, at.size), np.ones(at.size)
    for click, answer in zip(run.click_ms, run.answer_ms, strict=True):
        button[(at >= click) & (at < click + PRESS_MS)] = 0
        if np.isfinite(answer):
            light[(at >= answer) & (at < answer + LIT_MS)] += 520
    return [f"{1000 * time:.0f};{level:.0f};{down:.0f}" for time, level, down in zip(at, light, button, strict=True)]


def write_sensor_log(run: Capture, path: Path, seed: int, rate_hz: float = RATE_HZ) -> None:
    """The same as a file with a header."""
    path.write_text("\n".join([HEADER, *sensor_lines(run, seed, rate_hz)]) + "\n", encoding="utf-8")


class SimulatedSensor:
    """A sensor at a pseudo-terminal, where there are such (not on Windows); `port` is its name."""

    def __init__(self) -> None:
        import pty
        import tty

        self._ours, self._theirs = pty.openpty()
        tty.setraw(self._theirs)
        self.port = os.ttyname(self._theirs)
        self._thread: threading.Thread | None = None

    def send(self, lines: list[str]) -> None:
        """Sends lines, as fast as they are read."""
        self._thread = threading.Thread(target=self._send, args=("\n".join(["", *lines]) + "\n",), daemon=True)
        self._thread.start()

    def wait(self) -> None:
        """Returns once all was sent."""
        if self._thread is not None:
            self._thread.join()

    def close(self) -> None:
        """Unplugs it."""
        os.close(self._ours)
        os.close(self._theirs)

    def _send(self, text: str) -> None:
        left = memoryview(text.encode())
        while left:
            left = left[os.write(self._ours, left[:2048]):]
