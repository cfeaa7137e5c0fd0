"""The evidence of the newest pool, kept beside the logbook's file: what a pool is added to, and computed again from."""

import os
import secrets
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from keenlattice.errors import BookError
from keenlattice.logbook import _rows as read
from keenlattice.logbook.file import BookFile, not_a_link, now
from keenlattice.logbook.schema import plain_errors

POOL = "pool"
PATIENCE_S = 600.0


@contextmanager
def pooling(book: BookFile) -> Iterator[None]:
    """Keep every other process from pooling in this logbook meanwhile.

    Raises:
        BookError: one was at it, and still was after PATIENCE_S.
    """
    from filelock import FileLock, Timeout

    book.check_writable()
    folder = not_a_link(book.folder / POOL)
    with plain_errors(book.folder):
        folder.mkdir(exist_ok=True)
        lock = FileLock(folder / "pooling.lock")
        try:
            lock.acquire(timeout=PATIENCE_S)
        except Timeout:
            raise BookError(f"another keen is pooling in {book.folder}: wait for it to end, then repeat this") from None
    try:
        yield
    finally:
        lock.release()


@contextmanager
def new_evidence(book: BookFile) -> Iterator[Path]:
    """A new file for evidence (Parquet), to be written in the body; it has its name only once that is through.

    Raises:
        BookError: it cannot be written.
    """
    book.check_writable()
    folder = not_a_link(book.folder / POOL)
    name = f"evidence-{now()[:19].replace(':', '')}-{secrets.token_hex(4)}.parquet"
    unfinished = folder / f"{name}.part"
    with plain_errors(book.folder):
        folder.mkdir(exist_ok=True)
        for left in folder.glob("*.part"):
            left.unlink(missing_ok=True)
    try:
        yield unfinished
        with plain_errors(book.folder):
            with unfinished.open("rb+") as file:
                os.fsync(file.fileno())
            unfinished.replace(folder / name)
    finally:
        unfinished.unlink(missing_ok=True)


def name_of(unfinished: Path) -> str:
    """The name that a file gets once it is written."""
    return unfinished.name.removesuffix(".part")


def evidence_file(book: BookFile, name: str) -> Path:
    """The file of that name.

    Raises:
        BookError: it is gone, or no file of this folder.
    """
    if not read.FILE_NAME.fullmatch(name):
        raise BookError(f"the logbook {book.folder}: {name[:60]!r} cannot be the name of evidence")
    path = not_a_link(not_a_link(book.folder / POOL) / name)
    if not path.is_file():
        raise BookError(f"{path} is gone: the logbook keeps the evidence of its newest pool alone")
    return path


def forget_evidence(book: BookFile, but: str) -> None:
    """Removes the evidence of earlier pools.

    Args:
        but: the file that stays.
    """
    book.check_writable()
    folder = not_a_link(book.folder / POOL)
    with plain_errors(book.folder):
        for path in folder.glob("evidence-*.parquet*"):
            if path.name != but:
                path.unlink(missing_ok=True)
