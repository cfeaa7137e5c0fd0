"""What a screen switches, how often, and what decides."""

import math
from collections.abc import Sequence
from functools import cached_property
from typing import ClassVar

import numpy as np
from numpy.typing import NDArray

from keenlattice.errors import BadValue, UsageError, counted
from keenlattice.measure.metrics import TRIAL_METRICS, metric
from keenlattice.profile.compare import changes
from keenlattice.profile.pack import Claim
from keenlattice.profile.version import Entries
from keenlattice.quickly import dataclass
from keenlattice.study.deciding import USUAL, Deciding, check_deciding
from keenlattice.study.form import Form
from keenlattice.study.kind import KeptVersion, SpecOfTwo
from keenlattice.study.limits import check_seconds, check_seed

# A matrix of Hadamard has orthogonal columns of +1 and -1 (R. E. A. C. Paley, 1933); its columns as settings and its
# rows as runs are R. L. Plackett and J. P. Burman's designs (Biometrika 1946). Folded over (all signs turned, as
# further runs), the effect of a setting is mixed up with no interaction of two others (G. E. P. Box and K. B. Wilson,
# 1951).

MOST_FACTORS = 100
LEFT_OVER = 5  # degrees of freedom that a half design leaves to know the noise by, beside the drift
ORDERS_DRAWN, OFTEN = 400, 4

Signs = NDArray[np.int8]


def hadamard(least: int) -> Signs:
    """The smallest matrix of Hadamard that can be made here with at least this many columns; first row and column
    +1."""
    size = max(4, least + -least % 4)
    while (matrix := _of_size(size)) is None:
        size += 4
    matrix = matrix * matrix[0]
    return np.asarray(matrix * matrix[:, :1], dtype=np.int8)


