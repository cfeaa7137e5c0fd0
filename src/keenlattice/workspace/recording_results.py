"""What comes of measuring, and of reading a recording."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Any, ClassVar

from keenlattice.notebook import NOT_IN_JSON, Result, Rows
from keenlattice.workspace.page import Drawing

if TYPE_CHECKING:
    from keenlattice.measure.capture import Capture
    from keenlattice.measure.columns import ColumnMap
    from keenlattice.measure.film.screen import ScreenMap
    from keenlattice.measure.ingesting import Damage
    from keenlattice.measure.proposal import Proposal
    from keenlattice.measure.telemetry import Reading

MOST_RUNS_SHOWN = 6

Metrics = Mapping[str, float]
"""Metric to value, NaN where it has none."""


@dataclass(frozen=True, repr=False)
class MeasureResult(Result):
    """Runs of a game on the rig as it stands: their captures' names in the logbook, their metrics, what speaks against
    trusting them; and of each what the rig said of itself (mean and worst of each series), and what its frames waited
    for (`telemetry.limited_by`)."""

    SCHEMA: ClassVar[str] = "measure"

    rig: str
    game: str
    seconds: float
    seed: int
    captures: tuple[str, ...]
    runs: tuple[Metrics, ...]
    doubts: tuple[str, ...]
    said: "tuple[Mapping[str, Reading], ...]"
    limited_by: tuple[Mapping[str, float], ...]
    clicks: int = field(metadata=NOT_IN_JSON)
    answered: int = field(metadata=NOT_IN_JSON)
    last: "Capture" = field(metadata=NOT_IN_JSON)

    def figure(self) -> Drawing:
        """A picture of the last run."""
        from keenlattice.report.figure_of_capture import capture_figure

        title = f"{self.game} on {self.rig}, seed {self.seed + len(self.runs) - 1}"
        return Drawing(lambda: capture_figure(self.last, title))

    def _rows(self) -> Rows:
        return [{"capture": name, **run} for name, run in zip(self.captures, self.runs, strict=True)]

    def _in_brief(self) -> Rows:
        from keenlattice.measure.metrics import TRIAL_METRICS

        return [{"metric": name, **{f"run {number}": run[name] for number, run in enumerate(
            self.runs[:MOST_RUNS_SHOWN], 1)}} for name in TRIAL_METRICS]

    def _caption(self) -> str:
        return f"{self.game} on {self.rig}, {len(self.runs)} runs of {self.seconds:g} s"


def measured(rig: str, game: str, seconds: float, seed: int, captures: "Sequence[Capture]",
             files: Sequence[str]) -> MeasureResult:
    """Return what some recorded runs come to.

    Args:
        rig: its name.
        game: what was played.
        seconds, seed: as they were asked for.
        captures: the runs, one at least.
        files: their names in the logbook.
    """
    from keenlattice.measure.doubts import doubts_of
    from keenlattice.measure.metrics import metrics_of
    from keenlattice.measure.telemetry import limited_by, readings

    return MeasureResult(
        rig, game, seconds, seed, tuple(files), tuple(metrics_of(capture) for capture in captures),
        tuple(f"run {number}: {why}" for number, capture in enumerate(captures, 1) for why in doubts_of(capture)),
        tuple(readings(capture) for capture in captures), tuple(limited_by(capture) for capture in captures),
        sum(capture.click_ms.size for capture in captures), sum(capture.latency_ms.size for capture in captures),
        captures[-1])


@dataclass(frozen=True, repr=False)
class Recording(Result):
    """A recording that was read: by which map, how long it is, and its metrics."""

    SCHEMA: ClassVar[str] = "ingest"

    file: str
    columns: "ColumnMap | ScreenMap"
    frames: int
    seconds: float
    dropped_frames: int
    capture: str | None
    damage: "tuple[Damage, ...]"
    metrics: Metrics
    segments: Mapping[str, tuple[float, float]]
    run: "Capture" = field(metadata=NOT_IN_JSON)

    def to_json(self) -> dict[str, Any]:
        """The result as JSON types."""
        return {**super().to_json(), "columns": self.columns.model_dump(exclude_none=True)}

    def figure(self) -> Drawing:
        """A picture of the run."""
        from keenlattice.report.figure_of_capture import capture_figure

        return Drawing(lambda: capture_figure(self.run, self.file))

    def save(self, path: Path | str) -> None:
        """Writes the capture: as CSV or, with any other ending, as Parquet."""
        from keenlattice.measure.parquet import write_capture
        from keenlattice.measure.rows import write_text

        path = Path(path)
        (write_text if path.suffix == ".csv" else write_capture)(self.run, path)

    def _rows(self) -> Rows:
        return [{"metric": name, "value": value} for name, value in self.metrics.items()]

    def _caption(self) -> str:
        return f"{self.file}: {self.frames} frames in {self.seconds:.1f} s"


@dataclass(frozen=True)
class NewMap:
    """A column map for a header that is not known yet: what the data alone make likely.

    Args:
        header, rows: the file's first.
        proposal: the map, if one can be told, and the reasons.
    """

    header: Sequence[str]
    rows: Sequence[Sequence[str]]
    proposal: "Proposal"


TakeMap = Callable[[NewMap], bool]
"""Is asked whether a proposed column map is taken."""
