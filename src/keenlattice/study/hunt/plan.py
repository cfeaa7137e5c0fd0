"""What a hunt goes through, and how likely it may be wrong."""

from dataclasses import dataclass
from typing import ClassVar

from keenlattice.errors import BadValue
from keenlattice.profile.together import profile_of
from keenlattice.study._form import Form
from keenlattice.study.kind import KeptVersion, Spec
from keenlattice.study.trial.plan import TrialPlan


@dataclass(frozen=True)
class HuntPlan(Form):
    """How a hunt is run.

    Args:
        trial: the trial of the oldest version against the newest; its seed is the hunt's. If several metrics decide it,
            the hunt goes after the one whose change it shows most surely.
        error: how likely the version may be the wrong one.
    """

    trial: TrialPlan
    error: float = 0.05

    def __post_init__(self) -> None:
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
        return tuple(KeptVersion(one, profile_of(one), {}, "", stored=True) for one in self.line)

    @property
    def about(self) -> str:
        return f"{self.line[0]} to {self.line[-1]}"

    @property
    def runs(self) -> int:
        return 2 * self.plan.trial.blocks

    @property
    def most_runs(self) -> int | None:
        return None  # the search goes on until it is sure

    @property
    def pace(self) -> tuple[float, float]:
        return self.plan.trial.seconds, self.plan.trial.warm_up_s

    def version_of(self, arm: str) -> int | None:
        return self.line.index(arm) if arm in self.line else None

    def _check(self) -> None:
        if len(self.line) < 2:
            raise BadValue("it has no line of versions")
