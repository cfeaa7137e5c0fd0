"""What a command works with: the logbook, the rig, and the versions that a player names.

The rig is opened only when it is asked for: a command that reads the logbook alone starts quickly.
"""

import getpass
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING

from keenlattice.cli.output import on_rig, warn
from keenlattice.logbook.book import Logbook, default_folder
from keenlattice.logbook.reference import find
from keenlattice.profile.version import WHOLE_RIG, Entries, Version
from keenlattice.rig.find import KINDS, home_of, open_rig
from keenlattice.rig.journal import unfinished

if TYPE_CHECKING:
    from keenlattice.profile.checks import Finding
    from keenlattice.profile.layers import Effective
    from keenlattice.rig.base import Rig


def user_name() -> str:
    """Who is at the keyboard, as the system calls them; empty where it does not say."""
    try:
        return getpass.getuser()
    except (OSError, KeyError, ImportError):
        return ""


@dataclass
class Session:
    """An open logbook and a rig beside it."""

    book: Logbook
    kind: str

    @property
    def rig_name(self) -> str:
        return KINDS[self.kind]

    @cached_property
    def rig(self) -> "Rig":
        return open_rig(self.kind, self.book)

    @cached_property
    def games(self) -> list[str]:
        return [game.name for game in self.rig.games()]

    def find(self, reference: str) -> Version:
        """The version that a player names; `GAME@now` is what the rig holds for it now."""
        profile, _, which = reference.partition("@")
        if which == "now":
            known = self.find(profile)
            return Version(known.profile, self.rig.values(self.rig.state(), profile), note="what the rig holds now")
        return find(self.book, reference, self.rig_name, lambda: self.games)

    def stored(self, profile: str) -> Entries:
        """What the latest version of a profile sets."""
        latest = self.book.latest(profile)
        return latest.entries if latest else {}

    def effective(self, version: Version) -> "Mapping[str, Effective]":
        """What holds under a version on this rig: a game's above the latest rig-wide one, formulas reckoned."""
        from keenlattice.profile.layers import resolve

        whole_rig = version.profile == WHOLE_RIG
        rig_wide = version.entries if whole_rig else self.stored(WHOLE_RIG)
        return resolve(self.rig.catalog(), rig_wide, {} if whole_rig else version.entries, facts=self.rig.facts())

    def findings(self, effective: "Mapping[str, Effective]") -> "tuple[Finding, ...]":
        """What the checks find in effective values on this rig."""
        from keenlattice.profile.checks import findings

        return findings(self.rig.catalog(), effective, self.rig.facts(), self.rig.devices())

    def commit(self, parents: list[Version], entries: Entries, note: str) -> Version:
        """A new version made from others, by whoever is at the keyboard."""
        return self.book.commit(parents[0].profile, entries, note=note, author=user_name(), parents=parents)


def begin(book: Path | None, rig: str, *, settle: bool = True) -> Session:
    """Opens the logbook, and first puts right what a command that was killed left behind.

    On a terminal the player is asked; elsewhere it is undone. `settle` says whether to do so at all. Of a logbook that
    was made elsewhere it is said that it can only be read.

    Raises:
        KeenLatticeError: no such rig, or the folder is no logbook.
    """
    on_rig(rig)
    home_of(rig, Path())  # an unknown rig is said before anything is made
    opened = Logbook(book or default_folder())
    if opened.elsewhere:
        warn(f"the logbook {opened.folder} was made elsewhere: it is open for reading alone (keen takeover)")
    for kind in KINDS if settle else ():
        if unfinished(home_of(kind, opened.state)):
            from keenlattice.cli.recover import settle_or_ask

            settle_or_ask(open_rig(kind, opened), kind)
    session = Session(opened, rig)
    if rig == "byhand" and settle:
        from keenlattice.rig.byhand.machine import ByHandRig
        from keenlattice.rig.byhand.sheets import settle_sheet

        assert isinstance(session.rig, ByHandRig)
        settle_sheet(session.rig, opened)
    return session
