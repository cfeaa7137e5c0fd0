"""What a row of the logbook may hold. The same functions check a row before it is written and after it is read:
somebody else may have written it, and nothing that we write may be refused later."""

import json
import math
import re
from collections.abc import Callable
from typing import Any, Protocol

from keenlattice.errors import BadValue
from keenlattice.profile.version import Version
from keenlattice.safejson import parse_json

LONGEST_TEXT = 20_000
PROFILE = re.compile(r"[a-z][a-z0-9-]{0,79}")
RIG = re.compile(r"[^\x00-\x1f]{1,80}")
ID = re.compile(r"[0-9a-f]{64}")
TOKEN = re.compile(r"[0-9a-zA-Z_-]{0,64}")
TIME = re.compile(r"\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d[+\d:.Z-]{0,12}")
FILE_NAME = re.compile(r"[a-z0-9][A-Za-z0-9._+-]{0,199}\.parquet")
LARGEST = 10**300
FORMS = {PROFILE.pattern: "must be small letters, digits and dashes, at most 80, and begin with a letter"}
"""What a form asks for, in words, where a player chooses such a text."""


class BookRow(Protocol):
    """A row: one that SQLite gives, or one that is about to be written."""

    def __getitem__(self, column: str, /) -> Any: ...


class Damaged(Exception):
    """A row that is not as Keen Lattice writes it: which column, and what is wrong with it."""

    def __init__(self, column: str, why: str = "") -> None:
        super().__init__(column)
        self.why = why or "is not of its form"


def text(row: BookRow, column: str, form: re.Pattern[str] | None = None) -> str:
    """A text, of that form if one is given."""
    value = row[column]
    if not isinstance(value, str):
        raise Damaged(column, f"must be a text, not {type(value).__name__}")
    if len(value) > LONGEST_TEXT:
        raise Damaged(column, f"has {len(value):,} letters; {LONGEST_TEXT:,} are the most")
    if form and not form.fullmatch(value):
        raise Damaged(column, f"{value[:40]!r} {FORMS.get(form.pattern, 'is not of its form')}")
    return value


def whole(row: BookRow, column: str) -> int:
    """A whole number that SQLite can hold."""
    value = row[column]
    if not isinstance(value, int) or abs(value) >= 2**63:
        raise Damaged(column, "must be a whole number of at most 63 bits")
    return value


def table_in(row: BookRow, column: str, *, finite: bool = True) -> dict[str, Any]:
    """A JSON object."""
    content = _parsed(row, column, finite)
    if not isinstance(content, dict):
        raise Damaged(column)
    return content


def texts_in(row: BookRow, column: str) -> list[str]:
    """A JSON list of texts."""
    texts = _parsed(row, column, True)
    if not isinstance(texts, list) or not all(isinstance(text, str) for text in texts):
        raise Damaged(column)
    return texts


def _parsed(row: BookRow, column: str, finite: bool) -> Any:
    value = row[column]
    if not isinstance(value, str):
        raise Damaged(column, "must be JSON")
    try:
        return parse_json(value, finite=finite)
    except ValueError:
        raise Damaged(column) from None


def as_json(column: str, value: object) -> str:
    """A value as the JSON that its column holds.

    Raises:
        BadValue: JSON has no such value.
    """
    try:
        return json.dumps(value)
    except (TypeError, ValueError, RecursionError) as error:
        raise BadValue(f"the logbook cannot keep this: {column} {error}") from None


def check_row(table: str, form: Callable[[BookRow], object], row: BookRow) -> None:
    """Check that a row which is about to be written can be read back.

    Raises:
        BadValue: it could not; the message says which column is wrong.
    """
    try:
        form(row)
    except Damaged as error:
        raise BadValue(f"the logbook cannot keep this among its {table}: {error} {error.why}") from None


def is_entries(content: object) -> bool:
    """Whether that can be what a profile sets: names to texts and numbers."""
    return isinstance(content, dict) and all(
        isinstance(key, str) and len(key) < 200 and _is_value(value) for key, value in content.items())


def _is_value(value: object) -> bool:
    if isinstance(value, str):
        return len(value) <= LONGEST_TEXT
    return math.isfinite(value) if isinstance(value, float) else isinstance(value, int) and abs(value) < LARGEST


def version(row: BookRow) -> Version:
    """A version, which its id says to be what was written."""
    entries, parents = table_in(row, "entries"), texts_in(row, "parents")
    if not is_entries(entries) or not all(ID.fullmatch(parent) for parent in parents):
        raise Damaged("entries", "must be texts, numbers, or true and false")
    stored = Version(text(row, "profile", PROFILE), entries, tuple(parents), text(row, "note"), text(row, "author"),
                     text(row, "time", TIME))
    if stored.id != row["id"]:
        raise Damaged(f"version {stored.profile}@{str(row['id'])[:8]}, whose hash differs")
    return stored


def profile(row: BookRow) -> str:
    """Whose settings: a game's name, or `rig`; empty for a chore."""
    return text(row, "profile", PROFILE) if row["profile"] != "" else ""


