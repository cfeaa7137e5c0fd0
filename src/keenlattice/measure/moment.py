"""How a run goes while it is recorded: what somebody is shown who watches."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass

Watcher = Callable[["Moment"], None]
"""What is told of each moment; it must be quick, for the recorder waits for it."""


@dataclass(frozen=True)
class Moment:
    """The last second or so of a run.

    Args:
        at_s: how long the run has lasted, in s.
        frames: shown since the moment before.
        frame_ms, worst_ms: the median and the longest frame time since then; NaN without frames.
        latency_ms: the median latency of the clicks that were answered since then; NaN without any.
        said: what the machine said of itself last, by series (`series.KINDS`).
    """

    at_s: float
    frames: int
    frame_ms: float
    worst_ms: float
    latency_ms: float
    said: Mapping[str, float]
