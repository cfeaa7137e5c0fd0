"""What a race found: the combinations, the best first, and what became of each."""

from dataclasses import asdict, dataclass
from typing import ClassVar, Literal

from keenlattice._notebook import Rows, Shown
from keenlattice.catalog.values import Value
from keenlattice.study._form import Form
from keenlattice.study.tune.plan import TunePlan

Standing = Literal["best", "no better", "not told apart", "worse", "limit not sure", "breaks a limit",
                   "limit not measured", "does not run"]
"""`no better`: it is not better by what matters than the best; `limit not sure`: it may keep the limits, or not."""


@dataclass(frozen=True)
class Combination:
    """A combination, and what became of it.

    Args:
        goals: geometric mean of each goal over its runs; None where it never ran, or a goal was not measured.
        change_pct, low_pct, high_pct: how much its goal differs from the best one's, over the rounds of both; of one
            that was put out, from the one that was the best then. Of several goals it is the geometric mean of how much
            worse each of them is.
    """

    values: dict[str, Value]
    standing: Standing
    rounds: int
    goals: tuple[float | None, ...]
    change_pct: float | None = None
    low_pct: float | None = None
    high_pct: float | None = None


@dataclass(frozen=True, repr=False)
class Tuning(Form, Shown):
    """What a race found, the best first. `settled` is False if it ended with its last round."""

    SCHEMA: ClassVar[str] = "keen-lattice/tune/2"
    WHAT: ClassVar[str] = "a tuning"

    game: str
    base: str
    rig: str
    plan: TunePlan
    combinations: tuple[Combination, ...]
    runs: int
    rounds_played: int
    settled: bool
    excluded: tuple[str, ...] = ()
    doubts: tuple[str, ...] = ()

    @property
    def best(self) -> Combination | None:
        """The best that keeps the limits; None if none does."""
        return next((one for one in self.combinations if one.standing == "best"), None)

    def _rows(self) -> Rows:
        """A row for each combination, the best first, with a column for each setting."""
        return [{**one.values, **{key: value for key, value in asdict(one).items() if key != "values"}}
                for one in self.combinations]

    def _caption(self) -> str:
        return (f"{len(self.combinations)} combinations on top of {self.base}, for {self.plan.goal}: {self.runs} runs, "
                f"{'settled' if self.settled else 'not settled'}")
