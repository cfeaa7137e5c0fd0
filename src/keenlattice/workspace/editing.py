"""Changing profiles: edits, merges, taking one change back, labels; and the history that comes of it."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any, ClassVar

from keenlattice._notebook import NOT_IN_JSON, Result, Rows
from keenlattice.profile.version import WHOLE_RIG, Version
from keenlattice.workspace.opened import Opened, VersionLike

if TYPE_CHECKING:
    from keenlattice.catalog.values import Value
    from keenlattice.logbook.book import Logbook
    from keenlattice.profile._merge import Conflict, Merge
    from keenlattice.profile.compare import Change

Side = str
"""How a conflict is settled: "first" or "second"."""

Settle = Callable[["Conflict"], Side]
"""Is asked of every conflict that is not settled yet."""


@dataclass(frozen=True, repr=False)
class EditResult(Result):
    """A version that was made of another; if nothing changed, both are the same."""

    SCHEMA: ClassVar[str] = "edit"

    before: Version
    after: Version
    changes: "Sequence[Change]"

    @property
    def version(self) -> Version:
        """The version that was made."""
        return self.after

    def _rows(self) -> Rows:
        return [one.plain() for one in self.changes]

    def _caption(self) -> str:
        return f"{self.after.reference} made from {self.before.reference}" if self.changes else (
            f"Nothing changes: {self.before.reference} has these values already")


@dataclass(frozen=True, repr=False)
class MergeResult(EditResult):
    """A version that two lines came together in, or that takes a change back; `note` says which."""

    SCHEMA: ClassVar[str] = "merge"

    conflicts: tuple[str, ...]
    note: str = field(default="", metadata=NOT_IN_JSON)


@dataclass(frozen=True)
class Past:
    """One version of a history: its labels, what it changed (as a player types it), and whether it is on the rig."""

    version: Version
    labels: tuple[str, ...]
    changes: tuple[str, ...]
    applied: bool

    @property
    def marks(self) -> list[str]:
        """Its labels, and whether it is applied."""
        return [*self.labels, *(["applied"] if self.applied else [])]

    def plain(self) -> dict[str, Any]:
        """As it stands in the JSON."""
        one = self.version
        return {"version": one.reference, "id": one.id, "parents": list(one.parents), "labels": list(self.labels),
                "note": one.note, "author": one.author, "time": one.time, "changes": list(self.changes)}


@dataclass(frozen=True, repr=False)
class History(Result):
    """The versions of a profile, the newest first."""

    SCHEMA: ClassVar[str] = "history"

    profile: str
    versions: tuple[Past, ...]

    def _rows(self) -> Rows:
        return [{"version": one.version.reference, "marks": ", ".join(one.marks), "time": one.version.time,
                 "author": one.version.author, "note": one.version.note, "changes": ", ".join(one.changes)}
                for one in self.versions]

    def _caption(self) -> str:
        return f"{self.profile}: {len(self.versions)} versions"


UNSET = "unset"


class Editing(Opened):
    """What changes profiles. The rig is not touched."""

    def edit(self, which: VersionLike, settings: "Mapping[str, Value | None]", note: str = "") -> EditResult:
        """Makes a new version of a profile.

        Args:
            which: the profile, whose latest version it is made from; or a version to build on.
            settings: setting to value; a text may be what a player types (`"off"`, `"= refresh - 3"`); None, or the
                word "unset", unsets.
            note: why.

        Raises:
            UnknownName, BadValue: no such setting, or a value that it does not take.
        """
        from keenlattice.profile.compare import changes, with_changes

        edits = self._checked(self.find(which), settings)
        with self.book.together():  # so that edits at once are made one on top of the other
            before = self.find(which)
            entries = with_changes(before.entries, edits)
            found = changes(before.entries, entries)
            return EditResult(before, self.commit([before], entries, note) if found else before, found)

    def _checked(self, before: Version, settings: "Mapping[str, Value | None]") -> "dict[str, Value | None]":
        """The edits, each held against the rig's catalog.

        What the version has from elsewhere, a pack say, can be unset though this rig does not know it.
        """
        from keenlattice.profile.concrete import concrete_value

        edits: dict[str, Value | None] = {}
        for key, told in settings.items():
            value = None if told == UNSET else told  # as it is shown where nothing is set
            if value is None and key in before.entries:
                edits[key] = None
                continue
            setting = self.rig.catalog().check_key(key, whole_rig=before.profile == WHOLE_RIG,
                                                   devices=self.rig.devices())
            if value is not None:
                value = setting.parsed(value) if isinstance(value, str) else setting.checked(value)
                concrete_value(setting, value, self.rig.facts())  # a formula has to come to something here
            edits[key] = value
        return edits

    def merge(self, first: VersionLike, second: VersionLike, keep: Side = "", settle: Mapping[str, Side] | None = None,
              ask: Settle | None = None) -> MergeResult:
        """Brings two lines of one profile together: what both changed since their common version.

        Args:
            keep: settles every conflict with this side, "first" or "second".
            settle: settles single ones, by setting.
            ask: is asked of the rest; without it, a conflict that is left is an error.

        Raises:
            UsageError: versions of two profiles; or a conflict that is not settled.
        """
        from keenlattice.errors import UsageError
        from keenlattice.profile._merge import merge as merged

        one, other = self.find(first), self.find(second)
        if one.profile != other.profile:
            raise UsageError(f"{one.reference} and {other.reference} are of two profiles; a merge joins two lines of "
                             "one")
        base = self.book.common_ancestor(one, other)
        return self._make(merged(base.entries, one.entries, other.entries), [one, other],
                          f"{other.reference} merged into {one.reference}", self._sides(keep, settle or {}, ask))

    def revert(self, which: VersionLike, keep: Side = "", settle: Mapping[str, Side] | None = None,
               ask: Settle | None = None) -> MergeResult:
        """Takes back what one earlier version changed, and keeps what came later.

        Where a later version changed the same setting again, "first" is the later value and "second" the one from
        before. The rest is as in `merge`.

        Raises:
            UsageError: it changed nothing that could be taken back; or a conflict that is not settled.
        """
        from keenlattice.errors import UsageError
        from keenlattice.profile._merge import merge as merged

        version = self.find(which)
        latest = self.book.latest(version.profile)
        if latest is None or not version.time:
            raise UsageError(f"{version.reference} changed nothing that could be taken back")
        before = self.book.version(version.profile, version.parents[0]).entries if version.parents else {}
        return self._make(merged(version.entries, latest.entries, before), [latest],
                          f"takes back {version.reference}", self._sides(keep, settle or {}, ask))

    def _sides(self, keep: Side, settle: Mapping[str, Side],
               ask: Settle | None) -> "Callable[[Merge], dict[str, Side]]":
        """Tells how each conflict of a merge is settled."""
        from keenlattice.errors import UsageError
        from keenlattice.workspace._wording import value_text

        def sides(found: "Merge") -> dict[str, Side]:
            known = {one.key for one in found.conflicts}
            if odd := [key for key in settle if key not in known]:
                there = ", ".join(sorted(known)) or "none"
                raise UsageError(f"--settle {odd[0]}: no conflict there; there are {there}")
            if any(side not in ("first", "second", "") for side in (*settle.values(), keep)):
                raise UsageError("a conflict is settled with first or second")
            chosen = {one.key: settle.get(one.key) or keep for one in found.conflicts}
            left = [one for one in found.conflicts if not chosen[one.key]]
            if left and ask is None:
                catalog = self.rig.catalog()
                told = "; ".join(f"{one.key}: first {value_text(catalog, one.key, one.one)}, second "
                                 f"{value_text(catalog, one.key, one.other)}" for one in left)
                raise UsageError(f"{told}: settle with --keep first, --keep second or --settle SETTING=first")
            return {**chosen, **{one.key: ask(one) for one in left if ask}}
        return sides

    def _make(self, found: "Merge", parents: list[Version], note: str,
              sides: "Callable[[Merge], dict[str, Side]]") -> MergeResult:
        """The version that comes out, once every conflict is settled."""
        from keenlattice.profile._merge import settled
        from keenlattice.profile.compare import changes

        chosen = sides(found)
        entries = settled(found, {one.key: one.one if chosen[one.key] == "first" else one.other
                                  for one in found.conflicts})
        differs = changes(parents[0].entries, entries)
        made = self.commit(parents, entries, note) if differs or len(parents) > 1 else parents[0]
        return MergeResult(parents[0], made, differs, tuple(one.key for one in found.conflicts), note)

    def label(self, which: VersionLike, name: str) -> Version:
        """Gives a version a name of its own; a label that is there already moves.

        Args:
            which: the version, in any of the ways that `VersionLike` has.

        Raises:
            UsageError: it is no version of its own, or a word that means something else in a reference.
        """
        from keenlattice.errors import UsageError

        version = self.find(which)
        if not version.time:
            raise UsageError(f"{which if isinstance(which, str) else version.reference} is no version of its own and "
                             "cannot have a label")
        self.book.label(version, name)
        return version

    def planned_in_words(self) -> str:
        """Return what is planned rig-wide and not on the rig, in a sentence; "" if there is nothing."""
        from keenlattice.workspace._wording import not_held

        planned = [(key, *sides) for key, sides in self.planned().items()]
        if not planned:
            return ""
        differs = not_held(self.rig.catalog(), planned, "planned")
        return f"{self.find(WHOLE_RIG).reference} is planned, and not on the rig: {differs}"

    def history(self, profile: str, most: int | None = None) -> History:
        """The versions of a profile, newest first, with what each changed and why.

        Args:
            most: how many; all, if it is not given.

        Raises:
            UnknownName: no such game.
        """
        self.find(profile)  # says so if there is no such game
        versions, labels = self.book.history(profile, most), self.book.labels(profile)
        known, applied = {one.id: one for one in versions}, self.book.last_apply(self.rig_name, profile)
        return History(profile, tuple(
            Past(one, tuple(labels.get(one.id, ())), _changed_by(self.book, one, known),
                 applied is not None and one.id == applied.version) for one in versions))


def _changed_by(book: "Logbook", version: Version, known: Mapping[str, Version]) -> tuple[str, ...]:
    """What a version changed, as a player would type it."""
    from keenlattice.catalog.values import written
    from keenlattice.profile.compare import changes

    parents = [known.get(parent) or book.version(version.profile, parent) for parent in version.parents[:1]]
    before = parents[0].entries if parents else {}
    return tuple(f"{one.key}={'' if one.after is None else written(one.after)}"
                 for one in changes(before, version.entries))
