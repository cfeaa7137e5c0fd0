"""The SQLite file of a logbook: made, opened, held against its form; and its errors in plain words.

The file may come from a stranger. So nothing in it is asked for before its header and its schema are ours to the
letter: no trigger, no view, no function runs.
"""

import os
import shutil
import sqlite3
import stat
import tempfile
import weakref
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

from keenlattice.errors import BookError, way
from keenlattice.logbook._rows import Damaged

APPLICATION_ID = 0x4B4C4231
FILE = "logbook.sqlite"
UNFINISHED = ".new-logbook-"
ELSEWHERE = "elsewhere"      # stands for the time of the undo, of an apply to another machine's rig
MOST_BYTES = 2 * 2**30       # of a logbook that is opened for reading alone, which is copied first
LONGEST_VALUE = 64 * 2**20   # bytes

FORM = 1
SCHEMA = """
CREATE TABLE book (id TEXT NOT NULL);
CREATE TABLE versions (
    number INTEGER PRIMARY KEY, id TEXT NOT NULL UNIQUE, profile TEXT NOT NULL, entries TEXT NOT NULL,
    parents TEXT NOT NULL, note TEXT NOT NULL, author TEXT NOT NULL, time TEXT NOT NULL);
CREATE INDEX versions_by_profile ON versions (profile, number);
CREATE TABLE labels (profile TEXT NOT NULL, label TEXT NOT NULL, version TEXT NOT NULL, PRIMARY KEY (profile, label));
CREATE TABLE applies (
    number INTEGER PRIMARY KEY, time TEXT NOT NULL, rig TEXT NOT NULL, kind TEXT NOT NULL, profile TEXT NOT NULL,
    version TEXT NOT NULL, what TEXT NOT NULL, target INTEGER, token TEXT NOT NULL, undone TEXT);
CREATE TABLE sheets (number INTEGER PRIMARY KEY, time TEXT NOT NULL, rig TEXT NOT NULL, sheet TEXT NOT NULL);
CREATE TABLE captures (
    number INTEGER PRIMARY KEY, file TEXT NOT NULL UNIQUE, time TEXT NOT NULL, rig TEXT NOT NULL, game TEXT NOT NULL,
    version TEXT NOT NULL, about TEXT NOT NULL);
CREATE TABLE maps (name TEXT PRIMARY KEY, header TEXT NOT NULL, map TEXT NOT NULL);
CREATE TABLE studies (
    number INTEGER PRIMARY KEY, time TEXT NOT NULL, rig TEXT NOT NULL, kind TEXT NOT NULL, plan TEXT NOT NULL,
    result TEXT, before TEXT NOT NULL, after TEXT NOT NULL);
CREATE INDEX studies_by_versions ON studies (before, after);
CREATE TABLE runs (
    study INTEGER NOT NULL, place INTEGER NOT NULL, arm TEXT NOT NULL, seed INTEGER NOT NULL, file TEXT NOT NULL,
    excluded TEXT NOT NULL);
CREATE INDEX runs_by_study ON runs (study, place);
"""


@contextmanager
def plain_errors(folder: Path) -> Iterator[None]:
    """What SQLite and the disk have to say, as a BookError."""
    try:
        yield
    except Damaged as error:
        raise BookError(f"the logbook {folder} has a row that cannot be read ({error} {error.why}): "
                        f"{way('keen rig recover', 'ws.repair()')} repairs what can be repaired; else put it back from "
                        "a copy") from None
    except OverflowError:
        raise BookError(f"the logbook {folder} has no number so large") from None
    except UnicodeError:
        raise BookError(f"the logbook {folder}: a text that is not Unicode cannot be kept: type it again") from None
    except sqlite3.Error as error:
        raise BookError(f"the logbook {folder}: {error}; is there room, may you write there, is it whole? "
                        "Another folder can be given with --book") from None
    except OSError as error:
        raise BookError(f"the logbook {folder}: {error.strerror or error}; another folder can be given with --book"
                        ) from None


def make(folder: Path, book_id: str) -> None:
    """Makes the file of a new logbook; if another process is quicker, there is that one's.

    Raises:
        BookError: it cannot be written.
    """
    with plain_errors(folder):
        folder.mkdir(parents=True, exist_ok=True)
        handle, name = tempfile.mkstemp(dir=folder, prefix=UNFINISHED)
        os.close(handle)
        try:
            with _open(Path(name)) as connection:
                connection.execute("PRAGMA journal_mode = WAL")
                _fill(connection, book_id)
            connection.close()
            with suppress(FileExistsError):
                _put_unless_there(Path(name), folder / FILE)
        finally:
            Path(name).unlink(missing_ok=True)


def _put_unless_there(new: Path, path: Path) -> None:
    try:
        os.link(new, path)
    except FileExistsError:
        raise
    except OSError:  # a disk without hard links
        if not path.exists():
            new.rename(path)


def is_there(folder: Path) -> bool:
    """Whether a folder has a logbook's file, whatever it is."""
    return os.path.lexists(folder / FILE)


