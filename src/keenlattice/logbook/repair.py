"""Repairing a logbook that holds rows it refuses to read: what an earlier Keen Lattice wrote beyond its own limits.

A text that is too long is shortened, a column map gets a name that can be read, and a study whose plan cannot be read
is moved, with its runs, to a file beside the logbook. A version is never changed: its id is the hash of all of it.
"""

import json
import re
from collections.abc import Callable, Mapping
from typing import Any

from keenlattice.errors import BookError
from keenlattice.logbook import _rows as read
from keenlattice.logbook._captures import capture_in, map_in
from keenlattice.logbook._versions import label_in
from keenlattice.logbook.applies import apply_in, sheet_in
from keenlattice.logbook.file import BookFile
from keenlattice.logbook.kept import Study, run_in, study_in
from keenlattice.logbook.schema import plain_errors

FORMS: Mapping[str, Callable[[read.BookRow], object]] = {
    "versions": read.version, "labels": label_in, "applies": apply_in, "sheets": sheet_in, "captures": capture_in,
    "maps": map_in, "studies": study_in, "runs": run_in}
SET_ASIDE = "set-aside.jsonl"
SHORTENED = 200  # letters that stay of a text that is too long
CUT = "... (cut)"


def repair(book: BookFile, check_study: Callable[[Study], object]) -> list[str]:
    """Repair every row that cannot be read, and return what was done, a sentence for each.

    Args:
        book: one of this user's.
        check_study: raises a BookError for a study whose plan or result cannot be read.

    Raises:
        BookError: the logbook was made elsewhere, or cannot be written.
    """
    done: list[str] = []
    with book.together():
        for table, form in FORMS.items():
            for row in book.rows(dict, f"SELECT rowid AS row_id, * FROM {table}"):
                if sentence := _repaired(book, table, form, row, check_study):
                    done.append(sentence)
    return done


def _repaired(book: BookFile, table: str, form: Callable[[read.BookRow], object], row: dict[str, Any],
              check_study: Callable[[Study], object]) -> str:
    """Repair one row if it needs it; returns what was done, or ""."""
    wrong = _wrong(form, row)
    if wrong is None:
        return _checked_study(book, row, check_study) if table == "studies" else ""
    name, column = f"{table} {row['row_id']}", str(wrong)
    if table == "versions":
        return f"{name} cannot be read ({column} {wrong.why}) and stays: put the logbook back from a copy"
    fixed = _fixed(book, table, row, column)
    if fixed is not None and _wrong(form, {**row, column: fixed}) is None:
        book.update(f"UPDATE {table} SET {column} = ? WHERE rowid = ?", fixed, row["row_id"])
        return f"{name}: {column} {wrong.why}. It reads now: {fixed[:40]}{'...' if len(fixed) > 40 else ''}"
    return _moved(book, table, row, f"{column} {wrong.why}")


def _wrong(form: Callable[[read.BookRow], object], row: dict[str, Any]) -> read.Damaged | None:
    try:
        form(row)
    except read.Damaged as error:
        return error
    return None


def _fixed(book: BookFile, table: str, row: dict[str, Any], column: str) -> str | None:
    """The nearest text that a column takes; None if there is none."""
    value = row.get(column)
    if not isinstance(value, str):
        return None
    if table == "maps" and column == "name":
        return _free_name(book, re.sub(r"[^a-z0-9]+", "-", value.lower()).strip("-")[:60])
    return value[:SHORTENED] + CUT if len(value) > read.LONGEST_TEXT else None


def _free_name(book: BookFile, wanted: str) -> str:
    """A name of a column map that nothing has yet."""
    names = set(book.rows(lambda row: str(row["name"]), "SELECT name FROM maps"))
    name = wanted if wanted[:1].isalpha() else f"map-{wanted}".rstrip("-")
    numbered = (name if number == 1 else f"{name}-{number}" for number in range(1, 10_000))
    return next(free for free in numbered if free not in names)


def _checked_study(book: BookFile, row: dict[str, Any], check_study: Callable[[Study], object]) -> str:
    try:
        check_study(study_in(row))
    except BookError as error:
        return _moved(book, "studies", row, str(error))
    return ""


def _moved(book: BookFile, table: str, row: dict[str, Any], why: str) -> str:
    """Move a row, and the runs of a study, to the file of what was set aside."""
    rows = [(table, row)]
    if table == "studies":
        rows += [("runs", run) for run in book.rows(dict, "SELECT rowid AS row_id, * FROM runs WHERE study = ?",
                                                    row["number"])]
    path = book.folder / SET_ASIDE
    with plain_errors(book.folder), path.open("a", encoding="utf-8") as file:
        file.writelines(json.dumps({"table": table, **content}, default=repr) + "\n" for table, content in rows)
    for name, content in rows:
        book.update(f"DELETE FROM {name} WHERE rowid = ?", content["row_id"])
    return f"{table} {row['row_id']} cannot be read ({why[:200]}): moved to {path}"
