"""The facts of a rig that an effect may depend on, each as a number, with the line that parts rigs by it in words."""

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from keenlattice.measure.capture import Floats

Facts = Mapping[str, Any]


@dataclass(frozen=True)
class Moderator:
    """A fact that an effect may depend on.

    Args:
        name: what it is called.
        value: its number, from the facts and from what the frames waited for; NaN where it is not known.
        line: parts the rigs in two.
        above, below: what either side is called, behind "helps".
    """

    name: str
    value: Callable[[Facts, Mapping[str, float]], float]
    line: float
    above: str
    below: str


def _limit(_facts: Facts, limits: Mapping[str, float]) -> float:
    return (limits.get("GPU", 0.0) - limits.get("CPU", 0.0)) / 100 if limits else math.nan


def _log_of(name: str) -> Callable[[Facts, Mapping[str, float]], float]:
    def value(facts: Facts, _limits: Mapping[str, float]) -> float:
        known = _number(facts.get(name))
        return math.log2(known) if known > 0 else math.nan
    return value


def _rated(facts: Facts, _limits: Mapping[str, float]) -> float:
    now, rated = _number(facts.get("memory_speed_mts")), _number(facts.get("memory_rated_mts"))
    return float(np.minimum(2.0, now / rated)) if rated > 0 else math.nan  # Python's own takes what is unknown for 2


def _yes(name: str) -> Callable[[Facts, Mapping[str, float]], float]:
    return lambda facts, _: float(facts[name]) if isinstance(facts.get(name), bool) else math.nan


def _number(value: Any) -> float:
    return float(value) if isinstance(value, int | float) and not isinstance(value, bool) else math.nan


MODERATORS: tuple[Moderator, ...] = (
    Moderator("limit", _limit, 0.0, "where the GPU is the limit", "where the GPU is not the limit"),
    Moderator("refresh", _log_of("refresh_hz"), math.log2(110), "on panels that run at 110 Hz or more",
              "on panels that run below 110 Hz"),
    Moderator("ram", _log_of("ram_mib"), math.log2(12_288), "with 12 GiB of memory or more",
              "with less than 12 GiB of memory"),
    Moderator("vram", _log_of("vram_mib"), math.log2(6144), "with a graphics card of 6 GiB or more",
              "with a graphics card of less than 6 GiB"),
    Moderator("cores", _log_of("cores"), math.log2(5), "with more than 5 cores", "with 5 cores or fewer"),
    Moderator("panel_on_integrated", _yes("panel_on_integrated"), 0.5, "where the panel is on the integrated GPU",
              "where the panel is not on the integrated GPU"),
    Moderator("memory_speed", _rated, 0.95, "where memory runs at its rated speed",
              "where memory runs below its rated speed"))


def moderators_of(facts: Facts, limits: Mapping[str, float]) -> Floats:
    """The numbers of a rig; shape (moderators,), NaN for what is not known."""
    found = of_facts(facts)
    found[0] = of_limits(limits)
    return found


def of_facts(facts: Facts) -> Floats:
    """The numbers that follow from a rig's facts; shape (moderators,), NaN for the first and for what is not known."""
    return np.array([one.value(facts, {}) for one in MODERATORS])


def of_limits(limits: Mapping[str, float]) -> float:
    """The first of them, which follows from what the frames waited for."""
    return MODERATORS[0].value({}, limits)
