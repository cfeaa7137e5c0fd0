"""A recording of any recorder's, by a column map, as a capture; whatever is wrong with it is named with its line."""

from collections import Counter
from collections.abc import Mapping
from dataclasses import field, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from keenlattice.errors import CaptureError, counted
from keenlattice.measure.capture import Capture, Floats
from keenlattice.measure.columns import IN_MS, ColumnMap
from keenlattice.measure.film.screen import ScreenMap
from keenlattice.measure.rows import Rows, read_rows
from keenlattice.measure.series import Series
from keenlattice.quickly import dataclass

if TYPE_CHECKING:
    from keenlattice.measure.film.reader import Progress

FASTEST_FPS, SLOWEST_FPS = 20_000.0, 1.0
GAP_MS, GAP_TIMES = 1000.0, 50.0
SHOWN = 5
MOST_SEGMENTS = 1000
TYPICAL_OF = 100_000  # as many intervals, evenly spread, tell what is typical


@dataclass(frozen=True)
class Damage:
    """Something wrong with a recording: which line of the file, what, and how many lines like it there are."""

    line: int
    what: str
    count: int


@dataclass(frozen=True)
class Ingested:
    """What became of a file.

    Args:
        capture: the run.
        damage: what was wrong with it, and (if it was repaired) left out.
        dropped_frames: frames that the recorder marked as never shown; they are not frames here.
        segments: marker to (start, end) in ms, where the file has markers.
        begin_ms: when the run began, by the recorder's own stamps; None where it has none.
    """

    capture: Capture
    damage: tuple[Damage, ...]
    dropped_frames: int
    segments: Mapping[str, tuple[float, float]] = field(default_factory=dict)
    begin_ms: float | None = None


class DamagedRecording(CaptureError):
    """A recording that cannot be taken as it is; `damage` says why."""

    def __init__(self, path: Path, damage: tuple[Damage, ...]) -> None:
        flaws = "; ".join(f"line {flaw.line}: {flaw.what}" + f" ({flaw.count} such)" * (flaw.count > 1)
                         for flaw in damage[:SHOWN])
        super().__init__(f"{path}: {flaws}; --repair leaves out what is named, and counts it")
        self.damage = damage


def ingest(path: Path, columns: ColumnMap | ScreenMap, *, process: str | None = None, repair: bool = False,
           about: Mapping[str, Any] | None = None, progress: "Progress | None" = None) -> Ingested:
    """Reads a recording.

    Args:
        path: the file, packed or not.
        columns: which column means what; or that it is a film of the screen.
        process: whose frames, where the file holds several programs'.
        repair: leave out the lines that are damaged; after a gap, keep the longest stretch. The capture is marked.
        about: what else the capture shall say of itself.
        progress: of a film, is called with how many pictures are read, and how many there are.

    Raises:
        Damaged: something is wrong with it, and it was not to be repaired.
        CaptureError: it cannot be read, lacks a column, holds several programs, or its unit cannot be right.
    """
    if isinstance(columns, ScreenMap):
        capture, _ = columns.frames(path, progress)
        origin = {**capture.about, "columns": columns.model_dump(), **(about or {})}
        return Ingested(replace(capture, about=origin), (), 0)
    rows = read_rows(path, columns.numbers, columns.texts)
    ingested = _ingest(path, rows, columns, process, dict(about or {}))
    if ingested.damage and rows.row is None:  # read again, so that every line is named as an editor counts
        rows = read_rows(path, columns.numbers, columns.texts, exact=True)
        ingested = _ingest(path, rows, columns, process, dict(about or {}))
    if ingested.damage and not repair:
        raise DamagedRecording(path, ingested.damage)
    return ingested


def programs_in(path: Path, columns: ColumnMap | ScreenMap) -> list[str]:
    """The programs whose frames a recording holds; none, where the map names no column for that.

    Raises:
        CaptureError: it cannot be read, or lacks the column.
    """
    if isinstance(columns, ScreenMap) or columns.process is None:
        return []
    return sorted(set(read_rows(path, columns.numbers, columns.texts).texts[columns.process].astype(str)))


