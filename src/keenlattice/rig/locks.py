"""One change at a time: a rig's lock, and who holds it since when."""

import os
import re
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING

from keenlattice._state_folder import make_private
from keenlattice.errors import RigBusy, RigError

if TYPE_CHECKING:
    from keenlattice.rig.base import Rig

LOCK = "change.lock"
PATIENCE_S = 3.0
HALF_WRITTEN = re.compile(r"\..+\.[a-z0-9_]{8}")  # as `files.replace_file` names what it writes beside
OLD_S = 3600.0


def _clear_left(home: Path) -> None:
    """Remove what killed processes have left half-written in a rig's home; what is young may be at work."""
    for path in home.glob(".*"):
        with suppress(OSError):
            if HALF_WRITTEN.fullmatch(path.name) and path.stat().st_mtime < time.time() - OLD_S:
                path.unlink()


@contextmanager
def locked(rig: "Rig", why: str) -> Iterator[None]:
    """Keeps every other process from changing the rig meanwhile; nothing is journalled.

    Raises:
        RigBusy: another process is at it, and was still after PATIENCE_S.
    """
    from filelock import FileLock, Timeout

    holder = rig.home / (LOCK + ".holder")
    try:
        make_private(rig.home)
        lock = FileLock(rig.home / LOCK)
        lock.acquire(timeout=PATIENCE_S)
    except Timeout:
        holder_text = holder.read_text(encoding="utf-8") if holder.exists() else (
            f"another process has its lock, or the disk of {rig.home} cannot lock")
        raise RigBusy(f"the rig {rig.name} is being changed: {holder_text}; wait for it to end, or stop it") from None
    except OSError as error:
        raise RigError(f"cannot lock the rig {rig.name} in {rig.home}: {error.strerror}") from None
    try:
        _clear_left(rig.home)
        since = datetime.now().astimezone().isoformat(sep=" ", timespec="seconds")
        try:
            holder.write_text(f"{why}, by process {os.getpid()} since {since}", encoding="utf-8")
        except OSError as error:
            raise RigError(f"cannot say in {holder} who changes the rig: {error.strerror}; nothing was changed"
                           ) from None
        yield
    finally:
        with suppress(OSError):  # what was done is done, and told
            holder.unlink(missing_ok=True)
        with suppress(OSError):  # the lock ends with this process, at the latest
            lock.release()
