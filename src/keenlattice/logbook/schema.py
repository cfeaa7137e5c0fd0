"""The SQLite file of a logbook: opened, made, and its errors put into plain words."""

import sqlite3
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from keenlattice.errors import BookError

APPLICATION_ID = 0x4B4C4231
FILE = "logbook.sqlite"

STEPS = ("""
CREATE TABLE versions (
    number INTEGER PRIMARY KEY, id TEXT NOT NULL UNIQUE, profile TEXT NOT NULL, entries TEXT NOT NULL,
    parents TEXT NOT NULL, note TEXT NOT NULL, author TEXT NOT NULL, time TEXT NOT NULL);
CREATE INDEX versions_by_profile ON versions (profile, number);
CREATE TABLE applies (
    number INTEGER PRIMARY KEY, time TEXT NOT NULL, rig TEXT NOT NULL, profile TEXT NOT NULL, version TEXT NOT NULL,
    restore_point TEXT NOT NULL, left_as TEXT NOT NULL, undone TEXT);
CREATE TABLE captures (
    number INTEGER PRIMARY KEY, file TEXT NOT NULL UNIQUE, time TEXT NOT NULL, rig TEXT NOT NULL, game TEXT NOT NULL,
    version TEXT NOT NULL, about TEXT NOT NULL);
CREATE TABLE trials (
    number INTEGER PRIMARY KEY, time TEXT NOT NULL, rig TEXT NOT NULL, game TEXT NOT NULL,
    before TEXT NOT NULL, after TEXT NOT NULL, result TEXT NOT NULL, captures TEXT NOT NULL);
""", """
CREATE TABLE labels (profile TEXT NOT NULL, label TEXT NOT NULL, version TEXT NOT NULL, PRIMARY KEY (profile, label));
CREATE INDEX trials_by_versions ON trials (before, after);
""", """
ALTER TABLE applies ADD COLUMN kind TEXT NOT NULL DEFAULT 'apply';
ALTER TABLE applies ADD COLUMN what TEXT NOT NULL DEFAULT '';
ALTER TABLE applies ADD COLUMN target INTEGER;
ALTER TABLE applies ADD COLUMN token TEXT NOT NULL DEFAULT '';
UPDATE applies SET kind = 'chore', what = 'a chore' WHERE profile = 'chore';
CREATE TABLE sheets (number INTEGER PRIMARY KEY, time TEXT NOT NULL, rig TEXT NOT NULL, sheet TEXT NOT NULL);
""", """
CREATE TABLE maps (name TEXT PRIMARY KEY, header TEXT NOT NULL, map TEXT NOT NULL);
""", """
CREATE TABLE studies (
    number INTEGER PRIMARY KEY, time TEXT NOT NULL, rig TEXT NOT NULL, kind TEXT NOT NULL, plan TEXT NOT NULL,
    result TEXT);
CREATE TABLE runs (
    study INTEGER NOT NULL, place INTEGER NOT NULL, arm TEXT NOT NULL, seed INTEGER NOT NULL, file TEXT NOT NULL,
    excluded TEXT NOT NULL);
CREATE INDEX runs_by_study ON runs (study, place);
""")
"""What each form of the file adds to the one before: a newer Keen Lattice brings an older file up to date."""

FORM = len(STEPS)


@contextmanager
def plain_errors(folder: Path) -> Iterator[None]:
    """What SQLite and the disk have to say, as a BookError."""
    try:
        yield
    except sqlite3.Error as error:
        raise BookError(f"the logbook {folder}: {error}; is there room, may you write there, is it whole? "
                        "Another folder can be given with --book") from None
    except OSError as error:
        raise BookError(f"the logbook {folder}: {error.strerror}; another folder can be given with --book") from None


def connect(folder: Path) -> sqlite3.Connection:
    """The open SQLite file of a logbook, which is made where there is nothing yet.

    Raises:
        BookError: the folder holds something else, a newer form, or cannot be used.
    """
    with plain_errors(folder):
        _refuse_other_folders(folder)
        folder.mkdir(parents=True, exist_ok=True)
        connection = sqlite3.connect(folder / FILE, timeout=10, isolation_level=None)
        connection.row_factory = sqlite3.Row
        (form,) = connection.execute("PRAGMA user_version").fetchone()
        if form < FORM:
            _bring_up_to_date(connection)
        elif form > FORM:
            raise BookError(f"the logbook {folder} has form {form}; this Keen Lattice knows form {FORM}: update it")
        return connection


def _refuse_other_folders(folder: Path) -> None:
    if folder.exists() and not folder.is_dir():
        raise BookError(f"{folder} is a file; a logbook is a folder: give another one with --book")
    if folder.is_dir() and not (folder / FILE).exists() and any(folder.iterdir()):
        raise BookError(f"{folder} holds other things and no logbook: give an empty or a new folder with --book")


def _bring_up_to_date(connection: sqlite3.Connection) -> None:
    connection.execute("PRAGMA journal_mode = WAL")
    connection.execute("BEGIN IMMEDIATE")
    (form,) = connection.execute("PRAGMA user_version").fetchone()
    for step in STEPS[form:]:  # none, if another process was quicker
        for statement in step.split(";"):
            connection.execute(statement)
    connection.execute(f"PRAGMA application_id = {APPLICATION_ID}")
    connection.execute(f"PRAGMA user_version = {FORM}")
    connection.execute("COMMIT")
