"""Files of home-made sensors: a log of light and button, a stereo recording, a camera's tally; and a simulated one."""

import os
import threading
import warnings
from collections.abc import Mapping
from pathlib import Path

import numpy as np

from keenlattice._files import check_regular
from keenlattice.errors import CaptureError
from keenlattice.measure.capture import Capture, Floats
from keenlattice.measure.columns import IN_MS, Unit
from keenlattice.measure.header import header_of
from keenlattice.measure.latency import Latency, from_camera, from_events, from_sensor
from keenlattice.measure.rows import read_rows

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
        found = from_sensor(buttons, lights, 1000 * (at.size - 1) / (at[-1] - at[0]))
    else:
        found = from_sensor(np.interp(even, at, buttons), np.interp(even, at, lights), rate_hz)
    found.about.update({"source": path.name, "rate_hz": round(rate_hz, 1)})
    return found


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
        raise CaptureError(f"{path} holds samples that are no numbers")
    found = from_sensor(sound[:, 2 - light_channel], sound[:, light_channel - 1], float(rate_hz))
    found.about.update({"source": path.name, "rate_hz": rate_hz})
    return found


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
        line, what = rows.unreadable[0]
        raise CaptureError(f"{path}: line {line}: {what}")
    counts = rows.numbers[name]
    unknown = np.flatnonzero(np.isnan(counts))
    words = read_rows(path, [], [name], exact=True).texts[name] if unknown.size else ()
    for one in unknown.tolist():
        if words[one].strip().lower() not in NO_ANSWER:
            raise CaptureError(f"{path}: line {rows.line(one)}: {words[one][:40]!r} is no count; a dash stands for a "
                               "press without an answer")
    found = from_camera(counts.tolist(), rate_hz)
    found.about["source"] = path.name
    return found


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
    found = from_events(pressed, answered, spent)
    found.about["source"] = path.name
    return found


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
