"""Which version is played when: blocks of one run each, in an order drawn at random."""

from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

import numpy as np

from keenlattice.errors import BadValue
from keenlattice.measure.metrics import metric
from keenlattice.study._limits import check_matters, check_seconds, check_seed

Arm = Literal["before", "after"]
MIN_BLOCKS, MAX_BLOCKS, MAX_REPEATS = 2, 1000, 20
MOST_DECIDERS = 4


@dataclass(frozen=True)
class TrialPlan:
    """How a trial is run and judged; everything in it is decided before the first run.

    Args:
        blocks: how many pairs of runs; each holds one of either version.
        seconds: length of a run.
        seed: draws the order within the blocks, and the seeds of the runs.
        decides: the metric that decides; or several, with commas between, which share the error.
        matters_pct: the smallest difference that matters to the player, in per cent.
        early: whether it may end before its last block, by the rule in `spending`.
        few_switches: whether each block begins with the version that the last one ended with, as is wise where a
            switch restarts the machine; else the order of each block is drawn.
        repeats: how many runs of either a block holds, one after the other; their mean counts.
        warm_up_s: what is played before each run begins to count.

    Raises:
        BadValue: out of range.
        UnknownName: no such metric.

    >>> plan = TrialPlan(blocks=4, seconds=30, seed=1)
    >>> plan.minutes(), len(plan.runs())
    (4.0, 8)
    """

    blocks: int = 8
    seconds: float = 30.0
    seed: int = 0
    decides: str = "frame_ms_mean"
    matters_pct: float = 1.0
    early: bool = False
    few_switches: bool = False
    repeats: int = 1
    warm_up_s: float = 0.0

    def __post_init__(self) -> None:
        for name in self.deciders:
            metric(name)
        if len(set(self.deciders)) < len(self.deciders) or len(self.deciders) > MOST_DECIDERS:
            raise BadValue(f"{self.decides}: 1 to {MOST_DECIDERS} metrics decide, each named once")
        if not MIN_BLOCKS <= self.blocks <= MAX_BLOCKS:
            raise BadValue(f"{self.blocks} blocks: a trial takes {MIN_BLOCKS} to {MAX_BLOCKS}; "
                           "one run of each proves nothing")
        check_matters(self.matters_pct)
        check_seconds(self.seconds)
        check_seed(self.seed)
        if not 1 <= self.repeats <= MAX_REPEATS:
            raise BadValue(f"{self.repeats} repeats: a block takes 1 to {MAX_REPEATS} runs of either version")
        if not 0 <= self.warm_up_s <= 600:
            raise BadValue(f"a warm-up of {self.warm_up_s:g} s: 0 to 600 s are played before a run counts")

    @property
    def deciders(self) -> tuple[str, ...]:
        """The metrics that decide."""
        return tuple(one.strip() for one in self.decides.split(","))

    @property
    def switches(self) -> int:
        """How often one version follows the other on the rig."""
        arms = [arm for _, arm, _ in self.runs()]
        return sum(one != other for one, other in pairwise(arms))

    def minutes(self, switch_s: float = 0.0) -> float:
        """How long all runs take, with so many seconds for each switch."""
        return (len(self.runs()) * (self.seconds + self.warm_up_s) + self.switches * switch_s) / 60

    def runs(self) -> list[tuple[int, Arm, int]]:
        """Block, arm and seed of every run, in the order in which they are played."""
        random = np.random.default_rng([self.seed, 7])
        order: list[tuple[int, Arm, int]] = []
        for block in range(self.blocks):
            arms: tuple[Arm, Arm] = ("before", "after") if random.random() < 0.5 else ("after", "before")
            if self.few_switches and order and order[-1][1] != arms[0]:
                arms = (arms[1], arms[0])
            order += [(block, arm, int(random.integers(2**31))) for arm in arms for _ in range(self.repeats)]
        return order
