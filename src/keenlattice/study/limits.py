"""What holds for the plans of all kinds: what decides, how long a run may be, what may matter, what a seed is."""

import secrets
from typing import TypedDict

from keenlattice.errors import BadValue

DECIDES = "frame_ms_mean,latency_ms_median"
"""What a player feels: how long a frame takes, and how long a press takes to be seen."""
MOST_BLOCKS, BLOCKS_BY_HAND = 40, 12
"""How many blocks a trial plays at most, where nothing is said; and where a switch between versions is dear."""
SIZING = 8
"""How many blocks say how many more a trial takes."""
MOST_RUNS_OF_A_HUNT = 400
"""How many runs a hunt plays at most, where nothing is said."""
DEFAULT_PCT = 1.0
"""The smallest difference that matters, in per cent, where nothing is said."""


class Size(TypedDict):
    """How many blocks a trial takes, as its plan has it."""

    blocks: int
    sized: bool


def size_of(blocks: int | None, *, may_size: bool, most_runs: int = 0) -> Size:
    """Return how many blocks a trial takes at most, and whether its first ones say how many.

    Args:
        blocks: what the player says; None for nothing.
        may_size: whether it may end early, and switches as often as it likes.
        most_runs: what it may take; 0 for no limit.
    """
    if blocks is not None:
        return {"blocks": blocks, "sized": False}
    most = MOST_BLOCKS if may_size else BLOCKS_BY_HAND
    return {"blocks": min(most, max(SIZING, most_runs // 2)) if most_runs else most, "sized": may_size}


def seed_or_fresh(seed: int | None) -> int:
    """Return a seed that was given, or one that nobody chose; it is recorded with the result."""
    return secrets.randbelow(2**31) if seed is None else seed


def check_seed(seed: int) -> None:
    """Whether that can be a seed.

    Raises:
        BadValue: it cannot.
    """
    if not 0 <= seed < 2**63:
        raise BadValue(f"seed {seed}: a seed is a whole number from 0 to 2^63")


def check_seconds(seconds: float) -> None:
    """Whether runs can be so long.

    Raises:
        BadValue: they cannot.
    """
    if not 0.5 <= seconds <= 7200:
        raise BadValue(f"runs of {seconds:g} s: a run takes 0.5 to 7200 s")


def check_matters(matters_pct: float) -> None:
    """Whether that can be the smallest difference that matters.

    Raises:
        BadValue: it cannot.
    """
    if not 0 < matters_pct <= 50:
        raise BadValue(f"a smallest difference that matters of {matters_pct:g} %: give one from 0 to 50 %")
