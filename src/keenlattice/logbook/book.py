"""The logbook: the folder that remembers versions, applies, captures and trials."""

import json
import os
import re
import sqlite3
import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar

from keenlattice.errors import BookError, UnknownName, UsageError
from keenlattice.logbook import rows as read
from keenlattice.logbook.identity import (
    claim,
    disown,
    is_ours,
    new_id,
    read_id,
    settle_whereabouts,
    state_of,
)
from keenlattice.logbook.schema import (
    connect,
    connect_to_read,
    is_there,
    make,
    peek,
    plain_errors,
    refuse_other_folders,
    upgrade,
)
from keenlattice.profile.sheet import Sheet
from keenlattice.profile.version import Entries, Version, stock

if TYPE_CHECKING:
    from keenlattice.measure.capture import Capture


def default_folder() -> Path:
    """`KEEN_BOOK`, else a folder among the user's data."""
    if chosen := os.environ.get("KEEN_BOOK"):
        return Path(chosen)
    from platformdirs import user_data_path

    return user_data_path("keen-lattice") / "book"


def now() -> str:
    """This moment, as the logbook writes it: ISO 8601, UTC, whole seconds."""
    return datetime.now(UTC).isoformat(timespec="seconds")


T = TypeVar("T")
KINDS = ("apply", "adopt", "chore", "undo", "done", "part")
CAPTURES, SETTINGS = "captures", "settings"
STRAY_AFTER_S = 3600.0


@dataclass(frozen=True)
class Apply:
    """One thing that was done to a rig.

    Args:
        kind: "apply", "adopt" (a version that was made of what the rig held), "chore", "undo", "done" for a
            chore that nothing brings back, or "part" for a run sheet that was given up half-way.
        profile, version: what was applied, of whom; empty for a chore.
        what: in words, for a chore or an undo.
        target: for an undo, the number of the restore point that it went back to.
        token: the name of its restore point among the user's state (see `restore`); empty if it wrote nothing.
    """

    number: int
    time: str
    rig: str
    kind: str
    profile: str
    version: str
    what: str
    target: int | None
    token: str

    @property
    def title(self) -> str:
        """As it is told to a player: `brass-orbit@1a2b3c4d`, or the chore's name."""
        return self.what or f"{self.profile}@{self.version[:8]}"


