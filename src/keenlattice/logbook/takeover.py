"""A logbook that was made elsewhere: read from a copy, or taken over under an id of this user's.

What acts on a machine never comes out of a logbook: no restore point, no game, no rig.
"""

from pathlib import Path

from keenlattice.errors import UsageError
from keenlattice.logbook._captures import CAPTURES, SETTINGS
from keenlattice.logbook.book import Logbook
from keenlattice.logbook.file import BookFile, not_a_link
from keenlattice.logbook.identity import claim, new_id, read_id
from keenlattice.logbook.kept import Study, study_in
from keenlattice.logbook.schema import connect, connect_to_read, forget_applies, peek, plain_errors
from keenlattice.quickly import dataclass


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
    return Holdings(versions, captures, studies, applies, tuple(author for author in authors if author))


def take_over(folder: Path) -> Logbook:
    """Makes a logbook this user's; it is open for writing from then on.

    Args:
        folder: where it is.

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
    connection, made = connect(folder), new_id()
    claim(made, folder)
    try:
        with plain_errors(folder):
            connection.execute("BEGIN IMMEDIATE")  # the id, and that nothing was done here: both or neither
            forget_applies(connection)
            connection.execute("UPDATE book SET id = ?", (made,))
            connection.execute("COMMIT")
            connection.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    finally:
        connection.close()
    return Logbook(folder)


class ReadBook(BookFile):
    """A logbook, open for reading alone.

    Args:
        folder: where it is.

    Raises:
        BookError: it is damaged, too large, or no logbook.
    """

    def __init__(self, folder: Path) -> None:
        self.folder, self.elsewhere = folder, True
        self.id = peek(folder, read_id)
        self._connection, self._scratch = connect_to_read(folder)
        self.state = Path(self._scratch.name) / "state"

    def studies(self) -> list[Study]:
        """All studies, on whatever rig, in the order in which they were begun."""
        return self.rows(study_in, "SELECT * FROM studies ORDER BY number")
