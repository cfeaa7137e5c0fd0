"""A folder that a recorder writes into: new files are taken once they are whole, told apart by header.

A file is whole once no program has it open for writing any more, where the system tells, and it has not changed for a
while: for longer than the longest pause that was seen in a file of this folder that went on growing.
"""

import hashlib
import os
import sys
from dataclasses import dataclass, field
from pathlib import Path
from time import monotonic
from typing import TYPE_CHECKING

from keenlattice.errors import KeenLatticeError, UsageError
from keenlattice.workspace.handed import Handed, kind_of_file

if TYPE_CHECKING:
    from keenlattice.workspace.opened import Opened

STILL_S = 0.6
"""A file that has not grown for so long may be whole: recorders write at least a few times a second."""
PAUSES, LONGEST_STILL_S = 2.5, 30.0
MOST_FILES = 20_000
WRITES = 0o3  # the bits of a file's flags that say whether it is open for writing
Seen = tuple[int, int]


class FolderGone(UsageError):
    """The folder that was watched is there no more."""


@dataclass
class Arrived:
    """What has appeared in a folder since it was last asked.

    Args:
        frames: the frames of runs.
        sensors: a sensor's files.
        left_alone: what can be neither, with the reason.
        grown: files that went on growing after they were taken: the same recording, not another.
    """

    frames: list[Handed] = field(default_factory=list)
    sensors: list[Handed] = field(default_factory=list)
    left_alone: dict[str, str] = field(default_factory=dict)
    grown: list[str] = field(default_factory=list)


class WatchedFolder:
    """A folder that recordings appear in; what is there already is not looked at.

    Args:
        opened: whose maps tell what a file is.
        folder: which.

    Raises:
        UsageError: it is not a folder.
    """

    def __init__(self, opened: "Opened", folder: Path) -> None:
        if not folder.is_dir():
            raise UsageError(f"{folder} is not a folder: --watch takes the one that your recorder writes into")
        self._opened, self.folder = opened, folder
        self._known: dict[Path, Seen] = self._look()
        self._growing: dict[Path, tuple[Seen, float]] = {}
        self._taken: dict[Path, tuple[int, bytes]] = {}
        self._longest_pause = 0.0

    @property
    def still_s(self) -> float:
        """For how long a file must not have changed to be whole, as this folder's files have taught."""
        return min(LONGEST_STILL_S, max(STILL_S, PAUSES * self._longest_pause))

    def arrived(self) -> Arrived:
        """Return what has appeared, or was written again, and is whole by now.

        Raises:
            FolderGone: the folder is there no more.
        """
        arrivals, now = Arrived(), monotonic()
        there = self._look()
        self._growing = {file: status for file, status in self._growing.items() if file in there}  # renamed, or removed
        for file, seen in there.items():
            if self._known.get(file) == seen or not seen[0]:
                continue
            before, since = self._growing.get(file, (None, now))
            if before != seen:
                if before is not None and before[0] < seen[0]:
                    self._longest_pause = max(self._longest_pause, now - since)
                self._growing[file] = (seen, now)
            elif now - since >= self.still_s and not is_written(file):
                self._known[file] = seen
                self._growing.pop(file)
                self._take(file, seen[0], arrivals)
        return arrivals

    @property
    def growing(self) -> list[str]:
        """The names of the files that are being written now, or not surely whole yet."""
        return sorted(file.name for file in self._growing)

    def _look(self) -> dict[Path, Seen]:
        arrivals: dict[Path, Seen] = {}
        try:
            files = list(self.folder.iterdir())
        except OSError as error:
            raise FolderGone(f"the folder {self.folder} cannot be watched any more: {error.strerror}") from None
        for file in files:
            try:
                if file.is_file() and not file.name.startswith("."):
                    status = file.stat()
                    arrivals[file] = (status.st_size, status.st_mtime_ns)
            except OSError:  # gone again, or locked while it is written
                continue
            if len(arrivals) > MOST_FILES:
                raise UsageError(f"{self.folder} holds more than {MOST_FILES} files: name one for recordings alone")
        return arrivals

    def _take(self, file: Path, size: int, arrivals: Arrived) -> None:
        """Take a whole file, unless it is one that was taken before and has grown since."""
        try:
            if file in self._taken and _digest(file, self._taken[file][0]) == self._taken[file][1]:
                arrivals.grown.append(file.name)
            else:
                self._sort(file, arrivals)
            self._taken[file] = (size, _digest(file, size))
        except OSError as error:
            arrivals.left_alone[file.name] = error.strerror or str(error)

    def _sort(self, file: Path, arrivals: Arrived) -> None:
        try:
            kind = kind_of_file(self._opened, file)
        except KeenLatticeError as error:
            arrivals.left_alone[file.name] = str(error)
            return
        if isinstance(kind, Handed):
            arrivals.frames.append(kind)
        else:
            arrivals.sensors.append(Handed(file, None, file, kind[0]))


def _digest(file: Path, size: int) -> bytes:
    """The hash of the first bytes of a file."""
    with file.open("rb") as content:
        return hashlib.blake2b(content.read(size)).digest()


def is_written(file: Path) -> bool:
    """Return whether a program has a file open for writing, as far as the system tells."""
    if sys.platform == "win32":
        try:
            os.rename(file, file)  # which Windows refuses while another program has it open
        except PermissionError:
            return True
        return False
    target = os.path.realpath(file)
    return any(_opens(process, target) for process in Path("/proc").glob("[0-9]*"))


def _opens(process: Path, target: str) -> bool:
    try:
        for handle in os.listdir(process / "fd"):
            if os.readlink(process / "fd" / handle) == target:
                status = (process / "fdinfo" / handle).read_text()
                flags = next(line.split()[1] for line in status.splitlines() if line.startswith("flags:"))
                if int(flags, 8) & WRITES:
                    return True
    except (OSError, StopIteration, ValueError, IndexError):  # ended meanwhile, or another user's
        return False
    return False
