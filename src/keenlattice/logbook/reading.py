"""A logbook that is only read, whoever's it is: from a copy, so that nothing in its folder or about it changes."""

from pathlib import Path

from keenlattice.logbook._identity import read_id
from keenlattice.logbook._schema import connect_to_read, peek
from keenlattice.logbook._studies import Study, study_in
from keenlattice.logbook.file import BookFile


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
