"""A sensor map: what is in a sensor's file, given once; later files with that header are read without a word."""

from pathlib import Path
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

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
