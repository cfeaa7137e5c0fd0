"""A logbook and a rig, opened together, and the versions that a player names.

The rig is opened only when it is asked for: what reads the logbook alone starts quickly.
"""

import getpass
import warnings
from collections.abc import Callable, Iterable, Mapping, Sequence
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Protocol, Self, runtime_checkable

from keenlattice._door import check_methods
from keenlattice.logbook.book import Logbook
from keenlattice.logbook.reference import find
from keenlattice.profile.version import HELD_NOW, WHOLE_RIG, Entries, Version, owners, stock
from keenlattice.rig._journal import unfinished
from keenlattice.rig.find import OURS, check_complete, described, home_of, name_of, open_rig

if TYPE_CHECKING:
    from keenlattice.catalog.values import Value
    from keenlattice.profile._offer import Here
    from keenlattice.profile.checks import Finding, Findings
    from keenlattice.profile.layers import Base, Effective
    from keenlattice.rig.base import Rig


@runtime_checkable
class OfVersion(Protocol):
    """What has made a version, or found one."""

    @property
    def version(self) -> Version | None:
        """That version."""


VersionLike = str | Version | OfVersion
"""A version: itself, what has made it, or as a player writes it (`brass-orbit`, `brass-orbit@stock`)."""


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
        rig: the kind of rig ("standin", "linux", "byhand", or one that is installed), or a rig itself.

    `author` is who makes its versions: whoever is at the keyboard, unless it is set. `notice` is called with what a
    player has to know before something begins; it makes a warning of it, unless it is set.

    Raises:
        UnknownName: no such kind of rig.
        RigError: the rig that was given lacks what every rig has.
        BookError: the folder is no logbook.
    """

    def __init_subclass__(cls) -> None:
        check_methods(cls)

    def __init__(self, book: Logbook | Path | str | None = None, rig: "str | Rig" = "standin") -> None:
        if isinstance(rig, str):
            home_of(rig, Path())  # an unknown rig is said before anything is made
        else:
            check_complete(rig)
        self.book = book if isinstance(book, Logbook) else Logbook(Path(book) if book else None)
        self.kind = rig if isinstance(rig, str) else rig.name
        self._given = None if isinstance(rig, str) else rig
        self.author = user_name()
        self.notice: Callable[[str], None] = warn

    @property
    def rig_name(self) -> str:
        """What the rig is called in the logbook."""
        return self._given.name if self._given else name_of(self.kind)

    @property
    def described(self) -> str:
        """What kind of rig it is, in a few words."""
        return described(self.kind)

    @cached_property
    def rig(self) -> "Rig":
        """The rig, opened when it is first asked for."""
        return self._given or open_rig(self.kind, self.book)

    @property
    def games(self) -> list[str]:
        """The names of the rig's games."""
        return [game.name for game in self.rig.games()]

    def fingerprint(self) -> str:
        """Short for all that the rig's settings are kept in: equal only if it is byte for byte the same."""
        from keenlattice.rig._journal import fingerprint

        return fingerprint(self.rig.state())

    def _reopen(self) -> None:
        """Forgets the rig, so that it is opened anew with what was told of it."""
        self.__dict__.pop("rig", None)

    def close(self) -> None:
        """Lets go of the logbook; nothing is lost without."""
        self.book.close()

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def __repr__(self) -> str:
        return f"{type(self).__name__}({str(self.book.folder)!r}, rig={self.kind!r})"

    def cut_short(self) -> "list[Rig]":
        """The rigs on which a change was cut short: a process that made it was killed, or is still at it."""
        kinds = dict.fromkeys([*OURS, *([] if self._given else [self.kind])])
        found = [self.rig if kind == self.kind and not self._given else open_rig(kind, self.book) for kind in kinds
                 if unfinished(home_of(kind, self.book.state))]
        return [*found, *([self._given] if self._given and unfinished(self._given.home) else [])]

    def _may_have_a_sheet(self) -> bool:
        """Whether a sheet lies in the rig's home, told without opening the rig."""
        from keenlattice.rig.byhand import SHEET

        home = self._given.home if self._given else home_of(self.kind, self.book.state)
        return (home / SHEET).exists()

    def find(self, which: VersionLike, *, both: bool = False) -> Version:
        """The version that is meant; `GAME@now` is what the rig holds for it now.

        Args:
            which: the version, in any of the ways that `VersionLike` has.
            both: take a game's version and a rig-wide one together, too: `GAME+rig`.

        Raises:
            UnknownName: no such game or version; the message offers the nearest.
            UsageError: `@applied` where nothing has been applied; or what was given has made no version, or is two
                versions where one is wanted.
        """
        from keenlattice.errors import UsageError
        from keenlattice.profile.together import split, together

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
            known = self.find(profile)
            return Version(known.profile, self.held(profile), note=HELD_NOW)
        return find(self.book, which, self.rig_name, lambda: self.games)

    def runs_of(self, version: Version) -> list[str]:
        """The names of the captures of a version on this rig, the newest first.

        Args:
            version: that was on the rig when they were recorded.
        """
        names = {version.id, kept_as(version)}
        return self.book.captures_of(self.rig_name, owners(version.profile)[0], *names)

    def stored(self, profile: str) -> Entries:
        """What the latest version of a profile sets."""
        latest = self.book.latest(profile)
        return latest.entries if latest else {}

    @property
    def stock_known(self) -> bool:
        """Whether what nothing sets on the rig is at stock; not so where nobody but its player can look."""
        from keenlattice.rig.base import ByHand

        return not isinstance(self.rig, ByHand)

    def held(self, profile: str) -> Entries:
        """Return what the rig itself holds for a game, or rig-wide: setting to value.

        Args:
            profile: a game's name, or "rig".
        """
        return self.rig.values(self.rig.state(), profile)

    def base(self) -> "Base":
        """Return what a game's version stands on: the rig-wide values that the rig holds, and its facts."""
        from keenlattice.profile.layers import Base

        return Base(self.held(WHOLE_RIG), self.rig.facts())

    def planned(self) -> "dict[str, tuple[Value | None, Value]]":
        """Return the rig-wide settings that are planned and not on the rig: setting to what it holds, and the plan.

        A value that the latest rig-wide version gives by a formula is evaluated on this rig. What nothing sets is at
        stock; or None, where nobody knows what that is.
        """
        from keenlattice.catalog.values import same
        from keenlattice.rig.drift import applied_values

        wanted = applied_values(self.rig, self.find(WHOLE_RIG))
        if not wanted:
            return {}
        catalog, held = self.rig.catalog(), self.held(WHOLE_RIG)
        stock_values = {key: catalog[key].stock for key in wanted} if self.stock_known else {}
        return {key: (held.get(key, stock_values.get(key)), value) for key, value in wanted.items()
                if not same(held.get(key, stock_values.get(key)), value)}

    def effective(self, which: VersionLike, base: "Base | None" = None) -> "Mapping[str, Effective]":
        """Return what holds under a version on this rig: a game's above what the rig holds, formulas evaluated.

        Args:
            which: the version, in any of the ways that `VersionLike` has.
            base: what a game's version stands on; as the rig is now, if not given.
        """
        from keenlattice.profile.concrete import facts_at_stock
        from keenlattice.profile.layers import resolve
        from keenlattice.profile.together import parted

        version, base, catalog = self.find(which, both=True), base or self.base(), self.rig.catalog()
        parts = parted(version.profile, version.entries)
        facts = (facts_at_stock(catalog, base.rig_wide, base.facts) if len(parts) > 1 and self.stock_known else
                 base.facts)
        rig_wide = parts.pop(WHOLE_RIG, base.rig_wide)
        game, entries = next(iter(parts.items()), (WHOLE_RIG, {}))
        return resolve(catalog, rig_wide, entries, facts=facts,
                       stock_known=self.stock_known, seen=self._seen(game))

    def _seen(self, profile: str) -> Entries:
        """What the player of a rig changed by hand has seen there before anything was set."""
        from keenlattice.rig.base import ByHand

        if not isinstance(self.rig, ByHand):
            return {}
        return {**self.rig.seen_before(WHOLE_RIG), **self.rig.seen_before(profile)}

    def findings(self, which: VersionLike, base: "Base | None" = None) -> "Findings":
        """Return what the checks find under a version on this rig.

        Args:
            which: the version, in any of the ways that `VersionLike` has.
            base: as in `effective`.
        """
        base, version = base or self.base(), self.find(which, both=True)
        return self._found_in(self.effective(version, base), owners(version.profile)[0], base)

    def _found_in(self, effective: "Mapping[str, Effective]", profile: str, base: "Base") -> "Findings":
        """What the checks find, and what the rig knows of the game, where it is known already what holds."""
        from keenlattice.profile.checks import Finding, Findings, findings
        from keenlattice.rig.base import TellsInert

        found = findings(self.rig.catalog(), effective, base.facts, self.rig.devices(),
                         stock_known=self.stock_known)
        if not isinstance(self.rig, TellsInert):
            return found
        inert = self.rig.inert(profile, [key for key, one in effective.items() if one.is_set])
        return Findings([*found, *(Finding(check="not-read-here", kind="inert", settings=(key,), why=why,
                                           what_to_do=f"take it out: keen edit {profile} {key}=unset")
                                   for key, why in inert.items())])

    def _as_planned(self, found: "Iterable[Finding]", version: Version) -> "Findings":
        """What the checks found; where the rig-wide plan mends it, that it only has to be applied."""
        from keenlattice.profile.checks import Findings
        from keenlattice.profile.layers import Base

        findings, planned = Findings(found), self.planned().keys()
        if not planned:
            return findings
        applied = self.find(WHOLE_RIG) if version.profile == WHOLE_RIG else version
        unmended = {(finding.check, finding.settings) for finding in
                    self.findings(applied, Base(self.stored(WHOLE_RIG), self.rig.facts()))}
        return Findings(
            finding if planned.isdisjoint(finding.settings) or (finding.check, finding.settings) in unmended else
            finding.model_copy(update={"what_to_do": "keen apply rig, which is planned to set it"})
            for finding in findings)

    def commit(self, parents: Sequence[Version], entries: Entries, note: str) -> Version:
        """A new version made from others, by whoever is at the keyboard.

        Args:
            parents: what it is made from.
            entries: what it sets.
            note: why.
        """
        return self.book.commit(parents[0].profile, entries, note=note, author=self.author, parents=parents)

    def _here(self) -> "Here":
        """The rig, as far as a pack is held against it."""
        from keenlattice.errors import RigError
        from keenlattice.profile._offer import Here

        rig, state = self.rig, self.rig.state()

        def refuses(game: str, key: str, value: "Value") -> str:
            try:
                rig.changed(state, game, {key: value})
            except RigError as error:
                return str(error)
            return ""

        known = {WHOLE_RIG, *self.games, *self.book.profiles()}
        return Here(rig.catalog(), rig.facts(), self.stored, refuses, rig.devices(), self.stock_known,
                    known.__contains__)


check_methods(Opened)

Choose = Callable[["Rig"], bool | None]
"""Is asked what becomes of a change that was cut short: True to finish it, False to undo it, None to leave it."""
