"""Files are never written in place: write beside, flush, rename."""

import codecs
import os
import tempfile
from pathlib import Path


def replace_file(path: Path, content: bytes) -> None:
    """Puts `content` at `path`, whole or not at all, keeping the mode of what was there.

    A symbolic link is followed, so that a link into somebody's dotfiles folder stays a link.

    Raises:
        OSError: no rights, no room, or no such folder; what was there is untouched.
    """
    target = Path(os.path.realpath(path))
    handle, beside = tempfile.mkstemp(dir=target.parent, prefix=f".{target.name}.")
    try:
        with os.fdopen(handle, "wb") as file:
            file.write(content)
            file.flush()
            os.fsync(file.fileno())
        os.chmod(beside, target.stat().st_mode & 0o7777 if target.exists() else 0o644)
        os.replace(beside, target)
    except BaseException:
        Path(beside).unlink(missing_ok=True)
        raise
    _flush_folder(target.parent)


def remove_file(path: Path) -> None:
    """Removes a file for good, if it is there."""
    target = Path(os.path.realpath(path))
    target.unlink(missing_ok=True)
    _flush_folder(target.parent)


def _flush_folder(folder: Path) -> None:
    """A rename survives a power cut only once its folder has been flushed too."""
    if os.name != "posix" or not folder.is_dir():
        return
    handle = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


def read_bounded(path: Path, most: int) -> bytes | None:
    """What is in a file; None if there is none. Of a larger one, one byte more than `most`: enough to refuse it.

    Raises:
        OSError: it cannot be read: no rights, a folder, a link that leads nowhere or round in a circle.
    """
    if not os.path.lexists(path):
        return None
    with path.open("rb") as file:
        return file.read(most + 1)


def marked_encoding(content: bytes) -> tuple[bytes, str]:
    """The byte order mark that a text begins with, and the encoding that it stands for; both empty without one."""
    marks = ((codecs.BOM_UTF8, "utf-8"), (codecs.BOM_UTF16_LE, "utf-16-le"), (codecs.BOM_UTF16_BE, "utf-16-be"))
    return next(((mark, name) for mark, name in marks if content.startswith(mark)), (b"", ""))