def _ingest(path: Path, rows: Rows, columns: ColumnMap, process: str | None, about: dict[str, Any]) -> Ingested:
    keep = _of_process(path, rows, columns, process)
    times = _scaled(rows.numbers[columns.time], columns.to_ms)
    result: list[Damage] = _unreadable(rows)
    bad = keep & ~np.isfinite(times)
    result += _damage(rows, np.flatnonzero(bad), "no number in the column of times")
    keep &= ~bad
    if columns.means == "stamps":
        keep, more = _rising(rows, times, keep)
    else:
        keep, more = _positive(rows, times, keep)
    result += more
    index = None if keep.all() else np.flatnonzero(keep)  # None stands for all, as it nearly always is: no copies then
    times = _at(times, index)
    shown = times if columns.means == "stamps" else np.cumsum(times)
    if shown.size < 2:
        raise CaptureError(f"{path}: fewer than two frames can be read of it")
    steps = np.diff(shown)
    typical = float(np.median(steps[::1 + steps.size // TYPICAL_OF]))
    _check_rate(path, typical, columns)
    chosen, gaps = _longest_stretch(rows, steps, typical, index)
    result += gaps
    dropped = 0
    if columns.dropped:
        was_shown = np.asarray(_at(rows.texts[columns.dropped], index) != columns.dropped_when)
        dropped = int((~was_shown).sum())
        chosen = was_shown if chosen is None else chosen & was_shown
    if chosen is not None:
        index = np.flatnonzero(chosen) if index is None else index[chosen]
        shown = shown[chosen]
    if shown.size < 2:
        raise CaptureError(f"{path}: fewer than two frames are left of it")
    del steps, times  # of a long recording each is a third of what is kept
    begin = 0.0 if columns.means == "intervals" else shown[0]
    cpu, gpu = (_stage(rows, column, index, columns) for column in (columns.cpu, columns.gpu))
    series = {name: _at(rows.numbers[column], index) for name, column in columns.said.items()}
    if columns.means == "intervals" and (chosen is None or chosen[0]):  # the first interval has a beginning, too
        shown = np.concatenate(([0.0], shown))
        cpu, gpu = (np.concatenate((values[:1], values)) for values in (cpu, gpu))
        series = {name: np.concatenate((values[:1], values)) for name, values in series.items()}
    shown = shown - begin
    segments = _segments(_at(rows.texts[columns.marker], index), shown) if columns.marker else {}
    program = {"program": str(rows.texts[columns.process][keep][0])} if columns.process else {}
    origin = {"source": path.name, **program, "columns": columns.model_dump(exclude_none=True), **about,
            **({"repaired": [dict(flaw.__dict__) for flaw in result]} if result else {}),
            **({"dropped_frames": dropped} if dropped else {}),
            **({"segments": {name: list(span) for name, span in segments.items()}} if segments else {})}
    capture = Capture(shown, cpu_ms=cpu, gpu_ms=gpu, about=origin, telemetry=_series(shown, series))
    return Ingested(capture, tuple(result), dropped, segments, float(begin) if columns.means == "stamps" else None)


def _scaled(values: Floats, factor: float) -> Floats:
    return values if factor == 1 else values * factor


def _at(values: NDArray[Any], index: NDArray[np.intp] | None) -> NDArray[Any]:
    """Values of some rows, or of all."""
    return values if index is None else values[index]


def _of_process(path: Path, rows: Rows, columns: ColumnMap, process: str | None) -> NDArray[np.bool_]:
    size = rows.numbers[columns.time].size
    if not size:
        raise CaptureError(f"{path} holds no rows of data")
    if columns.process is None:
        return np.ones(size, dtype=bool)
    names, counts = np.unique(rows.texts[columns.process].astype(str), return_counts=True)
    if process is None and names.size > 1:
        most = sorted(zip(names, counts.tolist(), strict=True), key=lambda pair: -pair[1])[:6]
        listed = ", ".join(f"{name} ({counted(count, 'row')})" for name, count in most)
        raise CaptureError(f"{path} holds several programs: {listed}; say which with --process")
    if process is not None and process not in names:
        raise CaptureError(f"{path} holds nothing of {process}; it holds {', '.join(names[:6])}")
    return np.asarray(rows.texts[columns.process] == (process if process is not None else names[0]))


def _unreadable(rows: Rows) -> list[Damage]:
    result: dict[str, list[int]] = {}
    for line, reason in rows.unreadable:
        result.setdefault(reason, []).append(line)
    return [Damage(lines[0], entry, len(lines)) for entry, lines in result.items()]


def _damage(rows: Rows, indices: NDArray[np.intp], reason: str) -> list[Damage]:
    return [Damage(rows.line(int(indices[0])), reason, int(indices.size))] if indices.size else []


def _rising(rows: Rows, times: Floats, keep: NDArray[np.bool_]) -> tuple[NDArray[np.bool_], list[Damage]]:
    """Which stamps go on from the latest before them, and what is wrong with the others."""
    if keep.all() and (times[1:] > times[:-1]).all():  # as it nearly always is
        return keep, []
    index = np.flatnonzero(keep)
    latest = np.maximum.accumulate(times[index])
    step = np.diff(times[index], prepend=-np.inf)
    goes_on = np.concatenate(([True], times[index][1:] > latest[:-1])) if index.size else np.empty(0, dtype=bool)
    back, same = index[~goes_on & (step < 0)], index[~goes_on & (step >= 0)]
    kept = keep.copy()
    kept[index[~goes_on]] = False
    return kept, [*_damage(rows, back, f"time runs backwards by {_worst(step[~goes_on & (step < 0)])} ms"),
                  *_damage(rows, same, "time does not move on")]


def _worst(steps: Floats) -> str:
    return f"{-float(steps[0]):.3g}" if steps.size else "0"


def _positive(rows: Rows, times: Floats, keep: NDArray[np.bool_]) -> tuple[NDArray[np.bool_], list[Damage]]:
    zero, negative = keep & (times == 0), keep & (times < 0)
    return keep & (times > 0), [*_damage(rows, np.flatnonzero(zero), "an interval of nothing"),
                                *_damage(rows, np.flatnonzero(negative), "a negative interval")]


def _check_rate(path: Path, typical_ms: float, columns: ColumnMap) -> None:
    fps = 1000 / typical_ms if typical_ms > 0 else float("inf")
    if not SLOWEST_FPS <= fps <= FASTEST_FPS:
        raise CaptureError(f"{path}: in {columns.unit} that is {fps:.3g} frames a second: the unit cannot be right; "
                           "choose s, ms, us, ns, or ticks with their rate")


def _longest_stretch(rows: Rows, steps: Floats, typical_ms: float,
                     index: NDArray[np.intp] | None) -> tuple[NDArray[np.bool_] | None, list[Damage]]:
    """The frames of the longest stretch without a gap (None: all of them), and the gaps."""
    gaps = np.flatnonzero(steps > max(GAP_MS, GAP_TIMES * typical_ms))
    if not gaps.size:
        return None, []
    size = steps.size + 1
    edges = np.concatenate(([0], gaps + 1, [size]))
    longest = int(np.argmax(np.diff(edges)))
    kept = np.zeros(size, dtype=bool)
    kept[edges[longest]:edges[longest + 1]] = True
    first = int(gaps[0])
    line = rows.line(first + 1 if index is None else int(index[first + 1]))
    return kept, [Damage(line, f"a gap of {steps[first] / 1000:.1f} s", int(gaps.size))]


def _stage(rows: Rows, column: str | None, index: NDArray[np.intp] | None, columns: ColumnMap) -> Floats:
    if column is None:
        return np.empty(0)
    values = _scaled(_at(rows.numbers[column], index), IN_MS[columns.stage_unit])
    return values if values.size and values.min() >= 0 and values.max() < np.inf else np.empty(0)


def _series(shown: Floats, columns: Mapping[str, Floats]) -> dict[str, Series]:
    """The series of a machine, from a value beside each frame; what is not a number was not said."""
    result = {}
    for name, values in columns.items():
        finite = np.isfinite(values)
        if finite.any():
            result[name] = Series(shown[finite], values[finite])
    return result


def _segments(markers: NDArray[np.object_], shown: Floats) -> dict[str, tuple[float, float]]:
    """Each marker's span, from its first frame to the first of the next; one that comes again is distinguished."""
    markers = np.concatenate((markers[:shown.size - markers.size], markers))  # a first interval has a beginning, too
    starts = np.flatnonzero(np.concatenate(([True], markers[1:] != markers[:-1])))
    if starts.size > MOST_SEGMENTS:
        raise CaptureError(f"the column of markers changes {starts.size - 1} times: {MOST_SEGMENTS} segments can be "
                           "told apart; is it the right column?")
    ends = [*(shown[place] for place in starts[1:]), shown[-1]]
    result: dict[str, tuple[float, float]] = {}
    times: Counter[str] = Counter()
    for start, end in zip(starts, ends, strict=True):
        name = str(markers[start])
        times[name] += 1
        if name:
            result[name if times[name] == 1 else f"{name} ({times[name]})"] = (float(shown[start]), float(end))
    return result
