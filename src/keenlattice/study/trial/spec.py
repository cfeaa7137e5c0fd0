"""What a trial is: two versions, the plan, and where its runs come from."""

from dataclasses import dataclass
from typing import ClassVar

from keenlattice.study.kind import KeptVersion, Spec
from keenlattice.study.trial.plan import TrialPlan


@dataclass(frozen=True)
class TrialSpec(Spec):
    """What a trial was planned with; `files` if its runs are recorded elsewhere."""

    WHAT: ClassVar[str] = "the plan of a trial"

    before: KeptVersion
    after: KeptVersion
    plan: TrialPlan
    game: str | None = None
    files: bool = False

    @property
    def versions(self) -> tuple[KeptVersion, ...]:
        return self.before, self.after

    @property
    def runs(self) -> int:
        return len(self.plan.runs())

    @property
    def pace(self) -> tuple[float, float]:
        return self.plan.seconds, self.plan.warm_up_s

    def version_of(self, arm: str) -> int | None:
        return {"before": 0, "after": 1}.get(arm)

    @property
    def is_pilot(self) -> bool:
        """Whether it is a version against itself."""
        return self.before == self.after
