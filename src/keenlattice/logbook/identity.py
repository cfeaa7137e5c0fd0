"""Whose a logbook is: known by an id, of which this user's state folder has its own folder.

A logbook whose id has none was made elsewhere: by another user, on another machine, or by a Keen Lattice from before
there were ids. It is opened for reading alone, until it is taken over. One that was moved keeps its id; a copy is
given its own id once both are there, and a copy of all that lies in the state folder, so that each goes on alone.
"""

import os
import re
import secrets
import shutil
import sqlite3
from pathlib import Path

from keenlattice._state_folder import make_private, state_folder
from keenlattice.errors import BookError
from keenlattice.files import replace_file
from keenlattice.logbook.schema import is_there, peek

WHERE = "where"


def new_id() -> str:
    """An id that no other logbook has."""
    return secrets.token_hex(16)


def state_of(book_id: str) -> Path:
    """The folder among the user's state that belongs to the logbook of that id."""
    return state_folder() / "books" / book_id


def is_ours(book_id: str) -> bool:
    """Whether the logbook of that id was made, or taken over, by this user on this machine."""
    return re.fullmatch(r"[0-9a-f]{32}", book_id) is not None and state_of(book_id).is_dir()


def claim(book_id: str, folder: Path) -> None:
    """Makes the logbook of that id this user's, and notes down where it is.

    Raises:
        BookError: the state folder cannot be written.
    """
    try:
        make_private(state_of(book_id))
        replace_file(state_of(book_id) / WHERE, os.path.realpath(folder).encode("utf-8", "surrogateescape"))
    except OSError as error:
        raise BookError(f"cannot write {state_of(book_id)}: {error.strerror}; another folder for your state can be "
                        "given in the environment, as KEEN_STATE") from None


def disown(book_id: str) -> None:
    """Lets go of an id that no logbook has come to have."""
    shutil.rmtree(state_of(book_id), ignore_errors=True)


def where_is(book_id: str) -> Path | None:
    """Where the logbook of that id was when it was last opened, if it is still there."""
    last = _last_seen(book_id) if is_ours(book_id) else None
    try:
        return Path(last) if last and id_in(Path(last)) == book_id else None
    except (OSError, ValueError, BookError):
        return None


def id_in(folder: Path) -> str:
    """The id of the logbook in a folder; empty if there is none, or of an older form."""
    return peek(folder, read_id) if is_there(folder) else ""


def read_id(connection: sqlite3.Connection) -> str:
    """The id that an open file holds; empty if it has none."""
    row = connection.execute("SELECT id FROM book").fetchone()
    return str(row[0]) if row else ""


def settle_whereabouts(connection: sqlite3.Connection, book_id: str, folder: Path) -> str:
    """Notes down where a logbook of ours is now; a copy is distinguished from its original, and given its own id.

    Returns: the id that it has from now on.
    """
    last = _last_seen(book_id)
    if last == os.path.realpath(folder):
        return book_id
    before = where_is(book_id)
    if before is None or before.samefile(folder):
        claim(book_id, folder)
        return book_id
    return _part(connection, book_id, folder)


def _last_seen(book_id: str) -> str | None:
    try:
        return os.fsdecode((state_of(book_id) / WHERE).read_bytes())
    except OSError:
        return None


def _part(connection: sqlite3.Connection, book_id: str, folder: Path) -> str:
    """Gives a copy its own id and state."""
    connection.execute("BEGIN IMMEDIATE")
    try:
        now = read_id(connection)
        if now == book_id:  # no other process was quicker
            now = new_id()
            shutil.copytree(state_of(book_id), state_of(now), ignore=shutil.ignore_patterns(
                WHERE, "change.lock", "change.lock.holder"))
            claim(now, folder)
            connection.execute("UPDATE book SET id = ?", (now,))
        connection.execute("COMMIT")
        return now
    except BaseException:
        connection.execute("ROLLBACK")
        raise
