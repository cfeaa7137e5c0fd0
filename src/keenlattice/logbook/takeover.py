"""Taking over a logbook that was made elsewhere: it is given an id of this user's, and what was done there is over.

What acts on a machine never comes out of a logbook: no restore point, no game, no rig. One exception is asked for by
name: a logbook that this user has made with a Keen Lattice from before there were ids holds all that in itself
(`made_here`).
"""

import re
import secrets
import shutil
import sqlite3
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path

from keenlattice._safejson import parse_json
from keenlattice._state_folder import state_folder
from keenlattice.errors import BookError, UsageError
from keenlattice.logbook._captures import CAPTURES, SETTINGS
from keenlattice.logbook._identity import claim, new_id, state_of
from keenlattice.logbook._schema import connect, forget_applies, plain_errors, upgrade
from keenlattice.logbook.book import Logbook
from keenlattice.logbook.file import not_a_link
from keenlattice.logbook.restore import RestorePoint, keep_point

OLD_RIGS = {
    "juniper": ("state.json", "running.json", "machine.json", "fault.json", "games-before.json",
                "games/brass-orbit/settings.ini"),
    "byhand": ("said.json", "sheet.json", "rig.toml", "games.toml", "games-before.json")}
OLD_JOURNAL = "change-under-way.jsonl"
MOST_BYTES = 16 * 2**20


@dataclass(frozen=True)
class Holdings:
    """What a logbook holds: how many versions, captures, studies and applies, and who wrote in it."""

    versions: int
    captures: int
    studies: int
    applies: int
    authors: tuple[str, ...]


def holdings(book: Logbook) -> Holdings:
    """What a logbook holds."""
    versions, captures, studies, applies = (
        int(book.rows(lambda row: row[0], f"SELECT count(*) FROM {table}")[0])
        for table in ("versions", "captures", "studies", "applies"))
    authors = book.rows(lambda row: str(row[0]), "SELECT DISTINCT author FROM versions ORDER BY author LIMIT 5")
    return Holdings(versions, captures, studies, applies, tuple(one for one in authors if one))


def take_over(folder: Path, *, made_here: bool = False) -> Logbook:
    """Makes a logbook this user's; it is open for writing from then on.

    Args:
        folder: where it is.
        made_here: it was made by this user on this machine, with an earlier Keen Lattice: its restore points and its
            rigs come along, and are then acted on.

    Raises:
        UsageError: it is this user's already.
        BookError: it cannot be read or written.
    """
    with Logbook(folder) as book:
        if not book.elsewhere:
            raise UsageError(f"the logbook {folder} is yours already")
        for profile in book.profiles():  # every row is read, and so held against its form
            book.history(profile)
        folder = book.folder
    for name in (CAPTURES, SETTINGS):
        not_a_link(folder / name)
    if made_here and (folder / "rigs").exists():
        _check_that_nothing_is_under_way(folder)
    connection, made = connect(folder), new_id()
    claim(made, folder)
    try:
        with plain_errors(folder):
            tokens = _brought_along(connection, folder, state_of(made)) if made_here else None
            upgrade(connection, lambda now: _make_ours(now, made, tokens))
            connection.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    finally:
        connection.close()
    return Logbook(folder)


def _check_that_nothing_is_under_way(folder: Path) -> None:
    for rig in OLD_RIGS:
        if (folder / "rigs" / rig / OLD_JOURNAL).exists():
            raise BookError(f"{folder / 'rigs' / rig / OLD_JOURNAL}: a change of this rig was cut short: settle it "
                            "with the Keen Lattice that began it (keen rig recover), or take the logbook over without "
                            "--made-here")


Point = tuple[int, str, str]
"""An apply's number, and its restore point and what it left, as a form before 6 has them."""


def _points_within(connection: sqlite3.Connection) -> list[Point]:
    (form,) = connection.execute("PRAGMA user_version").fetchone()
    if form >= 6:
        return []
    return [(int(row[0]), str(row[1]), str(row[2]))
            for row in connection.execute("SELECT number, restore_point, left_as FROM applies")]


def _make_ours(connection: sqlite3.Connection, book_id: str, tokens: Mapping[int, str] | None) -> None:
    """In one transaction: the id, and either where the restore points are now, or that nothing was done here."""
    if tokens is None:
        forget_applies(connection)
    for number, token in (tokens or {}).items():
        connection.execute("UPDATE applies SET token = ? WHERE number = ?", (token, number))
    connection.execute("UPDATE book SET id = ?", (book_id,))


def _brought_along(connection: sqlite3.Connection, folder: Path, state: Path) -> dict[int, str]:
    """Copies what an older logbook holds in itself among the state; returns the token of each apply's restore point."""
    tokens = {}
    for number, before, left in _points_within(connection):
        token = secrets.token_hex(16)
        stands = {place: one for place, one in _by_place(left).items() if one is not None}
        point = RestorePoint(_by_place(before), stands)
        if point.before:
            keep_point(token, point)
        tokens[number] = token if point.before else ""
    for rig, names in OLD_RIGS.items():
        for name in names:
            path = folder / "rigs" / rig / name
            if path.is_file() and not path.is_symlink() and path.stat().st_size <= MOST_BYTES:
                (state / rig / name).parent.mkdir(parents=True, exist_ok=True)
                shutil.copyfile(path, state / rig / name)
    return tokens


def _by_place(text: str) -> dict[str, str | None]:
    """What an older form kept by whole paths, by places as they are now: within the rig's own folder."""
    try:
        found = parse_json(text)
    except ValueError:
        return {}
    return {_place(str(path)): one for path, one in found.items()} if isinstance(found, dict) else {}


def _place(path: str) -> str:
    within = re.fullmatch(r".*[/\\]rigs[/\\](?:juniper|byhand)[/\\](.+)", path, re.DOTALL)
    if within:
        return within[1].replace("\\", "/")
    linux = f"{state_folder() / 'linux'}/"
    return path.removeprefix(linux)
