"""Changes to a profile that are not saved yet, and what would hold under them."""

from collections.abc import Mapping, Sequence
from functools import cached_property
from typing import TYPE_CHECKING

from keenlattice.catalog.search import search
from keenlattice.catalog.values import Value
from keenlattice.profile.compare import Change, changes, with_changes
from keenlattice.profile.version import WHOLE_RIG, Version
from keenlattice.workspace.opened import Opened, VersionLike
from keenlattice.workspace.profile_results import EditResult

if TYPE_CHECKING:
    from keenlattice.catalog.model import Setting
    from keenlattice.profile.checks import Findings
    from keenlattice.profile.layers import Effective
    from keenlattice.workspace.profiles import Profiles


class Draft:
    """Changes on top of a version; nothing is kept before `save`.

    Args:
        opened, profiles: of the workspace.
        which: the version that it begins with.

    Raises:
        UnknownName: no such version.
    """

    def __init__(self, opened: Opened, profiles: "Profiles", which: VersionLike) -> None:
        self._opened, self._profiles, self._catalog = opened, profiles, opened.rig.catalog()
        self.base = self.version = profiles.find(which)
        self._edits: dict[str, Value | None] = {}
        whole_rig, devices = self.base.profile == WHOLE_RIG, opened.rig.devices()
        self.keys = tuple(key for setting in self._catalog if whole_rig or setting.scope == "game"
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

    def measured(self, key: str) -> Sequence[str]:
        """Return what trials and screens on this rig found of a setting, a line each, the newest first."""
        return self._measured.get(key, ())

    @cached_property
    def _measured(self) -> "Mapping[str, Sequence[str]]":
        from keenlattice.workspace.measured import measured_by_setting

        return measured_by_setting(self._opened)

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
