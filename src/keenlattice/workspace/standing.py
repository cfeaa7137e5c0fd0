"""What holds under a version on this rig: effective values, what the checks find, what is planned and not applied."""

from collections.abc import Iterable, Mapping
from dataclasses import replace
from typing import TYPE_CHECKING

from keenlattice.catalog.values import same
from keenlattice.errors import RigError
from keenlattice.profile.compare import changes
from keenlattice.profile.version import WHOLE_RIG, Entries, Version, own_key, owners, parted
from keenlattice.workspace.opened import Opened, VersionLike
from keenlattice.workspace.profile_results import Difference, not_held

if TYPE_CHECKING:
    from keenlattice.catalog.values import Value
    from keenlattice.profile.checks import Finding, Findings
    from keenlattice.profile.layers import Base, Effective
    from keenlattice.profile.offers import Here


class Standing:
    """What holds on a rig, and would hold under a version."""

    def __init__(self, opened: Opened) -> None:
        self._opened = opened

    def stored(self, profile: str) -> Entries:
        """What the latest version of a profile sets."""
        latest = self._opened.book.latest(profile)
        return latest.entries if latest else {}

    @property
    def unknown(self) -> frozenset[str]:
        """The settings that nobody but the rig's player can look at where nothing sets them; others are at stock."""
        from keenlattice.rig.base import unknown_on

        return unknown_on(self._opened.rig)

    def base(self) -> "Base":
        """Return what a game's version stands on: the rig-wide values that the rig holds, and its facts."""
        from keenlattice.profile.layers import Base

        return Base(self._opened.held(WHOLE_RIG), self._opened.rig.facts())

    def planned(self) -> "dict[str, tuple[Value | None, Value]]":
        """Return the rig-wide settings that are planned and not on the rig: setting to what it holds, and the plan.

        A value that the latest rig-wide version gives by a formula is evaluated on this rig. What nothing sets is at
        stock; or None, where nobody knows what that is.
        """
        if not self.stored(WHOLE_RIG):
            return {}
        from keenlattice.rig.applying import applied_values

        wanted = applied_values(self._opened.rig, self._opened.find(WHOLE_RIG))
        catalog, held, unknown = self._opened.rig.catalog(), self._opened.held(WHOLE_RIG), self.unknown
        stock_values = {key: catalog[key].stock for key in wanted if catalog[key].name not in unknown}
        return {key: (held.get(key, stock_values.get(key)), value) for key, value in wanted.items()
                if not same(held.get(key, stock_values.get(key)), value)}

    def planned_in_words(self) -> str:
        """Return what is planned rig-wide and not on the rig, in a sentence; "" if there is nothing."""
        planned = [(key, *sides) for key, sides in self.planned().items()]
        if not planned:
            return ""
        differs = not_held(self._opened.rig.catalog(), planned, "planned")
        return f"{self._opened.find(WHOLE_RIG).reference} is planned, and not on the rig: {differs}"

    def effective(self, which: VersionLike, base: "Base | None" = None) -> "Mapping[str, Effective]":
        """Return what holds under a version on this rig: a game's above what the rig holds, formulas evaluated.

        Args:
            which: the version, in any of the ways that `VersionLike` has.
            base: what a game's version stands on; as the rig is now, if not given.
        """
        from keenlattice.profile.concrete import facts_at_stock
        from keenlattice.profile.layers import resolve
        from keenlattice.rig.base import seen_on

        version, base, catalog = self._opened.find(which, both=True), base or self.base(), self._opened.rig.catalog()
        parts = parted(version.profile, version.entries)
        facts = (facts_at_stock(catalog, base.rig_wide, base.facts) if len(parts) > 1 and not self._opened.by_hand else
                 base.facts)
        rig_wide = parts.pop(WHOLE_RIG, base.rig_wide)
        game, entries = next(iter(parts.items()), (WHOLE_RIG, {}))
        return resolve(catalog, rig_wide, entries, facts=facts,
                       unknown=self.unknown, seen=seen_on(self._opened.rig, game))

    def findings(self, which: VersionLike, base: "Base | None" = None) -> "Findings":
        """Return what the checks find under a version on this rig.

        Args:
            which: the version, in any of the ways that `VersionLike` has.
            base: as in `effective`.
        """
        base, version = base or self.base(), self._opened.find(which, both=True)
        return self.found_in(self.effective(version, base), owners(version.profile)[0], base)

    def found_in(self, effective: "Mapping[str, Effective]", profile: str, base: "Base") -> "Findings":
        """What the checks find, and what the rig knows of the game, where it is known already what holds."""
        from keenlattice.profile.checks import Finding, Findings, findings
        from keenlattice.rig.base import TellsInert

        result = findings(self._opened.rig.catalog(), effective, base.facts, self._opened.rig.devices(),
                          unknown=self.unknown)
        if not isinstance(self._opened.rig, TellsInert):
            return result
        inert = self._opened.rig.inert(profile, [key for key, holding in effective.items() if holding.is_set])
        return Findings([*result, *(Finding(check="not-read-here", kind="inert", settings=(key,), why=why,
                                            what_to_do=f"take it out: keen edit {profile} {key}=unset")
                                    for key, why in inert.items())])

    def findings_now(self) -> "Findings":
        """What the checks find on the rig as it is."""
        return self.as_planned(self.findings(f"{WHOLE_RIG}@now"), self._opened.find(WHOLE_RIG))

    def as_planned(self, findings_here: "Iterable[Finding]", version: Version) -> "Findings":
        """What the checks found; where the rig-wide plan fixes it, that it only has to be applied."""
        from keenlattice.profile.checks import Findings
        from keenlattice.profile.layers import Base

        findings, planned = Findings(findings_here), self.planned().keys()
        if not planned:
            return findings
        applied = self._opened.find(WHOLE_RIG) if version.profile == WHOLE_RIG else version
        unmended = {(finding.check, finding.settings) for finding in
                    self.findings(applied, Base(self.stored(WHOLE_RIG), self._opened.rig.facts()))}
        return Findings(
            finding if planned.isdisjoint(finding.settings) or (finding.check, finding.settings) in unmended else
            replace(finding, what_to_do="keen apply rig, which is planned to set it")
            for finding in findings)

    def differing(self, before: Version, after: Version, base: "Base | None" = None) -> "tuple[Difference, ...]":
        """Return every setting that two versions store differently, with what holds on either side.

        Args:
            before: the first version.
            after: the second.
            base: what they stand on, as in `effective`.
        """
        base = base or self.base()
        first, second = self.effective(before, base), self.effective(after, base)
        inert = {finding.settings[0]: finding.why for side in (first, second)
                 for finding in self.found_in(side, owners(after.profile)[0], base) if finding.kind == "inert"}
        return tuple(Difference(
            change.key, change.before, change.after, getattr(first.get(key), "value", None),
            getattr(second.get(key), "value", None), inert.get(key, ""))
            for change in changes(before.entries, after.entries) if (key := own_key(change.key)))

    def set_by(self, version: Version, effective: "Effective") -> Version | None:
        """The version that gave a setting its present value: back along the first parents, while they have it too.

        Args:
            effective: what holds for the setting.
        """
        if not effective.is_set:
            return None
        holder = self._part_that_sets(version, effective)
        while holder is not None and holder.parents:
            parent = self._opened.book.version(holder.profile, holder.parents[0])
            if parent.entries.get(effective.key) != effective.stored:
                break
            holder = parent
        return holder if holder is not None and holder.time else None

    def _part_that_sets(self, version: Version, effective: "Effective") -> Version | None:
        """Return the version that sets a value of this layer: `version`, one of its parts, or the rig-wide one."""
        names = owners(version.profile)
        if len(names) == 1:
            own = effective.layer == "game" or names[0] == WHOLE_RIG
            return version if own else self._opened.book.latest(WHOLE_RIG)
        parts = dict(zip(names, version.parents, strict=False))
        name = names[0] if effective.layer == "game" else WHOLE_RIG
        return self._opened.book.version(name, parts[name]) if name in parts else None

    def here(self) -> "Here":
        """The rig, as far as a pack is compared with it."""
        from keenlattice.profile.offers import Here

        rig, state = self._opened.rig, self._opened.rig.state()

        def refuses(game: str, key: str, value: "Value") -> str:
            try:
                rig.changed(state, game, {key: value})
            except RigError as error:
                return str(error)
            return ""

        profiles = {WHOLE_RIG, *self._opened.games, *self._opened.book.profiles()}
        return Here(rig.catalog(), rig.facts(), self.stored, refuses, rig.devices(), self.unknown,
                    profiles.__contains__)
