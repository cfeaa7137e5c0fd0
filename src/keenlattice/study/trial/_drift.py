"""Whether the rig changed over a trial: the trend of the blocks, whichever version they were of."""

import numpy as np

from keenlattice.measure._summary import percent_of
from keenlattice.measure.capture import Floats

LEAST = 8           # blocks
MOST_ALIKE = 0.85   # correlation of neighbours, that a trend may still be told from


def drift(logs: Floats) -> tuple[float, float, float] | None:
    """The trend from the first block to the last in per cent, with its interval at 95 %; None with too few blocks.

    Least squares of the logarithm. Neighbours that resemble each other make a trend where there is none; so the error
    is that of a series whose neighbours correlate as what is left over does (M. S. Bartlett, JRSS 1946), with what so
    few blocks understate of that added (the bias after F. H. C. Marriott and J. A. Pope, Biometrika 1954, twice, since
    the trend was taken out).

    Args:
        logs: one a block; shape (blocks,), NaN where it has none.
    """
    from scipy.special import stdtrit

    at = np.linspace(-0.5, 0.5, logs.size)[np.isfinite(logs)]
    logs = logs[np.isfinite(logs)]
    n = logs.size
    if n < LEAST:
        return None
    at = at - at.mean()
    slope = float(at @ logs / (at @ at))
    left = logs - logs.mean() - slope * at
    squares = float(left @ left)
    alike = float(left[1:] @ left[:-1]) / squares if squares > 0 else 0.0
    alike = min(MOST_ALIKE, max(0.0, alike + 2 * (2 + 4 * max(0.0, alike)) / n))
    wider = (1 + alike) / (1 - alike)
    half = float(stdtrit(max(1.0, (n - 2) / wider), 0.975) * np.sqrt(squares / (n - 2) * wider / (at @ at)))
    return percent_of(slope), percent_of(slope - half), percent_of(slope + half)
