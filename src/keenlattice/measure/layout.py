"""How a text file is laid out: encoding, delimiter, decimal sign, where its header is. Told from its first lines."""

import bz2
import codecs
import gzip
import lzma
import re
import zlib
from collections import Counter
from collections.abc import Callable, Sequence
from functools import lru_cache
from pathlib import Path
from typing import IO, Any

from keenlattice.errors import CaptureError
from keenlattice.files import check_regular, marked_encoding
from keenlattice.quickly import dataclass

SAMPLE_BYTES = 64 * 1024
MOST_BYTES = 4 * 2**30
DELIMITERS = (",", ";", "\t", "|", " ")
COMMENT = ("#", "//", "%")
NUMBER = re.compile(r"[+-]?(?:\d+(?:[.,]\d*)?|[.,]\d+)(?:[eE][+-]?\d+)?$")
UNREADABLE = (OSError, EOFError, ValueError, lzma.LZMAError, zlib.error)  # what damaged packing may raise
OPENERS: dict[str, Callable[..., Any]] = {".gz": gzip.open, ".bz2": bz2.open, ".xz": lzma.open}


@dataclass(frozen=True)
class Layout:
    """How a text file of columns is laid out.

    Args:
        encoding: of the text, behind `bom` bytes of mark.
        delimiter: between cells; "" for a single column.
        decimal: the decimal sign.
        skip: lines before the first row of data, the header included.
        header: the columns' names; `column 1` and so on where the file has none.
        rows: the first rows of data, for showing.
    """

    encoding: str
    bom: int
    delimiter: str
    decimal: str
    skip: int
    header: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]


def opened(path: Path) -> IO[bytes]:
    """A file's bytes, unpacked if its name says that they are packed (.gz, .bz2, .xz).

    Raises:
        CaptureError: it cannot be opened.
    """
    try:
        check_regular(path)
        file: IO[bytes] = OPENERS.get(path.suffix.lower(), open)(path, "rb")
        return file
    except OSError as error:
        raise CaptureError(f"cannot open {path}: {error.strerror}") from None


def sample(path: Path) -> bytes:
    """The beginning of a file.

    Raises:
        CaptureError: it cannot be read, or is empty.
    """
    try:
        with opened(path) as file:
            begin = file.read(SAMPLE_BYTES)
    except UNREADABLE as error:
        raise CaptureError(f"cannot read {path}: {str(error) or 'it was cut short'}") from None
    if not begin.strip(b"\0 \r\n\t"):
        raise CaptureError(f"{path} is empty: nothing was recorded")
    return begin


def layout_of(path: Path) -> Layout:
    """The layout of a text file of columns.

    Raises:
        CaptureError: it holds no columns of numbers, as far as its beginning tells.
    """
    try:
        status = path.stat()
    except OSError as error:
        raise CaptureError(f"cannot open {path}: {error.strerror}") from None
    return _layout_of(path, status.st_size, status.st_mtime_ns)


@lru_cache(maxsize=8)  # a recording is asked several times: what it is, by which map, and then all of it
def _layout_of(path: Path, _size: int, _written: int) -> Layout:
    begin = sample(path)
    bom, encoding = _encoding(begin)
    try:
        text = begin[bom:].decode(encoding, errors="ignore" if encoding == "utf-8" else "replace")
    except UnicodeError:
        raise CaptureError(f"{path} is not text that can be told") from None
    lines = text.splitlines()
    if len(begin) == SAMPLE_BYTES:
        lines = lines[:-1]  # the last one is cut
    if not lines:
        raise CaptureError(f"{path} is not text that can be told")
    layouts = [_laid_out(lines, delimiter) for delimiter in (*DELIMITERS, "")]
    best = max(layouts, key=lambda layout: (layout[0], -_unclean(lines[layout[2]], layout[1])))
    length, delimiter, first = best
    if not length:
        raise CaptureError(f"{path} holds no columns of numbers in its first lines; is it a recording?")
    rows = [cells_of(line, delimiter) for line in lines[first:first + length]]
    header = _header(lines[:first], delimiter, len(rows[0]))
    commas = sum(cell.count(",") for row in rows for cell in row if NUMBER.match(cell))
    return Layout(encoding, bom, delimiter, "," if delimiter != "," and commas else ".", first, header,
                  tuple(tuple(row) for row in rows[:200]))


def _encoding(begin: bytes) -> tuple[int, str]:
    bom, name = marked_encoding(begin)
    if bom:
        return len(bom), name
    if begin[1:2] == b"\0":
        return 0, "utf-16-le"
    try:
        codecs.getincrementaldecoder("utf-8")().decode(begin)
    except UnicodeDecodeError:
        return 0, "latin-1"
    return 0, "utf-8"


def _laid_out(lines: Sequence[str], delimiter: str) -> tuple[int, str, int]:
    """How many rows of data there are from the first on, under a delimiter, and where that first one is.

    A row of data has as many cells as the next one, at least one of them a number. Longest wins; among equals the
    delimiter that is asked about first, and a single column last.
    """
    kinds = [_kind(line, delimiter) for line in lines]
    from_here, after = [0] * len(lines), Counter[int]()  # how many lines of its kind there are from each one on
    for first in range(len(lines) - 1, -1, -1):
        if kinds[first]:
            after[kinds[first]] += 1
            from_here[first] = after[kinds[first]]
    best = (0, delimiter, 0)
    for first, same in enumerate(from_here):
        if not same:
            continue
        if same > best[0] or not best[0]:
            best = (same, delimiter, first)
        if same * 2 > len(lines) - first:  # it goes on like this: no later start can be better
            break
    return best


def _kind(line: str, delimiter: str) -> int:
    """How many cells a row of data has; 0 for a line that is none."""
    if line.startswith(COMMENT) or not line.strip():
        return 0
    cells = cells_of(line, delimiter)
    return 0 if (delimiter and len(cells) < 2) or not any(NUMBER.match(cell) for cell in cells) else len(cells)


def _unclean(line: str, delimiter: str) -> int:
    """Cells of a line that are not numbers and hold another delimiter: under the right one there are fewest."""
    return sum(not NUMBER.match(cell) and any(delimiter in cell for delimiter in DELIMITERS[:-1])
               for cell in cells_of(line, delimiter))


def cells_of(line: str, delimiter: str) -> list[str]:
    """The cells of a line under a delimiter, without blanks and quotes around them."""
    if delimiter == " ":
        return line.split()
    return [cell.strip().strip('"') for cell in (line.split(delimiter) if delimiter else [line])]


def _header(before: Sequence[str], delimiter: str, columns: int) -> tuple[str, ...]:
    """The names of the columns: the last line before the data that has as many cells, none of them a number."""
    unnamed = tuple(f"column {number}" for number in range(1, columns + 1))
    for line in reversed(before):
        cells = cells_of(line.lstrip("#/% ") if line.startswith(COMMENT) else line, delimiter)
        if len(cells) == columns and not any(NUMBER.match(cell) for cell in cells):
            named = [name or unnamed[number] for number, name in enumerate(cells)]
            return tuple(name if named.index(name) == number else f"{name} ({number + 1})"
                         for number, name in enumerate(named))
    return unnamed
