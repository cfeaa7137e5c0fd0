"""Which version is played when: blocks of one run each, in an order drawn at random, either first equally often."""

from itertools import pairwise
from typing import ClassVar, Literal

import numpy as np

from keenlattice.errors import BadValue, counted
from keenlattice.measure.series import NAME
from keenlattice.profile.compare import changes
from keenlattice.quickly import dataclass
from keenlattice.study.deciding import USUAL, Deciding, check_deciding
from keenlattice.study.kind import KeptVersion, SpecOfTwo
from keenlattice.study.limits import SIZING, check_seconds, check_seed

Arm = Literal["before", "after"]
MIN_BLOCKS, MAX_BLOCKS, MAX_REPEATS = 2, 1000, 20
NOW = " now"  # at the end of what a version is called that is compared with itself of another day
BALANCED = 4  # blocks, in half of which either version comes first


@dataclass(frozen=True)
class TrialPlan:
    """How a trial is run and judged; everything in it is decided before the first run.

    Args:
        blocks: how many pairs of runs, at most; each holds one of either version.
        seconds: length of a run.
        seed: draws the order within the blocks, and the seeds of the runs.
        decides: the metrics that decide, and what matters of them.
        early: whether it ends as soon as it is settled, or as it can hardly be settled any more (see `looks`).
        few_switches: whether each block begins with the version that the last one ended with, as is wise where a
            switch restarts the machine; else the order of each block is drawn.
        repeats: how many runs of either a block holds, one after the other; their mean counts.
        warm_up_s: what is played before each run begins to count.
        sized: whether its own first 8 blocks say how many it takes, `blocks` at most (see `looks`).
        order: of runs that were recorded before they were planned: which version each was of, as they were played.
        adjusts_for: a series (`gpu0.temperature`) whose value at the start of each run is taken into account; empty for
            none.

    Raises:
        BadValue: out of range.
        UnknownName: no such metric.

    >>> plan = TrialPlan(blocks=4, seconds=30, seed=1)
    >>> plan.minutes(), len(plan.runs())
    (4.0, 8)
    """

    blocks: int = 12
    seconds: float = 30.0
    seed: int = 0
    decides: Deciding = USUAL
    early: bool = True
    few_switches: bool = False
    repeats: int = 1
    warm_up_s: float = 0.0
    adjusts_for: str = ""
    order: tuple[Arm, ...] = ()
    sized: bool = False

    def __post_init__(self) -> None:
        check_deciding(self.decides)
        if not MIN_BLOCKS <= self.blocks <= MAX_BLOCKS:
            raise BadValue(f"{counted(self.blocks, 'block')}: a trial takes {MIN_BLOCKS} to "
                           f"{MAX_BLOCKS}; one run of each proves nothing")
        if self.order and sorted(self.order) != ["after"] * self.blocks + ["before"] * self.blocks:
            raise BadValue(f"an order of {len(self.order)} runs: it names {self.blocks} of either version")
        if self.sized and (self.order or self.few_switches or not self.early or self.blocks < SIZING):
            raise BadValue(f"a trial that sizes itself takes {SIZING} blocks at least, ends early, and switches often")
        check_seconds(self.seconds)
        check_seed(self.seed)
        if self.adjusts_for and not NAME.match(self.adjusts_for):
            raise BadValue(f"{self.adjusts_for[:60]!r} is not the name of a series: write PART.KIND, such as "
                           "gpu0.temperature")
        if not 1 <= self.repeats <= MAX_REPEATS:
            raise BadValue(f"{self.repeats} repeats: a block takes 1 to {MAX_REPEATS} runs of either version")
        if not 0 <= self.warm_up_s <= 600:
            raise BadValue(f"a warm-up of {self.warm_up_s:g} s: 0 to 600 s are played before a run counts")

    @property
    def deciders(self) -> tuple[str, ...]:
        """The metrics that decide."""
        return self.decides.names

    @property
    def switches(self) -> int:
        """How often one version follows the other on the rig."""
        arms = [arm for _, arm, _ in self.runs()]
        return sum(first != second for first, second in pairwise(arms))

    def minutes(self, switch_s: float = 0.0, beside_s: float = 0.0) -> float:
        """Return how long all runs take, with this many seconds for each switch, and beside each run."""
        return (len(self.runs()) * (self.seconds + self.warm_up_s + beside_s) + self.switches * switch_s) / 60

    @property
    def out_of_turn(self) -> bool:
        """Whether all runs of one version came before those of the other: these are described, and have no word."""
        return bool(self.order) and sum(first != second for first, second in pairwise(self.order)) < 2

    def runs(self) -> list[tuple[int, Arm, int]]:
        """Block, arm and seed of every run, in the order in which they are played."""
        if self.order:
            return [(self.order[:place].count(arm), arm, 0) for place, arm in enumerate(self.order)]
        random = np.random.default_rng([self.seed, 7])
        order: list[tuple[int, Arm, int]] = []
        sides: list[bool] = []  # whether the version before comes first in the blocks to come
        for block in range(self.blocks):
            if not sides:
                sides = _sides(random, to_and_fro=block % (2 * BALANCED) >= BALANCED)
            arms: tuple[Arm, Arm] = ("before", "after") if sides.pop() else ("after", "before")
            if self.few_switches and order and order[-1][1] != arms[0]:
                arms = (arms[1], arms[0])
            order += [(block, arm, int(random.integers(2**31))) for arm in arms for _ in range(self.repeats)]
        return order


def _sides(random: np.random.Generator, *, to_and_fro: bool) -> list[bool]:
    """Draw which version comes first in each of BALANCED blocks: either equally often, so that what a drift adds to one
    block it takes from another.

    Args:
        to_and_fro: whether an order that changes in every block may be drawn. A load that comes every four runs goes
            with such an order, and passes for a difference; so it is not drawn twice in a row.
    """
    while True:
        sides = [bool(side) for side in random.permutation([True, False] * (BALANCED // 2))]
        if to_and_fro or any(first == second for first, second in pairwise(sides)):
            return sides


@dataclass(frozen=True)
class TrialSpec(SpecOfTwo):
    """What a trial was planned with; `files` if its runs are recorded elsewhere, `dated` if the order in which these
    were played is by when they were saved."""

    WHAT: ClassVar[str] = "the plan of a trial"

    before: KeptVersion
    after: KeptVersion
    plan: TrialPlan
    game: str | None = None
    files: bool = False
    dated: bool = False

    def version_of(self, arm: str) -> int | None:
        return {"before": 0, "after": 1}.get(arm)

    @property
    def steps_a_run(self) -> float:
        differing = changes(self.before.entries, self.after.entries)
        return len(differing) * self.plan.switches / self.runs

    @property
    def is_pilot(self) -> bool:
        """Whether it is a version against itself."""
        return self.before == self.after
