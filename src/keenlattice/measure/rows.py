"""The columns of a recording as arrays: from CSV and its kin, JSON Lines or Parquet, packed or not."""

import csv
import io
import json
from array import array
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from keenlattice.errors import CaptureError, way
from keenlattice.files import check_regular, replace_file
from keenlattice.measure.capture import Capture, Floats
from keenlattice.measure.header import header_of, kind_of
from keenlattice.measure.layout import COMMENT, MOST_BYTES, OPENERS, UNREADABLE, Layout, cells_of, layout_of, opened
from keenlattice.measure.parquet import STAGE_COLUMNS
from keenlattice.measure.series import Series
from keenlattice.quickly import dataclass
from keenlattice.safejson import parse_json

# The first line is a comment with what the capture is about, as JSON; then a header, then one row per event: `kind`
# ("frame" or "click"), `at_ms`, `answer_ms`, `cpu_ms`, `gpu_ms`, then the stages of clicks that are known, as in
# Parquet; what is not known is empty. Numbers are written so that they read back exactly. What the machine said of
# itself follows as rows `telemetry,AT_MS,SOURCE,VALUE`, in a file of form 2.

BEGIN = "# keen-lattice capture "
FORM, WITH_TELEMETRY = 1, 2
TELEMETRY = "telemetry"
COLUMNS = ("kind", "at_ms", "answer_ms", "cpu_ms", "gpu_ms")
MOST_OWN_BYTES = 2 * 2**30


def write_text(capture: Capture, path: Path) -> None:
    """Writes a capture as CSV, whole or not at all.

    Raises:
        CaptureError: it cannot be written there.
    """
    out = io.StringIO()
    of_clicks = [_texts(times) for times in capture.stage_ms.values()]
    header = (*COLUMNS, *(STAGE_COLUMNS[name] for name in capture.stage_ms))
    form = WITH_TELEMETRY if capture.telemetry else FORM
    out.write(f"{BEGIN}{json.dumps({'form': form, **capture.about})}\n{','.join(header)}\n")
    more = "," * len(of_clicks)
    none = [""] * capture.shown_ms.size
    stages = [_texts(times) if times.size else none for times in (capture.cpu_ms, capture.gpu_ms)]
    out.writelines(f"frame,{at},,{cpu},{gpu}{more}\n"
                   for at, cpu, gpu in zip(_texts(capture.shown_ms), *stages, strict=True))
    out.writelines(f"click,{','.join((at, answer, '', '', *stages))}\n" for at, answer, *stages in zip(
        _texts(capture.click_ms), _texts(capture.answer_ms), *of_clicks, strict=True))
    for name, series in capture.telemetry.items():
        out.writelines(f"{TELEMETRY},{at},{name},{value}\n" for at, value in zip(
            _texts(series.at_ms), _texts(series.values), strict=True))
    try:
        replace_file(path, out.getvalue().encode())
    except OSError as error:
        raise CaptureError(f"cannot write {path}: {error.strerror}") from None


def _texts(values: Floats) -> list[str]:
    return ["" if value != value else repr(value) for value in values.tolist()]


