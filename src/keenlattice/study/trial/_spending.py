"""Looking at a trial before its end, at a cost that is settled in advance.

Of the error of 5 % a part is spent at each look: by the time that a share t of the blocks is played,
2 - 2 F(z / sqrt(t)) of it, with F the normal distribution and z its quantile for the whole error (the spending function
that comes near to the bounds of O'Brien and Fleming; Lan and DeMets, Biometrika 1983). The interval of a look has the
confidence that its own part leaves. The parts add up to the whole error, so all looks together keep it, whatever their
dependence.
"""

import math
from collections.abc import Sequence

SHARES = (0.4, 0.6, 0.8, 1.0)


def looks(blocks: int) -> tuple[int, ...]:
    """After how many blocks a trial that may stop early is looked at; the last is its end."""
    return tuple(sorted({max(2, math.ceil(share * blocks)) for share in SHARES} | {blocks}))


def confidences(at: Sequence[int], error: float = 0.05) -> dict[int, float]:
    """The confidence of the interval at each look (a number of blocks)."""
    from scipy.special import ndtr, ndtri

    z = float(ndtri(1 - error / 2))
    spent = [2 - 2 * float(ndtr(z / math.sqrt(look / at[-1]))) for look in at]
    return {look: 1 - (now - before) for look, now, before in zip(at, spent, [0.0, *spent[:-1]], strict=True)}
