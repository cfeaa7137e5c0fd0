"""What a trial found: per metric a change, an interval and one of four verdicts."""

from collections.abc import Mapping
from dataclasses import asdict, dataclass, fields
from typing import TYPE_CHECKING, Any, Literal

from keenlattice.errors import BookError
from keenlattice.measure.metrics import METRICS
from keenlattice.notebook import Shown
from keenlattice.trial.plan import Plan
from keenlattice.trial.reading import read_as

if TYPE_CHECKING:
    import pandas

SCHEMA = "keen-lattice/trial/1"

Verdict = Literal["better", "worse", "no difference that matters", "unclear"]


@dataclass(frozen=True)
class MetricResult:
    """One metric of a trial.

    Args:
        before, after: geometric mean over the runs of either version, in `unit`.
        change_pct: how much `after` differs from `before`, in per cent, with its interval.
        low_pct, high_pct: the interval, at `confidence`.
        n: how many blocks gave a number for both versions.

    All numbers are None where fewer than two blocks did.
    """

    name: str
    unit: str
    before: float | None
    after: float | None
    change_pct: float | None
    low_pct: float | None
    high_pct: float | None
    verdict: Verdict
    confidence: float
    n: int


@dataclass(frozen=True)
class TrialResult(Shown):
    """A trial: what was compared, how, and what came out. `before` and `after` are references.

    Args:
        plan: how it was played and judged.
        game, rig: what was played, on what.
        metrics: what came out, the deciding metric first.
        blocks_played: fewer than planned if it was settled early.
        drift_pct: how much the deciding metric changed from the first block to the last, in both versions alike, with
            its interval at 95 %; None with fewer than four blocks.
        excluded: the runs that went wrong and do not count, each with the reason.
    """

    game: str
    before: str
    after: str
    plan: Plan
    metrics: tuple[MetricResult, ...]
    rig: str = ""
    blocks_played: int = 0
    drift_pct: tuple[float, float, float] | None = None
    excluded: tuple[str, ...] = ()

    def __getitem__(self, name: str) -> MetricResult:
        return next(one for one in self.metrics if one.name == name)

    @property
    def deciding(self) -> MetricResult:
        """What came out of the metric that decides."""
        return self[self.plan.decides]

    def table(self) -> "pandas.DataFrame":
        """A row for each metric."""
        import pandas

        return pandas.DataFrame([asdict(one) for one in self.metrics])

    def _caption(self) -> str:
        one = self.deciding
        interval = "" if one.low_pct is None or one.high_pct is None else (
            f" ({one.low_pct:+.1f} to {one.high_pct:+.1f} %)")
        return f"{self.before} against {self.after}, {one.name}: {one.verdict}{interval}"

    def to_json(self) -> dict[str, Any]:
        """As documented in `docs/formats.md`; JSON types only."""
        return {"schema": SCHEMA, "game": self.game, "rig": self.rig, "before": self.before, "after": self.after,
                **asdict(self.plan), "blocks_played": self.blocks_played,
                "drift_pct": list(self.drift_pct) if self.drift_pct else None, "excluded": list(self.excluded),
                "metrics": [asdict(one) for one in self.metrics]}

    @classmethod
    def of_json(cls, content: Mapping[str, Any]) -> "TrialResult":
        """A result as `to_json` has it; what an earlier Keen Lattice did not tell is as it was then.

        Raises:
            BookError: it is not of that form.
        """
        plan = {one.name: content[one.name] for one in fields(Plan) if one.name in content}
        told = {one.name: content[one.name] for one in fields(cls) if one.name in content}
        found = read_as(cls, {"blocks_played": content.get("blocks"), **told, "plan": plan}, "a trial")
        known = {one.name for one in found.metrics}
        if found.plan.decides not in known or not known <= {*METRICS}:
            raise BookError("a trial in the logbook has metrics that there are not: it is damaged, or was tampered "
                            "with")
        return found
