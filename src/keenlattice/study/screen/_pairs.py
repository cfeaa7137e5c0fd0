"""Pairs of settings that do together what neither does alone.

One after the other, the pair joins the fit whose product explains most of what is left over, as long as that is beyond
chance among all pairs (Bonferroni). What three settings do only together shows as pairs of them; so pairs that share a
setting are told as one group that acts together.
"""

from collections.abc import Sequence
from itertools import combinations

import numpy as np

from keenlattice.measure.capture import Floats

LEAST_DOF = 4
MOST_PAIRS = 10
ALIKE = 0.999  # of two products, once the fit has taken its part: nothing can tell these apart


def pairs_in(rows: Floats, terms: Floats, logs: Floats, error: float, least: float) -> list[tuple[int, int, float]]:
    """The pairs, with what both do beyond what each does alone: from one of them on to both or neither.

    Args:
        rows: +1 or -1 for each factor; shape (rows, factors).
        terms: what is fitted besides; shape (rows, terms).
        error: of naming any that is not there.
        least: effect, as log ratio, below which none is named.
    """
    from scipy.special import stdtrit

    places = list(combinations(range(rows.shape[1]), 2))
    found: list[tuple[int, int, float]] = []
    if not places or not logs.size:
        return found
    products = np.column_stack([rows[:, one] * rows[:, other] for one, other in places])
    while len(found) < MOST_PAIRS:
        basis, kept = _basis(terms)
        dof = logs.size - kept - 1
        if dof < LEAST_DOF:
            break
        left, alone = logs - basis @ (basis.T @ logs), products - basis @ (basis.T @ products)
        squares = (alone ** 2).sum(axis=0)
        open_ = squares > 1e-6 * logs.size
        effects = np.where(open_, alone.T @ left / np.where(open_, squares, 1.0), 0.0)
        rest = np.maximum(float(left @ left) - effects ** 2 * squares, 1e-300)
        scores = np.abs(effects) * np.sqrt(squares * dof / rest)
        best = int(np.argmax(scores))
        if scores[best] <= float(stdtrit(dof, 1 - error / 2 / len(places))) or 4 * abs(effects[best]) < least:
            break
        rivals = np.abs(alone.T @ alone[:, best]) > ALIKE * np.sqrt(squares * squares[best])
        if rivals[open_].sum() > 1:  # it cannot be told which of these it is
            break
        found.append((*places[best], 4 * float(effects[best])))
        terms = np.column_stack([terms, products[:, best]])
    return found


def _basis(terms: Floats) -> tuple[Floats, int]:
    left, sizes, _ = np.linalg.svd(terms, full_matrices=False)
    kept = int((sizes > 1e-9 * sizes[0]).sum())
    return np.asarray(left[:, :kept]), kept


def together(pairs: Sequence[tuple[int, int, float]]) -> list[tuple[tuple[int, ...], float]]:
    """Groups of pairs that share a factor, each with the strongest effect in it, the strongest first."""
    groups: list[tuple[set[int], float]] = []
    for one, other, effect in pairs:
        met = [group for group in groups if {one, other} & group[0]]
        merged = {one, other}.union(*(places for places, _ in met))
        groups = [group for group in groups if group not in met]
        groups.append((merged, max([effect, *(size for _, size in met)], key=abs)))
    return [(tuple(sorted(places)), effect) for places, effect in sorted(groups, key=lambda one: -abs(one[1]))]
