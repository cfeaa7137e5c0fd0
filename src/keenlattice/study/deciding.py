"""What decides a study, and how much of it matters: the same for all kinds.

What decides is named in advance: one metric, or several that share the error. What matters is a share in per cent, for
all of them or for each its own; or an amount in a metric's own unit, of which the study's first block tells how many
per cent it is.
"""

import math
import re
from collections.abc import Callable, Mapping, Sequence
from typing import Self, TypeVar

import numpy as np

from keenlattice.errors import BadValue, UsageError
from keenlattice.measure.metrics import metric
from keenlattice.measure.names import full_name
from keenlattice.quickly import dataclass
from keenlattice.report.words import TITLES
from keenlattice.study.limits import DECIDES, DEFAULT_PCT, check_matters

MOST_DECIDERS = 4
MOST_PCT = 50.0

Numbers = Mapping[str, float]
"""One run: metric name to value, NaN where it has none."""

Matters = tuple[tuple[str, float, str], ...]
"""What matters of some metrics: name, how much, and whether that is in "%" or in the metric's own unit."""


def named(text: str) -> tuple[str, ...]:
    """The full names of the metrics that a text names, with commas between.

    >>> named("frame_ms_mean, latency")
    ('frame_ms_mean', 'latency_ms_median')
    """
    return tuple(full_name(name) for name in text.split(","))


@dataclass(frozen=True)
class Deciding:
    """What decides a study, and the smallest difference of it that matters to the player.

    Args:
        metrics: a metric, or several with commas between, which share the error; short names do.
        matters_pct: in per cent, of each metric of which nothing else is said.
        matters_of: of single metrics: name, amount, and "%" or the metric's unit.

    Raises:
        UnknownName: no such metric.
        BadValue: too many, one twice, or out of range.

    >>> Deciding("fps, latency", 2, (("latency_ms_median", 1.0, "ms"),)).metrics
    'fps_mean,latency_ms_median'
    """

    metrics: str = DECIDES
    matters_pct: float = DEFAULT_PCT
    matters_of: Matters = ()

    def __post_init__(self) -> None:
        object.__setattr__(self, "metrics", ",".join(named(self.metrics)))
        for name in self.names:
            metric(name)
        if len(set(self.names)) < len(self.names) or len(self.names) > MOST_DECIDERS:
            raise BadValue(f"{self.metrics}: 1 to {MOST_DECIDERS} metrics decide, each named once")
        check_matters(self.matters_pct)
        for name, amount, unit in self.matters_of:
            of_metric = metric(name).unit
            if unit == "%":
                check_matters(amount)
            elif unit != of_metric or not 0 < amount < math.inf:
                raise BadValue(f"{amount:g} {unit} of {name}: give a positive amount in {of_metric}")

    @classmethod
    def by(cls, metrics: str, matters: float | str) -> Self:
        """Return it as a player writes it: `Deciding.by("fps,latency", "2%,latency=1ms")`.

        Args:
            metrics: that decide.
            matters: see `parsed_matters`.

        Raises:
            UsageError: `matters` cannot be read, or is of another unit than the metric.
            UnknownName, BadValue: as for the class.
        """
        return cls(metrics, *parsed_matters(matters, metrics))

    @property
    def names(self) -> tuple[str, ...]:
        """The metrics."""
        return named(self.metrics)

    def in_pct(self, name: str, first: Sequence[Numbers]) -> float:
        """Return the smallest difference of a metric that matters, in per cent.

        Args:
            name: the metric.
            first: the runs of the first block, against whose geometric mean an amount is held.
        """
        for about, amount, unit in self.matters_of:
            if about == name:
                return amount if unit == "%" else _share(amount, [run[name] for run in first])
        return self.matters_pct

    @property
    def told(self) -> str:
        """What matters, as a player would write it: `1%,latency_ms_median=2ms`."""
        own = [f"{name}={amount:g}{unit}" for name, amount, unit in self.matters_of]
        return ",".join([f"{self.matters_pct:g}%", *own])

    @property
    def in_words(self) -> str:
        """The same, to be read: `1 %, or 2 ms of median latency`."""
        own = {name: f"{amount:g} {unit} of {TITLES[name]}" for name, amount, unit in self.matters_of}
        amounts = [own[name] for name in self.names if name in own]
        return ", or ".join([f"{self.matters_pct:g} %"] * any(name not in own for name in self.names) + amounts)


