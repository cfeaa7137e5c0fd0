"""Profiles: versions are edited, shown, compared, merged and labelled. The rig is not touched."""

from collections.abc import Callable, Mapping
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

from keenlattice._door import check_methods
from keenlattice._exports import lazily
from keenlattice.catalog.values import Value, written
from keenlattice.errors import UsageError
from keenlattice.logbook.kept import trials_between
from keenlattice.profile.compare import changes, settled, with_changes
from keenlattice.profile.compare import merge as merged
from keenlattice.profile.version import WHOLE_RIG, Version
from keenlattice.workspace.opened import Opened, VersionLike
from keenlattice.workspace.profile_results import (
    Comparison,
    EditResult,
    History,
    MergeResult,
    NotHeld,
    Past,
    ShownSetting,
    ShowResult,
    value_text,
)
from keenlattice.workspace.standing import Standing

if TYPE_CHECKING:
    from keenlattice.blocks import Telling
    from keenlattice.logbook.book import Logbook
    from keenlattice.logbook.kept import Study
    from keenlattice.profile.checks import Findings
    from keenlattice.profile.compare import Conflict, Merge
    from keenlattice.profile.layers import Base, Effective
    from keenlattice.workspace.packs import Packs

Side = str
"""How a conflict is settled: "first" or "second"."""

Settle = Callable[["Conflict"], Side]
"""Is asked of every conflict that is not settled yet."""

UNSET = "unset"


