"""The logbook: the folder that remembers versions, applies, captures and trials."""

import json
import os
import re
import sqlite3
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING, Any

from keenlattice.errors import BookError, UnknownName, UsageError
from keenlattice.logbook.schema import connect, plain_errors
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


@dataclass(frozen=True)
class Apply:
    """One thing that was done to a rig, and the restore point that it can be undone to.

    Args:
        kind: "apply", "adopt" (a version that was made of what the rig held), "chore", "undo", "done" for a
            chore that nothing brings back, or "part" for a run sheet that was given up half-way.
        profile, version: what was applied, of whom; empty for a chore.
        what: in words, for a chore or an undo.
        target: for an undo, the number of the restore point that it went back to.
        restore_point: every place that was touched and what it held before, as `rig.journal.packed` writes it.
        left_as: the same places, with the fingerprint of what was left there, as JSON.
    """

    number: int
    time: str
    rig: str
    kind: str
    profile: str
    version: str
    what: str
    target: int | None
    restore_point: str
    left_as: str

    @property
    def title(self) -> str:
        """As it is told to a player: `brass-orbit@1a2b3c4d`, or the chore's name."""
        return self.what or f"{self.profile}@{self.version[:8]}"


APPLY = "number, time, rig, kind, profile, version, what, target, restore_point, left_as"
BRIEFLY = "number, time, rig, kind, profile, version, what, target, '', ''"