def check_file(folder: Path) -> None:
    """Check by its first bytes that the file is a logbook's.

    Raises:
        BookError: it is empty, a link, another program's, or of another form than this Keen Lattice writes.
    """
    path = folder / FILE
    with plain_errors(folder):
        if not stat.S_ISREG(path.lstat().st_mode):
            raise BookError(f"{path} is a link or no file: a logbook's is neither; it is left alone")
        with path.open("rb") as file:
            header = file.read(100)
    if not header:
        raise BookError(f"{path} is empty: put it back from a copy, or move it away to begin again")
    if header[:16] != b"SQLite format 3\0" or len(header) < 100:
        raise BookError(f"{path} is damaged, or is not a logbook: put it back from a copy, or give another folder with "
                        "--book")
    if int.from_bytes(header[68:72], "big") != APPLICATION_ID:
        raise BookError(f"{path} belongs to another program: it is left as it is; give another folder with --book")
    _check_form(int.from_bytes(header[60:64], "big"), folder)


def _check_form(form: int, folder: Path) -> None:
    if form != FORM:
        raise BookError(f"the logbook {folder} has form {form}; this Keen Lattice reads form {FORM}: update it")


def connect(folder: Path) -> sqlite3.Connection:
    """The open file of a logbook, as it is.

    Raises:
        BookError: it is none, cannot be used, or holds more than tables of ours.
    """
    check_file(folder)
    with plain_errors(folder):
        connection = _open(folder / FILE)
        _check_schema(connection, folder)
        return connection


def peek(folder: Path, ask: Callable[[sqlite3.Connection], str]) -> str:
    """Return the answer to a question about a logbook's file, without a trace in its folder.

    Raises:
        BookError: as `connect`.
    """
    check_file(folder)
    with plain_errors(folder):
        connection = sqlite3.connect(f"{(folder / FILE).as_uri()}?mode=ro&immutable=1", uri=True)
        try:
            _check_schema(connection, folder)
            return ask(connection)
        finally:
            connection.close()


def connect_to_read(folder: Path) -> "tuple[sqlite3.Connection, tempfile.TemporaryDirectory[str]]":
    """Return a copy of somebody else's logbook, and the folder that it lies in while it is needed.

    Raises:
        BookError: as `connect`, or it is too large.
    """
    check_file(folder)
    with plain_errors(folder):
        parts = [path for name in (FILE, f"{FILE}-wal") if (path := folder / name).exists()]
        if any(not stat.S_ISREG(path.lstat().st_mode) for path in parts):
            raise BookError(f"the logbook {folder} holds a link where its file should be: it is not read")
        if sum(path.stat().st_size for path in parts) > MOST_BYTES:
            raise BookError(f"the logbook {folder} is larger than {MOST_BYTES >> 30} GiB: it is not read")
        scratch = tempfile.TemporaryDirectory(prefix="keen-")
        for path in parts:
            shutil.copyfile(path, Path(scratch.name) / path.name)
        connection = _open(Path(scratch.name) / FILE)
        weakref.finalize(scratch, connection.close)  # before the folder goes: Windows keeps a file that is open
        _check_schema(connection, folder)
        forget_applies(connection)
        return connection, scratch


def forget_applies(connection: sqlite3.Connection) -> None:
    """Of all that was done to a rig nothing counts as done here: it was another machine's."""
    connection.execute("UPDATE applies SET undone = ? WHERE undone IS NULL", (ELSEWHERE,))


def _open(path: Path) -> sqlite3.Connection:
    connection = sqlite3.connect(path, timeout=10, isolation_level=None)
    connection.row_factory = sqlite3.Row
    connection.setlimit(sqlite3.SQLITE_LIMIT_LENGTH, LONGEST_VALUE)
    connection.execute("PRAGMA trusted_schema = OFF")
    connection.execute("PRAGMA cell_size_check = ON")
    return connection


def _schema(connection: sqlite3.Connection) -> set[tuple[str, str, str]]:
    rows = connection.execute("SELECT type, name, sql FROM sqlite_master").fetchall()
    return {(str(row[0]), str(row[1]), "".join(str(row[2]).replace('"', "").split())) for row in rows}


def _check_schema(connection: sqlite3.Connection, folder: Path) -> None:
    (form,) = connection.execute("PRAGMA user_version").fetchone()
    _check_form(form, folder)
    ours = sqlite3.connect(":memory:")
    ours.executescript(SCHEMA)
    odd = _schema(connection) ^ _schema(ours)
    ours.close()
    if odd:
        kind, name, _ = min(odd)
        raise BookError(f"the logbook {folder} is not as Keen Lattice makes it ({kind} {name!r}): it was tampered "
                        "with, and is not read; put it back from a copy")


def _fill(connection: sqlite3.Connection, book_id: str) -> None:
    """Makes the tables of a new logbook."""
    connection.executescript(f"BEGIN IMMEDIATE; {SCHEMA}")
    connection.execute("INSERT INTO book (id) VALUES (?)", (book_id,))
    connection.execute(f"PRAGMA application_id = {APPLICATION_ID}")
    connection.execute(f"PRAGMA user_version = {FORM}")
    connection.execute("COMMIT")


def refuse_other_folders(folder: Path) -> None:
    """Whether a logbook may be made in a folder.

    Raises:
        BookError: it is a file, holds other things, or cannot be read.
    """
    with plain_errors(folder):
        _check_folder(folder)


def _check_folder(folder: Path) -> None:
    if folder.exists() and not folder.is_dir():
        raise BookError(f"{folder} is a file; a logbook is a folder: give another one with --book")
    names = [name for name in os.listdir(folder) if not name.startswith(UNFINISHED)] if folder.is_dir() else []
    if names and not is_there(folder):  # asked in this order: another process may make it in between
        raise BookError(f"{folder} holds other things and no logbook: give an empty or a new folder with --book")
