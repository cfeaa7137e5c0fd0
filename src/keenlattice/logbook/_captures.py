"""The captures beside a logbook's file, and the column maps of recordings."""

import time
from collections.abc import Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from keenlattice.errors import BookError, CaptureError
from keenlattice.logbook import _rows as read
from keenlattice.logbook.file import BookFile, not_a_link, now
from keenlattice.logbook.schema import plain_errors

if TYPE_CHECKING:
    from keenlattice.measure.capture import Capture

CAPTURES, SETTINGS = "captures", "settings"
STRAY_AFTER_S = 3600.0
DIGEST = "file_digest"
"""Where the row of a capture has the hash of its file."""


class Captures(BookFile):
    """What keeps captures, and finds them."""

    def keep_capture(self, capture: "Capture", rig: str, game: str, version: str) -> str:
        """Writes a capture into the logbook; returns its file name."""
        import secrets

        from keenlattice.measure.parquet import write_capture

        at = now()
        name = f"{game}-{at[:19].replace(':', '')}-{secrets.token_hex(4)}.parquet"
        about: Mapping[str, Any] = {**capture.about, "rig": rig, "game": game, "version": version, "time": at}
        row = {"file": name, "time": at, "rig": rig, "game": game, "version": version}
        self.check_writable()
        read.check_row("captures", capture_in, {**row, "about": read.as_json("about", about)})
        with plain_errors(self.folder):
            self._captures().mkdir(exist_ok=True)
        path = self._captures() / name
        write_capture(replace(capture, about=about), path)
        self.keep("captures", capture_in, {**row, "about": {**about, DIGEST: _digest(path)}})
        return name

    def capture(self, name: str) -> "Capture":
        """The capture of that file name.

        Raises:
            CaptureError: it is gone, was cut short, or is not the file that was kept.
            BookError: it is a link, or no file of this folder.
        """
        from keenlattice.measure.parquet import read_capture

        if not read.FILE_NAME.fullmatch(name):
            raise BookError(f"the logbook {self.folder}: {name!r} cannot be a capture's name")
        path, about = not_a_link(self._captures() / name), self.about_capture(name)
        if DIGEST in about and path.is_file() and _digest(path) != about[DIGEST]:
            raise CaptureError(f"{path} is not the file that was kept: it was exchanged, changed or cut short since; "
                               "put it back from a copy, or play the study again")
        return read_capture(path)

    def about_capture(self, name: str) -> dict[str, Any]:
        """Return what is noted of a capture, without reading its file; nothing, if it is not known."""
        return self._first(lambda row: read.table_in(row, "about", finite=False),
                           "SELECT about FROM captures WHERE file = ?", name) or {}

    def _captures(self) -> Path:
        return not_a_link(self.folder / CAPTURES)

    @property
    def own_settings(self) -> Path:
        """The folder of the player's own catalog files.

        Raises:
            BookError: it is a link.
        """
        return not_a_link(self.folder / SETTINGS)

    def collect_strays(self) -> int:
        """Removes what killed processes have left among the captures: files half written, or in no row of any run.

        Returns: how many there were. What is younger than STRAY_AFTER_S may be at work, and stays.
        """
        self.check_writable()
        with plain_errors(self.folder):
            files = {*self.rows(lambda row: str(row["file"]), "SELECT file FROM captures")}
            old = time.time() - STRAY_AFTER_S
            strays = [path for path in (self._captures().iterdir() if self._captures().is_dir() else ())
                      if path.name not in files and ".parquet" in path.name and _made(path) < old]
            for path in strays:
                path.unlink(missing_ok=True)
            return len(strays)

    def captures_of(self, rig: str, game: str, *versions: str) -> list[str]:
        """The file names of the captures that say to be of one of some versions, the newest first."""
        return self.rows(
            lambda row: read.text(row, "file", read.FILE_NAME),
            f"SELECT file FROM captures WHERE rig = ? AND game = ? AND version IN ({', '.join('?' * len(versions))}) "
            "ORDER BY rowid DESC", rig, game, *versions)

    def keep_map(self, name: str, header: Sequence[str], columns: Mapping[str, Any]) -> None:
        """Keeps a column map under its name, with the header of the files that it is for."""
        self.keep("maps", map_in, {"name": name, "header": list(header), "map": dict(columns)}, there_already="REPLACE")

    def maps(self) -> dict[str, tuple[list[str], dict[str, Any]]]:
        """The column maps by name: the header that each is for, and its fields."""
        return dict(self.rows(map_in, "SELECT name, header, map FROM maps ORDER BY name"))


def _digest(path: Path) -> str:
    """The hash of a capture's file, by which it is known again."""
    import hashlib

    with plain_errors(path.parent), path.open("rb") as file:
        return hashlib.file_digest(file, "blake2b").hexdigest()


def capture_in(row: read.BookRow) -> str:
    """The file name of the capture that a row of the table is about."""
    for column, form in (("time", read.TIME), ("rig", read.RIG), ("game", read.PROFILE), ("version", None)):
        read.text(row, column, form)
    read.table_in(row, "about", finite=False)
    return read.text(row, "file", read.FILE_NAME)


def map_in(row: read.BookRow) -> tuple[str, tuple[list[str], dict[str, Any]]]:
    """A column map's name, the header that it is for, and its fields."""
    return read.text(row, "name", read.PROFILE), (read.texts_in(row, "header"), read.table_in(row, "map"))


def _made(path: Path) -> float:
    """When a file was written; one that another process has just finished with, and that is gone, is young."""
    try:
        return path.lstat().st_mtime
    except FileNotFoundError:
        return time.time()
