"""Measuring: runs of a game as the rig stands, and pictures of runs."""

from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, ClassVar

from keenlattice._notebook import NOT_IN_JSON, Result, Rows
from keenlattice.profile.version import Version
from keenlattice.workspace.figures import Drawing
from keenlattice.workspace.opened import OfVersion, Opened, VersionLike

if TYPE_CHECKING:
    from keenlattice.measure.capture import Capture
    from keenlattice.measure.moment import Watcher
    from keenlattice.measure.telemetry import Reading
    from keenlattice.study.record import Progress

MOST_RUNS_IN_A_PICTURE = MOST_RUNS_SHOWN = 6

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
        from keenlattice.report._capture_figure import capture_figure

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


class Measuring(Opened):
    """What measures. To compare two versions takes a trial: single runs describe, and prove no difference."""

    def measured(self, game: str, seconds: float, seed: int, captures: "Sequence[Capture]",
                 files: Sequence[str]) -> MeasureResult:
        """What runs that were recorded come to.

        Args:
            game: what was played.
            seconds, seed: as they were asked for.
            captures: the runs, one at least.
            files: their names in the logbook.
        """
        from keenlattice.measure.doubts import doubts_of
        from keenlattice.measure.metrics import metrics_of
        from keenlattice.measure.telemetry import limited_by, readings

        return MeasureResult(
            self.rig.name, game, seconds, seed, tuple(files), tuple(metrics_of(one) for one in captures),
            tuple(f"run {number}: {why}" for number, one in enumerate(captures, 1) for why in doubts_of(one)),
            tuple(readings(one) for one in captures), tuple(limited_by(one) for one in captures),
            sum(one.click_ms.size for one in captures), sum(one.latency_ms.size for one in captures), captures[-1])

    def measure(self, game: str, runs: int = 3, seconds: float = 10.0, seed: int | None = None,
                progress: "Progress | None" = None, live: "Watcher | None" = None) -> MeasureResult:
        """Plays a game on the rig as it stands, and keeps the runs.

        Args:
            seconds: the length of a run.
            seed: of the first run; drawn, if it is not given.
            progress: is told how many runs are done, of how many.
            live: is told once a second how a run goes.

        Raises:
            UnknownName: no such game.
            UsageError: the rig has nothing to tell while it plays; or less than one run.
            RigError: it does not start, or nothing can be recorded.
        """
        from keenlattice.errors import UsageError
        from keenlattice.measure.capture import Capture
        from keenlattice.rig._lock import locked
        from keenlattice.rig.base import ByHand, game_of, play_on
        from keenlattice.rig.hand import ComingRun
        from keenlattice.study._limits import check_seconds, check_seed, fresh_seed

        if not 1 <= runs <= 1000:
            raise UsageError(f"{runs} runs: take 1 to 1000")
        check_seconds(seconds)
        check_seed(seed or 0)
        self.book.collect_strays()
        game_of(self.rig, game)
        seed = fresh_seed() if seed is None else seed
        applied = self.book.last_apply(self.rig.name, game)
        captures, files = list[Capture](), list[str]()
        with self._watched(live), locked(self.rig, f"measuring {game}"):
            for run in range(runs):
                if isinstance(self.rig, ByHand):
                    held = self.rig.values(self.rig.state(), game)
                    self.rig.coming(ComingRun(run, "as it stands", game, seconds, game, held))
                captures.append(play_on(self.rig, game, seconds, seed + run))
                files.append(self.book.keep_capture(captures[-1], self.rig.name, game,
                                                    applied.version if applied else "stock"))
                if progress:
                    progress(run + 1, runs)
        return self.measured(game, seconds, seed, captures, files)

    @contextmanager
    def _watched(self, live: "Watcher | None") -> Iterator[None]:
        """The rig tells somebody how its runs go, meanwhile."""
        from keenlattice.errors import UsageError
        from keenlattice.rig.base import Watchable

        if live is None:
            yield
            return
        if not isinstance(self.rig, Watchable):
            raise UsageError(f"there is nothing to watch on the rig {self.rig.name}: its runs are not recorded from "
                             "here in the game's own time")
        self.rig.watcher = live
        try:
            yield
        finally:
            self.rig.watcher = None

    def run(self, told: VersionLike) -> "tuple[str, Capture]":
        """A run by its file, by its name in the logbook, or the newest of a version; with what to call it.

        Args:
            told: which run.

        Raises:
            UsageError: no run of that version is kept.
            CaptureError: the file cannot be read.
        """
        from keenlattice.errors import UsageError
        from keenlattice.measure.parquet import read_capture
        from keenlattice.measure.text import read_text

        path = Path(told) if isinstance(told, str) else Path()
        if path.suffix == ".csv":
            return path.stem, read_text(path)
        if path.suffix == ".parquet":
            return path.stem, read_capture(path) if path.exists() else self.book.capture(path.name)
        version = self.find(told)
        kept = self.runs_of(version)
        name = told if isinstance(told, str) else version.reference
        if not kept:
            raise UsageError(f"no run of {name} on {self.rig_name} is kept: keen measure or keen trial records some")
        return name, self.book.capture(kept[0])

    def draw(self, runs: VersionLike | Sequence[VersionLike], what: str = "") -> Drawing:
        """A picture of one run, or of several, the first over the last.

        Args:
            runs: one, or several: each a capture's file or name, or a version, whose newest run is taken.
            what: one picture alone: course, slowest, recurring, latency or stages.

        Raises:
            UsageError: too many runs, or runs without what is to be drawn.
            UnknownName: no such picture.
        """
        from keenlattice.errors import UsageError
        from keenlattice.report._capture_figure import capture_figure
        from keenlattice.report._compare_figure import compare_figure
        from keenlattice.report._single_figure import single_figure

        runs = [runs] if isinstance(runs, str | Version | OfVersion) else list(runs)
        if not runs:
            raise UsageError("there is no run to be drawn: name one, or a version whose newest run is taken")
        if len(runs) > MOST_RUNS_IN_A_PICTURE:
            raise UsageError(f"{len(runs)} runs: up to {MOST_RUNS_IN_A_PICTURE} can be told apart in one picture")
        captures: dict[str, Capture] = {}
        for told in runs:
            name, capture = self.run(told)
            captures[name if name not in captures else f"{name} ({len(captures) + 1})"] = capture
        bare = [name for name, capture in captures.items() if capture.frame_ms.size < 4]
        if bare and what not in ("latency", "stages"):
            raise UsageError(f"{bare[0]} holds no frames: draw its --what latency or --what stages")
        title = " over ".join(captures) if len(captures) < 3 else f"{len(captures)} runs"
        drawn = tuple(captures.values())
        if what:
            return Drawing(single_figure(captures, what, title), drawn)
        if len(captures) == 1:
            return Drawing(lambda: capture_figure(captures[title], title), drawn)
        return Drawing(lambda: compare_figure(captures, title), drawn)
