"""What a screen switches, how often, and what decides."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import ClassVar

import numpy as np

from keenlattice.errors import BadValue, UsageError
from keenlattice.measure.metrics import TRIAL_METRICS, metric
from keenlattice.profile.compare import changes
from keenlattice.profile.pack import Claim
from keenlattice.profile.version import Entries
from keenlattice.study.deciding import Matters, check_deciding, named
from keenlattice.study.form import Form
from keenlattice.study.kind import KeptVersion, SpecOfTwo
from keenlattice.study.limits import DECIDES, check_seconds, check_seed
from keenlattice.study.screen._design import (
    Signs,
    drawn_anew,
    in_order,
    with_few_switches,
)

MAX_REPEATS = 20


@dataclass(frozen=True)
class ScreenPlan(Form):
    """How a screen is run and judged.

    Args:
        factors: the settings that are switched, those that belong together in one group.
        claims: what is claimed of each factor, by its place; may be empty.
        rounds: how many at most; each is a whole design.
        seconds, seed, decides, matters_pct, warm_up_s: as in a trial.
        repeats: how often each row of the design is played, one run after the other; their mean counts.
        few_switches: whether the order of the rows is chosen so that few settings are switched between them.
        folded: whether the design is folded, so that what two settings do together passes for no single one; with it a
            round takes about twice the runs.
    """

    factors: tuple[tuple[str, ...], ...]
    claims: tuple[tuple[Claim, ...], ...] = ()
    rounds: int = 4
    seconds: float = 30.0
    seed: int = 0
    decides: str = DECIDES
    matters_pct: float = 1.0
    warm_up_s: float = 0.0
    repeats: int = 1
    few_switches: bool = False
    folded: bool = True
    matters_of: Matters = ()

    def __post_init__(self) -> None:
        check_deciding(self.decides, self.matters_pct, self.matters_of)
        for name in {one.metric for claims in self.claims for one in claims}:
            metric(name)
        if not self.factors:
            raise BadValue("a screen needs settings that differ")
        if not 1 <= self.rounds <= 20:
            raise BadValue(f"{self.rounds} rounds: a screen takes 1 to 20")
        if not 1 <= self.repeats <= MAX_REPEATS:
            raise BadValue(f"{self.repeats} repeats: each row of a screen takes 1 to {MAX_REPEATS} runs")
        check_seconds(self.seconds)
        check_seed(self.seed)

    def metrics(self) -> list[str]:
        """The metrics that are looked at: what decides, what is claimed, and the rest."""
        claimed = [one.metric for claims in self.claims for one in claims]
        return list(dict.fromkeys([*self.deciders, *claimed, *TRIAL_METRICS]))

    @property
    def deciders(self) -> tuple[str, ...]:
        """The metrics that decide."""
        return named(self.decides)

    def design(self, number: int = 0, open_: Sequence[int] | None = None) -> Signs:
        """Which factors each row of a round switches on; shape (rows, factors).

        Args:
            open_: the places of the factors that are still switched; the others stay off. All, if it is left out.
        """
        chosen = list(range(len(self.factors))) if open_ is None else list(open_)
        small = drawn_anew(len(chosen), self.folded, np.random.default_rng([self.seed, 23, number]))
        found = np.full((len(small), len(self.factors)), -1, dtype=np.int8)
        found[:, chosen] = small
        return found

    def round_of(self, number: int, design: Signs, costly: Sequence[int] = ()) -> list[tuple[int, int]]:
        """Row of the design and seed of every run of a round, in the order in which they are played."""
        random = np.random.default_rng([self.seed, 11])
        found: list[tuple[int, int]] = []
        for _ in range(number + 1):  # each round draws on where the last one stopped
            order = (with_few_switches(design, random) if self.few_switches and not costly
                     else in_order(design, costly, random))
            found = [(row, int(random.integers(2**31))) for row in order for _ in range(self.repeats)]
        return found

    def runs(self, costly: Sequence[int] = ()) -> list[tuple[int, int, int]]:
        """Round, row of the design and seed of every run, if all factors were switched in all rounds."""
        return [(number, row, seed) for number in range(self.rounds)
                for row, seed in self.round_of(number, self.design(number), costly)]

    @cached_property
    def rows_a_round(self) -> int:
        """How many rows of the design a round plays."""
        return len(self.design())

    @property
    def runs_a_round(self) -> int:
        """How many runs a round takes."""
        return self.rows_a_round * self.repeats

    def half_width(self) -> float:
        """Half the width of an effect's interval after one round, in standard deviations of a run, if runs are
        independent: Student's t for the rows that are left over, times the error of a difference of two halves."""
        from scipy.special import stdtrit

        rows = len(self.design())
        return 2 * float(stdtrit(rows - len(self.factors) - 2, 0.975)) / math.sqrt(rows * self.repeats)

    def switched(self, costly: Sequence[int] = ()) -> int:
        """How many settings are switched in a round, those of the first row included."""
        design = self.design()
        rows = [row for row, _ in self.round_of(0, design, costly)][::self.repeats]
        first = int((design[rows[0]] > 0).sum())
        sizes = np.array([len(group) for group in self.factors])
        return first + int(((np.diff(design[rows], axis=0) != 0) * sizes).sum())


@dataclass(frozen=True)
class ScreenSpec(SpecOfTwo):
    """What a screen was planned with."""

    ARM: ClassVar[str] = "row "
    WHAT: ClassVar[str] = "the plan of a screen"

    before: KeptVersion
    after: KeptVersion
    plan: ScreenPlan
    game: str | None = None

    @property
    def steps_a_run(self) -> float:
        return self.plan.switched() / self.plan.runs_a_round


def factors_of(before: Entries, after: Entries, together: Sequence[Sequence[str]] = ()) -> tuple[tuple[str, ...], ...]:
    """The settings in which `before` and `after` differ, those that belong together in one group.

    >>> factors_of({}, {"frame.cap": 120, "sync.vertical": "off", "frame.queue-depth": 1},
    ...            together=[["frame.cap", "sync.vertical"]])
    (('frame.cap', 'sync.vertical'), ('frame.queue-depth',))

    Raises:
        UsageError: a group names one that does not differ, or one twice.
    """
    keys = [one.key for one in changes(before, after)]
    grouped = [key for group in together for key in group]
    unknown = [key for key in grouped if key not in keys]
    if unknown:
        raise UsageError(f"{', '.join(unknown)} cannot be grouped: the two versions set the same there")
    if len(set(grouped)) < len(grouped):
        raise UsageError("a setting is in two groups")
    return (*(tuple(group) for group in together), *((key,) for key in keys if key not in grouped))
