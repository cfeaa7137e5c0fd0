"""A recording too large for memory, read in pieces: the same metrics, quantiles within QUANTILE_ERROR."""

from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from keenlattice.errors import CaptureError
from keenlattice.measure._ingest import FASTEST_FPS, GAP_MS, GAP_TIMES, SLOWEST_FPS
from keenlattice.measure._rows import NotPlain, Rows, row_pieces
from keenlattice.measure._tally import QUANTILE_ERROR, Tally
from keenlattice.measure.capture import Floats
from keenlattice.measure.columns import IN_MS, ColumnMap

PIECE_ROWS = 1_000_000

Index = NDArray[np.intp]
Flags = NDArray[np.bool_]


@dataclass(frozen=True)
class LongRun:
    """What a recording read in pieces comes to.

    Args:
        metrics: metric name to value; NaN where it is not known.
        frames, seconds: how long it is.
        dropped_frames: frames that the recorder marked as never shown.
        quantile_error: how far off quantiles may be, relative to their value.
    """

    metrics: dict[str, float]
    frames: int
    seconds: float
    dropped_frames: int
    quantile_error: float = QUANTILE_ERROR


def measure_in_pieces(path: Path, columns: ColumnMap, *, process: str | None = None,
                      rows: int = PIECE_ROWS) -> LongRun:
    """The metrics of a recording of any size, with no more of it in memory than some pieces.

    Args:
        columns: which column means what; markers are not looked at.
        process: whose frames, where the file holds several programs'.
        rows: in a piece.

    Raises:
        CaptureError: it cannot be read, its unit cannot be right, or something is wrong with it; the line is named.
            Nothing is repaired here.
    """
    try:
        return _measured(path, columns, process, rows, plain=True)
    except NotPlain:
        return _measured(path, columns, process, rows, plain=False)


def _measured(path: Path, columns: ColumnMap, process: str | None, rows: int, plain: bool) -> LongRun:
    tally, reader = Tally(), _Reader(path, columns, process)
    for piece in row_pieces(path, columns.numbers, columns.texts, rows, plain=plain):
        tally.add(*reader.frames(piece))
    if process is not None and columns.process and process not in reader.programs:
        raise CaptureError(f"{path} holds nothing of {process}; it holds {', '.join(sorted(reader.programs)[:6])}")
    if tally.count < 1:
        raise CaptureError(f"{path}: fewer than two frames can be read of it")
    return LongRun(tally.metrics(), tally.count, tally.total_ms / 1000, reader.dropped)


class _Reader:
    """From rows to frame times, from piece to piece."""

    def __init__(self, path: Path, columns: ColumnMap, process: str | None) -> None:
        self._path, self._columns, self._process = path, columns, process
        self._seen: float | None = 0.0 if columns.means == "intervals" else None  # when the last row was
        self._shown = self._seen  # when the last frame was shown
        self._typical: float | None = None
        self.programs: set[str] = set()
        self.dropped = 0

    def frames(self, rows: Rows) -> tuple[Floats, Floats, Floats]:
        """Frame times of the next rows, and their stages: each of shape (frames,), or (0,) where not known."""
        columns, keep = self._columns, self._wanted(rows)
        if rows.unreadable:
            raise self._wrong(*rows.unreadable[0])
        index = np.flatnonzero(keep)
        times = rows.numbers[columns.time][index] * columns.to_ms
        if not times.size:
            return np.empty(0), np.empty(0), np.empty(0)
        self._refuse(rows, index, ~np.isfinite(times), "no number in the column of times")
        before = times[0] if self._seen is None else self._seen
        at = times if columns.means == "stamps" else np.cumsum(np.concatenate(([before], times)))[1:]
        steps = np.diff(at, prepend=before) if columns.means == "stamps" else times
        moved = steps[1:] if self._seen is None else steps
        self._refuse(rows, index[-moved.size:] if moved.size else index[:0], moved <= 0, "time does not move on")
        self._check_pace(rows, index, steps, moved)
        self._seen = float(at[-1])
        shown = np.ones(index.size, dtype=bool)
        if columns.dropped:
            shown = rows.texts[columns.dropped][index] != columns.dropped_when
            self.dropped += int((~shown).sum())
            if before == 0 == self._shown and not shown[0]:
                self._shown = None  # a run of intervals begins with its first frame that was shown
        return self._from_shown(rows, index[shown], at[shown])

    def _from_shown(self, rows: Rows, index: Index, at: Floats) -> tuple[Floats, Floats, Floats]:
        if not at.size:
            return np.empty(0), np.empty(0), np.empty(0)
        first = self._shown is None
        frames = np.diff(at) if self._shown is None else np.diff(at, prepend=self._shown)
        self._shown = float(at[-1])
        stages = []
        for column in (self._columns.cpu, self._columns.gpu):
            values = np.empty(0) if column is None else rows.numbers[column][index] * IN_MS[self._columns.stage_unit]
            known = bool(values.size) and bool(np.isfinite(values).all()) and float(values.min()) >= 0
            stages.append((values[1:] if first else values) if known else np.empty(0))
        return frames, stages[0], stages[1]

    def _wanted(self, rows: Rows) -> Flags:
        size = rows.numbers[self._columns.time].size
        if self._columns.process is None:
            return np.ones(size, dtype=bool)
        names = rows.texts[self._columns.process]
        self.programs |= set(names.tolist())
        if self._process is None and len(self.programs) > 1:
            raise CaptureError(f"{self._path} holds several programs: {', '.join(sorted(self.programs)[:6])}; say "
                               "which with --process")
        return np.asarray(names == (names[0] if self._process is None and size else self._process))

    def _check_pace(self, rows: Rows, index: Index, steps: Floats, moved: Floats) -> None:
        """Whether the unit can be right, by the first piece; and whether there are gaps."""
        if self._typical is None and moved.size:
            self._typical = float(np.median(moved))
            if not SLOWEST_FPS <= 1000 / self._typical <= FASTEST_FPS:
                raise CaptureError(f"{self._path}: in {self._columns.unit} that is {1000 / self._typical:.3g} frames a "
                                   "second: the unit cannot be right; choose s, ms, us, ns, or ticks with their rate")
        if self._typical is not None:
            self._refuse(rows, index, steps > max(GAP_MS, GAP_TIMES * self._typical), "a gap in time")

    def _refuse(self, rows: Rows, index: Index, bad: Flags, what: str) -> None:
        if bad.any():
            raise self._wrong(rows.line(int(index[int(np.argmax(bad))])), what)

    def _wrong(self, line: int, what: str) -> CaptureError:
        return CaptureError(f"{self._path}: line {line}: {what}; in pieces nothing is left out: repair it in parts, "
                            "or record it anew")
