"""The evidence of the newest pool, kept beside the logbook's file: what a pool is added to, and computed anew from."""

import secrets
from pathlib import Path

from keenlattice._files import replace_file
from keenlattice.errors import BookError
from keenlattice.logbook import _rows as read
from keenlattice.logbook._schema import plain_errors
from keenlattice.logbook.file import BookFile, not_a_link, now

POOL = "pool"


def keep_evidence(book: BookFile, content: bytes) -> str:
    """Writes evidence (Parquet) into the logbook; returns its file name.

    Raises:
        BookError: it cannot be written.
    """
    book.check_writable()
    name = f"evidence-{now()[:19].replace(':', '')}-{secrets.token_hex(4)}.parquet"
    folder = not_a_link(book.folder / POOL)
    with plain_errors(book.folder):
        folder.mkdir(exist_ok=True)
        replace_file(folder / name, content)
    return name


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
