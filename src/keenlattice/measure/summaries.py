"""Many runs together: the run is the unit, since its frames are not independent of each other."""

import math
from collections.abc import Iterable, Sequence
from typing import TYPE_CHECKING, Any

import numpy as np

from keenlattice.measure.capture import Capture, Floats
from keenlattice.measure.metrics import METRICS, metric, metrics_of
from keenlattice.quickly import dataclass

if TYPE_CHECKING:
    import pandas


@dataclass(frozen=True)
class Summary:
    """One metric over many runs.

    Args:
        name, unit: of the metric.
        runs: how many runs have a number for it.
        mean: of these numbers; None without any.
        low, high: Student's t interval of that mean; None with fewer than two runs.
        least, most: the smallest and the largest of them.
    """

    name: str
    unit: str
    runs: int
    mean: float | None
    low: float | None
    high: float | None
    least: float | None
    most: float | None

    def to_json(self) -> dict[str, Any]:
        return dict(self.__dict__)


def summary(captures: Iterable[Capture], names: Sequence[str] | None = None,
            confidence: float = 0.95) -> dict[str, Summary]:
    """Metrics over many runs, one capture each; captures may come one by one, and are not kept.

    Raises:
        UnknownName: no such metric.
    """
    chosen = list(names or METRICS)
    rows = [metrics_of(capture, chosen) for capture in captures]
    return {name: _summed_up(name, np.array([row[name] for row in rows]), confidence) for name in chosen}


def _summed_up(name: str, values: Floats, confidence: float) -> Summary:
    finite = values[np.isfinite(values)]
    if not finite.size:
        return Summary(name, metric(name).unit, 0, None, None, None, None, None)
    middle, low, high = t_interval(finite, confidence) if finite.size > 1 else (float(finite[0]), None, None)
    return Summary(name, metric(name).unit, finite.size, middle, low, high, float(finite.min()), float(finite.max()))


def table(captures: Iterable[Capture], names: Sequence[str] | None = None) -> "pandas.DataFrame":
    """A row for each capture, a column for each metric, beside what the capture says of rig, game, version and time.

    Raises:
        UnknownName: no such metric.
    """
    import pandas

    keys = ("rig", "game", "version", "time")
    rows = [{**{key: capture.about.get(key) for key in keys}, **metrics_of(capture, names)} for capture in captures]
    return pandas.DataFrame(rows)


def t_interval(values: "np.typing.NDArray[np.float64]", confidence: float) -> tuple[float, float, float]:
    """Mean and Student t interval of independent values; shape (n,), n at least 2.

    Values that are all equal say nothing of their spread: then the interval is a point only because they are.
    """
    from scipy.special import stdtrit

    n = values.size
    middle = float(values.mean())
    half = float(stdtrit(n - 1, 0.5 + confidence / 2)) * float(values.std(ddof=1)) / math.sqrt(n)
    return middle, middle - half, middle + half


LARGEST = 700.0  # logarithm of what a number can hold, nearly
NO_WIDTH = 1e-12
"""An interval of a log ratio that is no wider than this has none: all values were the same."""


def percent_of(log_ratio: float) -> float:
    """A log ratio as a change in per cent; infinite where that is beyond all numbers.

    >>> percent_of(0.0), percent_of(5000.0)
    (0.0, inf)
    """
    return 100 * math.expm1(log_ratio) if log_ratio < LARGEST else math.inf
