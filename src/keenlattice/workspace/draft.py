"""Changes to a profile that are not saved yet, and what would hold under them."""

from collections.abc import Mapping, Sequence
from functools import cached_property
from typing import TYPE_CHECKING

from keenlattice.catalog.search import search
from keenlattice.profile.compare import Change, changes, with_changes
from keenlattice.profile.version import WHOLE_RIG, Version
from keenlattice.workspace.opened import VersionLike
from keenlattice.workspace.profile_results import EditResult

if TYPE_CHECKING:
    from keenlattice.catalog.model import Catalog, Setting
    from keenlattice.catalog.values import Value
    from keenlattice.profile.checks import Findings
    from keenlattice.profile.layers import Effective
    from keenlattice.workspace.profiles import Profiles


class Draft:
    """Changes on top of a version; nothing is kept before `save`.

    Args:
        profiles: of the workspace.
        which: the version that it begins with.
        catalog, devices: the rig's.

    Raises:
        UnknownName: no such version.
    """

    def __init__(self, profiles: "Profiles", which: VersionLike, catalog: "Catalog", devices: Sequence[str]) -> None:
        self._profiles, self._catalog = profiles, catalog
        self.base = self.version = profiles.find(which)
        self._edits: dict[str, Value | None] = {}
        whole_rig = self.base.profile == WHOLE_RIG
        self.keys = tuple(key for setting in catalog if whole_rig or setting.scope == "game"
                          for key in ([f"{setting.name}@{device}" for device in devices] if setting.scope == "device"
                                      else [setting.name]))
        """The settings that this profile can set."""

    def setting(self, key: str) -> "Setting":
        """Return what the catalog knows of a setting."""
        return self._catalog[key]

    def search(self, text: str) -> list[str]:
        """Return the settings that a text is about, a domain or what players say; all, for none."""
        if not text.strip():
            return list(self.keys)
        order = {setting.name: place for place, setting in enumerate(search(self._catalog, text))}
        return sorted((key for key in self.keys if key.partition("@")[0] in order),
                      key=lambda key: order[key.partition("@")[0]])

    def change(self, key: str, typed: str | None) -> None:
        """Set a setting to what a player types, or unset it.

        Raises:
            UnknownName, UsageError, BadValue: it cannot be set so here; nothing is changed then.
        """
        edits = {**self._edits, **self._profiles.checked(self.base, {key: typed or None})}
        self._edits = edits
        self._become(Version(self.base.profile, with_changes(self.base.entries, edits), (self.base.id,)))

    def _become(self, version: Version) -> None:
        """Go on with another version, of which nothing is known yet."""
        self.version = version
        for name in ("effective", "findings"):
            self.__dict__.pop(name, None)

    @cached_property
    def effective(self) -> "Mapping[str, Effective]":
        """Return what would hold, by setting."""
        return self._profiles.effective(self.version)

    @cached_property
    def findings(self) -> "Findings":
        """Return what the checks find."""
        return self._profiles.findings(self.version)

    def changes(self) -> Sequence[Change]:
        """Return what differs from the version that it began with."""
        return changes(self.base.entries, self.version.entries)

    def save(self, note: str = "") -> EditResult:
        """Make a version of it, and begin with that from now on.

        Args:
            note: why.
        """
        made = self._profiles.edit(self.base, self._edits, note)
        self.base, self._edits = made.after, {}
        self._become(made.after)
        return made
