"""The versions of profiles in a logbook, and their labels."""

import re
from collections.abc import Mapping, Sequence

from keenlattice.errors import UnknownName, UsageError, way
from keenlattice.logbook import _rows as read
from keenlattice.logbook.file import BookFile, now
from keenlattice.profile.version import Entries, Version, stock

MOST_LABELS = 5_000
"""Labels of a profile that are shown; nobody reads more."""

MAKERS = ("tune", "ramp")
"""The kinds of study that make versions; each of these has a label with the kind and the study's number."""


class Versions(BookFile):
    """What keeps versions, and finds them."""

    def commit(self, profile: str, entries: Entries, *, note: str = "", author: str = "",
               parents: Sequence[Version] | None = None) -> Version:
        """A new version of a profile, kept for good; made from its latest, unless other parents are given."""
        with self.together():
            if parents is None:
                latest = self.latest(profile)
                parents = [latest] if latest else []
            parent_ids = tuple(parent.id for parent in parents
                               if parent.time)  # stock is where one starts, and no version
            return self.add(Version(profile, entries, parent_ids, note, author, now()))

    def add(self, version: Version) -> Version:
        """Keeps a version; one that is there already stays as it is.

        Raises:
            BadValue: it could not be read back: a wrong name for a profile, a wrong value, or too long a note.
        """
        self.keep("versions", read.version, {
            "id": version.id, "profile": version.profile, "entries": dict(version.entries),
            "parents": list(version.parents), "note": version.note, "author": version.author, "time": version.time,
        }, there_already="IGNORE")
        return version

    def latest(self, profile: str) -> Version | None:
        """Return the newest version of a profile, if there is any; what a study made is on a branch beside it."""
        made = " OR ".join(f"label GLOB '{kind}-[0-9]*'" for kind in MAKERS)
        return self._first(
            read.version, "SELECT * FROM versions WHERE profile = ? AND id NOT IN (SELECT version FROM labels WHERE "
            f"profile = ? AND ({made})) ORDER BY number DESC LIMIT 1", profile, profile)

    def branch(self, parent: Version, entries: Entries, study: str, *, note: str, author: str) -> Version:
        """Keep a version that a study made, on a branch: the latest of the profile stays what its player made.

        Args:
            parent: what it is made from.
            study: its kind and number, `tune-3`; the version has that as its label.
        """
        with self.together():
            made = self.commit(parent.profile, entries, note=note, author=author, parents=[parent])
            self._label(made, study)
        return made

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
        versions = self.rows(read.version, "SELECT * FROM versions WHERE profile = ? AND id >= ? AND id < ? LIMIT 2",
                             profile, digits, digits + "g")
        if not versions:
            raise self._no_version(profile, digits)
        if len(versions) > 1:
            raise UsageError(f"{profile}@{digits} could be several versions: give more digits, "
                             f"see {_history(profile)}")
        return versions[0]

    def made(self) -> list[str]:
        """Return the ids of all versions, of whichever profile, in the order in which they were made."""
        return self.rows(lambda row: read.text(row, "id", read.ID), "SELECT id FROM versions ORDER BY number")

    def common_ancestor(self, version: Version, second: Version) -> Version:
        """The newest version of a profile that both were made from (one of them, perhaps); stock, if there is none."""
        kept = self.rows(lambda row: (read.text(row, "id", read.ID), read.texts_in(row, "parents"),
                                      read.whole(row, "number")),
                         "SELECT number, id, parents FROM versions WHERE profile = ?", version.profile)
        parents, number = {row[0]: row[1] for row in kept}, {row[0]: row[2] for row in kept}
        shared = _lineage(version.id, parents) & _lineage(second.id, parents) & {*number}
        return self.version(version.profile, max(shared, key=number.__getitem__)) if shared else stock(version.profile)

    def label(self, version: Version, label: str) -> None:
        """Gives a version its own name; a label that is there already moves.

        Raises:
            UsageError: a word that means something else in a reference.
        """
        if not re.fullmatch(r"[a-z][a-z0-9-]{0,39}", label) or label in ("stock", "applied", "now") or re.fullmatch(
                r"[0-9a-f]+", label):
            raise UsageError(f"{label!r} cannot be a label: take small letters, digits and dashes, more than a to f, "
                             "and not stock, applied or now")
        if re.fullmatch(rf"({'|'.join(MAKERS)})-[0-9]+", label):
            raise UsageError(f"{label!r} is how a version is labelled that a study made: choose another label")
        self._label(version, label)

    def _label(self, version: Version, label: str) -> None:
        self.keep("labels", label_in, {"profile": version.profile, "label": label, "version": version.id},
                  there_already="REPLACE")

    def labels(self, profile: str) -> dict[str, list[str]]:
        """Version id to its labels."""
        result: dict[str, list[str]] = {}
        for label, version in self.rows(label_in, "SELECT label, version FROM labels WHERE profile = ? ORDER BY label "
                                        "LIMIT ?", profile, MOST_LABELS):
            result.setdefault(version, []).append(label)
        return result

    def labelled(self, profile: str, label: str) -> Version | None:
        """The version of that label, if there is one."""
        label_row = self._first(label_in, "SELECT label, version FROM labels WHERE profile = ? AND label = ?", profile,
                                label)
        return self.version(profile, label_row[1]) if label_row else None

    def _no_version(self, profile: str, digits: str) -> UnknownName:
        labels = [f"{profile}@{label}" for value in self.labels(profile).values() for label in value]
        names = [*labels, *(version.reference for version in self.history(profile, 50))]
        return UnknownName("version", f"{profile}@{digits}", names, f"see {_history(profile)}")


def _history(profile: str) -> str:
    return way(f"keen history {profile}", f"ws.profiles.history({profile!r})")


def label_in(row: read.BookRow) -> tuple[str, str]:
    return read.text(row, "label", read.PROFILE), read.text(row, "version", read.ID)


def _lineage(version: str, parents: Mapping[str, list[str]]) -> set[str]:
    """A version's id and those of everything that it was made from."""
    result, waiting = set(), [version] if version in parents else []
    while waiting:
        version_id = waiting.pop()
        if version_id not in result:
            result.add(version_id)
            waiting += parents.get(version_id, [])
    return result
