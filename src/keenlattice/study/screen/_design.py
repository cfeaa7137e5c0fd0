"""Two-level designs: many settings switched at once, so that every run tells something of each of them.

A matrix of Hadamard has orthogonal columns of +1 and -1 (R. E. A. C. Paley, 1933); its columns as settings and its
rows as runs are R. L. Plackett and J. P. Burman's designs (Biometrika 1946). Folded over (all signs turned, as further
runs), the effect of a setting is mixed up with no interaction of two others (G. E. P. Box and K. B. Wilson, 1951).
"""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from keenlattice.errors import BadValue

MOST_FACTORS = 100
LEFT_OVER = 5  # degrees of freedom that a half design leaves to know the noise by, beside the drift
ORDERS_DRAWN, OFTEN = 400, 4

Signs = NDArray[np.int8]


def hadamard(least: int) -> Signs:
    """The smallest matrix of Hadamard that can be made here with at least so many columns; first row and column +1."""
    size = max(4, least + -least % 4)
    while (found := _of_size(size)) is None:
        size += 4
    found = found * found[0]
    return np.asarray(found * found[:, :1], dtype=np.int8)


def _of_size(size: int) -> Signs | None:
    if size in (1, 2):
        return np.array([[1, 1], [1, -1]], dtype=np.int8)[:size, :size]
    if _is_prime(size - 1) and (size - 1) % 4 == 3:
        return _of_residues(size - 1)
    if size % 2 == 0 and (half := _of_size(size // 2)) is not None:
        return np.block([[half, half], [half, -half]])
    return None


def _is_prime(number: int) -> bool:
    return number > 1 and all(number % one for one in range(2, int(number ** 0.5) + 1))


def _of_residues(prime: int) -> Signs:
    """Paley's first construction, from the squares modulo a prime that leaves 3 when divided by 4."""
    squares = {one * one % prime for one in range(1, prime)}
    sign = np.array([0, *(1 if one in squares else -1 for one in range(1, prime))], dtype=np.int8)
    core = sign[(np.arange(prime)[:, None] - np.arange(prime)[None, :]) % prime]
    matrix = np.ones((prime + 1, prime + 1), dtype=np.int8)
    matrix[1:, 1:] = core + np.eye(prime, dtype=np.int8)
    matrix[1:, 0] = -1
    return matrix


def screening_design(factors: int) -> Signs:
    """A folded design: which of the factors each run switches on; shape (runs, factors), +1 on and -1 off.

    Raises:
        BadValue: no factor, or more than MOST_FACTORS.
    """
    if not 1 <= factors <= MOST_FACTORS:
        raise BadValue(f"{factors} settings to screen: 1 to {MOST_FACTORS} can be")
    half = hadamard(factors + 1)[:, 1:factors + 1]
    return np.vstack([half, -half])


def half_design(factors: int) -> Signs:
    """A design that is not folded: about half the runs, and the effect of a setting may be mixed up with what two
    others do together; shape (runs, factors), +1 on and -1 off.

    Raises:
        BadValue: no factor, or more than MOST_FACTORS.
    """
    if not 1 <= factors <= MOST_FACTORS:
        raise BadValue(f"{factors} settings to screen: 1 to {MOST_FACTORS} can be")
    return hadamard(factors + 1 + LEFT_OVER)[:, 1:factors + 1]


def with_few_switches(design: Signs, random: np.random.Generator) -> list[int]:
    """An order that is drawn at random like any other, of many the one in which the fewest settings are switched; but
    each is switched often enough that no slow drift can pass for it."""
    orders = [random.permutation(len(design)).tolist() for _ in range(ORDERS_DRAWN)]
    switched = [(np.diff(design[rows], axis=0) != 0).sum(axis=0) for rows in orders]
    often = [number for number, each in enumerate(switched) if each.min() >= len(design) // OFTEN]
    best = min(often or range(ORDERS_DRAWN), key=lambda number: int(switched[number].sum()))
    found: list[int] = orders[best]
    return found


def in_order(design: Signs, costly: Sequence[int], random: np.random.Generator) -> list[int]:
    """The order in which rows are played: drawn at random; where some factors are costly to switch, rows that agree in
    those come one after the other, in two stretches each, the second ones backwards, so that a drift cancels."""
    rows: list[int] = random.permutation(len(design)).tolist()
    if not costly:
        return rows
    stretches: dict[tuple[int, ...], list[int]] = {}
    for row in rows:
        stretches.setdefault(tuple(design[row, list(costly)].tolist()), []).append(row)
    first = [row for some in stretches.values() for row in some[:(len(some) + 1) // 2]]
    return first + [row for some in reversed(stretches.values()) for row in some[(len(some) + 1) // 2:]]


def drawn_anew(factors: int, folded: bool, random: np.random.Generator) -> Signs:
    """A design of the same kind and size whose columns are other ones: which two settings' work together passes for
    that of which other two then differs from round to round.

    Raises:
        BadValue: no factor, or more than MOST_FACTORS.
    """
    size = len((screening_design if folded else half_design)(factors)) // (2 if folded else 1)
    columns = 1 + random.permutation(size - 1)[:factors]
    half = hadamard(size)[:, columns] * random.choice(np.array([-1, 1], dtype=np.int8), factors)
    return np.asarray(np.vstack([half, -half]) if folded else half, dtype=np.int8)