def read_text(path: Path) -> Capture:
    """Reads a capture that `write_text` wrote.

    Raises:
        CaptureError: not there, cut short, or not a capture of ours.
    """
    try:
        check_regular(path)
        if path.stat().st_size > MOST_OWN_BYTES:
            raise CaptureError(f"{path} is larger than {MOST_OWN_BYTES >> 30} GiB: not read")
        lines = path.read_text(encoding="utf-8").splitlines()
    except (OSError, UnicodeError) as error:
        raise CaptureError(f"cannot read {path}: {error}") from None
    header = tuple(lines[1].split(",")) if len(lines) > 1 and lines[0].startswith(BEGIN) else ()
    stages = [name for name, column in STAGE_COLUMNS.items() if column in header[len(COLUMNS):]]
    if header != (*COLUMNS, *(STAGE_COLUMNS[name] for name in stages)):
        raise CaptureError(f"{path}: CSV, perhaps, but not a capture of Keen Lattice; "
                           f"{way('keen ingest', 'ws.recordings.ingest(FILE)')} reads others")
    try:
        about = parse_json(lines[0].removeprefix(BEGIN), finite=False)
        if about.pop("form") not in (FORM, WITH_TELEMETRY):
            raise CaptureError(f"{path}: another form of a capture than {FORM} and {WITH_TELEMETRY}: update Keen "
                               "Lattice")
        series, rows = dict[str, list[tuple[float, float]]](), list[tuple[str | float, ...]]()
        for kind, *cells in csv.reader(lines[2:]):
            if kind == TELEMETRY:
                at, name, value = cells
                series.setdefault(name, []).append((float(at), float(value or "nan")))
            else:
                rows.append((kind, *(float(cell or "nan") for cell in cells)))
        if any(len(row) != len(header) for row in rows):
            raise ValueError("a row has more cells than others, or fewer")
        numbers = np.array([row[1:] for row in rows], dtype=np.float64).reshape(-1, len(header) - 1)
        frames = np.array([row[0] == "frame" for row in rows], dtype=bool)
    except (ValueError, KeyError, TypeError, AttributeError, csv.Error) as error:
        raise CaptureError(f"{path}: not the columns of a capture: {error}; was it cut short?") from None
    cpu, gpu = (values if values.size and not np.isnan(values).any() else np.empty(0)
                for values in (numbers[frames, 2], numbers[frames, 3]))
    of_clicks = {name: numbers[~frames, len(COLUMNS) - 1 + place] for place, name in enumerate(stages)}
    telemetry = {name: Series(*np.array(samples).T) for name, samples in series.items()}
    return Capture(numbers[frames, 0], numbers[~frames, 0], numbers[~frames, 1], cpu, gpu, about, of_clicks, telemetry)


RELEASE_EVERY = 32  # batches
LONGEST_LINE = 2**20
MOST_ROWS = 50_000_000     # of a Parquet file that is taken whole: a few bytes of it may stand for any number
LEAST_UNPACKED, MOST_TIMES_PACKED, MOST_PACKED_ROWS = 16 * 2**20, 60, 1_000_000

Texts = NDArray[np.object_]


@dataclass(frozen=True)
class Rows:
    """Columns of a file.

    Args:
        numbers: name to values, NaN where a number is missing; shape (rows,).
        texts: name to texts; shape (rows,).
        row: where each row is in the file, counted from 1 as an editor does; None if it is simply `first` onwards.
        first: the line of the first row.
        unreadable: the lines that were no row of data, with what they hold instead.
    """

    numbers: dict[str, Floats]
    texts: dict[str, Texts]
    row: NDArray[np.int64] | None
    first: int
    unreadable: tuple[tuple[int, str], ...] = ()

    def line(self, index: int) -> int:
        """Where a row is in the file."""
        return self.first + index if self.row is None else int(self.row[index])


def read_rows(path: Path, numbers: Sequence[str], texts: Sequence[str], *, exact: bool = False) -> Rows:
    """Reads some columns of a file.

    Args:
        exact: whether the number of every line is to be known; else lines that are empty may not be counted.

    Raises:
        CaptureError: it cannot be read, or lacks one of them.
    """
    kind, layout = _known(path, numbers, texts)
    if path.stat().st_size > MOST_BYTES:
        raise _too_large(path)
    if kind == "parquet":
        return _of_arrow(_parquet(path, [*numbers, *texts]), path, numbers, texts, 1)
    if layout is None:
        return _in_columns(_rows_of_json(path, numbers, texts), numbers, texts)
    quick = None if exact else _quickly(path, layout, numbers, texts)
    return quick or _in_columns(_rows_of_text(path, layout, numbers, texts), numbers, texts)


def _known(path: Path, numbers: Sequence[str], texts: Sequence[str]) -> tuple[str, Layout | None]:
    """What kind of file it is, how a text is laid out; all columns are there."""
    kind = kind_of(path)
    layout = layout_of(path) if kind == "text" else None
    header = layout.header if layout else header_of(path)[0]
    missing = [name for name in (*numbers, *texts) if name not in header]
    if missing:
        raise CaptureError(f"{path} has no column {missing[0]!r}; it has {', '.join(header)}")
    return kind, layout


def _parquet(path: Path, columns: list[str]) -> Any:
    import pyarrow as pa
    import pyarrow.parquet as pq

    check_rows(path)
    try:
        return pq.read_table(path, columns=columns)
    except (OSError, pa.ArrowException) as error:
        raise CaptureError(f"cannot read {path}: {str(error).splitlines()[0]}; it may have been cut short") from None