@check_methods
class Profiles:
    """What is done with the versions of profiles.

    `packs` has what is done with those that others share.
    """

    packs: "Packs" = lazily("keenlattice.workspace.packs:Packs", lambda profiles, made: made(profiles._opened))

    def __init__(self, opened: Opened) -> None:
        self._opened, self._standing = opened, Standing(opened)

    def edit(self, which: VersionLike, settings: Mapping[str, Value | None], note: str = "") -> EditResult:
        """Makes a new version of a profile.

        Args:
            which: the profile, whose latest version it is made from; or a version to build on.
            settings: setting to value; a text may be what a player types (`"off"`, `"= refresh - 3"`); None, or the
                word "unset", unsets.
            note: why.

        Raises:
            UnknownName, BadValue: no such setting, or a value that it does not take.
        """
        edits = self.checked(self._opened.find(which), settings)
        with self._opened.book.together():  # so that edits at once are made one on top of the other
            before = self._opened.find(which)
            entries = with_changes(before.entries, edits)
            differing = changes(before.entries, entries)
            return EditResult(before, self._opened.commit([before], entries, note) if differing else before, differing)

    def checked(self, before: Version, settings: Mapping[str, Value | None]) -> "dict[str, Value | None]":
        """Return edits as values, each held against the rig's catalog.

        What the version has from elsewhere, a pack say, can be unset though this rig does not know it.

        Args:
            before: the version that they are made on.
            settings: as in `edit`.

        Raises:
            UnknownName, UsageError, BadValue: a setting cannot be set so here.
        """
        from keenlattice.profile.concrete import concrete_value

        edits: dict[str, Value | None] = {}
        for key, typed in settings.items():
            value = None if typed == UNSET else typed  # as it is shown where nothing is set
            if value is None and key in before.entries:
                edits[key] = None
                continue
            setting = self._opened.rig.catalog().check_key(key, whole_rig=before.profile == WHOLE_RIG,
                                                   devices=self._opened.rig.devices())
            if value is not None:
                value = setting.parsed(value) if isinstance(value, str) else setting.checked(value)
                concrete_value(setting, value, self._opened.rig.facts())  # a formula has to come to something here
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
        version, second_version = self._opened.find(first), self._opened.find(second)
        if version.profile != second_version.profile:
            raise UsageError(f"{version.reference} and {second_version.reference} are of two profiles; a merge joins "
                             "two lines of one")
        base = self._opened.book.common_ancestor(version, second_version)
        return self._make(merged(base.entries, version.entries, second_version.entries), [version, second_version],
                          f"{second_version.reference} merged into {version.reference}",
                          self._sides(keep, settle or {}, ask))

    def revert(self, which: VersionLike, keep: Side = "", settle: Mapping[str, Side] | None = None,
               ask: Settle | None = None) -> MergeResult:
        """Takes back what one earlier version changed, and keeps what came later.

        Where a later version changed the same setting again, "first" is the later value and "second" the one from
        before. The rest is as in `merge`.

        Raises:
            UsageError: it changed nothing that could be taken back; or a conflict that is not settled.
        """
        version = self._opened.find(which)
        latest = self._opened.book.latest(version.profile)
        if latest is None or not version.time:
            raise UsageError(f"{version.reference} changed nothing that could be taken back")
        before = self._opened.book.version(version.profile, version.parents[0]).entries if version.parents else {}
        return self._make(merged(version.entries, latest.entries, before), [latest],
                          f"takes back {version.reference}", self._sides(keep, settle or {}, ask))

    def _sides(self, keep: Side, settle: Mapping[str, Side],
               ask: Settle | None) -> "Callable[[Merge], dict[str, Side]]":
        """Tells how each conflict of a merge is settled."""
        def sides(merge: "Merge") -> dict[str, Side]:
            keys = {conflict.key for conflict in merge.conflicts}
            if odd := [key for key in settle if key not in keys]:
                there = ", ".join(sorted(keys)) or "none"
                raise UsageError(f"--settle {odd[0]}: no conflict there; there are {there}")
            if any(side not in ("first", "second", "") for side in (*settle.values(), keep)):
                raise UsageError("a conflict is settled with first or second")
            chosen = {conflict.key: settle.get(conflict.key) or keep for conflict in merge.conflicts}
            left = [conflict for conflict in merge.conflicts if not chosen[conflict.key]]
            if left and ask is None:
                catalog = self._opened.rig.catalog()
                both = "; ".join(f"{conflict.key}: first {value_text(catalog, conflict.key, conflict.one)}, second "
                                 f"{value_text(catalog, conflict.key, conflict.other)}" for conflict in left)
                raise UsageError(f"{both}: settle with --keep first, --keep second or --settle SETTING=first")
            return {**chosen, **{conflict.key: ask(conflict) for conflict in left if ask}}
        return sides

    def _make(self, merge: "Merge", parents: list[Version], note: str,
              sides: "Callable[[Merge], dict[str, Side]]") -> MergeResult:
        """The version that comes out, once every conflict is settled."""
        chosen = sides(merge)
        entries = settled(merge, {conflict.key: conflict.one if chosen[conflict.key] == "first" else conflict.other
                                  for conflict in merge.conflicts})
        differs = changes(parents[0].entries, entries)
        made = self._opened.commit(parents, entries, note) if differs or len(parents) > 1 else parents[0]
        return MergeResult(parents[0], made, differs, tuple(conflict.key for conflict in merge.conflicts), note)

    def label(self, which: VersionLike, name: str) -> Version:
        """Gives a version its own name; a label that is there already moves.

        Args:
            which: the version, in any of the ways that `VersionLike` has.

        Raises:
            UsageError: it is not itself a version, or a word that means something else in a reference.
        """
        version = self._opened.find(which)
        if not version.time:
            raise UsageError(f"{which if isinstance(which, str) else version.reference} is not a kept version, and "
                             "cannot have a label")
        self._opened.book.label(version, name)
        return version

    def history(self, profile: str, most: int | None = None) -> History:
        """The versions of a profile, newest first, with what each changed and why.

        Args:
            most: how many; all, if it is not given.

        Raises:
            UnknownName: no such game.
        """
        self._opened.find(profile)  # says so if there is no such game
        versions, labels = self._opened.book.history(profile, most), self._opened.book.labels(profile)
        by_id, applied = {version.id: version
                          for version in versions}, self._opened.book.last_apply(self._opened.rig_name, profile)
        return History(profile, tuple(
            Past(version, tuple(labels.get(version.id, ())), _changed_by(self._opened.book, version, by_id),
                 applied is not None and version.id == applied.version) for version in versions))

    def show(self, which: VersionLike, setting: str = "") -> ShowResult:
        """The effective value of each setting, and the layer that it comes from; or all about one.

        Args:
            which: the version, in any of the ways that `VersionLike` has.
            setting: only that one.

        Raises:
            UnknownName: no such version or setting.
            UsageError: a setting of devices, without one.
        """
        version, catalog, base = self._opened.find(which), self._opened.rig.catalog(), self._standing.base()
        effective = self._standing.effective(version, base)
        if setting:
            self._check_shown(setting, effective)
        held = tuple(ShownSetting(held_here, catalog[held_here.key].unit) for held_here in effective.values()
                     if setting in ("", held_here.key))
        findings = tuple(holding for holding in self._standing.as_planned(
            self._standing.found_in(effective, version.profile, base), version)
                      if not setting or setting in holding.settings)
        last = self._opened.book.last_apply(self._opened.rig_name, version.profile)
        applied = last is not None and last.version == version.id
        before = f"{version.profile}@stock"
        unknown = tuple(sorted(key for key in version.entries if key not in catalog))
        planned = tuple(NotHeld(key, *sides) for key, sides in self._standing.planned().items())
        return ShowResult(version, version.note, unknown, held, () if version.profile == WHOLE_RIG else planned,
                          self._slipped(version) if applied else (), findings,
                          bool(trials_between(self._opened.book, before, version.reference)), applied,
                          partial(_tell_shown, self._opened, setting),
                          self._standing.set_by(version, effective[setting]) if setting else None)

    def _slipped(self, version: Version) -> tuple[NotHeld, ...]:
        """What the rig no longer holds of a version that was applied to it."""
        from keenlattice.rig.applying import slipped_from

        return tuple(NotHeld(change.key, change.after, change.before)
                     for change in slipped_from(self._opened.rig, version, self._opened.rig.state()))

    def _check_shown(self, setting: str, effective: "Any") -> None:
        described = self._opened.rig.catalog()[setting]
        if setting not in effective:
            raise UsageError(f"{described.name} is set per device, and no layer sets it as {setting}; "
                             f"the devices are {', '.join(self._opened.rig.devices())}")

    def compare(self, before: VersionLike | Path, after: VersionLike | Path) -> Comparison:
        """What differs between two versions, packs (TOML files) or the rig (`GAME@now`), with the measured effect where
        there is one.

        Args:
            before: the version to compare with.
            after: the version that is compared with it.

        Raises:
            UsageError: two packs.
        """
        from keenlattice.study.record import result_of

        first, second = self._both(before, after)
        runs = [len(self._opened.runs_of(side)) for side in (first, second)]
        trials = trials_between(self._opened.book, first.reference, second.reference)
        base = self._base_of(trials[0]) if trials else None  # as the rig was when that trial was played
        return Comparison(first, second, self._standing.differing(first, second, base), tuple(map(result_of, trials)),
                          (runs[0], runs[1]), partial(_told, self._opened))

    def _base_of(self, study: "Study") -> "Base":
        """What the versions of a finished study stood on while it was played."""
        from keenlattice.profile.layers import Base
        from keenlattice.study.record import provenance_of

        kept = provenance_of(study)
        return Base(kept.held, kept.facts)

    def _both(self, before: VersionLike | Path, after: VersionLike | Path) -> tuple[Version, Version]:
        packs = [_is_pack(which) for which in (before, after)]
        if all(packs):
            raise UsageError("two packs cannot be compared with each other: compare each with a version")
        if packs[0]:
            second = self._opened.find(after)  # type: ignore[arg-type]
            return self._of_pack(Path(str(before)), second.profile), second
        if packs[1]:
            first = self._opened.find(before)  # type: ignore[arg-type]
            return first, self._of_pack(Path(str(after)), first.profile)
        return self._opened.find(before, both=True), self._opened.find(after, both=True)  # type: ignore[arg-type]

    def _of_pack(self, file: Path, profile: str) -> Version:
        """What a pack sets for a profile on this rig, as if it were a version."""
        from keenlattice.profile.offers import adopted, offer
        from keenlattice.profile.pack import read_pack

        pack = read_pack(file)
        entries = adopted(offer(pack, self._standing.here()), lambda _: {}).get(profile, {})
        return Version(profile, entries, note=pack.title)

    def find(self, which: VersionLike, *, both: bool = False) -> Version:
        """Return the version that is meant; `GAME@now` is what the rig holds for it now.

        Args:
            which: the version, in any of the ways that `VersionLike` has.
            both: take a game's version and a rig-wide one together, too: `GAME+rig`.

        Raises:
            UnknownName: no such game or version; the message offers the nearest.
            UsageError: `@applied` where nothing has been applied; or what was given has made no version, or is two
                versions where one is wanted.
        """
        return self._opened.find(which, both=both)

    def planned_in_words(self) -> str:
        """Return what is planned rig-wide and not on the rig, in a sentence; "" if there is nothing."""
        return self._standing.planned_in_words()

    def effective(self, which: VersionLike) -> "Mapping[str, Effective]":
        """Return what holds under a version on this rig, setting by setting.

        Args:
            which: the version, in any of the ways that `VersionLike` has.
        """
        return self._standing.effective(which)

    def findings(self, which: VersionLike) -> "Findings":
        """Return what the checks find under a version on this rig.

        Args:
            which: the version, in any of the ways that `VersionLike` has.
        """
        return self._standing.findings(which)


def _changed_by(book: "Logbook", version: Version, by_id: Mapping[str, Version]) -> tuple[str, ...]:
    """What a version changed, as a player would type it."""
    parents = [by_id.get(parent) or book.version(version.profile, parent) for parent in version.parents[:1]]
    before = parents[0].entries if parents else {}
    return tuple(f"{change.key}={'' if change.after is None else written(change.after)}"
                 for change in changes(before, version.entries))


def _is_pack(which: object) -> bool:
    return isinstance(which, Path) or (isinstance(which, str) and which.endswith(".toml"))


def _told(opened: Opened, comparison: Comparison) -> "Telling":
    from keenlattice.workspace._comparing import tell_comparison

    return tell_comparison(opened, comparison)


def _tell_shown(opened: Opened, setting: str, shown: ShowResult, every: bool) -> "Telling":
    from keenlattice.workspace.showing import tell_shown, tell_story

    catalog = opened.rig.catalog()
    return tell_story(catalog, shown) if setting else tell_shown(catalog, shown, every)