class Logbook:
    """A logbook folder. Every change to it is one transaction.

    One that was made elsewhere (`elsewhere`) is open for reading alone.

    Args:
        folder: where it is, or shall be; None for `default_folder()`.

    Raises:
        BookError: the folder holds something else, is damaged, or cannot be written.
    """

    def __init__(self, folder: Path | None = None) -> None:
        self.folder = (folder or default_folder()).expanduser().absolute()
        self._scratch = None
        if not is_there(self.folder):
            _begin(self.folder)
        self.elsewhere = not is_ours(peek(self.folder, read_id))
        self.id = ""
        if self.elsewhere:
            self._connection, self._scratch = connect_to_read(self.folder)
            self.state = Path(self._scratch.name) / "state"
        else:
            self._connection = connect(self.folder)
            with plain_errors(self.folder):
                upgrade(self._connection)
                self.id = settle_whereabouts(self._connection, read_id(self._connection), self.folder)
            self.state = state_of(self.id)

    def close(self) -> None:
        """Lets go of the file; nothing is lost without."""
        self._connection.close()
        if self._scratch:
            self._scratch.cleanup()

    def __enter__(self) -> "Logbook":
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    @property
    def address(self) -> tuple[str, str]:
        """Its id, and where it is: by these it is found again, even if it is moved."""
        return self.id, str(self.folder)

    def check_writable(self) -> None:
        """Whether it is this user's to write in.

        Raises:
            BookError: it was made elsewhere.
        """
        if self.elsewhere:
            raise BookError(f"the logbook {self.folder} was made elsewhere: it is open for reading alone; "
                            "`keen takeover` says what it means to make it yours")

    def rows(self, form: Callable[[sqlite3.Row], T], statement: str, *values: object) -> list[T]:
        """What a statement finds, each row as `form` reads it.

        Raises:
            BookError: a row is not of that form.
        """
        with plain_errors(self.folder):
            return [form(row) for row in self._connection.execute(statement, values)]

    def _first(self, form: Callable[[sqlite3.Row], T], statement: str, *values: object) -> T | None:
        return next(iter(self.rows(form, statement, *values)), None)

    def insert(self, statement: str, *values: object) -> int:
        """Writes one row, and tells its number.

        Raises:
            BookError: it cannot be written, or the logbook was made elsewhere.
        """
        self.check_writable()
        with plain_errors(self.folder):
            return int(self._connection.execute(statement, values).lastrowid or 0)

    @contextmanager
    def together(self) -> Iterator[None]:
        """What is written within is written as one: all of it, or nothing. Within another, it is part of that one."""
        self.check_writable()
        if self._connection.in_transaction:
            yield
            return
        with plain_errors(self.folder):
            self._connection.execute("BEGIN IMMEDIATE")
        try:
            yield
        except BaseException:
            with suppress(sqlite3.Error):  # it may be gone already: a full disk ends a transaction by itself
                self._connection.execute("ROLLBACK")
            raise
        with plain_errors(self.folder):
            self._connection.execute("COMMIT")

    # Versions

    def commit(self, profile: str, entries: Entries, *, note: str = "", author: str = "",
               parents: Sequence[Version] | None = None) -> Version:
        """A new version of a profile, kept for good; made from its latest, unless other parents are given."""
        with self.together():
            if parents is None:
                latest = self.latest(profile)
                parents = [latest] if latest else []
            known = tuple(parent.id for parent in parents if parent.time)  # stock is where one starts, and no version
            return self.add(Version(profile, entries, known, note, author, now()))

    def add(self, version: Version) -> Version:
        """Keeps a version; one that is there already stays as it is.

        Raises:
            UsageError: it could not be read again: no name for a profile, no value, or a text beyond all bounds.
        """
        if wrong := read.unreadable(version):
            raise UsageError(f"{version.profile[:80]!r} cannot be kept: {wrong}")
        self.insert(
            "INSERT OR IGNORE INTO versions (id, profile, entries, parents, note, author, time) "
            "VALUES (?, ?, ?, ?, ?, ?, ?)",
            version.id, version.profile, json.dumps(dict(version.entries)), json.dumps(version.parents),
            version.note, version.author, version.time)
        return version

    def latest(self, profile: str) -> Version | None:
        """The newest version of a profile, if there is any."""
        return self._first(read.version, "SELECT * FROM versions WHERE profile = ? ORDER BY number DESC LIMIT 1",
                           profile)

    def history(self, profile: str, most: int | None = None) -> list[Version]:
        """The versions of a profile, newest first; `most` of them, if given."""
        return self.rows(read.version, "SELECT * FROM versions WHERE profile = ? ORDER BY number DESC LIMIT ?", profile,
                         -1 if most is None else most)

    def profiles(self) -> list[str]:
        """The names of all profiles that have a version."""
        return self.rows(read.profile, "SELECT DISTINCT profile FROM versions ORDER BY profile")

    def version(self, profile: str, digits: str) -> Version:
        """The version of a profile whose id begins with these digits.

        Raises:
            UnknownName: none does.
            UsageError: several do.
        """
        if not digits or not set(digits) <= set("0123456789abcdef"):
            raise self._no_version(profile, digits)
        found = self.rows(read.version, "SELECT * FROM versions WHERE profile = ? AND id >= ? AND id < ? LIMIT 2",
                          profile, digits, digits + "g")
        if not found:
            raise self._no_version(profile, digits)
        if len(found) > 1:
            raise UsageError(f"{profile}@{digits} could be several versions: give more digits, "
                             f"see `keen history {profile}`")
        return found[0]

    def common_ancestor(self, one: Version, other: Version) -> Version:
        """The newest version of a profile that both were made from (one of them, perhaps); stock, if there is none."""
        kept = self.rows(lambda row: (read.text(row, "id", read.ID), read.texts_in(row, "parents"),
                                      read.whole(row, "number")),
                         "SELECT number, id, parents FROM versions WHERE profile = ?", one.profile)
        parents, number = {row[0]: row[1] for row in kept}, {row[0]: row[2] for row in kept}
        shared = _lineage(one.id, parents) & _lineage(other.id, parents) & {*number}
        return self.version(one.profile, max(shared, key=number.__getitem__)) if shared else stock(one.profile)

    def label(self, version: Version, label: str) -> None:
        """Gives a version a name of its own; a label that is there already moves.

        Raises:
            UsageError: a word that means something else in a reference.
        """
        if not re.fullmatch(r"[a-z][a-z0-9-]{0,39}", label) or label in ("stock", "applied", "now") or re.fullmatch(
                r"[0-9a-f]+", label):
            raise UsageError(f"{label!r} cannot be a label: take small letters, digits and dashes, more than a to f, "
                             "and not stock, applied or now")
        self.insert("INSERT OR REPLACE INTO labels (profile, label, version) VALUES (?, ?, ?)", version.profile, label,
                    version.id)

    def labels(self, profile: str) -> dict[str, list[str]]:
        """Version id to its labels."""
        found: dict[str, list[str]] = {}
        for label, version in self.rows(
                lambda row: (read.text(row, "label", read.PROFILE), read.text(row, "version", read.ID)),
                "SELECT label, version FROM labels WHERE profile = ? ORDER BY label", profile):
            found.setdefault(version, []).append(label)
        return found

    def labelled(self, profile: str, label: str) -> Version | None:
        """The version of that label, if there is one."""
        version = self._first(lambda row: read.text(row, "version", read.ID),
                              "SELECT version FROM labels WHERE profile = ? AND label = ?", profile, label)
        return self.version(profile, version) if version else None

    def _no_version(self, profile: str, digits: str) -> UnknownName:
        labels = [f"{profile}@{label}" for some in self.labels(profile).values() for label in some]
        known = [*labels, *(version.reference for version in self.history(profile, 50))]
        return UnknownName("version", f"{profile}@{digits}", known, f"see `keen history {profile}`")

    # Applies

    def add_apply(self, rig: str, *, kind: str, profile: str, version: str, what: str = "", target: int | None = None,
                  token: str = "") -> int:
        """Remembers what was done to a rig (see `Apply`); returns its number."""
        return self.insert(
            "INSERT INTO applies (time, rig, kind, profile, version, what, target, token) "
            "VALUES (?, ?, ?, ?, ?, ?, ?, ?)", now(), rig, kind, profile, version, what, target, token)

    def knows(self, token: str) -> bool:
        """Whether the change of that token has been remembered."""
        return bool(self.rows(tuple, "SELECT 1 FROM applies WHERE token = ? AND token != ''", token))

    def done_to(self, rig: str) -> list[Apply]:
        """All that was done to a rig, oldest first."""
        return self.rows(_apply, "SELECT * FROM applies WHERE rig = ? AND undone IS NULL ORDER BY number", rig)

    def in_force(self, rig: str) -> list[Apply]:
        """What was done to a rig and has not been undone, oldest first.

        An undo to a restore point brings back what was in force there; so an undo can be undone like anything else.
        """
        force: list[Apply] = []
        before: dict[int, list[Apply]] = {}
        done = self.done_to(rig)
        targets = {one.target for one in done}
        for one in done:
            if one.number in targets:
                before[one.number] = list(force)
            if one.kind == "undo":
                force = list(before.get(one.target or 0, ()))
            elif one.kind != "done":
                force.append(one)
        return force

    def since(self, rig: str, number: int) -> list[Apply]:
        """Whatever was done to a rig from a restore point on, newest first.

        Raises:
            UnknownName: the rig has no restore point of that number.
        """
        found = [one for one in reversed(self.done_to(rig)) if one.number >= number]
        if not found or found[-1].number != number:
            raise UnknownName("restore point", str(number), (), "see `keen undo --list`")
        return found

    def last_apply(self, rig: str, profile: str | None = None) -> Apply | None:
        """The newest of what is in force on a rig; of one profile, if given."""
        return next((one for one in reversed(self.in_force(rig)) if profile in (None, one.profile)
                     and one.kind != "part"), None)

    def add_sheet(self, rig: str, sheet: Sheet) -> None:
        """Keeps a run sheet that was worked through, with what was said and what was seen of each step."""
        self.insert("INSERT INTO sheets (time, rig, sheet) VALUES (?, ?, ?)", now(), rig, json.dumps(sheet.to_json()))

    def sheets(self, rig: str) -> list[Sheet]:
        """The run sheets of a rig that were worked through, newest first."""
        return self.rows(_sheet, "SELECT sheet FROM sheets WHERE rig = ? ORDER BY number DESC", rig)

    # Captures and trials

    def keep_capture(self, capture: "Capture", rig: str, game: str, version: str) -> str:
        """Writes a capture into the logbook; returns its file name."""
        import secrets

        from keenlattice.measure.parquet import write_capture

        at = now()
        name = f"{game}-{at[:19].replace(':', '')}-{secrets.token_hex(4)}.parquet"
        about: Mapping[str, Any] = {**capture.about, "rig": rig, "game": game, "version": version, "time": at}
        self.check_writable()
        with plain_errors(self.folder):
            self._captures().mkdir(exist_ok=True)
        write_capture(replace(capture, about=about), self._captures() / name)
        self.insert("INSERT INTO captures (file, time, rig, game, version, about) VALUES (?, ?, ?, ?, ?, ?)",
                    name, at, rig, game, version, json.dumps(about))
        return name

    def capture(self, name: str) -> "Capture":
        """The capture of that file name.

        Raises:
            CaptureError: it is gone, or was cut short.
            BookError: it is a link, or no file of this folder.
        """
        from keenlattice.measure.parquet import read_capture

        if not read.FILE_NAME.fullmatch(name):
            raise BookError(f"the logbook {self.folder}: {name!r} cannot be a capture's name")
        return read_capture(not_a_link(self._captures() / name))

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
            known = {*self.rows(lambda row: str(row["file"]), "SELECT file FROM captures")}
            old = time.time() - STRAY_AFTER_S
            strays = [path for path in (self._captures().iterdir() if self._captures().is_dir() else ())
                      if path.name not in known and ".parquet" in path.name and path.lstat().st_mtime < old]
            for path in strays:
                path.unlink(missing_ok=True)
            return len(strays)

    def captures_of(self, rig: str, game: str, version: str) -> list[str]:
        """The file names of a version's captures, the newest first."""
        return self.rows(
            lambda row: read.text(row, "file", read.FILE_NAME),
            "SELECT file FROM captures WHERE rig = ? AND game = ? AND version = ? ORDER BY rowid DESC",
            rig, game, version)

    def keep_map(self, name: str, header: Sequence[str], columns: Mapping[str, Any]) -> None:
        """Keeps a column map under its name, with the header of the files that it is for."""
        self.insert("INSERT OR REPLACE INTO maps (name, header, map) VALUES (?, ?, ?)", name, json.dumps(list(header)),
                    json.dumps(dict(columns)))

    def maps(self) -> dict[str, tuple[list[str], dict[str, Any]]]:
        """The column maps by name: the header that each is for, and its fields."""
        return dict(self.rows(lambda row: (read.text(row, "name", read.PROFILE), (read.texts_in(row, "header"),
                                                                                 read.table_in(row, "map"))),
                              "SELECT name, header, map FROM maps ORDER BY name"))

    def trials(self, before: str, after: str) -> list[dict[str, Any]]:
        """The results of trials between two versions (their references), newest first."""
        return self.rows(lambda row: read.table_in(row, "result", finite=False),
                         "SELECT result FROM trials WHERE before = ? AND after = ? ORDER BY number DESC", before, after)