def check_rows(path: Path) -> None:
    """Whether a Parquet file has no more rows than can be taken whole, before any is read.

    Raises:
        CaptureError: it has, or cannot be read.
    """
    import pyarrow as pa
    import pyarrow.parquet as pq

    try:
        metadata = pq.read_metadata(path)
    except (OSError, pa.ArrowException) as error:
        raise CaptureError(f"cannot read {path}: {str(error).splitlines()[0]}; it may have been cut short") from None
    size = sum(metadata.row_group(group).total_byte_size for group in range(metadata.num_row_groups))
    if metadata.num_rows > MOST_ROWS or size > MOST_BYTES:
        raise CaptureError(f"{path} holds {metadata.num_rows} rows, {size >> 20} MiB unpacked: too many to be read; "
                           "record a shorter run")


def _as_floats(column: Any, path: Path, name: str) -> Floats:
    try:
        return np.asarray(column.to_numpy(zero_copy_only=False), dtype=np.float64)
    except (ValueError, TypeError):
        raise CaptureError(f"{path}: the column {name} holds no numbers") from None


def _unquoted(values: Sequence[Any]) -> Texts:
    return np.array(["" if value is None else str(value).strip().strip('"') for value in values], dtype=object)


def _as_texts(values: Sequence[Any]) -> Texts:
    return np.array(["" if value is None else str(value) for value in values], dtype=object)


def _quickly(path: Path, layout: Layout, numbers: Sequence[str], texts: Sequence[str]) -> Rows | None:
    """The common case: every row is data. None if it is not so."""
    import pyarrow as pa
    from pyarrow import csv

    if not _may_be_plain(path, layout):
        return None
    try:
        table = csv.read_csv(str(path), **_arrow_options(layout, numbers, texts))
        words = {name: _unquoted(table[name].to_pylist()) for name in texts}
        batches = table.to_batches()
        del table
        columns = _emptied(batches, numbers)
        if any(np.isnan(values.min()) or np.isinf(values.max()) for values in columns.values() if values.size):
            return None
        return Rows(columns, words, None, layout.skip + 1)
    except (pa.ArrowException, OSError, UnicodeError, KeyError):
        return None


def _emptied(batches: list[Any], numbers: Sequence[str]) -> dict[str, Floats]:
    """Columns out of batches, each of which is let go once it is copied: there are never two of everything."""
    import pyarrow as pa

    columns = {name: np.empty(sum(batch.num_rows for batch in batches)) for name in numbers}
    at = 0
    for count, batch in enumerate(iter(lambda: batches.pop(0) if batches else None, None)):
        for name, values in columns.items():
            values[at:at + batch.num_rows] = batch.column(name).to_numpy(zero_copy_only=False)
        at += batch.num_rows
        if count % RELEASE_EVERY == 0:
            pa.default_memory_pool().release_unused()
    return columns


def _may_be_plain(path: Path, layout: Layout) -> bool:
    return bool(layout.delimiter) and layout.delimiter != " " and not layout.encoding.startswith("utf-16") \
        and path.suffix.lower() not in OPENERS  # what is unpacked has to be bounded on the way


def _arrow_options(layout: Layout, numbers: Sequence[str], texts: Sequence[str]) -> dict[str, Any]:
    import pyarrow as pa
    from pyarrow import csv

    types = {**dict.fromkeys(numbers, pa.float64()), **dict.fromkeys(texts, pa.string())}
    return {"read_options": csv.ReadOptions(column_names=list(layout.header), skip_rows=layout.skip,
                                            encoding="utf8" if layout.encoding == "utf-8" else layout.encoding),
            # a quote begins nothing here, as in the exact reader: a stray one would swallow lines
            "parse_options": csv.ParseOptions(delimiter=layout.delimiter, quote_char=False),
            "convert_options": csv.ConvertOptions(include_columns=[*numbers, *texts], decimal_point=layout.decimal,
                                                  column_types=types)}


def _too_large(path: Path) -> CaptureError:
    return CaptureError(f"{path} is too large to be read (over {MOST_BYTES >> 30} GiB, or packed over "
                        f"{MOST_PACKED_ROWS:,} rows or {MOST_TIMES_PACKED} times its size); record a "
                        "shorter run")


