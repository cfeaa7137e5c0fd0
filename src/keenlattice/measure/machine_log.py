"""A log that another program kept of the machine while a game was recorded: another file, with its own clock."""

from collections.abc import Mapping
from dataclasses import replace
from pathlib import Path

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, model_validator

from keenlattice.errors import CaptureError
from keenlattice.measure.capture import Capture, Floats
from keenlattice.measure.columns import IN_MS, Said, Unit, made_of
from keenlattice.measure.rows import read_rows
from keenlattice.measure.series import Series, kind_of

MOST_PCT = 101.0  # rounding leaves a little above 100
SAME_CLOCK_FROM = 0.5  # of the run: a log that covers as much of it by its own times is on the same clock


class LogMap(BaseModel):
    """What a machine's log holds.

    Args:
        name: what the player calls this map.
        reads: always "machine".
        time: the column of times.
        unit: of them: s, ms, us or ns.
        said: series (`gpu0.temperature`) to column, in the unit of its kind.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    name: str = Field(pattern=r"^[a-z][a-z0-9-]{0,39}$")
    reads: str = Field(default="machine", pattern="^machine$")
    time: str = Field(min_length=1)
    unit: Unit = "s"
    said: Said = Field(min_length=1)

    @model_validator(mode="after")
    def _holds_together(self) -> "LogMap":
        if self.unit not in IN_MS:
            raise ValueError("the unit of a log's times is s, ms, us or ns")
        return self


def log_map(**fields: object) -> LogMap:
    """A map of a machine's log from what a player gave: the fields of `LogMap`, by name.

    Raises:
        CaptureError: it does not hold together; the message names the field.
    """
    return made_of(LogMap, "map of a log", dict(fields))


def read_machine_log(path: Path, columns: LogMap) -> dict[str, Series]:
    """The series of a log, by name, on its own clock in ms.

    Rows whose time is not a number are left out.

    Raises:
        CaptureError: it cannot be read, lacks a column, or holds nothing of use; its times go back; or a share is above
            100 %.
    """
    rows = read_rows(path, [columns.time, *columns.said.values()], [])
    times = rows.numbers[columns.time] * IN_MS[columns.unit]
    finite = np.isfinite(times)
    back = np.flatnonzero(np.diff(times[finite]) < 0)
    if back.size:
        raise CaptureError(f"{path}: the times of {columns.time!r} go back, first after row {back[0] + 1} of "
                           f"{times[finite].size}: are these two logs in one file? Keep the part of the run")
    series_of = {name: Series(times[finite], _said(rows.numbers[column][finite]))
                 for name, column in columns.said.items()}
    for name, series in series_of.items():
        check_share(name, columns.said[name], series, path)
    if not any(series.known.size for series in series_of.values()):
        raise CaptureError(f"{path}: no value of {', '.join(columns.said.values())} can be read of it")
    return {name: series for name, series in series_of.items() if series.known.size}


def check_share(name: str, column: str, series: Series, path: Path) -> None:
    """Check that a share of a whole part is not above 100 %; a game may keep several cores busy.

    Raises:
        CaptureError: it is.
    """
    worst = float(series.known.max()) if series.known.size else 0.0
    if kind_of(name).unit == "%" and not name.startswith("game") and worst > MOST_PCT:
        raise CaptureError(f"{path}: {column!r} holds {worst:.0f}, and {name} is a share of 100 %: it is another "
                           "column, or in another unit")


def _said(values: Floats) -> Floats:
    return np.where(np.isfinite(values), values, np.nan)


def beside(capture: Capture, log: Mapping[str, Series], begin_ms: float | None,
           starts_s: float | None = None) -> Capture:
    """A run with what a log says of its time.

    Args:
        capture: the run.
        log: the series, on the log's own clock.
        begin_ms: when the run began on the clock of its stamps; None if it had no stamps.
        starts_s: when the log began, in s after the run did; if that is not told, the clocks are one if the log covers
            at least half of the run by its own times, and else the log is taken to have begun with the run.

    Raises:
        CaptureError: the log says nothing of the time of the run.
    """
    length = 1000 * capture.seconds
    first = min(float(series.at_ms[0]) for series in log.values())
    last = max(float(series.at_ms[-1]) for series in log.values())
    covered = 0.0 if begin_ms is None else min(last, begin_ms + length) - max(first, begin_ms)
    one_clock = starts_s is None and covered >= SAME_CLOCK_FROM * length
    begin = float(begin_ms or 0.0) if one_clock else first - 1000 * (starts_s or 0.0)
    parts = {name: series.between(begin, begin + length, begin) for name, series in log.items()}
    usable = {name: part for name, part in parts.items() if part.known.size}
    if not usable:
        raise CaptureError(f"the log says nothing of the {capture.seconds:.1f} s of the run: did it begin as the run "
                           "did? Say when it began, in s after the run: --log-starts SECONDS")
    return replace(capture, telemetry={**capture.telemetry, **usable},
                   about={**capture.about, "log_clock": "as the frames" if one_clock else "its own"})
