"""Looking at versions: what holds under one and why, and what differs between two, with what that did."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Any, ClassVar

from keenlattice._notebook import NOT_IN_JSON, Result, Rows
from keenlattice.catalog.values import Value
from keenlattice.profile.version import WHOLE_RIG, Version, owners
from keenlattice.workspace.opened import Opened, VersionLike

if TYPE_CHECKING:
    from keenlattice.logbook._studies import Study
    from keenlattice.profile.checks import Finding, Findings
    from keenlattice.profile.layers import Base, Effective
    from keenlattice.study.trial.result import Trial


@dataclass(frozen=True)
class ShownSetting:
    """What holds for a setting, the layer that it comes from, and what that hides."""

    effective: "Effective"
    unit: str

    def plain(self) -> dict[str, Any]:
        """As it stands in the JSON."""
        one = self.effective
        return {"setting": one.key, "value": one.value, "stored": one.stored, "unit": self.unit, "layer": one.layer,
                "shadows": [{"layer": layer, "value": value} for layer, value in one.shadows]}


@dataclass(frozen=True)
class NotHeld:
    """A setting of which the rig holds something else than a version sets; `held` is None where nothing sets it."""

    setting: str
    held: Value | None
    wanted: Value | None


@dataclass(frozen=True, repr=False)
class ShowResult(Result):
    """What holds under a version.

    Args:
        unknown: what it sets and the rig does not have.
        planned: what the latest rig-wide version sets, and the rig does not hold; a game's formulas and checks go by
            what the rig holds.
        slipped: of a version that was applied last, what the rig no longer holds.
        findings: what the checks find.
        measured, applied: whether it was measured against stock, and whether it is on the rig.
        set_by: setting to the version that gave it its present value; of one setting alone.
    """

    SCHEMA: ClassVar[str] = "show"

    version: Version
    note: str
    unknown: tuple[str, ...]
    settings: tuple[ShownSetting, ...]
    planned: tuple[NotHeld, ...]
    slipped: tuple[NotHeld, ...]
    findings: "Findings | tuple[Finding, ...]" = field(metadata=NOT_IN_JSON)
    measured: bool = field(metadata=NOT_IN_JSON)
    applied: bool = field(metadata=NOT_IN_JSON)
    set_by: Version | None = field(default=None, metadata=NOT_IN_JSON)

    def _rows(self) -> Rows:
        return [{key: value for key, value in one.plain().items() if key != "shadows"} for one in self.settings
                if one.effective.is_set]

    def _caption(self) -> str:
        return f"{self.version.reference}{f': {self.note}' if self.note else ''}"


@dataclass(frozen=True)
class Difference:
    """A setting that two versions store differently, with what holds on either side, and why it does nothing."""

    setting: str
    before: Value | None
    after: Value | None
    effective_before: Value | None
    effective_after: Value | None
    inert: str


@dataclass(frozen=True, repr=False)
class Comparison(Result):
    """What differs between two versions, packs or the rig, and the trials of the two, the newest first.

    `single_runs` says how many runs of either are kept that no trial has played.
    """

    SCHEMA: ClassVar[str] = "compare"

    before: Version
    after: Version
    changes: tuple[Difference, ...]
    trials: "tuple[Trial, ...]"
    single_runs: tuple[int, int] = field(metadata=NOT_IN_JSON)

    def _rows(self) -> Rows:
        from keenlattice._notebook import plain

        return [plain(one) for one in self.changes]

    def _caption(self) -> str:
        measured = f"; {self.trials[0]._caption()}" if self.trials else "; not measured"
        return f"{self.before.reference} against {self.after.reference}: {len(self.changes)} settings differ{measured}"


class Comparing(Opened):
    """What looks at versions. It changes nothing."""

    def show(self, which: VersionLike, setting: str = "") -> ShowResult:
        """The effective value of each setting, and the layer that it comes from; or all about one.

        Args:
            which: the version, in any of the ways that `VersionLike` has.
            setting: only that one.

        Raises:
            UnknownName: no such version or setting.
            UsageError: a setting of devices, without one.
        """
        version, catalog, base = self.find(which), self.rig.catalog(), self.base()
        effective = self.effective(version, base)
        if setting:
            self._check_shown(setting, effective)
        held = tuple(ShownSetting(one, catalog[one.key].unit) for one in effective.values() if setting in ("", one.key))
        found = tuple(one for one in self._as_planned(self._found_in(effective, version.profile, base), version)
                      if not setting or setting in one.settings)
        last = self.book.last_apply(self.rig_name, version.profile)
        applied = last is not None and last.version == version.id
        before = f"{version.profile}@stock"
        unknown = tuple(sorted(key for key in version.entries if key not in catalog))
        planned = tuple(NotHeld(key, *sides) for key, sides in self.planned().items())
        return ShowResult(version, version.note, unknown, held, () if version.profile == WHOLE_RIG else planned,
                          self._slipped(version) if applied else (), found,
                          bool(self.trials_between(before, version.reference)), applied,
                          self.set_by(version, effective[setting]) if setting else None)

    def _slipped(self, version: Version) -> tuple[NotHeld, ...]:
        """What the rig no longer holds of a version that was applied to it."""
        from keenlattice.rig.drift import slipped_from

        return tuple(NotHeld(change.key, change.after, change.before)
                     for change in slipped_from(self.rig, version, self.rig.state()))

    def _check_shown(self, setting: str, effective: "Any") -> None:
        from keenlattice.errors import UsageError

        one = self.rig.catalog()[setting]
        if setting not in effective:
            raise UsageError(f"{one.name} is set per device, and no layer sets it as {setting}; "
                             f"the devices are {', '.join(self.rig.devices())}")

    def set_by(self, version: Version, one: "Effective") -> Version | None:
        """The version that gave a setting its present value: back along the first parents, while they have it too.

        Args:
            one: what holds for the setting.
        """
        if not one.is_set:
            return None
        holder = self._part_that_sets(version, one)
        while holder is not None and holder.parents:
            parent = self.book.version(holder.profile, holder.parents[0])
            if parent.entries.get(one.key) != one.stored:
                break
            holder = parent
        return holder if holder is not None and holder.time else None

    def _part_that_sets(self, version: Version, effective: "Effective") -> Version | None:
        """Return the version that sets a value of this layer: `version`, one of its parts, or the rig-wide one."""
        names = owners(version.profile)
        if len(names) == 1:
            return version if effective.layer == "game" or names[0] == WHOLE_RIG else self.book.latest(WHOLE_RIG)
        parts = dict(zip(names, version.parents, strict=False))
        name = names[0] if effective.layer == "game" else WHOLE_RIG
        return self.book.version(name, parts[name]) if name in parts else None

    def compare(self, before: VersionLike | Path, after: VersionLike | Path) -> Comparison:
        """What differs between two versions, packs (TOML files) or the rig (`GAME@now`), with the measured effect where
        there is one.

        Args:
            before: the version to compare with.
            after: the version that is compared with it.

        Raises:
            UsageError: two packs.
        """
        from keenlattice.logbook._studies import trials_between
        from keenlattice.study.record import result_of

        one, other = self._both(before, after)
        runs = [len(self.runs_of(side)) for side in (one, other)]
        trials = trials_between(self.book, one.reference, other.reference)
        base = self._base_of(trials[0]) if trials else None  # as the rig was when that trial was played
        return Comparison(one, other, self.differing(one, other, base), tuple(map(result_of, trials)),
                          (runs[0], runs[1]))

    def _base_of(self, study: "Study") -> "Base":
        """What the versions of a finished study stood on while it was played."""
        from keenlattice.profile.layers import Base
        from keenlattice.study.record import provenance_of

        kept = provenance_of(study)
        return Base(kept.held, kept.facts)

    def trials_between(self, before: str, after: str) -> "Sequence[Trial]":
        """The results of trials of two versions (their references), the newest first.

        Args:
            before: a reference.
            after: a reference.
        """
        from keenlattice.logbook._studies import trials_between
        from keenlattice.study.record import result_of

        return [result_of(one) for one in trials_between(self.book, before, after)]

    def differing(self, before: Version, after: Version, base: "Base | None" = None) -> tuple[Difference, ...]:
        """Return every setting that two versions store differently, with what holds on either side.

        Args:
            before: the first version.
            after: the second.
            base: what they stand on, as in `effective`.
        """
        from keenlattice.profile.compare import changes
        from keenlattice.profile.together import own_key

        base = base or self.base()
        first, second = self.effective(before, base), self.effective(after, base)
        inert = {finding.settings[0]: finding.why for side in (first, second)
                 for finding in self._found_in(side, owners(after.profile)[0], base) if finding.kind == "inert"}
        return tuple(Difference(
            change.key, change.before, change.after, getattr(first.get(key), "value", None),
            getattr(second.get(key), "value", None), inert.get(key, ""))
            for change in changes(before.entries, after.entries) if (key := own_key(change.key)))

    def _both(self, before: VersionLike | Path, after: VersionLike | Path) -> tuple[Version, Version]:
        from keenlattice.errors import UsageError

        packs = [_is_pack(which) for which in (before, after)]
        if all(packs):
            raise UsageError("two packs cannot be compared with each other: compare each with a version")
        if packs[0]:
            second = self.find(after)  # type: ignore[arg-type]
            return self._of_pack(Path(str(before)), second.profile), second
        if packs[1]:
            first = self.find(before)  # type: ignore[arg-type]
            return first, self._of_pack(Path(str(after)), first.profile)
        return self.find(before, both=True), self.find(after, both=True)  # type: ignore[arg-type]

    def _of_pack(self, file: Path, profile: str) -> Version:
        """What a pack sets for a profile on this rig, as if it were a version."""
        from keenlattice.profile._offer import adopted, offer
        from keenlattice.profile.pack import read_pack

        pack = read_pack(file)
        entries = adopted(offer(pack, self._here()), lambda _: {}).get(profile, {})
        return Version(profile, entries, note=pack.title)


def _is_pack(one: object) -> bool:
    return isinstance(one, Path) or (isinstance(one, str) and one.endswith(".toml"))
