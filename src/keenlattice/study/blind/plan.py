"""A blind test: how many rounds, and what is asked."""

from dataclasses import dataclass
from typing import ClassVar, Literal

from keenlattice.errors import BadValue
from keenlattice.study._form import Form
from keenlattice.study.kind import KeptVersion, SpecOfTwo

Question = Literal["which", "better"]
LEAST_ROUNDS, MOST_ROUNDS = 5, 200


@dataclass(frozen=True)
class BlindPlan(Form):
    """How a blind test is run and judged.

    Args:
        rounds: how many at most; it ends as soon as it is told.
        question: "which" version it was, of one that was put on; or which of two that were put on one after the other
            felt "better".
        error: of saying that it is felt, of somebody who only guesses.
    """

    rounds: int = 20
    question: Question = "which"
    error: float = 0.05

    def __post_init__(self) -> None:
        if not LEAST_ROUNDS <= self.rounds <= MOST_ROUNDS:
            raise BadValue(f"{self.rounds} rounds: a blind test takes {LEAST_ROUNDS} to {MOST_ROUNDS}; whoever guesses "
                           "is right in four of four once in sixteen tests")
        if not 0.001 <= self.error <= 0.3:
            raise BadValue(f"an error of {self.error:g}: give one from 0.001 to 0.3")

    @property
    def sides(self) -> tuple[str, ...]:
        """What may be told: that it is felt; or which one feels better."""
        return ("felt",) if self.question == "which" else ("before feels better", "after feels better")

    @property
    def error_of_a_side(self) -> float:
        """The part of the error that each of them has."""
        return self.error / len(self.sides)


@dataclass(frozen=True)
class BlindSpec(SpecOfTwo):
    """What a blind test was planned with."""

    WHAT: ClassVar[str] = "the plan of a blind test"

    before: KeptVersion
    after: KeptVersion
    plan: BlindPlan
    game: str | None = None

    @property
    def runs(self) -> int:
        return self.plan.rounds

    @property
    def pace(self) -> tuple[float, float]:
        return 0.0, 0.0  # a player plays as long as they like
