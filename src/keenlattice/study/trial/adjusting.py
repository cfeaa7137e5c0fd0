"""What a trial takes into account beside its blocks: a covariate, a drift, rare events, stretches without a switch.

A run that begins on a hot GPU is slower whichever version it is of. Where that varies from run to run, as with the
room, or with what was played just before, the verdict needs fewer runs once it is in the fit (analysis of covariance,
R. A. Fisher, 1932; for experiments of this kind A. Deng, Y. Xu, R. Kohavi and T. Walker, WSDM 2013). It must be
nothing that the change itself does: so the beginning of a run counts, before the version has had time to act, and
never the run itself, whose heat and clock may be just what the change changes.
"""

import math
from collections.abc import Sequence
from itertools import groupby

import numpy as np
from numpy.typing import NDArray

from keenlattice.measure.capture import Capture, Floats
from keenlattice.measure.summaries import percent_of
from keenlattice.study.trial.plan import Arm

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
    series_values = capture.telemetry[series]
    finite = np.isfinite(series_values.values)
    first = series_values.values[finite & (series_values.at_ms < BEGINNING_MS)]
    if first.size:
        return float(first.mean())
    return float(series_values.values[finite][0]) if finite.any() else float("nan")


def usable(values: Floats) -> bool:
    """Whether something can be taken into account: not, with too few blocks or stretches, one that does not know it, or
    no difference between any.

    Args:
        values: one of each; NaN where it is not known.
    """
    return bool(values.size >= LEAST and np.isfinite(values).all() and np.ptp(values) > 0)


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

    first, second = (float(round(sum(value for value in side if math.isfinite(value)) * seconds / 60))
                     for side in (before, after))  # as floats: a count beyond 64 bits is one, too
    low = float(betaincinv(second, first + 1, error)) if second else 0.0
    high = float(betaincinv(second + 1, first, 1 - error)) if first else 1.0
    return _log_odds(low), _log_odds(high)


def _log_odds(share: float) -> float:
    return -math.inf if share <= 0 else math.inf if share >= 1 else math.log(share / (1 - share))


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
    if values.size <= len(terms) or np.ptp(sides) == 0:
        return None
    return least_squares(np.column_stack(terms), values, 1)


def least_squares(matrix: Floats, values: Floats, place: int) -> tuple[float, float, int]:
    """One coefficient of a linear fit, its standard error and degrees of freedom.

    Args:
        matrix: a column for each term; shape (values, terms), of full rank and with more values than terms.
        values: what is fitted.
        place: which term's coefficient is wanted.
    """
    fit, *_ = np.linalg.lstsq(matrix, values, rcond=None)
    left, dof = values - matrix @ fit, values.size - matrix.shape[1]
    variance = float(left @ left) / dof * float(np.linalg.inv(matrix.T @ matrix)[place, place])
    return float(fit[place]), math.sqrt(variance), dof


def starts_of(arms: Sequence[Arm], logs: Floats, began: Floats) -> Floats:
    """What each stretch with a number began at, the mean over its runs.

    Args:
        arms, logs: as in `fit_of_stretches`.
        began: what each run began at; shape (runs,).
    """
    return _means(arms, np.where(np.isfinite(logs), began, np.nan))[0]


def _means(arms: Sequence[Arm], logs: Floats) -> tuple[Floats, Floats, Floats]:
    """Of each stretch with a number: its mean, its version (-0.5 before, 0.5 after), and when it was."""
    result: list[tuple[float, float, float]] = []
    start = 0
    for arm, runs in groupby(arms):
        stop = start + len(list(runs))
        block = logs[start:stop]
        if np.isfinite(block).any():
            result.append((float(np.nanmean(block)), 0.5 if arm == "after" else -0.5, (start + stop) / 2))
        start = stop
    values: Floats = np.array(result, dtype=np.float64).reshape(-1, 3).T
    return values[0], values[1], values[2]


LEAST_FOR_CARRY = 8  # blocks


def carried_over(logs: Floats, firsts: Floats) -> float | None:
    """How likely the version of the run before says so much of a run by chance alone; None with too few blocks.

    What a version leaves behind (caches, heat, files) is in the next run, which may be of the other one, and half of it
    is then missing from the effect (J. E. Grizzle, Biometrics 1965). Least squares of the difference of the two runs of
    a block, with terms for the effect, for their order, and for what came before either of them; a t test of the last.

    Args:
        logs: of both versions, block by block; shape (2, blocks), NaN where one has no number.
        firsts: of each block, 1 if the version before comes first, else -1.
    """
    from scipy.special import stdtr

    later = firsts * (logs[1] - logs[0])  # the second run less the first
    left = -(firsts[1:] + firsts[:-1]) / 2  # what came before the second less what came before the first: 1 if `after`
    good = np.isfinite(later[1:])
    matrix = np.column_stack([firsts[1:], np.ones(left.size), left])[good]
    if len(matrix) + 1 < LEAST_FOR_CARRY or np.linalg.matrix_rank(matrix) < matrix.shape[1]:
        return None
    remainder, error, dof = least_squares(matrix, later[1:][good], 2)
    return float(2 * stdtr(dof, -abs(remainder) / error)) if error > 0 else None


MANY_ALIKE = 0.5  # of the runs: with fewer different values than that a timer is coarse
SAME_STEP = 1e-4  # of the range of all values: what differs by less is of one step of a timer, and of rounding
DITHERED = 0.1    # of a version's runs, beyond its two commonest steps: only then do the steps average out


def hidden_by_steps(sides: Sequence[Floats]) -> tuple[float, float]:
    """What a coarse timer hides of the ratio of two runs, where runs share values: as a standard deviation; and beyond
    that how far off the mean of any number of them may be. Nothing where no timer is coarse.

    A run may lie anywhere within its step (W. F. Sheppard, Proceedings of the London Mathematical Society 1898). Over
    runs that spread over several steps this averages out. Those that sit on one step, or on two beside each other, may
    all be off by the same half of a step, which more of them do not tell.

    Args:
        sides: the logarithm of each run, of either version; NaN where it has no number.
    """
    values = np.sort(np.concatenate(sides))
    values = values[np.isfinite(values)]
    if values.size < 2 or values[-1] == values[0]:
        return 0.0, 0.0
    begins = np.flatnonzero(np.diff(values) > SAME_STEP * (values[-1] - values[0])) + 1
    if begins.size + 1 > MANY_ALIKE * values.size:
        return 0.0, 0.0
    centres = np.array([part.mean() for part in np.split(values, begins)])
    step = float(np.diff(centres).min())
    stuck = sum(_beyond_two(np.abs(side[np.isfinite(side), None] - centres).argmin(axis=1)) < DITHERED
                for side in sides)
    return step / math.sqrt(6), stuck * step / 2


def _beyond_two(steps: NDArray[np.int_]) -> float:
    """The share of runs that are on none of their two commonest steps."""
    counts = np.sort(np.bincount(steps))[::-1] if steps.size else np.ones(1)
    return float(counts[2:].sum() / counts.sum())