def _lines(path: Path, layout: Layout) -> Iterator[str]:
    """The lines of a text file, never more of it than MOST_BYTES."""
    taken, most = 0, MOST_BYTES
    try:
        with opened(path) as raw:
            raw.read(layout.bom)
            packed = path.suffix.lower() in OPENERS
            if packed:  # what unpacks to thousands of times its size is not a recording
                most = min(most, max(LEAST_UNPACKED, MOST_TIMES_PACKED * path.stat().st_size))
            text = io.TextIOWrapper(raw, layout.encoding, errors="replace", newline=None)
            for number, line in enumerate(iter(lambda: text.readline(LONGEST_LINE + 1), "")):
                if packed and number > MOST_PACKED_ROWS:
                    raise _too_large(path)
                if len(line) > LONGEST_LINE:
                    raise CaptureError(f"{path} has a line of more than {LONGEST_LINE >> 20} MB: that is not a "
                                       f"recording")
                taken += len(line)
                if taken > most:
                    raise _too_large(path)
                yield line.rstrip("\n")
    except UNREADABLE as error:
        raise CaptureError(f"cannot read {path}: {str(error) or 'it was cut short'}") from None


def _of_arrow(batch: Any, path: Path, numbers: Sequence[str], texts: Sequence[str], first: int) -> Rows:
    return Rows({name: _as_floats(batch.column(name), path, name) for name in numbers},
                {name: _unquoted(batch.column(name).to_pylist()) for name in texts}, None, first)


Row = tuple[int, list[float], list[str], str]
"""A line's number, its numbers, its texts; and what it is instead, if it is not a row of data."""


def _in_columns(lines: Iterator[Row], numbers: Sequence[str], texts: Sequence[str]) -> Rows:
    """Lines gathered into columns."""
    values = [array("d") for _ in numbers]  # a list would take four times the memory
    words: list[list[str]] = [[] for _ in texts]
    where = array("q")
    odd: list[tuple[int, str]] = []
    for number, cells, text_cells, wrong in lines:
        if wrong:
            odd.append((number, wrong))
            continue
        for column, value in zip(values, cells, strict=True):
            column.append(value)
        for column_of_texts, text in zip(words, text_cells, strict=True):
            column_of_texts.append(text)
        where.append(number)
    return Rows({name: np.array(column, dtype=np.float64) for name, column in zip(numbers, values, strict=True)},
                {name: _as_texts(column) for name, column in zip(texts, words, strict=True)},
                np.array(where, dtype=np.int64), where[0] if where else 1, tuple(odd))


def _rows_of_text(path: Path, layout: Layout, numbers: Sequence[str], texts: Sequence[str]) -> Iterator[Row]:
    """Whatever a recorder may have written between its rows: comments, headers again, empty cells, half a last line."""
    where = {name: number for number, name in enumerate(layout.header)}
    of_numbers, of_texts = [where[name] for name in numbers], [where[name] for name in texts]
    for number, line in enumerate(_lines(path, layout), 1):
        if number <= layout.skip or not line.strip() or line.startswith(COMMENT):
            continue
        cells = cells_of(line, layout.delimiter)
        if tuple(cells) == layout.header:
            continue  # a recorder that was started again into the same file
        if len(cells) != len(layout.header):
            yield number, [], [], f"{len(cells)} cells instead of {len(layout.header)}"
            continue
        yield (number, [_number(cells[place], layout.decimal) for place in of_numbers],
               [cells[text] for text in of_texts],
               "")


def _number(cell: str, decimal: str) -> float:
    try:
        return float(cell.replace(",", ".") if decimal == "," else cell)
    except ValueError:
        return float("nan")


def _rows_of_json(path: Path, numbers: Sequence[str], texts: Sequence[str]) -> Iterator[Row]:
    for number, line in enumerate(_lines(path, Layout("utf-8-sig", 0, "", ".", 0, (), ())), 1):
        if not line.strip():
            continue
        try:
            record = json.loads(line)
        except (ValueError, RecursionError):
            record = None
        if not isinstance(record, dict):
            yield number, [], [], "no JSON object"
            continue
        yield (number, [_json_number(record.get(name)) for name in numbers],
               ["" if record.get(name) is None else str(record[name]) for name in texts], "")


def _json_number(value: Any) -> float:
    if isinstance(value, int | float) and not isinstance(value, bool) and abs(value) < 1e300:
        return float(value)
    return _number(str(value), ".")