def _of_size(size: int) -> Signs | None:
    if size in (1, 2):
        return np.array([[1, 1], [1, -1]], dtype=np.int8)[:size, :size]
    if _is_prime(size - 1) and (size - 1) % 4 == 3:
        return _of_residues(size - 1)
    if size % 2 == 0 and (half := _of_size(size // 2)) is not None:
        return np.block([[half, half], [half, -half]])
    return None


def _is_prime(number: int) -> bool:
    return number > 1 and all(number % divisor for divisor in range(2, int(number ** 0.5) + 1))


def _of_residues(prime: int) -> Signs:
    """Paley's first construction, from the squares modulo a prime that leaves 3 when divided by 4."""
    squares = {root * root % prime for root in range(1, prime)}
    sign = np.array([0, *(1 if number_ in squares else -1 for number_ in range(1, prime))], dtype=np.int8)
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
        raise BadValue(f"{counted(factors, 'setting')} to screen: 1 to {MOST_FACTORS} can be")
    half = hadamard(factors + 1)[:, 1:factors + 1]
    return np.vstack([half, -half])


def half_design(factors: int) -> Signs:
    """A design that is not folded: about half the runs, and the effect of a setting may be mixed up with what two
    others do together; shape (runs, factors), +1 on and -1 off.

    Raises:
        BadValue: no factor, or more than MOST_FACTORS.
    """
    if not 1 <= factors <= MOST_FACTORS:
        raise BadValue(f"{counted(factors, 'setting')} to screen: 1 to {MOST_FACTORS} can be")
    return hadamard(factors + 1 + LEFT_OVER)[:, 1:factors + 1]


def with_few_switches(design: Signs, random: np.random.Generator) -> list[int]:
    """An order that is drawn at random like any other, of many the one in which the fewest settings are switched; but
    each is switched often enough that no slow drift can pass for it."""
    orders = [random.permutation(len(design)).tolist() for _ in range(ORDERS_DRAWN)]
    switched = [(np.diff(design[rows], axis=0) != 0).sum(axis=0) for rows in orders]
    often = [number for number, counts in enumerate(switched) if counts.min() >= len(design) // OFTEN]
    best = min(often or range(ORDERS_DRAWN), key=lambda number: int(switched[number].sum()))
    result: list[int] = orders[best]
    return result


def in_order(design: Signs, costly: Sequence[int], random: np.random.Generator) -> list[int]:
    """The order in which rows are played: drawn at random; where some factors are costly to switch, rows that agree in
    those come one after the other, in two stretches each, the second ones backwards, so that a drift cancels."""
    rows: list[int] = random.permutation(len(design)).tolist()
    if not costly:
        return rows
    stretches: dict[tuple[int, ...], list[int]] = {}
    for row in rows:
        stretches.setdefault(tuple(design[row, list(costly)].tolist()), []).append(row)
    first = [row for stretch in stretches.values() for row in stretch[:(len(stretch) + 1) // 2]]
    return first + [row for value in reversed(stretches.values()) for row in value[(len(value) + 1) // 2:]]


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


MAX_REPEATS = 20
USUAL_ROUNDS = 4
"""Of a screen that is not sized, and of a sized one until its first round has said how many it takes."""
MOST_ROUNDS = 12
"""Of a sized screen: where its noise asks for more, it takes USUAL_ROUNDS, for what does more than just matter."""


LEAST_DOF = 4  # degrees of freedom that the runs have to leave


@dataclass(frozen=True)
class ScreenPlan(Form):
    """How a screen is run and judged.

    Args:
        factors: the settings that are switched, those that belong together in one group.
        claims: what is claimed of each factor, by its place; may be empty.
        rounds: how many at most; each is a whole design.
        seconds, seed, decides, warm_up_s: as in a trial.
        repeats: how often each row of the design is played, one run after the other; their mean counts.
        few_switches: whether the order of the rows is chosen so that few settings are switched between them.
        folded: whether the design is folded, so that what two settings do together passes for no single one; with it a
            round takes about twice the runs.
        sized: whether the noise of its first round says how many it takes, `rounds` at most.
    """

    factors: tuple[tuple[str, ...], ...]
    claims: tuple[tuple[Claim, ...], ...] = ()
    rounds: int = USUAL_ROUNDS
    seconds: float = 30.0
    seed: int = 0
    decides: Deciding = USUAL
    warm_up_s: float = 0.0
    repeats: int = 1
    few_switches: bool = False
    folded: bool = True
    sized: bool = False

    def __post_init__(self) -> None:
        check_deciding(self.decides)
        for name in {claim.metric for claims in self.claims for claim in claims}:
            metric(name)
        if not self.factors:
            raise BadValue("a screen needs settings that differ")
        if not 1 <= self.rounds <= 20:
            raise BadValue(f"{self.rounds} rounds: a screen takes 1 to 20")
        if not 1 <= self.repeats <= MAX_REPEATS:
            raise BadValue(f"{self.repeats} repeats: each row of a screen takes 1 to {MAX_REPEATS} runs")
        if self.sized and self.rounds < 2:
            raise BadValue("a screen whose first round says how many it takes is of two rounds at least")
        check_seconds(self.seconds)
        check_seed(self.seed)

    def metrics(self) -> list[str]:
        """The metrics that are looked at: what decides, what is claimed, and the rest."""
        claimed = [claim.metric for claims in self.claims for claim in claims]
        return list(dict.fromkeys([*self.deciders, *claimed, *TRIAL_METRICS]))

    def most_rounds(self, asked: int) -> int:
        """Return how many rounds are played at most.

        Args:
            asked: how many the first asks for; 0 if it cannot tell.
        """
        if not self.sized:
            return self.rounds
        return max(2, asked) if 0 < asked <= self.rounds else min(USUAL_ROUNDS, self.rounds)

    @property
    def can_tell(self) -> bool:
        """Whether this many rounds leave enough runs to tell how much runs vary, without which nothing is given."""
        return self.rounds * self.rows_a_round - len(self.factors) - self.rounds - 1 >= LEAST_DOF

    @property
    def deciders(self) -> tuple[str, ...]:
        """The metrics that decide."""
        return self.decides.names

    def design(self, number: int = 0, open_: Sequence[int] | None = None) -> Signs:
        """Which factors each row of a round switches on; shape (rows, factors).

        Args:
            open_: the places of the factors that are still switched; the others stay off. All, if it is left out.
        """
        chosen = list(range(len(self.factors))) if open_ is None else list(open_)
        small = drawn_anew(len(chosen), self.folded, np.random.default_rng([self.seed, 23, number]))
        result = np.full((len(small), len(self.factors)), -1, dtype=np.int8)
        result[:, chosen] = small
        return result

    def round_of(self, number: int, design: Signs, costly: Sequence[int] = ()) -> list[tuple[int, int]]:
        """Row of the design and seed of every run of a round, in the order in which they are played."""
        random = np.random.default_rng([self.seed, 11])
        runs: list[tuple[int, int]] = []
        for _ in range(number + 1):  # each round draws on where the last one stopped
            order = (with_few_switches(design, random) if self.few_switches and not costly
                     else in_order(design, costly, random))
            runs = [(row, int(random.integers(2**31))) for row in order for _ in range(self.repeats)]
        return runs

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
        sizes = np.array([len(group) for group in self.factors])
        held = np.vstack([np.full(len(sizes), -1), design[rows]])  # all are off before the first row
        return int(((np.diff(held, axis=0) != 0) * sizes).sum())


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
    keys = [change.key for change in changes(before, after)]
    grouped = [key for group in together for key in group]
    unknown = [key for key in grouped if key not in keys]
    if unknown:
        raise UsageError(f"{', '.join(unknown)} cannot be grouped: the two versions set the same there")
    if len(set(grouped)) < len(grouped):
        raise UsageError("a setting is in two groups")
    return (*(tuple(group) for group in together), *((key,) for key in keys if key not in grouped))
