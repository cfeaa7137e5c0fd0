"""A sensor map: what is in a sensor's files, given once; and a run's frames together with what a sensor recorded."""

from dataclasses import replace
from pathlib import Path
from typing import Any, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, model_validator

from keenlattice.errors import CaptureError
from keenlattice.measure.capture import Capture
from keenlattice.measure.columns import IN_MS, Unit, made_of
from keenlattice.measure.latency import Latency
from keenlattice.measure.sensors import read_events, read_log, read_sound, read_tally

SOUND = (".wav", ".wave")


class SensorMap(BaseModel):
    """What a sensor's file holds.

    Args:
        name: what the player calls this map.
        reads: "log" (samples of light and button), "events" (presses and answers) or "tally" (a camera's counts).
        time, light, button: the columns of a log.
        press, answer: the columns of events.
        unit: of the times: s, ms, us or ns.
        camera_hz: of a tally, how many frames the camera takes a second.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    name: str = Field(pattern=r"^[a-z][a-z0-9-]{0,39}$")
    reads: Literal["log", "events", "tally"]
    time: str = ""
    light: str = ""
    button: str = ""
    press: str = ""
    answer: str = ""
    unit: Unit = "ms"
    camera_hz: float | None = Field(default=None, ge=10, le=100_000)

    @model_validator(mode="after")
    def _holds_together(self) -> "SensorMap":
        needed = {"log": (self.time, self.light, self.button), "events": (self.press, self.answer),
                  "tally": (self.camera_hz,)}[self.reads]
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
        return read_tally(path, self.camera_hz or 0.0)


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
    """A sensor's file: by its map, or, of a WAV, without one.

    Raises:
        CaptureError: it cannot be read, or nothing is found in it.
    """
    if by is None:
        return read_sound(path)
    return by.read(path)


def with_latency(run: Capture, found: Latency, warm_up_ms: float = 0.0) -> Capture:
    """A run with the presses and answers of a sensor beside its frames.

    The two were recorded on clocks of their own, begun by hand: presses count from the sensor's first sample, or of
    events and tallies from the first press. So a press and a frame are on one scale to a second or so, which is enough
    to cut a warm-up off; how long an answer took is on the sensor's clock alone. A camera's tally has no times: its
    presses are spread over what comes after the warm-up.

    Args:
        warm_up_ms: what is cut off later.

    Raises:
        CaptureError: the run has clicks of its own; or no press was answered.
    """
    if run.click_ms.size:
        raise CaptureError("the recording of frames holds clicks of its own already: hand it over without the sensor's")
    if not found.waits_ms.size:
        raise CaptureError("the sensor saw no press answered: is it where the screen answers, and was it pressed?")
    waits, press = found.answer_ms - found.press_ms, found.press_ms
    if found.half_width_ms:
        press = np.linspace(warm_up_ms, max(warm_up_ms, 1000 * run.seconds), press.size + 2)[1:-1]
    elif not found.about.get("rate_hz"):
        press = press - press.min()
    return replace(run, click_ms=press, answer_ms=press + waits, stage_ms=found.stage_ms,
                   about={**run.about, "sensor": dict(found.to_capture().about)})
