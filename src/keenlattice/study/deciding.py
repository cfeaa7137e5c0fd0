"""What decides a study, and how much of it matters: the same for all kinds.

What decides is named in advance: one metric, or several that share the error. What matters is a share in per cent, for
all of them or for each its own; or an amount in a metric's own unit, of which the study's first block tells how many
per cent it is.
"""

import math
import re
from collections.abc import Callable, Mapping, Sequence
from typing import Protocol, TypeVar

import numpy as np

from keenlattice.errors import BadValue, UsageError
from keenlattice.measure.metrics import metric
from keenlattice.measure.names import full_name
from keenlattice.report.words import TITLES
from keenlattice.study.limits import DEFAULT_PCT, check_matters

MOST_DECIDERS = 4
MOST_PCT = 50.0

Numbers = Mapping[str, float]
"""One run: metric name to value, NaN where it has none."""

Matters = tuple[tuple[str, float, str], ...]
"""What matters of some metrics: name, how much, and whether that is in "%" or in the metric's own unit."""


class Deciding(Protocol):
    """A plan, as far as it says what matters."""

    @property
    def matters_pct(self) -> float: ...

    @property
    def matters_of(self) -> Matters: ...


def named(text: str) -> tuple[str, ...]:
    """The full names of the metrics that a text names, with commas between.

    >>> named("frame_ms_mean, latency")
    ('frame_ms_mean', 'latency_ms_median')
    """
    return tuple(full_name(name) for name in text.split(","))


def full_names(text: str) -> str:
    """The same text, with full names.

    >>> full_names("fps, latency")
    'fps_mean,latency_ms_median'
    """
    return ",".join(named(text))


def check_deciding(decides: str, matters_pct: float, matters_of: Matters) -> None:
    """Whether that can decide, and that can matter.

    Raises:
        UnknownName: no such metric.
        BadValue: too many, one twice, or out of range.
    """
    names = named(decides)
    for name in names:
        metric(name)
    if len(set(names)) < len(names) or len(names) > MOST_DECIDERS:
        raise BadValue(f"{decides}: 1 to {MOST_DECIDERS} metrics decide, each named once")
    check_matters(matters_pct)
    for name, amount, unit in matters_of:
        of_metric = metric(name).unit
        if unit == "%":
            check_matters(amount)
        elif unit != of_metric or not 0 < amount < math.inf:
            raise BadValue(f"{amount:g} {unit} of {name}: give a positive amount in {of_metric}")


def matters_in_pct(name: str, matters_pct: float, matters_of: Matters, first: Sequence[Numbers]) -> float:
    """The smallest difference of a metric that matters, in per cent.

    Args:
        matters_pct: where nothing is said of that metric.
        matters_of: what is said of single metrics.
        first: the runs of the first block, against whose geometric mean an amount is held.
    """
    for about, amount, unit in matters_of:
        if about == name:
            return amount if unit == "%" else _share(amount, [run[name] for run in first])
    return matters_pct


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


def told_of(plan: Deciding) -> str:
    """What matters by a plan, as a player would write it: `1%,latency_ms_median=2ms`."""
    own = [f"{name}={amount:g}{unit}" for name, amount, unit in plan.matters_of]
    return ",".join([f"{plan.matters_pct:g}%", *own])


def matters_told(plan: Deciding, deciders: Sequence[str]) -> str:
    """The same of what decides, to be read: `1 %, or 2 ms of median latency`."""
    own = {name: f"{amount:g} {unit} of {TITLES[name]}" for name, amount, unit in plan.matters_of}
    amounts = [own[name] for name in deciders if name in own]
    return ", or ".join([f"{plan.matters_pct:g} %"] * any(name not in own for name in deciders) + amounts)
