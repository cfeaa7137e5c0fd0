"""Making a logbook that was made elsewhere one's own, seen before it is done."""

from dataclasses import field, replace
from pathlib import Path
from typing import ClassVar

from keenlattice._state_folder import expanded
from keenlattice.errors import UsageError
from keenlattice.logbook import takeover
from keenlattice.logbook.book import Logbook
from keenlattice.logbook.file import default_folder
from keenlattice.logbook.schema import is_there
from keenlattice.logbook.takeover import holdings
from keenlattice.quickly import dataclass
from keenlattice.workspace.result import NOT_IN_JSON, Result


@dataclass(frozen=True, repr=False)
class TakeoverResult(Result):
    """A logbook, whether it was taken over just now, and what it holds."""

    SCHEMA: ClassVar[str] = "takeover"

    folder: Path
    taken_over: bool
    versions: int
    captures: int
    studies: int
    applies: int
    authors: tuple[str, ...]
    is_ours: bool = field(metadata=NOT_IN_JSON)
    is_default: bool = field(metadata=NOT_IN_JSON)

    def _caption(self) -> str:
        return f"{self.folder}: {'taken over' if self.taken_over else 'ours' if self.is_ours else 'made elsewhere'}"


def look_at(folder: Path | str | None = None) -> TakeoverResult:
    """Whose a logbook is, and what it holds; nothing is written.

    Args:
        folder: where it is; None for the player's own.

    Raises:
        UsageError: there is none.
        BookError: it cannot be read.
    """
    default = expanded(default_folder()).absolute()
    where = expanded(Path(folder)) if folder else default
    if not is_there(where):
        raise UsageError(f"there is no logbook in {where}")
    with Logbook(where) as opened:
        held = holdings(opened)
        return TakeoverResult(opened.folder, False, held.versions, held.captures, held.studies, held.applies,
                              held.authors, not opened.elsewhere, opened.folder == default)


def take_over(folder: Path | str) -> TakeoverResult:
    """Makes a logbook this user's; it can be written in from then on.

    Args:
        folder: where it is.

    Raises:
        UsageError: it is this user's already, or there is none.
        BookError: it cannot be read or written.
    """
    takeover.take_over(expanded(Path(folder))).close()
    return replace(look_at(folder), taken_over=True)
