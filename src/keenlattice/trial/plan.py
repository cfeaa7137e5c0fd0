"""Which version is played when: blocks of one run each, in an order drawn at random."""

import math
import secrets
from dataclasses import dataclass
from typing import Literal

import numpy as np

from keenlattice.errors import BadValue
from keenlattice.measure.metrics import metric

Arm = Literal["before", "after"]
MIN_BLOCKS, MAX_BLOCKS = 2, 1000


@dataclass(frozen=True)
class Plan:
    """How a trial is run and judged; everything in it is decided before the first run.

    Args:
        blocks: how many pairs of runs; each holds one of either version.
        seconds: length of a run.
        seed: draws the order within the blocks, and the seeds of the runs.
        decides: the metric that decides.
        matters_pct: the smallest difference that matters to the player, in per cent.

    Raises:
        BadValue: out of range.
        UnknownName: no such metric.
    """

    blocks: int = 8
    seconds: float = 30.0
    seed: int = 0
    decides: str = "frame_ms_mean"
    matters_pct: float = 1.0

    def __post_init__(self) -> None:
        metric(self.decides)
        if not MIN_BLOCKS <= self.blocks <= MAX_BLOCKS:
            raise BadValue(f"{self.blocks} blocks: a trial takes {MIN_BLOCKS} to {MAX_BLOCKS}; "
                           "one run of each proves nothing")
        if not 0 < self.matters_pct <= 50:
            raise BadValue(f"a smallest difference that matters of {self.matters_pct:g} %: give one from 0 to 50 %")
        if not 0.5 <= self.seconds <= 7200 or not math.isfinite(self.seconds):
            raise BadValue(f"runs of {self.seconds:g} s: a run takes 0.5 to 7200 s")
        if self.seed < 0:
            raise BadValue(f"seed {self.seed}: a seed is 0 or above")

    def runs(self) -> list[tuple[int, Arm, int]]:
        """Block, arm and seed of every run, in the order in which they are played."""
        random = np.random.default_rng([self.seed, 7])
        order: list[tuple[int, Arm, int]] = []
        for block in range(self.blocks):
            arms: tuple[Arm, Arm] = ("before", "after") if random.random() < 0.5 else ("after", "before")
            order += [(block, arm, int(random.integers(2**31))) for arm in arms]
        return order


def fresh_seed() -> int:
    """A seed that nobody chose; it is recorded with the result."""
    return secrets.randbelow(2**31)
