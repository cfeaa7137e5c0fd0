"""A logbook and a rig beside each other: what every part of a workspace stands on.

The rig is opened only when it is asked for: what reads the logbook alone starts quickly.
"""

import getpass
import warnings
from collections.abc import Callable, Sequence
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Protocol, runtime_checkable

from keenlattice.errors import UsageError
from keenlattice.logbook.book import Logbook, find
from keenlattice.profile.version import HELD_NOW, WHOLE_RIG, Entries, Version, owners, split, stock, together
from keenlattice.rig.find import check_complete, choose_for, chosen_for, home_of, name_of, open_rig

if TYPE_CHECKING:
    from keenlattice.logbook.kept import Study
    from keenlattice.measure.capture import Capture
    from keenlattice.rig.base import Asks, ByHand, Rig


@runtime_checkable
class OfVersion(Protocol):
    """What has made a version, or found one."""

    @property
    def version(self) -> Version | None:
        """That version."""


VersionLike = str | Version | OfVersion
"""A version: itself, what has made it, or as a player writes it (`brass-orbit`, `brass-orbit@stock`)."""


Matters = float | str
"""The smallest difference that matters: in per cent, or as a player writes it (`"3%"`, `"0.5ms"`, or for one metric
`"latency_ms_median=1ms"`, several with commas between)."""


def user_name() -> str:
    """Who is at the keyboard, as the system calls them; empty where it does not say."""
    try:
        return getpass.getuser()
    except (OSError, KeyError, ImportError):
        return ""


def kept_as(version: Version) -> str:
    """What a capture says that it is of: the version's id; "stock", where nothing had been set."""
    return "stock" if version == stock(version.profile) and len(owners(version.profile)) == 1 else version.id


def warn(text: str) -> None:
    """Make a Python warning of what a player has to know."""
    warnings.warn(text, stacklevel=2)


class Opened:
    """An open logbook and a rig beside it.

    Args:
        book: the logbook; or its folder, None for the player's own.
        rig: the kind of rig ("here", "standin", "byhand", or one that is installed), or a rig itself; None for the one
            that KEEN_RIG names, else the logbook's own: the one it was first opened with, this PC if that was not said.
        author: who makes its versions; the user at the keyboard, if not given.
        notice: is called with what a player has to know before something begins.

    `is_usual` says whether the rig is the one that is meant where none is named.

    Raises:
        UnknownName: no such kind of rig.
        RigError: the rig that was given lacks what every rig has.
        BookError: the folder is not a logbook.
    """

    def __init__(self, book: Logbook | Path | str | None, rig: "str | Rig | None", author: str | None,
                 notice: Callable[[str], None]) -> None:
        if isinstance(rig, str):
            home_of(rig, Path())  # an unknown rig is said before anything is made
        elif rig is not None:
            check_complete(rig)
        self.book = book if isinstance(book, Logbook) else Logbook(Path(book) if book else None)
        usual = chosen_for(self.book.state)
        self.kind = (usual or "here") if rig is None else rig if isinstance(rig, str) else rig.name
        self.given = None if rig is None or isinstance(rig, str) else rig
        is_new = not usual and not self.given and not self.book.elsewhere
        if is_new:
            choose_for(self.book.state, self.kind)
        self.is_usual = is_new or self.kind == (usual or "here")
        self.author = user_name() if author is None else author
        self.notice = notice

    @property
    def rig_name(self) -> str:
        """What the rig is called in the logbook."""
        return self.given.name if self.given else name_of(self.kind)

    @cached_property
    def rig(self) -> "Rig":
        """The rig, opened when it is first asked for."""
        return self.given or open_rig(self.kind, self.book)

    @property
    def games(self) -> list[str]:
        """The names of the rig's games."""
        return [game.name for game in self.rig.games()]

    @property
    def by_hand(self) -> bool:
        """Whether a person changes the rig, and plays on it."""
        from keenlattice.rig.base import ByHand

        return isinstance(self.rig, ByHand)

    @property
    def newest_pool(self) -> "Study | None":
        """The newest pool of evidence in the logbook; None if there is none."""
        from keenlattice.logbook.kept import studies

        return next(iter(studies(self.book, self.rig_name, "pool", finished=True, most=1)), None)

    def for_game(self, profile: str) -> str:
        """Return the option that names a game, which a trial of the rig-wide profile needs; "" for a game's own.

        Args:
            profile: that is tried.
        """
        return f" --game {self.games[0]}" if profile == WHOLE_RIG and self.games else ""

    def reopen(self) -> None:
        """Forget the rig, so that it is opened again with what was said of it."""
        self.__dict__.pop("rig", None)

    def find(self, which: VersionLike, *, both: bool = False) -> Version:
        """Return the version that is meant; see `Profiles.find`."""
        version = which if isinstance(which, str | Version) else which.version
        if version is None:
            raise UsageError(f"{type(which).__name__} has made no version")
        reference = version if isinstance(version, str) else version.reference
        parts = split(reference)
        if len(parts) > 1 and not both:
            raise UsageError(f"{reference} is two profiles together, which a trial, a screen, a hunt and compare take; "
                             f"here it has to be one of them: {' or '.join(reversed(parts))}")
        if isinstance(version, Version):
            return version
        return together(*map(self._find, parts)) if len(parts) > 1 else self._find(version)

    def _find(self, which: str) -> Version:
        """The version of one profile that a player writes."""
        profile, _, name = which.partition("@")
        if name == "now":
            version = self.find(profile)
            return Version(version.profile, self.held(profile), note=HELD_NOW)
        return find(self.book, which, self.rig_name, lambda: self.games)

    def runs_of(self, version: Version) -> list[str]:
        """The names of the captures of a version on this rig, the newest first.

        Args:
            version: that was on the rig when they were recorded.
        """
        names = {version.id, kept_as(version)}
        return self.book.captures_of(self.rig_name, owners(version.profile)[0], *names)

    def keep(self, capture: "Capture", version: Version) -> str:
        """Keep a run of a version in the logbook; returns its name there."""
        return self.book.keep_capture(capture, self.rig_name, version.profile, kept_as(version))

    def held(self, profile: str) -> Entries:
        """Return what the rig itself holds for a game, or rig-wide: setting to value.

        Args:
            profile: a game's name, or "rig".
        """
        return self.rig.values(self.rig.state(), profile)

    def commit(self, parents: Sequence[Version], entries: Entries, note: str) -> Version:
        """A new version made from others, by the user at the keyboard.

        Args:
            parents: what it is made from.
            entries: what it sets.
            note: why.
        """
        return self.book.commit(parents[0].profile, entries, note=note, author=self.author, parents=parents)


def rig_that_asks(opened: Opened) -> "Asks":
    """Return the rig, which has to be one of which its player sets something.

    Raises:
        UsageError: it is not.
    """
    from keenlattice.rig.base import Asks

    if not isinstance(opened.rig, Asks):
        raise UsageError(f"the rig {opened.rig_name} has no sheets: all of it is written from here; this PC and "
                         "--rig byhand have")
    return opened.rig


def by_hand_rig(opened: Opened) -> "ByHand":
    """Return the rig, which has to be one that is played by hand.

    Raises:
        UsageError: it is not.
    """
    from keenlattice.rig.base import ByHand

    if not isinstance(opened.rig, ByHand):
        raise UsageError(f"the rig {opened.rig_name} is played from here; --rig byhand is played by hand")
    return opened.rig
