"""What a hunt found: the version, the settings in it, and how sure that is."""

from dataclasses import dataclass
from typing import ClassVar

from keenlattice._notebook import Rows, Shown
from keenlattice.study._form import Form
from keenlattice.study.trial.result import Trial


@dataclass(frozen=True, repr=False)
class Hunt(Form, Shown):
    """What a hunt found.

    Args:
        trial: the oldest version against the newest.
        before, first: the last version without the change and the first with it, as references; "" if there was
            nothing to hunt.
        probability: that this is so, from 0 to 1.
        settings: the least set of settings in it that brings the change about.
        sure: whether every question about those was answered.
        runs: that were played in all.
        metric: whose change was hunted; "" if there was nothing to hunt.
        more: whether another version of the line was seen to have a part in the change.
    """

    SCHEMA: ClassVar[str] = "keen-lattice/hunt/2"
    WHAT: ClassVar[str] = "a hunt"

    trial: Trial
    before: str
    first: str
    probability: float
    settings: tuple[str, ...]
    sure: bool
    runs: int
    excluded: tuple[str, ...] = ()
    metric: str = ""
    more: bool = False
    doubts: tuple[str, ...] = ()

    def _rows(self) -> Rows:
        """Of the trial of the oldest version against the newest, a row for each metric."""
        return self.trial._rows()

    @property
    def how_sure(self) -> str:
        """The probability as it is told: `94 %`; never 100, since that is not to be had."""
        return f"{100 * self.probability:.0f} %" if self.probability < 0.99 else "over 99 %"

    def _caption(self) -> str:
        if not self.first:
            return f"{self.trial.before} against {self.trial.after}: no change to hunt for"
        return f"It changed with {self.first} ({self.how_sure} sure): {', '.join(self.settings)}"

    def _check(self) -> None:
        self.trial._check()
