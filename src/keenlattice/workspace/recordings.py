"""Recordings: runs of a game as the rig stands, files of any recorder, and pictures of runs.

To compare two versions takes a trial: single runs describe, and prove no difference.
"""

import math
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from keenlattice._door import check_methods
from keenlattice.errors import UsageError
from keenlattice.measure.header import header_of
from keenlattice.profile.version import Version
from keenlattice.rig.locks import locked
from keenlattice.study.limits import check_seconds, check_seed, seed_or_fresh
from keenlattice.workspace.latencies import Latencies
from keenlattice.workspace.lookup import columns_of, kept_map, run_of
from keenlattice.workspace.opened import OfVersion, Opened, VersionLike
from keenlattice.workspace.page import Drawing
from keenlattice.workspace.recording_results import MeasureResult, Recording, TakeMap

if TYPE_CHECKING:
    from keenlattice.measure.capture import Capture
    from keenlattice.measure.columns import ColumnMap
    from keenlattice.measure.film.screen import ScreenMap
    from keenlattice.measure.ingesting import Ingested
    from keenlattice.measure.machine_log import LogMap
    from keenlattice.measure.telemetry import Watcher
    from keenlattice.study.record import Progress

MOST_RUNS_IN_A_PICTURE = 6


@check_methods
class Recordings:
    """Runs that are recorded here or elsewhere; `latency` has what sensors and cameras have seen."""

    def __init__(self, opened: Opened) -> None:
        self._opened = opened
        self.latency = Latencies(opened)

    def measure(self, game: str, runs: int = 3, seconds: float = 10.0, seed: int | None = None,
                progress: "Progress | None" = None, live: "Watcher | None" = None) -> MeasureResult:
        """Plays a game on the rig as it stands, and keeps the runs.

        Args:
            seconds: the length of a run.
            seed: of the first run; drawn, if it is not given.
            progress: learns how many runs are done, of how many.
            live: learns of each second of a run: meanwhile, where it lasts as long; of one that is simulated, at its
                end.

        Raises:
            UnknownName: no such game.
            UsageError: another program records the rig's runs; or less than one run.
            RigError: it does not start, or nothing can be recorded.
        """
        from keenlattice.measure.capture import Capture
        from keenlattice.measure.telemetry import moments
        from keenlattice.rig.base import Watchable, game_of
        from keenlattice.rig.session import play_as_it_stands

        if not 1 <= runs <= 1000:
            raise UsageError(f"{runs} runs: take 1 to 1000")
        if live and self._opened.by_hand:
            raise UsageError(f"runs of the rig {self._opened.rig.name} are recorded by another program, which shows "
                             "how they go: leave --live out")
        check_seconds(seconds)
        check_seed(seed or 0)
        self._opened.book.collect_strays()
        game_of(self._opened.rig, game)
        seed = seed_or_fresh(seed)
        applied = self._opened.book.last_apply(self._opened.rig.name, game)
        captures, files = list[Capture](), list[str]()
        with self._watched(live), locked(self._opened.rig, f"measuring {game}"):
            for run in range(runs):
                captures.append(play_as_it_stands(self._opened.rig, run, game, seconds, seed + run))
                if live and not isinstance(self._opened.rig, Watchable):
                    for moment in moments(captures[-1]):
                        live(moment)
                files.append(self._opened.book.keep_capture(captures[-1], self._opened.rig.name, game,
                                                    applied.version if applied else "stock"))
                if progress:
                    progress(run + 1, runs)
        from keenlattice.workspace._recorded import measured

        return measured(self._opened.rig.name, game, seconds, seed, captures, files)

    @contextmanager
    def _watched(self, live: "Watcher | None") -> Iterator[None]:
        """The rig tells somebody how its runs go, meanwhile."""
        from keenlattice.rig.base import Watchable

        if live is None or not isinstance(self._opened.rig, Watchable):
            yield
            return
        self._opened.rig.watcher = live
        try:
            yield
        finally:
            self._opened.rig.watcher = None

    def run(self, like: VersionLike) -> "tuple[str, Capture]":
        """A run by its file, by its name in the logbook, or the newest of a version; with what to call it.

        Args:
            like: which run.

        Raises:
            UsageError: no run of that version is kept.
            CaptureError: the file cannot be read.
        """
        return run_of(self._opened, like)

    def draw(self, runs: VersionLike | Sequence[VersionLike], picture_name: str = "") -> Drawing:
        """A picture of one run, or of several, the first over the last.

        Args:
            runs: one, or several: each a capture's file or name, or a version, whose newest run is taken.
            picture_name: one picture alone: course, slowest, recurring, latency or stages.

        Raises:
            UsageError: too many runs, or runs without what is to be drawn.
            UnknownName: no such picture.
        """
        from keenlattice.report.figure_of_capture import capture_figure, compare_figure, single_figure

        runs = [runs] if isinstance(runs, str | Version | OfVersion) else list(runs)
        if not runs:
            raise UsageError("there is no run to be drawn: name one, or a version whose newest run is taken")
        if len(runs) > MOST_RUNS_IN_A_PICTURE:
            raise UsageError(f"{len(runs)} runs: up to {MOST_RUNS_IN_A_PICTURE} can be told apart in one picture")
        captures: dict[str, Capture] = {}
        for run in runs:
            name, capture = run_of(self._opened, run)
            captures[name if name not in captures else f"{name} ({len(captures) + 1})"] = capture
        bare = [name for name, capture in captures.items() if capture.frame_ms.size < 4]
        if bare and picture_name not in ("latency", "stages"):
            raise UsageError(f"{bare[0]} holds no frames: draw its --what latency or --what stages")
        title = " over ".join(captures) if len(captures) < 3 else f"{len(captures)} runs"
        drawn = tuple(captures.values())
        if picture_name:
            return Drawing(single_figure(captures, picture_name, title), drawn)
        if len(captures) == 1:
            return Drawing(lambda: capture_figure(captures[title], title), drawn)
        return Drawing(lambda: compare_figure(captures, title), drawn)

    def ingest(self, file: Path | str, columns: "ColumnMap | ScreenMap | str | None" = None, *, of: VersionLike = "",
               name: str = "", process: str = "", repair: bool = False, log: "Path | str | None" = None,
               log_columns: "LogMap | None" = None, log_starts_s: float | None = None,
               take: TakeMap | None = None, progress: "Progress | None" = None) -> Recording | None:
        """Reads a recording of any recorder's, or a film of the screen.

        Args:
            columns: what its columns mean (`column_map`), or the name of a map that is known; without one, the map
                that is kept for its header, or else one that is proposed by the data. Of a film a `ScreenMap`, if a
                part of the screen does not count.
            of: the version that was played: then it is kept in the logbook.
            name: keeps the map under this name, for other files with that header.
            process: whose rows, if there are several programs'.
            repair: leave out what is damaged, and count it.
            log: a log of the machine that another program kept meanwhile.
            log_columns: what its columns mean (`keenlattice.log_map`); without it, the map that is kept for its header.
            log_starts_s: when it began, in s after the run did; if that is not told, see `measure.machine_log.beside`.
            take: is asked whether a proposed map is taken; without it, it is.
            progress: of a film, is called with how many pictures are read, and how many there are.

        Returns: None if the proposed map was not taken.

        Raises:
            UsageError: the meaning of the columns cannot be told.
            CaptureError: the file cannot be read.
        """
        from keenlattice.measure.ingesting import ingest
        from keenlattice.measure.metrics import metrics_of
        from keenlattice.workspace._recorded import tell_recording

        file, version = Path(file), self._opened.find(of) if of else None
        header, map_kept = columns_of(self._opened, file, columns, take)
        if map_kept is None:
            return None
        map_kept = map_kept.model_copy(update={"name": name or map_kept.name})
        recording: Ingested = ingest(file, map_kept, process=process or None, repair=repair, progress=progress)
        if log is not None:
            recording = self._with_log(recording, Path(log), log_columns, log_starts_s)
        if name or (columns is not None and not isinstance(columns, str)):
            self._opened.book.keep_map(map_kept.name, header, map_kept.model_dump(exclude_none=True))
        kept = None
        if version is not None:
            kept = self._opened.keep(recording.capture, version)
        capture, segments = recording.capture, {name: tuple(span) for name, span in recording.segments.items()}
        return Recording(
            file.name, map_kept, capture.frame_ms.size, capture.seconds, recording.dropped_frames, kept,
            tuple(recording.damage), metrics_of(capture), segments, capture, tell_recording)  # type: ignore[arg-type]

    def _with_log(self, recording: "Ingested", log: Path, columns: "LogMap | None", starts_s: float | None
                  ) -> "Ingested":
        """A recording with a log of the machine's beside it; the log's map is kept for its header."""
        from keenlattice.measure.machine_log import beside, log_map, read_machine_log

        header, _ = header_of(log)
        kept = kept_map(self._opened, header, ("machine",))
        if columns is None and kept is None:
            raise UsageError(f"{log.name}: what its columns mean is not known yet; say so once: --log-time COLUMN "
                             f"--said SERIES=COLUMN; columns: {', '.join(header)}")
        log_columns = columns or log_map(**(kept or {}))
        capture = beside(recording.capture, read_machine_log(log, log_columns), recording.begin_ms, starts_s)
        if columns:
            self._opened.book.keep_map(log_columns.name, header, log_columns.model_dump())
        return replace(recording, capture=capture)

    def of(self, which: VersionLike) -> list[str]:
        """Return the names in the logbook of the kept runs of a version, the newest first.

        Args:
            which: the version, in any of the ways that `VersionLike` has.
        """
        return self._opened.runs_of(self._opened.find(which, both=True))

    def newest_value(self, name: str, which: VersionLike) -> float:
        """A metric of the newest kept run of a version; NaN if there is none.

        Args:
            name: the metric's.
            which: the version, in any of the ways that `VersionLike` has.
        """
        from keenlattice.measure.metrics import metrics_of

        version = self._opened.find(which, both=True)
        kept = self._opened.runs_of(version)
        return metrics_of(self._opened.book.capture(kept[0]), [name])[name] if kept else math.nan
