"""What is pooled, and how."""

from dataclasses import dataclass
from typing import ClassVar

from keenlattice.errors import BadValue
from keenlattice.measure.metrics import metric
from keenlattice.study._form import Form
from keenlattice.study.deciding import MOST_DECIDERS, named
from keenlattice.study.kind import KeptVersion, Spec
from keenlattice.study.limits import DECIDES


@dataclass(frozen=True)
class PoolPlan(Form):
    """How evidence is pooled.

    Args:
        sources: where it came from, for whoever reads the result.
        decides: the metrics that it is about, with commas between.
        matters_pct: the smallest difference that matters, in per cent; None for what mattered to those who tried it.
        game: only evidence of this game; empty for all.
    """

    WHAT: ClassVar[str] = "the plan of a pool"

    sources: tuple[str, ...]
    decides: str = DECIDES
    matters_pct: float | None = None
    game: str = ""

    def __post_init__(self) -> None:
        if len(self.metrics) > MOST_DECIDERS:
            raise BadValue(f"{self.decides}: a pool is about 1 to {MOST_DECIDERS} metrics")
        for name in self.metrics:
            metric(name)
        if self.matters_pct is not None and not 0 < self.matters_pct <= 50:
            raise BadValue(f"{self.matters_pct:g} %: between 0 and 50 % can matter")

    @property
    def metrics(self) -> tuple[str, ...]:
        """The metrics that it is about."""
        return named(self.decides)


@dataclass(frozen=True)
class PoolSpec(Spec):
    """A pool in the logbook: what it was planned with, and the file that keeps the evidence."""

    WHAT: ClassVar[str] = "the plan of a pool"

    plan: PoolPlan
    evidence: str
    game: str | None = None

    @property
    def versions(self) -> tuple[KeptVersion, ...]:
        return ()

    @property
    def about(self) -> str:
        return f"evidence from {', '.join(self.plan.sources)}"

    @property
    def runs(self) -> int:
        return 0
