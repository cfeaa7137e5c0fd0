"""What kind of file a recording is, its columns, and its first rows."""

import json
from pathlib import Path
from typing import Any

from keenlattice.errors import CaptureError
from keenlattice.measure.film import is_film
from keenlattice.measure.layout import layout_of, sample


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
    """The names of a file's columns, and its first rows as text; a film has its size, and no rows.

    Raises:
        CaptureError: it holds none.
        NeedsInstalling: a film, and the extra `film` is not installed.
    """
    if is_film(path):
        from keenlattice.measure.film.reader import film_header

        return film_header(path), ()
    kind = kind_of(path)
    if kind == "text":
        layout = layout_of(path)
        return layout.header, layout.rows
    records = _first_of_parquet(path) if kind == "parquet" else _first_records(path)
    names = tuple(dict.fromkeys(key for record in records for key in record))
    if not names:
        raise CaptureError(f"{path} holds no columns")
    return names, tuple(tuple("" if record.get(name) is None else str(record[name]) for name in names)
                        for record in records)


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
    records = []
    for line in sample(path).decode("utf-8-sig", errors="replace").splitlines()[:200]:
        try:
            record = json.loads(line)
        except (ValueError, RecursionError):
            continue
        if isinstance(record, dict):
            records.append(record)
    if not records:
        raise CaptureError(f"{path} looks like JSON Lines, but holds no object a line")
    return records
