"""The columns of a recording as arrays: from CSV and its kin, JSON Lines or Parquet, packed or not."""

import io
import json
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from keenlattice.errors import CaptureError
from keenlattice.measure.capture import Floats
from keenlattice.measure.layout import COMMENT, MOST_BYTES, OPENERS, Layout, cells_of, layout_of, opened, sample

Texts = NDArray[np.object_]


@dataclass(frozen=True)
class Rows:
    """Columns of a file.

    Args:
        numbers: name to values, NaN where there is no number; shape (rows,).
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


def kind_of(path: Path) -> str:
    """What a file is: "parquet", "json" (JSON Lines) or "text" (columns), by its first bytes.

    Raises:
        CaptureError: it cannot be read, or is empty.
    """
    begin = sample(path)
    if begin.startswith(b"PAR1"):
        return "parquet"
    return "json" if begin.lstrip(b"\xef\xbb\xbf \r\n").startswith(b"{") else "text"


def header_of(path: Path) -> tuple[tuple[str, ...], tuple[tuple[str, ...], ...]]:
    """The names of a file's columns, and its first rows as text.

    Raises:
        CaptureError: it holds none.
    """
    kind = kind_of(path)
    if kind == "text":
        layout = layout_of(path)
        return layout.header, layout.rows
    records = _first_of_parquet(path) if kind == "parquet" else _first_records(path)
    names = tuple(dict.fromkeys(key for one in records for key in one))
    return names, tuple(tuple("" if one.get(name) is None else str(one[name]) for name in names) for one in records)


def _first_of_parquet(path: Path) -> list[dict[str, Any]]:
    import pyarrow as pa
    import pyarrow.parquet as pq

    try:
        first = next(pq.ParquetFile(path).iter_batches(batch_size=200), None)
    except (OSError, pa.ArrowException) as error:
        raise CaptureError(f"cannot read {path}: {str(error).splitlines()[0]}; it may have been cut short") from None
    if first is None:
        raise CaptureError(f"{path} holds no rows of data")
    return list(first.to_pylist())


def _first_records(path: Path) -> list[dict[str, Any]]:
    found = []
    for line in sample(path).decode("utf-8-sig", errors="replace").splitlines()[:200]:
        try:
            record = json.loads(line)
        except (ValueError, RecursionError):
            continue
        if isinstance(record, dict):
            found.append(record)
    if not found:
        raise CaptureError(f"{path} looks like JSON Lines, but holds no object a line")
    return found


def read_rows(path: Path, numbers: Sequence[str], texts: Sequence[str], *, exact: bool = False) -> Rows:
    """Reads some columns of a file.

    Args:
        exact: whether the number of every line is to be known; else lines that are empty may not be counted.

    Raises:
        CaptureError: it cannot be read, or lacks one of them.
    """
    kind = kind_of(path)
    layout = layout_of(path) if kind == "text" else None
    header = layout.header if layout else header_of(path)[0]
    missing = [name for name in (*numbers, *texts) if name not in header]
    if missing:
        raise CaptureError(f"{path} has no column {missing[0]!r}; it has {', '.join(header)}")
    if kind == "parquet":
        table = _parquet(path, [*numbers, *texts])
        return Rows({name: _as_floats(table[name], path, name) for name in numbers},
                    {name: _as_texts(table[name].to_pylist()) for name in texts}, None, 1)
    if kind == "json":
        return _from_json(path, numbers, texts)
    assert layout is not None
    quick = None if exact else _quickly(path, layout, numbers, texts)
    return quick or _line_by_line(path, layout, numbers, texts)


def _parquet(path: Path, columns: list[str]) -> Any:
    import pyarrow as pa
    import pyarrow.parquet as pq

    try:
        return pq.read_table(path, columns=columns)
    except (OSError, pa.ArrowException) as error:
        raise CaptureError(f"cannot read {path}: {str(error).splitlines()[0]}; it may have been cut short") from None


def _as_floats(column: Any, path: Path, name: str) -> Floats:
    try:
        return np.asarray(column.to_numpy(), dtype=np.float64)
    except (ValueError, TypeError):
        raise CaptureError(f"{path}: the column {name} holds no numbers") from None


def _as_texts(values: Sequence[Any]) -> Texts:
    return np.array(["" if value is None else str(value) for value in values], dtype=object)


def _quickly(path: Path, layout: Layout, numbers: Sequence[str], texts: Sequence[str]) -> Rows | None:
    """The common case: every row is data. None if it is not so."""
    import pyarrow as pa
    from pyarrow import csv

    if not layout.delimiter or layout.delimiter == " " or layout.encoding.startswith("utf-16") or \
            path.suffix.lower() in OPENERS:  # what is unpacked has to be bounded on the way
        return None
    try:
        table = csv.read_csv(
            str(path),
            read_options=csv.ReadOptions(column_names=list(layout.header), skip_rows=layout.skip,
                                         encoding="utf8" if layout.encoding == "utf-8" else layout.encoding),
            parse_options=csv.ParseOptions(delimiter=layout.delimiter),
            convert_options=csv.ConvertOptions(
                include_columns=[*numbers, *texts], decimal_point=layout.decimal,
                column_types={**dict.fromkeys(numbers, pa.float64()), **dict.fromkeys(texts, pa.string())}))
        found = {name: table[name].to_numpy() for name in numbers}
        if any(np.isnan(values.min()) or np.isinf(values.max()) for values in found.values() if values.size):
            return None
        return Rows(found, {name: _as_texts(table[name].to_pylist()) for name in texts}, None, layout.skip + 1)
    except (pa.ArrowException, OSError, UnicodeError, KeyError):
        return None


def _lines(path: Path, layout: Layout) -> Iterator[str]:
    """The lines of a text file, never more of it than MOST_BYTES."""
    taken = 0
    try:
        with opened(path) as raw:
            raw.read(layout.bom)
            for line in io.TextIOWrapper(raw, layout.encoding, errors="replace", newline=None):
                taken += len(line)
                if taken > MOST_BYTES:
                    raise CaptureError(f"{path} is larger than {MOST_BYTES >> 30} GiB once unpacked: not read")
                yield line.rstrip("\n")
    except (OSError, EOFError, ValueError) as error:
        raise CaptureError(f"cannot read {path}: {str(error) or 'it was cut short'}") from None


def _line_by_line(path: Path, layout: Layout, numbers: Sequence[str], texts: Sequence[str]) -> Rows:
    """Whatever a recorder may have written between its rows: comments, headers anew, empty cells, half a last line."""
    where = {name: number for number, name in enumerate(layout.header)}
    values: list[list[float]] = [[] for _ in numbers]
    words: list[list[str]] = [[] for _ in texts]
    rows: list[int] = []
    odd: list[tuple[int, str]] = []
    for number, line in enumerate(_lines(path, layout), 1):
        if number <= layout.skip or not line.strip():
            continue
        if line.startswith(COMMENT):
            continue
        cells = cells_of(line, layout.delimiter)
        if tuple(cells) == layout.header:
            continue  # a recorder that was started again into the same file
        if len(cells) != len(layout.header):
            odd.append((number, f"{len(cells)} cells instead of {len(layout.header)}"))
            continue
        for column, name in zip(values, numbers, strict=True):
            column.append(_number(cells[where[name]], layout.decimal))
        for texts_of, name in zip(words, texts, strict=True):
            texts_of.append(cells[where[name]])
        rows.append(number)
    return Rows({name: np.array(column, dtype=np.float64) for name, column in zip(numbers, values, strict=True)},
                {name: _as_texts(column) for name, column in zip(texts, words, strict=True)},
                np.array(rows, dtype=np.int64), layout.skip + 1, tuple(odd))


def _number(cell: str, decimal: str) -> float:
    try:
        return float(cell.replace(",", ".") if decimal == "," else cell)
    except ValueError:
        return float("nan")


def _from_json(path: Path, numbers: Sequence[str], texts: Sequence[str]) -> Rows:
    values: list[list[float]] = [[] for _ in numbers]
    words: list[list[str]] = [[] for _ in texts]
    rows, odd = [], []
    for number, line in enumerate(_lines(path, Layout("utf-8-sig", 0, "", ".", 0, (), ())), 1):
        if not line.strip():
            continue
        try:
            record = json.loads(line)
        except (ValueError, RecursionError):
            record = None
        if not isinstance(record, dict):
            odd.append((number, "no JSON object"))
            continue
        for column, name in zip(values, numbers, strict=True):
            value = record.get(name)
            column.append(float(value) if isinstance(value, int | float) and not isinstance(value, bool)
                          and abs(value) < 1e300 else _number(str(value), "."))
        for texts_of, name in zip(words, texts, strict=True):
            texts_of.append("" if record.get(name) is None else str(record[name]))
        rows.append(number)
    return Rows({name: np.array(column, dtype=np.float64) for name, column in zip(numbers, values, strict=True)},
                {name: _as_texts(column) for name, column in zip(texts, words, strict=True)},
                np.array(rows, dtype=np.int64), 1, tuple(odd))