def check_deciding(given: object) -> None:
    """Whether that is a `Deciding`: the name of a metric alone does not say what matters.

    Raises:
        BadValue: it is not.
    """
    if not isinstance(given, Deciding):
        raise BadValue(f'{given!r} is not a Deciding: write Deciding("latency", 2), in which 2 % matters')


USUAL = Deciding()
"""What a player feels, and one per cent of it."""


def parsed_matters(text: float | str, decides: str) -> tuple[float, Matters]:
    """What matters, from what a player wrote: in per cent for all metrics, and what differs from that.

    Args:
        text: `1`, `1%`, `0.5ms` for each metric that decides and is in ms, `latency_ms_median=1ms` for that alone;
            several with commas between.
        decides: the metrics that decide.

    Raises:
        UsageError: it cannot be read, or is of another unit than the metric.
        UnknownName: no such metric.

    >>> parsed_matters("2,latency_ms_median=1ms", "frame_ms_mean,latency_ms_median")
    (2.0, (('latency_ms_median', 1.0, 'ms'),))
    """
    if not isinstance(text, str):
        return float(text), ()
    all_of, own = DEFAULT_PCT, dict[str, tuple[float, str]]()
    for part in text.split(","):
        match = re.fullmatch(r"\s*(?:([a-z0-9_%-]+)\s*=)?\s*([0-9]*\.?[0-9]+)\s*(%|ms|fps|)\s*", part)
        if not match:
            raise UsageError(f"--matters {text!r}: write per cent, ms or fps, such as 1, 0.5ms or 3fps; for one metric "
                             "latency_ms_median=1ms")
        amount, unit = float(match[2]), match[3] or "%"
        if not match[1] and unit == "%":
            all_of = amount
            continue
        names = [metric(full_name(match[1])).name] if match[1] else [
            name for name in named(decides) if metric(name).unit == unit]
        if not names:
            raise UsageError(f"--matters {text!r}: nothing of what decides ({decides}) is in {unit}")
        if unit not in ("%", metric(names[0]).unit):
            raise UsageError(f"--matters {text!r}: {names[0]} is in {metric(names[0]).unit}, not in {unit}")
        own |= {name: (amount, unit) for name in names}
    return all_of, tuple((name, *of_it) for name, of_it in own.items())


def _share(amount: float, values: Sequence[float]) -> float:
    positive = [value for value in values if math.isfinite(value) and value > 0]
    return min(MOST_PCT, 100 * amount / float(np.exp(np.mean(np.log(positive))))) if positive else MOST_PCT


Judged = TypeVar("Judged")


def sharing(names: Sequence[str], measured: Callable[[str], bool], judge: Callable[[str, float], Judged],
            unclear: Callable[[Judged], bool], error: float) -> dict[str, Judged]:
    """What comes out of the metrics that decide together. What was not measured at all (a latency, where no sensor was)
    takes no part of the error; what is settled leaves its part to the rest (S. Holm, Scandinavian Journal of Statistics
    1979).

    Args:
        judge: what comes out of one of them, with some part of the error.
        unclear: whether that is still open.
    """
    result: dict[str, Judged] = {}
    left = [name for name in names if measured(name)]
    share = max(1, len(left))
    while True:
        result |= {name: judge(name, error / share) for name in left}
        left = [name for name in left if unclear(result[name])]
        if not left or len(left) == share:
            return {name: result[name] if name in result else judge(name, error) for name in names}
        share = len(left)
