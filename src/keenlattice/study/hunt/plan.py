"""A hunt: what it goes through, how likely it may be wrong, and what it found."""

from typing import ClassVar

from keenlattice.errors import BadValue, counted
from keenlattice.notebook import Rows, Shown
from keenlattice.profile.version import profile_of
from keenlattice.quickly import dataclass
from keenlattice.study.form import Form
from keenlattice.study.kind import KeptVersion, Spec
from keenlattice.study.trial.plan import TrialPlan
from keenlattice.study.trial.result import Trial


@dataclass(frozen=True)
class HuntPlan(Form):
    """How a hunt is run.

    Args:
        trial: the trial of the oldest version against the newest; its seed is the hunt's. If several metrics decide it,
            the hunt goes after the one whose change it shows most surely.
        error: how likely the version may be the wrong one.
        most_runs: how many it plays at most, the trial's included; what is not told by then is said to be unsure. 0 for
            as many as it takes.
    """

    trial: TrialPlan
    error: float = 0.05
    most_runs: int = 0

    def __post_init__(self) -> None:
        first = 2 * self.trial.repeats * self.trial.blocks
        if self.most_runs and self.most_runs < first:
            raise BadValue(f"{counted(self.most_runs, 'run')} at most, and the trial that a hunt begins with may take "
                           f"{first}: allow {first} or more, or 0 for as many as it takes")
        if not 0.001 <= self.error <= 0.3:
            raise BadValue(f"an error of {self.error:g}: give one from 0.001 to 0.3")


@dataclass(frozen=True)
class HuntSpec(Spec):
    """What a hunt was planned with; `line` are references, the oldest first."""

    STRICT: ClassVar[bool] = False  # history cannot be changed: what the rig does not have is left out
    WHAT: ClassVar[str] = "the plan of a hunt"

    line: tuple[str, ...]
    plan: HuntPlan
    game: str | None = None

    @property
    def versions(self) -> tuple[KeptVersion, ...]:
        return tuple(KeptVersion(reference, profile_of(reference), {}, "", stored=True) for reference in self.line)

    @property
    def about(self) -> str:
        return f"{self.line[0]} to {self.line[-1]}"

    @property
    def runs(self) -> int:
        return 2 * self.plan.trial.blocks

    @property
    def most_runs(self) -> int | None:
        return self.plan.most_runs or None  # without a limit the search goes on until it is sure

    @property
    def pace(self) -> tuple[float, float]:
        return self.plan.trial.seconds, self.plan.trial.warm_up_s

    def version_of(self, arm: str) -> int | None:
        return self.line.index(arm) if arm in self.line else None

    def _check(self) -> None:
        if len(self.line) < 2:
            raise BadValue("it has no line of versions")


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
        """The probability as it is given: `94 %`; never 100, since that is not to be had."""
        return f"{100 * self.probability:.0f} %" if self.probability < 0.99 else "over 99 %"

    def _caption(self) -> str:
        if not self.first:
            return f"{self.trial.before} against {self.trial.after}: no change to hunt for"
        return f"It changed with {self.first} ({self.how_sure} sure): {', '.join(self.settings)}"

    def _check(self) -> None:
        self.trial._check()
