"""Counts of rare events: what so few of them, or none at all, can rule out.

Given how many events two sides had together, how many of them fell on one is binomial, with a share that follows from
the ratio of the two rates; so the exact interval of that share (C. J. Clopper and E. S. Pearson, Biometrika 1934)
gives one of the ratio (J. Przyborowski and H. Wilenski, Biometrika 1940). No event on a side leaves the ratio open at
that end. Events that come in bursts vary more than that; so it is never the only interval, but the least wide that may
be.
"""

import math
from collections.abc import Sequence

EVENTS = "stutters_per_min"
"""The metric that counts events."""


def interval_of_counts(before: Sequence[float], after: Sequence[float], seconds: float, error: float
                       ) -> tuple[float, float]:
    """The interval of the log ratio of two rates.

    Args:
        before, after: events per minute, one a run, as many runs of either; NaN where a run has no number.
        seconds: how long a run is.
        error: of either end.
    """
    from scipy.special import betaincinv

    one, other = (float(round(sum(value for value in side if math.isfinite(value)) * seconds / 60))
                  for side in (before, after))  # as floats: a count beyond 64 bits is one, too
    low = float(betaincinv(other, one + 1, error)) if other else 0.0
    high = float(betaincinv(other + 1, one, 1 - error)) if one else 1.0
    return _log_odds(low), _log_odds(high)


def _log_odds(share: float) -> float:
    return -math.inf if share <= 0 else math.inf if share >= 1 else math.log(share / (1 - share))
