"""What a blind test found, beside what was measured."""

from dataclasses import asdict, dataclass
from typing import ClassVar, Literal

from keenlattice._notebook import Rows, Shown
from keenlattice.study._form import Form
from keenlattice.study.blind._rule import chance_to_be_found
from keenlattice.study.blind.plan import BlindPlan

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
        felt: what is told by that.
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
        """What it comes to: what is felt, beside what is measured."""
        felt = "felt" if self.felt != "not told" else "not felt"
        other = {"differs": "measured", "no difference that matters": "not measured", "not known": "not known"}
        return f"{felt}, {other[self.measured]}"

    @property
    def chance(self) -> float:
        """The chance that somebody who is right in four of five rounds would have been found."""
        return chance_to_be_found(self.plan.rounds, self.plan.error_of_a_side, OFTEN_RIGHT)

    def _rows(self) -> Rows:
        """A row for each round."""
        return [asdict(one) for one in self.rounds]

    def _caption(self) -> str:
        return f"{self.before} against {self.after}, blind: {self.felt} ({self.right} of {len(self.rounds)} rounds)"
