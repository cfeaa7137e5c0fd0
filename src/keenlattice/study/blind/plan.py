"""A blind test: how many rounds, what is asked, when it is settled, and what it found."""

from functools import lru_cache
from typing import ClassVar, Literal

import numpy as np

from keenlattice.errors import BadValue
from keenlattice.notebook import Rows, Shown, study_row
from keenlattice.quickly import dataclass
from keenlattice.study.form import Form
from keenlattice.study.kind import KeptVersion, SpecOfTwo

Question = Literal["which", "better"]
LEAST_ROUNDS, MOST_ROUNDS = 5, 200


@dataclass(frozen=True)
class BlindPlan(Form):
    """How a blind test is run and judged.

    Args:
        rounds: how many at most; it ends as soon as it is settled.
        question: "which" version it was, of one that was put on; or which of two that were put on one after the other
            felt "better".
        error: of saying that it is felt, of somebody who only guesses.
    """

    rounds: int = 20
    question: Question = "which"
    error: float = 0.05

    def __post_init__(self) -> None:
        if not LEAST_ROUNDS <= self.rounds <= MOST_ROUNDS:
            raise BadValue(f"{self.rounds} rounds: a blind test takes {LEAST_ROUNDS} to {MOST_ROUNDS}; anyone who "
                           "guesses is right in four of four once in sixteen tests")
        if not 0.001 <= self.error <= 0.3:
            raise BadValue(f"an error of {self.error:g}: give one from 0.001 to 0.3")

    @property
    def can_tell(self) -> bool:
        """Whether this many rounds tell anything, if all answers are alike."""
        return needed(self.rounds, self.error_of_a_side)[-1] <= self.rounds

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


POWER = 3.0


@lru_cache(maxsize=64)
def needed(rounds: int, error: float) -> tuple[int, ...]:
    """How many right answers tell after each round, from the first; more than there were rounds where none would."""
    going, spent, counts = np.array([1.0]), 0.0, []
    for number in range(1, rounds + 1):
        going = _one_more(going, 0.5)
        may = error * (number / rounds) ** POWER - spent
        beyond = np.cumsum(going[::-1])[::-1]  # this many right answers or more
        least = next((count for count in range(number + 1) if beyond[count] <= may), number + 1)
        spent += float(beyond[least]) if least <= number else 0.0
        going[least:] = 0.0
        counts.append(least)
    return tuple(counts)


def chance_to_be_found(rounds: int, error: float, right: float) -> float:
    """The chance that somebody who is right with this probability in every round is found to feel it."""
    going, chance = np.array([1.0]), 0.0
    for least in needed(rounds, error):
        going = _one_more(going, right)
        chance += float(going[least:].sum())
        going[least:] = 0.0
    return chance


def _one_more(going: "np.typing.NDArray[np.float64]", right: float) -> "np.typing.NDArray[np.float64]":
    """The probabilities of each number of right answers after one more round."""
    return np.asarray(np.append(going * (1 - right), 0.0) + np.append(0.0, going * right))


Felt = Literal["felt", "before feels better", "after feels better", "not told"]
Measured = Literal["differs", "no difference that matters", "not known"]
Side = Literal["before", "after"]
OFTEN_RIGHT = 0.8


@dataclass(frozen=True)
class Round:
    """A round: which version was on, or came first of two; and what was answered: which it was, or which felt
    better."""

    on: Side
    answer: Side


@dataclass(frozen=True, repr=False)
class Blind(Form, Shown):
    """What a blind test found. `before` and `after` are references.

    Args:
        rounds: those that count, in their order.
        right: in how many the answer was right; of which one felt better, how often that was `after`.
        felt: what that shows.
        not_counted: rounds in which the switch took so long that the time could have told which version it was.
        measured: what the newest trial of these two versions on this rig says of what decides; `trial` is its number.
    """

    SCHEMA: ClassVar[str] = "keen-lattice/blind/1"
    WHAT: ClassVar[str] = "a blind test"

    game: str
    before: str
    after: str
    rig: str
    plan: BlindPlan
    rounds: tuple[Round, ...]
    right: int
    felt: Felt
    not_counted: int = 0
    measured: Measured = "not known"
    trial: int | None = None

    @property
    def ending(self) -> str:
        """The outcome: what is felt, beside what is measured."""
        felt = "felt" if self.felt != "not told" else "not felt"
        words = {"differs": "measured", "no difference that matters": "not measured", "not known": "not known"}
        return f"{felt}, {words[self.measured]}"

    @property
    def chance(self) -> float:
        """The chance that somebody who is right in four of five rounds would have been found."""
        return chance_to_be_found(self.plan.rounds, self.plan.error_of_a_side, OFTEN_RIGHT)

    def _rows(self) -> Rows:
        """One row: what is felt, and the share of right answers, in per cent."""
        share = 100 * self.right / len(self.rounds) if self.rounds else None
        return [study_row(f"{self.before} to {self.after}", "right_answers_pct", self.felt, after=share)]

    def _caption(self) -> str:
        return f"{self.before} against {self.after}, blind: {self.felt} ({self.right} of {len(self.rounds)} rounds)"
