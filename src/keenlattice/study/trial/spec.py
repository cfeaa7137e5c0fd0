"""What a trial is: two versions, the plan, and where its runs come from."""

from dataclasses import dataclass
from typing import ClassVar

from keenlattice.profile.compare import changes
from keenlattice.study.kind import KeptVersion, SpecOfTwo
from keenlattice.study.trial.plan import TrialPlan


@dataclass(frozen=True)
class TrialSpec(SpecOfTwo):
    """What a trial was planned with; `files` if its runs are recorded elsewhere."""

    WHAT: ClassVar[str] = "the plan of a trial"

    before: KeptVersion
    after: KeptVersion
    plan: TrialPlan
    game: str | None = None
    files: bool = False

    def version_of(self, arm: str) -> int | None:
        return {"before": 0, "after": 1}.get(arm)

    @property
    def steps_a_run(self) -> float:
        differing = changes(self.before.entries, self.after.entries)
        return len(differing) * self.plan.switches / self.runs

    @property
    def is_pilot(self) -> bool:
        """Whether it is a version against itself."""
        return self.before == self.after
