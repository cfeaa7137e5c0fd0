"""The versions of profiles in a logbook, and their labels."""

import json
import re
from collections.abc import Mapping, Sequence

from keenlattice.errors import UnknownName, UsageError
from keenlattice.logbook import _rows as read
from keenlattice.logbook.file import BookFile, now
from keenlattice.profile.version import Entries, Version, stock


class Versions(BookFile):
    """What keeps versions, and finds them."""

    def commit(self, profile: str, entries: Entries, *, note: str = "", author: str = "",
               parents: Sequence[Version] | None = None) -> Version:
        """A new version of a profile, kept for good; made from its latest, unless other parents are given."""
        with self.together():
            if parents is None:
                latest = self.latest(profile)
                parents = [latest] if latest else []
            known = tuple(parent.id for parent in parents if parent.time)  # stock is where one starts, and no version
            return self.add(Version(profile, entries, known, note, author, now()))

    def add(self, version: Version) -> Version:
        """Keeps a version; one that is there already stays as it is.

        Raises:
            UsageError: it could not be read again: no name for a profile, no value, or a text beyond all bounds.
        """
        if wrong := read.unreadable(version):
            raise UsageError(f"{version.profile[:80]!r} cannot be kept: {wrong}")
        self.insert(
            "INSERT OR IGNORE INTO versions (id, profile, entries, parents, note, author, time) "
            "VALUES (?, ?, ?, ?, ?, ?, ?)",
            version.id, version.profile, json.dumps(dict(version.entries)), json.dumps(version.parents),
            version.note, version.author, version.time)
        return version

    def latest(self, profile: str) -> Version | None:
        """The newest version of a profile, if there is any."""
        return self._first(read.version, "SELECT * FROM versions WHERE profile = ? ORDER BY number DESC LIMIT 1",
                           profile)

    def history(self, profile: str, most: int | None = None) -> list[Version]:
        """The versions of a profile, newest first; `most` of them, if given."""
        return self.rows(read.version, "SELECT * FROM versions WHERE profile = ? ORDER BY number DESC LIMIT ?", profile,
                         -1 if most is None else most)

    def profiles(self) -> list[str]:
        """The names of all profiles that have a version."""
        return self.rows(read.profile, "SELECT DISTINCT profile FROM versions ORDER BY profile")

    def version(self, profile: str, digits: str) -> Version:
        """The version of a profile whose id begins with these digits.

        Raises:
            UnknownName: none does.
            UsageError: several do.
        """
        if not digits or not set(digits) <= set("0123456789abcdef"):
            raise self._no_version(profile, digits)
        found = self.rows(read.version, "SELECT * FROM versions WHERE profile = ? AND id >= ? AND id < ? LIMIT 2",
                          profile, digits, digits + "g")
        if not found:
            raise self._no_version(profile, digits)
        if len(found) > 1:
            raise UsageError(f"{profile}@{digits} could be several versions: give more digits, "
                             f"see `keen history {profile}`")
        return found[0]

    def common_ancestor(self, one: Version, other: Version) -> Version:
        """The newest version of a profile that both were made from (one of them, perhaps); stock, if there is none."""
        kept = self.rows(lambda row: (read.text(row, "id", read.ID), read.texts_in(row, "parents"),
                                      read.whole(row, "number")),
                         "SELECT number, id, parents FROM versions WHERE profile = ?", one.profile)
        parents, number = {row[0]: row[1] for row in kept}, {row[0]: row[2] for row in kept}
        shared = _lineage(one.id, parents) & _lineage(other.id, parents) & {*number}
        return self.version(one.profile, max(shared, key=number.__getitem__)) if shared else stock(one.profile)

    def label(self, version: Version, label: str) -> None:
        """Gives a version a name of its own; a label that is there already moves.

        Raises:
            UsageError: a word that means something else in a reference.
        """
        if not re.fullmatch(r"[a-z][a-z0-9-]{0,39}", label) or label in ("stock", "applied", "now") or re.fullmatch(
                r"[0-9a-f]+", label):
            raise UsageError(f"{label!r} cannot be a label: take small letters, digits and dashes, more than a to f, "
                             "and not stock, applied or now")
        self.insert("INSERT OR REPLACE INTO labels (profile, label, version) VALUES (?, ?, ?)", version.profile, label,
                    version.id)

    def labels(self, profile: str) -> dict[str, list[str]]:
        """Version id to its labels."""
        found: dict[str, list[str]] = {}
        for label, version in self.rows(
                lambda row: (read.text(row, "label", read.PROFILE), read.text(row, "version", read.ID)),
                "SELECT label, version FROM labels WHERE profile = ? ORDER BY label", profile):
            found.setdefault(version, []).append(label)
        return found

    def labelled(self, profile: str, label: str) -> Version | None:
        """The version of that label, if there is one."""
        version = self._first(lambda row: read.text(row, "version", read.ID),
                              "SELECT version FROM labels WHERE profile = ? AND label = ?", profile, label)
        return self.version(profile, version) if version else None

    def _no_version(self, profile: str, digits: str) -> UnknownName:
        labels = [f"{profile}@{label}" for some in self.labels(profile).values() for label in some]
        known = [*labels, *(version.reference for version in self.history(profile, 50))]
        return UnknownName("version", f"{profile}@{digits}", known, f"see `keen history {profile}`")


def _lineage(version: str, parents: Mapping[str, list[str]]) -> set[str]:
    """A version's id and those of everything that it was made from."""
    found, waiting = set(), [version] if version in parents else []
    while waiting:
        one = waiting.pop()
        if one not in found:
            found.add(one)
            waiting += parents.get(one, [])
    return found
