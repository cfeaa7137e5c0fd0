"""What one source of a machine says over a run: a series of values with the unit of its kind.

A series is named for a part and a kind, `gpu0.temperature`. A machine that says nothing of a kind has no such series:
what is not known is left out, and never zero.
"""

import re
from collections.abc import Collection, Mapping

import numpy as np
from numpy.typing import NDArray

from keenlattice.errors import CaptureError, counted
from keenlattice.quickly import dataclass

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class SeriesKind:
    """A kind of series: its unit, its decimals, and which end of it is the bad one (None if neither)."""

    unit: str
    decimals: int
    worst: str | None


KINDS: Mapping[str, SeriesKind] = {
    "clock": SeriesKind("MHz", 0, "low"), "temperature": SeriesKind("°C", 1, "high"),
    "load": SeriesKind("%", 0, "high"),
    "power": SeriesKind("W", 1, "high"), "fan": SeriesKind("rpm", 0, "high"), "memory": SeriesKind("MiB", 0, "high"),
    "pressure": SeriesKind("%", 1, "high"), "throttled": SeriesKind("%", 0, "high")}
"""Load is a share of what a part can do (of one core, for a game's thread); pressure the share of time in which some
task waited for it; throttled the share of time in which a part was held back for its heat or power."""

NAME = re.compile(r"^[a-z][a-z0-9-]{0,39}\.(" + "|".join(KINDS) + ")$")
MOST_SERIES, MOST_SAMPLES = 64, 2_000_000


@dataclass(frozen=True, eq=False)
class Series:
    """What one source said.

    Args:
        at_ms: when, on the clock of the frames; shape (samples,), rising.
        values: in the unit of its kind; shape (samples,), NaN where it said nothing.

    Raises:
        CaptureError: shapes that do not fit, time running backwards, or an infinity.
    """

    at_ms: Floats
    values: Floats

    def __post_init__(self) -> None:
        if self.at_ms.shape != self.values.shape or self.at_ms.ndim != 1:
            raise CaptureError(f"{self.at_ms.size} times but {counted(self.values.size, 'value')} of a series")
        if self.at_ms.size > MOST_SAMPLES:
            raise CaptureError(f"a series of {self.at_ms.size} samples: {MOST_SAMPLES} at most")
        if not np.isfinite(self.at_ms).all() or (self.at_ms[1:] < self.at_ms[:-1]).any():
            raise CaptureError("the times of a series run backwards, or are none")
        if np.isinf(self.values).any():
            raise CaptureError("a series holds an infinity")

    @property
    def known(self) -> Floats:
        """The values that were said."""
        return self.values[np.isfinite(self.values)]

    def between(self, start_ms: float, end_ms: float, begin_ms: float = 0.0) -> "Series":
        """The part from one moment to another, its time counted from `begin_ms`."""
        inside = (self.at_ms >= start_ms) & (self.at_ms <= end_ms)
        return Series(self.at_ms[inside] - begin_ms, self.values[inside])


def check_names(names: Collection[str]) -> None:
    """Whether names can be those of a capture's series.

    Raises:
        CaptureError: too many, or a name that is none.
    """
    if len(names) > MOST_SERIES:
        raise CaptureError(f"{len(names)} series: {MOST_SERIES} at most")
    for name in names:
        if not NAME.match(name):
            raise CaptureError(f"{name[:60]!r} is not the name of a series: write PART.KIND, such as gpu0.clock; "
                               f"kinds are {', '.join(KINDS)}")


def kind_of(name: str) -> SeriesKind:
    """The kind of a series by its name."""
    return KINDS[name.rpartition(".")[2]]
