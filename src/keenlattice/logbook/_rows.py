"""What a row of the logbook holds, each value held against its form: somebody else may have written it."""

import math
import re
import sqlite3
from typing import Any

from keenlattice._safejson import parse_json
from keenlattice.profile.version import Version

LONGEST_TEXT = 20_000
PROFILE = re.compile(r"[a-z][a-z0-9-]{0,79}")
RIG = re.compile(r"[^\x00-\x1f]{1,80}")
ID = re.compile(r"[0-9a-f]{64}")
TOKEN = re.compile(r"[0-9a-zA-Z_-]{0,64}")
TIME = re.compile(r"\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d[+\d:.Z-]{0,12}")
FILE_NAME = re.compile(r"[a-z0-9][A-Za-z0-9._+-]{0,199}\.parquet")
LARGEST = 10**300


class Damaged(Exception):
    """A row that is not as Keen Lattice writes it."""


def text(row: sqlite3.Row, column: str, form: re.Pattern[str] | None = None) -> str:
    """A text, of that form if one is given."""
    value = row[column]
    if not isinstance(value, str) or len(value) > LONGEST_TEXT or (form and not form.fullmatch(value)):
        raise Damaged(column)
    return value


def whole(row: sqlite3.Row, column: str) -> int:
    """A whole number."""
    value = row[column]
    if not isinstance(value, int):
        raise Damaged(column)
    return value


def table_in(row: sqlite3.Row, column: str, *, finite: bool = True) -> dict[str, Any]:
    """A JSON object."""
    found = _parsed(row, column, finite)
    if not isinstance(found, dict):
        raise Damaged(column)
    return found


def texts_in(row: sqlite3.Row, column: str) -> list[str]:
    """A JSON list of texts."""
    found = _parsed(row, column, True)
    if not isinstance(found, list) or not all(isinstance(one, str) for one in found):
        raise Damaged(column)
    return found


def _parsed(row: sqlite3.Row, column: str, finite: bool) -> Any:
    value = row[column]
    if not isinstance(value, str):
        raise Damaged(column)
    try:
        return parse_json(value, finite=finite)
    except ValueError:
        raise Damaged(column) from None


def is_entries(found: object) -> bool:
    """Whether that can be what a profile sets: names to texts and numbers."""
    return isinstance(found, dict) and all(
        isinstance(key, str) and len(key) < 200 and _is_value(value) for key, value in found.items())


def _is_value(value: object) -> bool:
    if isinstance(value, str):
        return len(value) <= LONGEST_TEXT
    return math.isfinite(value) if isinstance(value, float) else isinstance(value, int) and abs(value) < LARGEST


def version(row: sqlite3.Row) -> Version:
    """A version, which its id says to be what was written."""
    entries, parents = table_in(row, "entries"), texts_in(row, "parents")
    if not is_entries(entries) or not all(ID.fullmatch(one) for one in parents):
        raise Damaged("entries")
    found = Version(text(row, "profile", PROFILE), entries, tuple(parents), text(row, "note"), text(row, "author"),
                    text(row, "time", TIME))
    if found.id != row["id"]:
        raise Damaged(f"version {found.profile}@{str(row['id'])[:8]}, whose hash differs")
    return found


def unreadable(made: Version) -> str:
    """Why a version could not be read again, once it were kept; empty if it could."""
    if not PROFILE.fullmatch(made.profile):
        return "a profile is named in small letters, digits and dashes, 80 of them at most"
    if max(len(made.note), len(made.author)) > LONGEST_TEXT:
        return f"a note has {LONGEST_TEXT} letters at most"
    return "" if is_entries(dict(made.entries)) else "its values have to be texts, numbers, or true and false"


def profile(row: sqlite3.Row) -> str:
    """Whose settings: a game's name, or `rig`; empty for a chore."""
    return text(row, "profile", PROFILE) if row["profile"] else ""