class Logbook:
    """A logbook folder. Every change to it is one transaction.

    Args:
        folder: where it is, or shall be; None for `default_folder()`.

    Raises:
        BookError: the folder holds something else, is damaged, or cannot be written.
    """

    def __init__(self, folder: Path | None = None) -> None:
        self.folder = (folder or default_folder()).expanduser().absolute()
        self._connection = connect(self.folder)

    def close(self) -> None:
        """Lets go of the file; nothing is lost without."""
        self._connection.close()

    def __enter__(self) -> "Logbook":
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def rows(self, statement: str, *values: object) -> list[sqlite3.Row]:
        """What a statement finds."""
        with plain_errors(self.folder):
            return self._connection.execute(statement, values).fetchall()

    def _first(self, statement: str, *values: object) -> sqlite3.Row | None:
        with plain_errors(self.folder):
            row: sqlite3.Row | None = self._connection.execute(statement, values).fetchone()
            return row

    def insert(self, statement: str, *values: object) -> int:
        """Writes one row, and tells its number."""
        with plain_errors(self.folder):
            return int(self._connection.execute(statement, values).lastrowid or 0)

    @contextmanager
    def together(self) -> Iterator[None]:
        """What is written within is written as one: all of it, or nothing."""
        with plain_errors(self.folder):
            self._connection.execute("BEGIN IMMEDIATE")
            try:
                yield
            except BaseException:
                self._connection.execute("ROLLBACK")
                raise
            self._connection.execute("COMMIT")

    # Versions

    def commit(self, profile: str, entries: Entries, *, note: str = "", author: str = "",
               parents: Sequence[Version] | None = None) -> Version:
        """A new version of a profile, kept for good; made from its latest, unless other parents are given."""
        if parents is None:
            latest = self.latest(profile)
            parents = [latest] if latest else []
        known = tuple(parent.id for parent in parents if parent.time)  # stock is where one starts, and no version
        return self.add(Version(profile, entries, known, note, author, now()))

    def add(self, version: Version) -> Version:
        """Keeps a version; one that is there already stays as it is."""
        with plain_errors(self.folder):
            self._connection.execute(
                "INSERT OR IGNORE INTO versions (id, profile, entries, parents, note, author, time) "
                "VALUES (?, ?, ?, ?, ?, ?, ?)",
                (version.id, version.profile, json.dumps(dict(version.entries)), json.dumps(version.parents),
                 version.note, version.author, version.time))
        return version

    def latest(self, profile: str) -> Version | None:
        """The newest version of a profile, if there is any."""
        row = self._first("SELECT * FROM versions WHERE profile = ? ORDER BY number DESC LIMIT 1", profile)
        return self._version(row) if row else None

    def history(self, profile: str, most: int | None = None) -> list[Version]:
        """The versions of a profile, newest first; `most` of them, if given."""
        rows = self.rows("SELECT * FROM versions WHERE profile = ? ORDER BY number DESC LIMIT ?", profile,
                         -1 if most is None else most)
        return [self._version(row) for row in rows]

    def profiles(self) -> list[str]:
        """The names of all profiles that have a version."""
        return [row["profile"] for row in self.rows("SELECT DISTINCT profile FROM versions ORDER BY profile")]

    def version(self, profile: str, digits: str) -> Version:
        """The version of a profile whose id begins with these digits.

        Raises:
            UnknownName: none does.
            UsageError: several do.
        """
        if not digits or not set(digits) <= set("0123456789abcdef"):
            raise self._no_version(profile, digits)
        rows = self.rows("SELECT * FROM versions WHERE profile = ? AND id >= ? AND id < ? LIMIT 2",
                         profile, digits, digits + "g")
        if not rows:
            raise self._no_version(profile, digits)
        if len(rows) > 1:
            raise UsageError(f"{profile}@{digits} could be several versions: give more digits, "
                             f"see `keen history {profile}`")
        return self._version(rows[0])

    def common_ancestor(self, one: Version, other: Version) -> Version:
        """The newest version of a profile that both were made from (one of them, perhaps); stock, if there is none."""
        rows = self.rows("SELECT number, id, parents FROM versions WHERE profile = ?", one.profile)
        parents = {row["id"]: json.loads(row["parents"]) for row in rows}
        number = {row["id"]: row["number"] for row in rows}
        shared = _lineage(one.id, parents) & _lineage(other.id, parents)
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
        with plain_errors(self.folder):
            self._connection.execute("INSERT OR REPLACE INTO labels (profile, label, version) VALUES (?, ?, ?)",
                                     (version.profile, label, version.id))

    def labels(self, profile: str) -> dict[str, list[str]]:
        """Version id to its labels."""
        found: dict[str, list[str]] = {}
        for row in self.rows("SELECT label, version FROM labels WHERE profile = ? ORDER BY label", profile):
            found.setdefault(row["version"], []).append(row["label"])
        return found

    def labelled(self, profile: str, label: str) -> Version | None:
        """The version of that label, if there is one."""
        row = self._first("SELECT version FROM labels WHERE profile = ? AND label = ?", profile, label)
        return self.version(profile, row["version"]) if row else None

    def _no_version(self, profile: str, digits: str) -> UnknownName:
        labels = [f"{profile}@{label}" for some in self.labels(profile).values() for label in some]
        known = [*labels, *(version.reference for version in self.history(profile, 50))]
        return UnknownName("version", f"{profile}@{digits}", known, f"see `keen history {profile}`")

    def _version(self, row: sqlite3.Row) -> Version:
        version = Version(row["profile"], json.loads(row["entries"]), tuple(json.loads(row["parents"])),
                          row["note"], row["author"], row["time"])
        if version.id != row["id"]:
            raise BookError(f"the logbook {self.folder}: version {row['profile']}@{row['id'][:8]} is not what was "
                            "written (its hash differs): put the file back from a copy")
        return version

    # Applies

    def add_apply(self, rig: str, *, kind: str, profile: str, version: str, restore_point: str, left_as: str,
                  what: str = "", target: int | None = None, token: str = "") -> int:
        """Remembers what was done to a rig (see `Apply`); returns its number."""
        with plain_errors(self.folder):
            cursor = self._connection.execute(
                "INSERT INTO applies (time, rig, kind, profile, version, what, target, token, restore_point, left_as) "
                "VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
                (now(), rig, kind, profile, version, what, target, token, restore_point, left_as))
        return int(cursor.lastrowid or 0)

    def knows(self, token: str) -> bool:
        """Whether the change of that token has been remembered."""
        return self._first("SELECT 1 FROM applies WHERE token = ? AND token != ''", token) is not None

    def done_to(self, rig: str) -> list[Apply]:
        """All that was done to a rig, oldest first; without the restore points themselves, which may be long."""
        return [Apply(*row) for row in self.rows(
            f"SELECT {BRIEFLY} FROM applies WHERE rig = ? AND undone IS NULL ORDER BY number", rig)]

    def in_force(self, rig: str) -> list[Apply]:
        """What was done to a rig and has not been undone, oldest first (as `done_to`).

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
        """Whatever was done to a rig from a restore point on, newest first, whole.

        Raises:
            UnknownName: the rig has no restore point of that number.
        """
        found = [Apply(*row) for row in self.rows(
            f"SELECT {APPLY} FROM applies WHERE rig = ? AND number >= ? AND undone IS NULL ORDER BY number DESC",
            rig, number)]
        if not found or found[-1].number != number:
            raise UnknownName("restore point", str(number), (), "see `keen undo --list`")
        return found

    def last_apply(self, rig: str, profile: str | None = None) -> Apply | None:
        """The newest of what is in force on a rig; of one profile, if given."""
        return next((one for one in reversed(self.in_force(rig)) if profile in (None, one.profile)
                     and one.kind != "part"), None)

    def add_sheet(self, rig: str, sheet: Mapping[str, Any]) -> None:
        """Keeps a run sheet that was worked through, with what was said and what was seen of each step."""
        with plain_errors(self.folder):
            self._connection.execute("INSERT INTO sheets (time, rig, sheet) VALUES (?, ?, ?)",
                                     (now(), rig, json.dumps(sheet)))

    def sheets(self, rig: str) -> list[dict[str, Any]]:
        """The run sheets of a rig that were worked through, newest first."""
        return [json.loads(row["sheet"])
                for row in self.rows("SELECT sheet FROM sheets WHERE rig = ? ORDER BY number DESC", rig)]

    # Captures and trials

    def keep_capture(self, capture: "Capture", rig: str, game: str, version: str) -> str:
        """Writes a capture into the logbook; returns its file name."""
        import secrets

        from keenlattice.measure.parquet import write_capture

        time = now()
        name = f"{game}-{time[:19].replace(':', '')}-{secrets.token_hex(4)}.parquet"
        about: Mapping[str, Any] = {**capture.about, "rig": rig, "game": game, "version": version, "time": time}
        with plain_errors(self.folder):
            (self.folder / "captures").mkdir(exist_ok=True)
        write_capture(replace(capture, about=about), self.folder / "captures" / name)
        with plain_errors(self.folder):
            self._connection.execute(
                "INSERT INTO captures (file, time, rig, game, version, about) VALUES (?, ?, ?, ?, ?, ?)",
                (name, time, rig, game, version, json.dumps(about)))
        return name

    def capture(self, name: str) -> "Capture":
        """The capture of that file name.

        Raises:
            CaptureError: it is gone, or was cut short.
        """
        from keenlattice.measure.parquet import read_capture

        return read_capture(self.folder / "captures" / name)

    def captures_of(self, rig: str, game: str, version: str) -> list[str]:
        """The file names of a version's captures, the newest first."""
        return [row["file"] for row in self.rows(
            "SELECT file FROM captures WHERE rig = ? AND game = ? AND version = ? ORDER BY rowid DESC",
            rig, game, version)]

    def keep_map(self, name: str, header: Sequence[str], columns: Mapping[str, Any]) -> None:
        """Keeps a column map under its name, with the header of the files that it is for."""
        with plain_errors(self.folder):
            self._connection.execute("INSERT OR REPLACE INTO maps (name, header, map) VALUES (?, ?, ?)",
                                     (name, json.dumps(list(header)), json.dumps(dict(columns))))

    def maps(self) -> dict[str, tuple[list[str], dict[str, Any]]]:
        """The column maps by name: the header that each is for, and its fields."""
        return {row["name"]: (json.loads(row["header"]), json.loads(row["map"]))
                for row in self.rows("SELECT name, header, map FROM maps ORDER BY name")}

    def add_trial(self, rig: str, result: Mapping[str, Any], captures: Sequence[str]) -> int:
        """Keeps a trial's result (as `TrialResult.to_json` gives it) with the names of its captures."""
        with plain_errors(self.folder):
            cursor = self._connection.execute(
                "INSERT INTO trials (time, rig, game, before, after, result, captures) VALUES (?, ?, ?, ?, ?, ?, ?)",
                (now(), rig, result["game"], result["before"], result["after"], json.dumps(result),
                 json.dumps(list(captures))))
        return int(cursor.lastrowid or 0)

    def trials(self, before: str, after: str) -> list[dict[str, Any]]:
        """The results of trials between two versions (their references), newest first."""
        rows = self.rows("SELECT result FROM trials WHERE before = ? AND after = ? ORDER BY number DESC", before, after)
        return [json.loads(row["result"]) for row in rows]


def _lineage(version: str, parents: Mapping[str, list[str]]) -> set[str]:
    """A version's id and those of everything that it was made from."""
    found, waiting = set(), [version] if version in parents else []
    while waiting:
        one = waiting.pop()
        if one not in found:
            found.add(one)
            waiting += parents.get(one, [])
    return found
