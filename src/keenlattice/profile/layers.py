"""Layers, and the effective value that comes out of them.

From the bottom: stock (the catalog), rig-wide, game, and a trial's temporary override. The topmost layer that
sets a setting wins. *Game decides* is a value like any other: it hides what lies below it. Unset does not.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

from keenlattice.catalog.model import Catalog
from keenlattice.catalog.values import Value, same
from keenlattice.profile.version import Entries

Layer = Literal["stock", "rig-wide", "game", "trial"]


@dataclass(frozen=True)
class Effective:
    """What holds for one setting, which layer it comes from, and what it hides (next below first)."""

    key: str
    value: Value
    layer: Layer
    shadows: tuple[tuple[Layer, Value], ...] = ()

    @property
    def in_vain(self) -> bool:
        """Set, but to what would hold anyway."""
        return bool(self.shadows) and same(self.shadows[0][1], self.value)


def resolve(catalog: Catalog, rig_wide: Entries, game: Entries, trial: Entries | None = None) -> dict[str, Effective]:
    """The effective value of every setting of `catalog`; of a device's settings, those that a layer sets.

    Keys that the catalog does not know are left out: a rig cannot be given them.

    Returns:
        Setting key to what holds, in the catalog's order, device keys behind their setting.
    """
    layers: list[tuple[Layer, Entries]] = [("trial", trial or {}), ("game", game), ("rig-wide", rig_wide)]
    found = {}
    for key in _keys(catalog, [entries for _, entries in layers]):
        stack = [(layer, entries[key]) for layer, entries in layers if key in entries]
        stack.append(("stock", catalog[key].stock))
        (layer, value), *below = stack
        found[key] = Effective(key, value, layer, tuple(below))
    return found


def _keys(catalog: Catalog, layers: list[Entries]) -> Iterator[str]:
    devices: dict[str, set[str]] = {}
    for key in {key for entries in layers for key in entries if "@" in key}:
        devices.setdefault(key.partition("@")[0], set()).add(key)
    for setting in catalog:
        if setting.scope == "device":
            yield from sorted(devices.get(setting.name, ()))
        else:
            yield setting.name
