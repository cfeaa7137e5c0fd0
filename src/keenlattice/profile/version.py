"""Versions of a profile: immutable, and addressed by the hash of their content."""

import hashlib
import json
from collections.abc import Mapping
from dataclasses import dataclass
from types import MappingProxyType

from keenlattice.catalog.values import Value

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
