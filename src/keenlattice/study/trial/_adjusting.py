"""What a rig said as a run began, taken into account: a covariate of a trial, named in its plan.

A run that begins on a hot GPU is slower whichever version it is of. Where that varies from run to run, as with the
room, or with what was played just before, the verdict needs fewer runs once it is in the fit (analysis of covariance,
R. A. Fisher, 1932; for experiments of this kind A. Deng, Y. Xu, R. Kohavi and T. Walker, WSDM 2013). It must be
nothing that the change itself does: so the beginning of a run counts, before the version has had time to act, and
never the run itself, whose heat and clock may be just what the change changes.
"""

import numpy as np

from keenlattice.measure.capture import Capture, Floats

BEGINNING_MS = 1000.0
AT_START = "at the start"
LEAST = 8  # blocks: a term more takes a degree of freedom, which a few blocks cannot spare


def at_start(capture: Capture, series: str) -> float:
    """What a series said in the first second of a run, or first of all if it said nothing then; NaN if it is not there.

    >>> from keenlattice.measure.series import Series
    >>> hot = Series(np.array([400.0, 900.0, 1500.0]), np.array([60.0, 62.0, 80.0]))
    >>> at_start(Capture(np.array([0.0, 2000.0]), telemetry={"gpu0.temperature": hot}), "gpu0.temperature")
    61.0
    """
    if series not in capture.telemetry:
        return float("nan")
    found = capture.telemetry[series]
    known = np.isfinite(found.values)
    first = found.values[known & (found.at_ms < BEGINNING_MS)]
    if first.size:
        return float(first.mean())
    return float(found.values[known][0]) if known.any() else float("nan")


def usable(values: Floats) -> bool:
    """Whether something can be taken into account: not, with too few blocks or stretches, one that does not know it, or
    no difference between any.

    Args:
        values: one of each; NaN where it is not known.
    """
    return bool(values.size >= LEAST and np.isfinite(values).all() and np.ptp(values) > 0)
