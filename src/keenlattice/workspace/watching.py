"""A folder that a recorder writes into: new files are taken once they have stopped growing, told apart by header."""

from dataclasses import dataclass, field
from pathlib import Path
from time import monotonic
from typing import TYPE_CHECKING

from keenlattice.errors import KeenLatticeError, UsageError
from keenlattice.workspace._handed import Handed, kind_of_file

if TYPE_CHECKING:
    from keenlattice.workspace.recordings import Recordings

STILL_S = 0.6
"""A file that has not grown for so long is whole: recorders write at least a few times a second."""
MOST_FILES = 20_000
Seen = tuple[int, int]


@dataclass
class Arrived:
    """What has appeared in a folder since it was last asked: the frames of a run, a sensor's files of it, and what can
    be neither, with the reason."""

    frames: list[Handed] = field(default_factory=list)
    sensors: list[Handed] = field(default_factory=list)
    left_alone: dict[str, str] = field(default_factory=dict)


class WatchedFolder:
    """A folder that recordings appear in; what is there already is not looked at.

    Args:
        ws: whose maps tell what a file is.
        folder: which.

    Raises:
        UsageError: it is no folder.
    """

    def __init__(self, ws: "Recordings", folder: Path) -> None:
        if not folder.is_dir():
            raise UsageError(f"{folder} is no folder: --watch takes the one that your recorder writes into")
        self._ws, self.folder = ws, folder
        self._known: dict[Path, Seen] = self._look()
        self._growing: dict[Path, tuple[Seen, float]] = {}

    def arrived(self) -> Arrived:
        """What has appeared, or was written anew, and has stopped growing since it was last asked."""
        found, now = Arrived(), monotonic()
        for file, seen in self._look().items():
            if self._known.get(file) == seen or not seen[0]:
                continue
            before, since = self._growing.get(file, (None, now))
            if before != seen:
                self._growing[file] = (seen, now)
            elif now - since >= STILL_S:
                self._known[file] = seen
                self._growing.pop(file)
                self._sort(file, found)
        return found

    @property
    def growing(self) -> bool:
        """Whether something is being written now."""
        return bool(self._growing)

    def _look(self) -> dict[Path, Seen]:
        found: dict[Path, Seen] = {}
        for file in self.folder.iterdir():
            try:
                if file.is_file() and not file.name.startswith("."):
                    told = file.stat()
                    found[file] = (told.st_size, told.st_mtime_ns)
            except OSError:  # gone again, or locked while it is written
                continue
            if len(found) > MOST_FILES:
                raise UsageError(f"{self.folder} holds more than {MOST_FILES} files: name one for recordings alone")
        return found

    def _sort(self, file: Path, found: Arrived) -> None:
        try:
            kind = kind_of_file(self._ws, file)
        except KeenLatticeError as error:
            found.left_alone[file.name] = str(error)
            return
        if isinstance(kind, Handed):
            found.frames.append(kind)
        else:
            found.sensors.append(Handed(file, None, file, kind[0]))
