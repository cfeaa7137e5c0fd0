"""Layers, and the effective value that comes out of them.

From the bottom: stock (the catalog), rig-wide, game, and a trial's temporary override. The topmost layer that
sets a setting wins. *Game decides* is a value like any other: it hides what lies below it. Unset does not. A stored
formula wins as it stands; what it amounts to is evaluated from the facts of the rig at hand.

The stock values are the catalog's. Where nobody has looked at a rig, it may have been changed long ago: then what no
layer sets is unknown, but for what its player has seen there, and for what the facts tell (the refresh rate that the
panel runs at).
"""

from collections.abc import Container, Iterator
from typing import Literal

from keenlattice.catalog.model import Catalog, Setting
from keenlattice.catalog.values import Value, same
from keenlattice.errors import BadValue
from keenlattice.profile.concrete import DECIDED_BY, concrete_value, facts_under
from keenlattice.profile.formula import Names
from keenlattice.profile.version import Entries
from keenlattice.quickly import dataclass

Layer = Literal["unknown", "facts", "seen", "stock", "rig-wide", "game", "trial"]


@dataclass(frozen=True)
class Base:
    """What a game's version stands on: the rig-wide values that a rig holds, and its facts.

    It is what was read from the rig, and not what the latest rig-wide version would put there.
    """

    rig_wide: Entries
    facts: Names


@dataclass(frozen=True)
class Effective:
    """What holds for one setting, which layer it comes from, and what it hides (next below first, as stored).

    `stored` is what the layer says, a formula perhaps, and None if it is unknown; `value` what that amounts to, and
    None if it has no value here: then `problem` says why.
    """

    key: str
    value: Value | None
    layer: Layer
    shadows: tuple[tuple[Layer, Value], ...] = ()
    stored: Value | None = None
    problem: str = ""

    @property
    def is_set(self) -> bool:
        """Whether a profile says so."""
        return self.layer in ("rig-wide", "game", "trial")

    @property
    def in_vain(self) -> bool:
        """Set, but to what would hold anyway."""
        return bool(self.shadows) and same(self.shadows[0][1], self.stored)


def resolve(catalog: Catalog, rig_wide: Entries, game: Entries, trial: Entries | None = None,
            facts: Names | None = None, *, unknown: Container[str] = (),
            seen: Entries | None = None) -> dict[str, Effective]:
    """The effective value of every setting of `catalog`; of a device's settings, those that a layer sets.

    Keys that the catalog does not know are left out: a rig cannot be given them. Formulas are evaluated from `facts`,
    and from what the layers themselves make of those (`concrete.DECIDED_BY`).

    Args:
        unknown: the settings, by name, that are at an unknown value where no layer sets them; others are at stock.
        seen: what somebody has seen of those before anything was set.

    Returns:
        Setting key to what holds, in the catalog's order, device keys behind their setting.
    """
    layers: list[tuple[Layer, Entries]] = [("trial", trial or {}), ("game", game), ("rig-wide", rig_wide)]
    all_facts = facts_under(catalog, {**rig_wide, **game, **(trial or {})}, facts or {})
    result = {}
    for key in _keys(catalog, [*(entries for _, entries in layers), seen or {}]):
        stack = [(layer, entries[key]) for layer, entries in layers if key in entries]
        stack += [("stock", catalog[key].stock)] if catalog[key].name not in unknown else [
            *_seen(catalog[key], key, seen or {}), *_told(catalog[key], facts or {})]
        if not stack:
            result[key] = Effective(key, None, "unknown")
            continue
        (layer, stored), *below = stack
        value, problem = _evaluated(catalog[key], stored, all_facts)
        result[key] = Effective(key, value, layer, tuple(below), stored, problem)
    return result


def _told(setting: Setting, facts: Names) -> list[tuple[Layer, Value]]:
    """What the facts say of a setting that no layer sets, if they do."""
    fact_value = next((facts.get(fact) for fact, key in DECIDED_BY.items() if key == setting.name), None)
    if not isinstance(fact_value, bool | int | float | str):
        return []
    try:
        return [("facts", setting.checked(fact_value))]
    except BadValue:  # typed in, it may be anything
        return []


def _seen(setting: Setting, key: str, seen: Entries) -> list[tuple[Layer, Value]]:
    """What was seen of a setting, if it was."""
    if key not in seen:
        return []
    try:
        return [("seen", setting.checked(seen[key]))]
    except BadValue:  # the catalog may have changed since
        return []


def _evaluated(setting: Setting, stored: Value, facts: Names) -> tuple[Value | None, str]:
    try:
        return concrete_value(setting, stored, facts), ""
    except BadValue as error:
        return None, str(error)


def _keys(catalog: Catalog, layers: list[Entries]) -> Iterator[str]:
    devices: dict[str, set[str]] = {}
    for key in {key for entries in layers for key in entries if "@" in key}:
        devices.setdefault(key.partition("@")[0], set()).add(key)
    for setting in catalog:
        if setting.scope == "device":
            yield from sorted(devices.get(setting.name, ()))
        else:
            yield setting.name
