"""Files are never written in place: write beside, flush, rename. And what is read is a file, of bounded size."""

import codecs
import errno
import os
import stat
import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import BinaryIO

PATIENCE_S, AGAIN_S = 3.0, 0.01


def replace_file(path: Path, content: bytes) -> None:
    """Puts `content` at `path`, whole or not at all, keeping mode and owner of what was there.

    A symbolic link is followed, so that a link into somebody's dotfiles folder stays a link. A new file belongs to
    whom its folder belongs to, if we may decide that; its mode is what the umask leaves.

    Raises:
        OSError: no rights, no room, no such folder, or a file whose owner would not be kept; what was there is
            untouched.
    """
    target = Path(os.path.realpath(path))
    handle, beside = tempfile.mkstemp(dir=target.parent, prefix=f".{target.name[:100]}.")
    try:
        with os.fdopen(handle, "wb") as file:
            file.write(content)
            file.flush()
            os.fsync(file.fileno())
        _keep_owner_and_mode(Path(beside), target)
        _into_place(Path(beside), target)
    except BaseException:
        with suppress(OSError):  # report what failed, not what then could not be cleared away
            Path(beside).unlink(missing_ok=True)
        raise
    _flush_folder(target.parent)


def _into_place(new: Path, target: Path) -> None:
    """Renames a file onto another. Windows refuses that while another program has the other open, which is over soon
    as a rule, and where it is read-only; then it is tried again.

    Raises:
        OSError: it is refused for good; a file that was read-only is so again.
    """
    if os.name == "posix":
        os.replace(new, target)
        return
    locked = target.exists() and not target.stat().st_mode & stat.S_IWRITE
    if locked:
        target.chmod(stat.S_IWRITE)
    try:
        patiently(lambda: os.replace(new, target))
    except OSError:
        if locked:
            target.chmod(stat.S_IREAD)
        raise


def patiently(act: Callable[[], None]) -> None:
    """Does something with a file; what Windows refuses while another program has it open is tried again for a while.

    Raises:
        OSError: it is refused for good.
    """
    until = time.monotonic() + PATIENCE_S
    while True:
        try:
            act()
            return
        except PermissionError:
            if os.name == "posix" or time.monotonic() > until:
                raise
            time.sleep(AGAIN_S)


def _keep_owner_and_mode(new: Path, target: Path) -> None:
    try:
        was = target.stat()
        mode = stat.S_IMODE(was.st_mode)
    except FileNotFoundError:
        was, mode = target.parent.stat(), 0o666 & ~_umask()
    if os.name == "posix":
        ours = new.stat()
        if ours.st_uid != was.st_uid and (target.exists() or os.geteuid() == 0):
            try:
                os.chown(new, was.st_uid, was.st_gid)
            except PermissionError:
                raise PermissionError(errno.EPERM, "it belongs to another user, and would not any more",
                                      str(target)) from None
        elif ours.st_gid != was.st_gid and target.exists():
            with suppress(PermissionError):  # a group that we are not in
                os.chown(new, -1, was.st_gid)
    os.chmod(new, mode)


def _umask() -> int:
    now = os.umask(0o077)
    os.umask(now)
    return now


def remove_file(path: Path) -> None:
    """Removes a file for good, if it is there."""
    target = Path(os.path.realpath(path))
    if os.name != "posix" and target.exists():
        target.chmod(stat.S_IWRITE)  # Windows removes no file that is read-only
    patiently(lambda: target.unlink(missing_ok=True))
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


def append_line(path: Path, line: bytes) -> None:
    """Adds a line to a file that is there, and flushes it: the whole line, or nothing of it.

    Raises:
        OSError: it could not be written.
    """
    handle = os.open(path, os.O_WRONLY | os.O_APPEND)
    try:
        before = os.fstat(handle).st_size
        try:
            left = memoryview(line + b"\n")
            while left:
                left = left[os.write(handle, left):]
            os.fsync(handle)
        except OSError:
            with suppress(OSError):
                os.ftruncate(handle, before)
            raise
    finally:
        os.close(handle)


def check_regular(path: Path) -> None:
    """Whether it is a file: not a pipe, which may never say anything, nor a device, which may never end.

    Raises:
        OSError: it is not, or not there.
    """
    kind = path.stat().st_mode
    if not stat.S_ISREG(kind):
        raise OSError(errno.EINVAL, "it is a folder" if stat.S_ISDIR(kind) else "it is not a regular file", str(path))


@contextmanager
def open_regular(path: Path) -> Iterator[BinaryIO]:
    """A file, open for reading; see `check_regular`.

    Raises:
        OSError: it is none, or cannot be read.
    """
    check_regular(path)
    with path.open("rb") as file:
        yield file


def read_bounded(path: Path, most: int) -> bytes | None:
    """What is in a file; None if there is none. Of a larger one, one byte more than `most`: enough to refuse it.

    Raises:
        OSError: it cannot be read: no rights, no regular file, a link that leads nowhere or round in a circle.
    """
    if not os.path.lexists(path):
        return None
    with open_regular(path) as file:
        return file.read(most + 1)


def free_path(path: Path) -> Path:
    """The path, if nothing is there yet; else the next that is free, with a number: page.html, page-2.html."""
    number, candidate = 1, path
    while os.path.lexists(candidate):
        number += 1
        candidate = path.with_name(f"{path.stem}-{number}{path.suffix}")
    return candidate


def marked_encoding(content: bytes) -> tuple[bytes, str]:
    """The byte order mark that a text begins with, and the encoding that it stands for; both empty without one."""
    marks = ((codecs.BOM_UTF8, "utf-8"), (codecs.BOM_UTF16_LE, "utf-16-le"), (codecs.BOM_UTF16_BE, "utf-16-be"))
    return next(((mark, name) for mark, name in marks if content.startswith(mark)), (b"", ""))