def _begin(folder: Path) -> None:
    """Makes a new logbook. It is claimed first: one that nobody had claimed would be a stranger's."""
    refuse_other_folders(folder)
    made = new_id()
    claim(made, folder)
    try:
        make(folder, made)
    finally:
        if not is_there(folder) or peek(folder, read_id) != made:  # it failed, or another process was quicker
            disown(made)


def not_a_link(path: Path) -> Path:
    """The path, which may be missing, but leads nowhere else.

    Raises:
        BookError: it is a link.
    """
    if path.is_symlink():
        raise BookError(f"{path} is a link: in a logbook nothing is; it is not followed")
    return path


def _sheet(row: sqlite3.Row) -> Sheet:
    try:
        return Sheet.from_json(read.table_in(row, "sheet"))
    except ValueError:
        raise read.Damaged("sheet") from None


def _apply(row: sqlite3.Row) -> Apply:
    if row["kind"] not in KINDS or (row["target"] is not None and not isinstance(row["target"], int)):
        raise read.Damaged("kind")
    return Apply(read.whole(row, "number"), read.text(row, "time", read.TIME), read.text(row, "rig", read.RIG),
                 row["kind"], read.profile(row), read.text(row, "version", read.ID) if row["version"] else "",
                 read.text(row, "what"), row["target"], read.text(row, "token", read.TOKEN))


def _lineage(version: str, parents: Mapping[str, list[str]]) -> set[str]:
    """A version's id and those of everything that it was made from."""
    found, waiting = set(), [version] if version in parents else []
    while waiting:
        one = waiting.pop()
        if one not in found:
            found.add(one)
            waiting += parents.get(one, [])
    return found
