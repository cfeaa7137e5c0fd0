"""A logbook's folder and its file, open: what is asked of it, and what is written, each as one."""

import os
import sqlite3
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager, suppress
from datetime import UTC, datetime
from pathlib import Path
from typing import Literal, Self, TypeVar

from keenlattice._state_folder import expanded
from keenlattice.errors import BookError, way
from keenlattice.logbook._rows import BookRow, as_json, check_row
from keenlattice.logbook.identity import (
    claim,
    disown,
    is_ours,
    new_id,
    read_id,
    settle_whereabouts,
    state_of,
)
from keenlattice.logbook.schema import (
    connect,
    connect_to_read,
    is_there,
    make,
    peek,
    plain_errors,
    refuse_other_folders,
)

T = TypeVar("T")


def default_folder() -> Path:
    """`KEEN_BOOK`, else a folder among the user's data."""
    if chosen := os.environ.get("KEEN_BOOK"):
        return Path(chosen)
    from platformdirs import user_data_path

    return user_data_path("keen-lattice") / "book"


def now() -> str:
    """This moment, as the logbook writes it: ISO 8601, UTC, whole seconds."""
    return datetime.now(UTC).isoformat(timespec="seconds")


class BookFile:
    """A logbook folder. Every change to it is one transaction.

    One that was made elsewhere (`elsewhere`) is open for reading alone.

    Args:
        folder: where it is, or shall be; None for `default_folder()`.

    Raises:
        BookError: the folder holds something else, is damaged, or cannot be written.
    """

    def __init__(self, folder: Path | None = None) -> None:
        self.folder = expanded(folder or default_folder()).absolute()
        self._scratch = None
        if not is_there(self.folder):
            _begin(self.folder)
        self.elsewhere = not is_ours(peek(self.folder, read_id))
        self.id = ""
        if self.elsewhere:
            self._connection, self._scratch = connect_to_read(self.folder)
            self.state = Path(self._scratch.name) / "state"
        else:
            self._connection = connect(self.folder)
            with plain_errors(self.folder):
                self.id = settle_whereabouts(self._connection, read_id(self._connection), self.folder)
            self.state = state_of(self.id)

    def close(self) -> None:
        """Lets go of the file; nothing is lost without."""
        self._connection.close()
        if self._scratch:
            self._scratch.cleanup()

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    @property
    def address(self) -> tuple[str, str]:
        """Its id, and where it is: by these it is found again, even if it is moved."""
        return self.id, str(self.folder)

    def check_writable(self) -> None:
        """Whether it is this user's to write in.

        Raises:
            BookError: it was made elsewhere.
        """
        if self.elsewhere:
            raise BookError(f"the logbook {self.folder} was made elsewhere: it is open for reading alone; "
                            f"{way('keen takeover', 'keenlattice.workspace.look_at(FOLDER)')} says what it means to "
                            "make it yours")

    def rows(self, form: Callable[[sqlite3.Row], T], statement: str, *values: object) -> list[T]:
        """What a statement finds, each row as `form` reads it.

        Raises:
            BookError: a row is not of that form.
        """
        with plain_errors(self.folder):
            return [form(row) for row in self._connection.execute(statement, values)]

    def _first(self, form: Callable[[sqlite3.Row], T], statement: str, *values: object) -> T | None:
        return next(iter(self.rows(form, statement, *values)), None)

    def keep(self, table: str, form: Callable[[BookRow], object], row: Mapping[str, object], *,
             there_already: Literal["ABORT", "IGNORE", "REPLACE"] = "ABORT") -> int:
        """Write one row, if it can be read back, and return its number.

        Args:
            table: the table that it goes to.
            form: reads such a row, and so says whether this one can be read back.
            row: column to value; a dict or a list is kept as JSON.
            there_already: what becomes of it if its key is taken.

        Raises:
            BadValue: it could not be read back; nothing is written.
            BookError: it cannot be written, or the logbook was made elsewhere.
        """
        self.check_writable()
        values = {column: as_json(column, value) if isinstance(value, dict | list) else value
                  for column, value in row.items()}
        check_row(table, form, {"number": 0, **values})
        columns = ", ".join(values)
        with plain_errors(self.folder):
            return int(self._connection.execute(
                f"INSERT OR {there_already} INTO {table} ({columns}) VALUES ({', '.join('?' * len(values))})",
                tuple(values.values())).lastrowid or 0)

    def update(self, statement: str, *values: object) -> None:
        """Change rows by a statement whose values have been checked.

        Raises:
            BookError: it cannot be written, or the logbook was made elsewhere.
        """
        self.check_writable()
        with plain_errors(self.folder):
            self._connection.execute(statement, values)

    @contextmanager
    def together(self) -> Iterator[None]:
        """What is written within is written as one: all of it, or nothing. Within another, it is part of that one."""
        self.check_writable()
        if self._connection.in_transaction:
            yield
            return
        with plain_errors(self.folder):
            self._connection.execute("BEGIN IMMEDIATE")
        try:
            yield
        except BaseException:
            with suppress(sqlite3.Error):  # it may be gone already: a full disk ends a transaction by itself
                self._connection.execute("ROLLBACK")
            raise
        with plain_errors(self.folder):
            self._connection.execute("COMMIT")


def _begin(folder: Path) -> None:
    """Makes a new logbook. It is claimed first: one that nobody had claimed would be a stranger's."""
    refuse_other_folders(folder)
    made = new_id()
    claim(made, folder)
    try:
        make(folder, made)
    finally:
        if not is_there(folder) or peek(folder, read_id) != made:  # it failed, or another process was quicker
            disown(made)


def not_a_link(path: Path) -> Path:
    """The path, which may be missing, but leads nowhere else.

    Raises:
        BookError: it is a link.
    """
    if path.is_symlink():
        raise BookError(f"{path} is a link: in a logbook nothing is; it is not followed")
    return path
