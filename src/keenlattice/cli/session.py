"""What a command works with: the logbook, the rig, and the versions that a player names."""

import sys
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path

from keenlattice.logbook.book import Logbook, default_folder
from keenlattice.logbook.reference import find
from keenlattice.profile.version import Entries, Version
from keenlattice.rig.base import Rig
from keenlattice.rig.find import KINDS, home_of, open_rig
from keenlattice.rig.journal import recover, unfinished


@dataclass
class Session:
    """An open logbook and a rig beside it."""

    book: Logbook
    kind: str

    @cached_property
    def rig(self) -> Rig:
        return open_rig(self.kind, self.book.folder)

    @cached_property
    def games(self) -> list[str]:
        return [game.name for game in self.rig.games()]

    def find(self, reference: str) -> Version:
        """The version that a player names."""
        return find(self.book, reference, self.rig.name, self.games)

    def rig_wide(self) -> Entries:
        """What the latest rig-wide version sets."""
        latest = self.book.latest("rig")
        return latest.entries if latest else {}


def begin(book: Path | None, rig: str) -> Session:
    """Opens the logbook, and first puts right what a command that was killed left behind.

    Raises:
        KeenLatticeError: no such rig, or the folder is no logbook.
    """
    home_of(rig, Path())  # an unknown rig is said before anything is made
    folder = (book or default_folder()).expanduser().absolute()
    for kind in KINDS:
        if unfinished(home_of(kind, folder)) and (done := recover(open_rig(kind, folder))):
            print(f"keen: {done}", file=sys.stderr)
    return Session(Logbook(folder), rig)
