"""Versions of a profile: immutable, and addressed by the hash of their content."""

import hashlib
import json
import re
from collections.abc import Mapping
from types import MappingProxyType
from typing import TypeVar

from keenlattice.catalog.values import Value
from keenlattice.quickly import dataclass

WHOLE_RIG = "rig"
"""The name of the rig-wide profile; every other profile is one game's."""

Entries = Mapping[str, Value]
"""What a profile sets: setting key to value. What is not there is unset, and inherited."""

SHORT = 8  # as many digits of a version's id as a player has to read


@dataclass(frozen=True)
class Version:
    """One state of a profile. `id` is the SHA-256 of everything else in it, in hexadecimal.

    Args:
        profile: a game's name, or "rig".
        entries: what it sets.
        parents: the ids that it was made from; none for the first.
        note: why it was made.
        author: who made it.
        time: when, in ISO 8601 with the zone.

    >>> Version("brass-orbit", {"frame.cap": 160, "frame.queue-depth": 1}).reference
    'brass-orbit@037b668b'
    """

    profile: str
    entries: Entries
    parents: tuple[str, ...] = ()
    note: str = ""
    author: str = ""
    time: str = ""

    def __post_init__(self) -> None:
        object.__setattr__(self, "entries", MappingProxyType(dict(sorted(self.entries.items()))))

    @property
    def id(self) -> str:
        """The SHA-256 of everything else in it, in hexadecimal."""
        content = json.dumps(
            [self.profile, dict(self.entries), self.parents, self.note, self.author, self.time],
            ensure_ascii=True, separators=(",", ":"))
        return hashlib.sha256(content.encode()).hexdigest()

    @property
    def reference(self) -> str:
        """As a player writes it: `brass-orbit@1a2b3c4d`, or `brass-orbit@stock`; of two profiles together both."""
        names = owners(self.profile)
        if not self.time and not self.entries:
            return "+".join(f"{name}@stock" for name in names)
        if len(names) > 1 and len(self.parents) == len(names):
            return "+".join(f"{name}@stock" if part == stock(name).id else f"{name}@{part[:SHORT]}"
                            for name, part in zip(names, self.parents, strict=True))
        return f"{self.profile}@{self.id[:SHORT]}"

    def plain(self) -> str:
        """As it stands in a result's JSON."""
        return self.reference


def owners(profile: str) -> tuple[str, ...]:
    """Return whose settings a profile holds: its own; or a game's and the rig's, where a study takes both together.

    >>> owners("brass-orbit"), owners("brass-orbit+rig")
    (('brass-orbit',), ('brass-orbit', 'rig'))
    """
    game, _, whole_rig = profile.rpartition("+")
    return (game, whole_rig) if game and whole_rig == WHOLE_RIG else (profile,)


HELD_NOW = "what the rig holds now"
"""The note of a version that was read from the rig, and never made."""


def stock(profile: str) -> Version:
    """The version of a profile that sets nothing, and was never made: everything is inherited.

    >>> stock("brass-orbit").reference
    'brass-orbit@stock'
    """
    return Version(profile=profile, entries={}, note="nothing set")


# A player writes `GAME+rig`, either part with a version behind it: `brass-orbit@stock+rig@1a2b3c4d`. The two parts
# make one version, of the profile `GAME+rig`, which no logbook keeps. Its rig-wide entries are marked, so that a
# setting that both parts set is two settings: `frame.cap` is the game's, `frame.cap@rig` the rig's. A device's
# setting is always the rig's, and needs no mark.

MARK = f"@{WHOLE_RIG}"
BOTH = re.compile(rf"([^@+]+(?:@[^@+]*)?)\+({WHOLE_RIG}(?:@[^@+]*)?)")

AnyValue = TypeVar("AnyValue", bound=Value | None)


def split(reference: str) -> tuple[str, ...]:
    """Return the references that a reference puts together: the game's and the rig's; or itself alone.

    >>> split("brass-orbit@stock+rig")
    ('brass-orbit@stock', 'rig')
    >>> split("brass-orbit")
    ('brass-orbit',)
    """
    both = BOTH.fullmatch(reference)
    return both.groups() if both else (reference,)


def profile_of(reference: str) -> str:
    """Return the profile of a reference.

    >>> profile_of("brass-orbit@stock+rig@1a2b3c4d")
    'brass-orbit+rig'
    """
    return "+".join(part.partition("@")[0] for part in split(reference))


def together(game: Version, whole_rig: Version) -> Version:
    """Return the version that a game's and a rig-wide one make together; it is in no history.

    >>> version = together(Version("brass-orbit", {"frame.cap": 160}), Version("rig", {"display.refresh": 165}))
    >>> dict(version.entries)
    {'display.refresh@rig': 165, 'frame.cap': 160}
    """
    parts, profile = (game, whole_rig), f"{game.profile}+{whole_rig.profile}"
    if all(part == stock(part.profile) for part in parts):
        return stock(profile)
    stored = all(part.time or not part.entries for part in parts)  # what was made of a pack has no time
    notes = [f"{part.profile}: {part.note}" for part in parts if part.note and part.entries]
    return Version(
        profile, joined(game.entries, whole_rig.entries), tuple(part.id for part in parts) if stored else (),
        "; ".join(notes),
        time=max(part.time for part in parts) if stored else "")


def joined(game: Entries, whole_rig: Entries) -> dict[str, Value]:
    """Return the entries of a game and of the rig in one mapping, the rig's marked."""
    return {**game, **{key if "@" in key else key + MARK: value for key, value in whole_rig.items()}}


def parted(profile: str, entries: Mapping[str, AnyValue]) -> dict[str, dict[str, AnyValue]]:
    """Return each owner's own entries: of what `joined` gave, or of any one profile. The rig's come first.

    >>> parted("brass-orbit+rig", {"frame.cap": 160, "display.refresh@rig": 165})
    {'rig': {'display.refresh': 165}, 'brass-orbit': {'frame.cap': 160}}
    """
    game, *whole_rig = owners(profile)
    if not whole_rig:
        return {profile: dict(entries)}
    return {WHOLE_RIG: {own_key(key): value for key, value in entries.items() if "@" in key},
            game: {key: value for key, value in entries.items() if "@" not in key}}


def own_key(key: str) -> str:
    """Return a setting's key as its owner's profile has it.

    >>> own_key("display.refresh@rig"), own_key("interrupt.mode@gpu0")
    ('display.refresh', 'interrupt.mode@gpu0')
    """
    return key.removesuffix(MARK)
