"""Rigs whose numbers are unlike those of all others on most of what they tried: made up, or measured of something else.

A rig may well be the only one on which a change does much; on which most changes do what they do nowhere else, none is.
How far a rig is off is counted in robust standard deviations of its change (the median absolute deviation; F. R.
Hampel, Journal of the American Statistical Association 1974), its own error included, and of a rig the median over all
that it tried is looked at.
"""

import numpy as np
from numpy.typing import NDArray

from keenlattice.measure.capture import Floats
from keenlattice.study.pool._meta import Index, Rigs

LEAST_TRIED, LEAST_RIGS, FAR = 4, 8, 4.0
NORMAL = 1.4826  # of a normal deviation's standard deviation to its median


def odd(rigs: Rigs, rig: Index, count: int) -> NDArray[np.bool_]:
    """Which rigs are odd; shape (count,).

    Args:
        rig: which of `count` rigs each row is of.
    """
    off = _off(rigs)
    order = np.lexsort((off, rig))
    sorted_rig = rig[order]
    starts = np.flatnonzero(np.r_[True, np.diff(sorted_rig) != 0]) if rig.size else np.empty(0, dtype=np.intp)
    sizes = np.diff(np.append(starts, rig.size))
    found = np.zeros(count, dtype=bool)
    known = sizes >= LEAST_TRIED
    found[sorted_rig[starts[known]]] = off[order][(starts + (sizes - 1) // 2)[known]] > FAR
    return found


def _off(rigs: Rigs) -> Floats:
    """How far each row is off, in robust standard deviations; 0 where too few rigs tried the change."""
    found = np.zeros(rigs.effect.size)
    for start, size in zip(rigs.starts, rigs.sizes, strict=True):
        if size >= LEAST_RIGS:
            own = slice(int(start), int(start + size))
            away = np.abs(rigs.effect[own] - np.median(rigs.effect[own]))
            spread = max(NORMAL * float(np.median(away)), float(np.sqrt(np.median(rigs.variance[own]))))
            found[own] = away / np.sqrt(spread ** 2 + rigs.variance[own])
    return found
