"""What comes of measuring, and of reading a recording."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import field
from pathlib import Path
from typing import TYPE_CHECKING, Any, ClassVar

from keenlattice.errors import counted
from keenlattice.quickly import dataclass
from keenlattice.workspace.page import Drawing
from keenlattice.workspace.result import NOT_IN_JSON, DetailedResult, Result, Rows

if TYPE_CHECKING:
    from keenlattice.blocks import Telling
    from keenlattice.measure.capture import Capture
    from keenlattice.measure.columns import ColumnMap
    from keenlattice.measure.film.screen import ScreenMap
    from keenlattice.measure.film.shown import Look
    from keenlattice.measure.ingesting import Damage
    from keenlattice.measure.latency import Described, Doubt, Latency
    from keenlattice.measure.proposal import Proposal
    from keenlattice.measure.telemetry import Reading

MOST_RUNS_SHOWN = 6

Metrics = Mapping[str, float]
"""Metric to value, NaN where it has none."""


@dataclass(frozen=True, repr=False)
class MeasureResult(DetailedResult):
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
    _telling: "Callable[[MeasureResult, bool], Telling]" = field(metadata=NOT_IN_JSON)

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
        return f"{self.game} on {self.rig}, {counted(len(self.runs), 'run')} of {self.seconds:g} s"


@dataclass(frozen=True, repr=False)
class Recording(DetailedResult):
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
    _telling: "Callable[[Recording, bool], Telling]" = field(metadata=NOT_IN_JSON)

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


@dataclass(frozen=True, repr=False)
class LatencyResult(Result):
    """Input latency, from press to screen, in a recording; with intervals at 95 %."""

    SCHEMA: ClassVar[str] = "latency"

    file: str
    presses: int
    answered: int
    misses: int
    unasked: int
    mean_ms: float
    mean_low_ms: float
    mean_high_ms: float
    spread_ms: float
    percentiles: Mapping[str, tuple[float, ...]]
    stages: Mapping[str, tuple[float, ...]]
    grid_ms: float | None
    about: Mapping[str, Any]
    capture: str | None
    doubts: "tuple[Doubt, ...]"
    found: "Latency" = field(metadata=NOT_IN_JSON)
    described: "Described" = field(metadata=NOT_IN_JSON)
    _telling: "Callable[[LatencyResult], Telling]" = field(metadata=NOT_IN_JSON)
    look: "Look | None" = field(default=None, metadata=NOT_IN_JSON)

    def figure(self) -> Drawing:
        """A picture of the latency, and of where it is spent; of a film, a still with its two areas beside it."""
        from keenlattice.report.frames import latency_figure
        from keenlattice.report.still import film_figure

        capture, look = self.found.to_capture(), self.look
        if look is not None:
            return Drawing(lambda: film_figure(look, self.file, capture))
        return Drawing(lambda: latency_figure(capture, self.file))

    def _rows(self) -> Rows:
        return [{"percentile": name, "ms": value, "low_ms": low, "high_ms": high}
                for name, (value, low, high) in self.percentiles.items()]

    def _caption(self) -> str:
        return (f"{self.file}: {self.presses} presses, {self.answered} answered, {self.mean_ms:.1f} ms on average "
                f"({self.mean_low_ms:.1f} to {self.mean_high_ms:.1f})")


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
