"""What stepping up found: how far it went, and where it settles."""

from dataclasses import asdict, dataclass
from typing import ClassVar

from keenlattice._notebook import Rows, Shown
from keenlattice.study._form import Form
from keenlattice.study.ramp.plan import RampPlan


@dataclass(frozen=True)
class RampStep:
    """One step: the value, its mean of the goal over the runs that went well, and what went wrong ("" if nothing)."""

    value: float
    goal: float | None
    wrong: str


@dataclass(frozen=True, repr=False)
class Ramp(Form, Shown):
    """What stepping up found.

    Args:
        highest: the highest value at which every run went well; None if not even the first did.
        settled: the value to keep, never below the one that it started from.
    """

    SCHEMA: ClassVar[str] = "keen-lattice/ramp/1"
    WHAT: ClassVar[str] = "a ramp"

    game: str
    base: str
    rig: str
    plan: RampPlan
    steps: tuple[RampStep, ...]
    highest: float | None
    settled: float

    def _rows(self) -> Rows:
        """A row for each step."""
        return [asdict(one) for one in self.steps]

    def _caption(self) -> str:
        return f"{self.plan.key} on top of {self.base}: settled at {self.settled:g}, {len(self.steps)} steps"
