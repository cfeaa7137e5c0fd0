"""A trial whose versions are switched seldom, as where a switch restarts the machine or is made by hand.

Runs between two switches are not independent: whatever the switch brought with it (a place in memory, a clock that was
reached, a hand that set a value a little otherwise) all of them share. So the stretch between two switches is the
unit, as the whole plot is in a split-plot experiment (R. A. Fisher, 1925): the mean of its runs is one value, and the
values are fitted by least squares with a term for the version and, where there are enough of them, one for a steady
drift.
"""

from collections.abc import Sequence
from itertools import groupby

import numpy as np

from keenlattice.measure.capture import Floats
from keenlattice.study.trial.plan import Arm

LEAST_FOR_DRIFT = 5


def fit_of_stretches(arms: Sequence[Arm], logs: Floats, began: Floats | None = None) -> tuple[float, float, int] | None:
    """The log ratio of after to before, its standard error and degrees of freedom; None with fewer than three
    stretches, or of one version.

    Args:
        arms: of the runs, in the order in which they were played.
        logs: a metric's logarithm of each run, NaN where it has none; shape (runs,).
        began: what each stretch began at, if that is taken into account (`starts_of`); shape (stretches,).
    """
    values, sides, times = _means(arms, logs)
    terms = [np.ones(values.size), sides]
    if values.size >= LEAST_FOR_DRIFT:
        terms.append(times - times.mean())
    if began is not None:
        terms.append(began - began.mean())
    matrix = np.column_stack(terms)
    dof = values.size - matrix.shape[1]
    if dof < 1 or np.ptp(sides) == 0:
        return None
    fit, *_ = np.linalg.lstsq(matrix, values, rcond=None)
    left = values - matrix @ fit
    variance = float(left @ left) / dof * float(np.linalg.inv(matrix.T @ matrix)[1, 1])
    return float(fit[1]), variance ** 0.5, dof


def starts_of(arms: Sequence[Arm], logs: Floats, began: Floats) -> Floats:
    """What each stretch with a number began at, the mean over its runs.

    Args:
        arms, logs: as in `fit_of_stretches`.
        began: what each run began at; shape (runs,).
    """
    return _means(arms, np.where(np.isfinite(logs), began, np.nan))[0]


def _means(arms: Sequence[Arm], logs: Floats) -> tuple[Floats, Floats, Floats]:
    """Of each stretch with a number: its mean, its version (-0.5 before, 0.5 after), and when it was."""
    found: list[tuple[float, float, float]] = []
    start = 0
    for arm, runs in groupby(arms):
        stop = start + len(list(runs))
        some = logs[start:stop]
        if np.isfinite(some).any():
            found.append((float(np.nanmean(some)), 0.5 if arm == "after" else -0.5, (start + stop) / 2))
        start = stop
    values: Floats = np.array(found, dtype=np.float64).reshape(-1, 3).T
    return values[0], values[1], values[2]
