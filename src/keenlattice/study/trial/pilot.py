"""What a pilot, a version against itself, tells: how noisy runs are, and how long they take to warm up."""

import math
from collections.abc import Sequence

from keenlattice.errors import BadValue
from keenlattice.measure.capture import Capture
from keenlattice.measure.course import warm_up_ms
from keenlattice.study.trial._conclude import left_over
from keenlattice.study.trial.power import Noise
from keenlattice.study.trial.result import Trial


def noise_of(result: Trial, name: str = "") -> Noise:
    """How much a metric's log ratio varies from block to block, by a trial of a version against itself.

    It is had back from the interval, which is Student's t around the mean.

    Args:
        name: the metric; the one that decides, if it is not said.

    Raises:
        BadValue: fewer than two blocks gave a number.
    """
    from scipy.special import stdtrit

    one = result[name] if name else result.deciding
    if one.low_pct is None or one.high_pct is None:
        raise BadValue(f"the pilot's runs are too short for {one.name}: fewer than two blocks gave a number")
    dof = left_over(one.n)  # with few switches n + 1 stretches and three terms leave as many
    half = (math.log1p(one.high_pct / 100) - math.log1p(one.low_pct / 100)) / 2
    return Noise(half * math.sqrt(one.n) / float(stdtrit(dof, 0.5 + one.confidence / 2)), dof)


def warm_up_of(captures: Sequence[Capture]) -> float:
    """How many seconds most runs take to warm up: the median of what the rule finds in each, so that a run in which it
    happens to find something does not count."""
    found = sorted(warm_up_ms(capture) for capture in captures)
    return found[len(found) // 2] / 1000 if found else 0.0
