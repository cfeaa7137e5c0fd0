"""Formulas made concrete: what a profile's values come to on a rig with given facts."""

import math
from collections.abc import Mapping
from contextlib import suppress

from keenlattice.catalog.model import Catalog, Setting
from keenlattice.catalog.values import Value, written
from keenlattice.errors import BadValue
from keenlattice.profile.formula import Names, evaluate, is_formula
from keenlattice.profile.version import WHOLE_RIG, Entries, Version, joined, owners, parted


def concrete_value(setting: Setting, stored: Value, facts: Names) -> Value:
    """What one stored value amounts to; a formula for a whole number is rounded, halves up.

    Raises:
        BadValue: a formula that cannot be read or evaluated here; or what the setting does not take.
    """
    if not is_formula(stored) or not setting.is_number:
        return setting.checked(stored)
    number = evaluate(str(stored), facts)
    try:
        return setting.checked(math.floor(number + 0.5) if setting.kind == "whole" else number)
    except BadValue:
        raise BadValue(f"{setting.name} {stored} gives {written(number)} on this rig; "
                       f"it takes {setting.allowed()}") from None


def entries_for(catalog: Catalog, version: Version, facts: Names) -> dict[str, Value]:
    """What a version puts on a rig with these facts: every value compared with the catalog, no matter who wrote it;
    keys that the catalog lacks are left out.

    Raises:
        BadValue: as `concrete_value`.
        UsageError: a setting of the whole rig's in a game's profile, or one without its device.
    """
    for key in version.entries:
        if key in catalog:
            catalog.check_scope(key, whole_rig=version.profile == WHOLE_RIG)
    return concrete(catalog, version.entries, facts)


DECIDED_BY: Mapping[str, str] = {"refresh_hz": "display.refresh"}
"""Facts that a setting decides, once it is in force."""


def facts_under(catalog: Catalog, entries: Mapping[str, Value], facts: Names) -> Names:
    """The facts of a rig once some settings are in force on it: a formula of the refresh rate means the one that is set
    beside it, not the one that it takes the place of."""
    set_by = {fact: catalog[key] for fact, key in DECIDED_BY.items() if key in entries and key in catalog}
    decided = {}
    for fact, setting in set_by.items():
        with suppress(BadValue):  # which is said where the setting itself is evaluated
            value = concrete_value(setting, entries[setting.name], facts)
            if not isinstance(value, str):
                decided[fact] = value
    return {**facts, **decided}


def concrete(catalog: Catalog, entries: Mapping[str, Value], facts: Names) -> dict[str, Value]:
    """What a profile's entries come to on a rig with these facts; keys that the catalog lacks are left out.

    Raises:
        BadValue: as `concrete_value`.
    """
    facts = facts_under(catalog, entries, facts)
    return {key: concrete_value(catalog[key], value, facts) for key, value in entries.items() if key in catalog}


def facts_at_stock(catalog: Catalog, held: Entries, facts: Names) -> Names:
    """Return the facts of a rig once the rig-wide values that it holds are unset.

    Args:
        held: those values.
        facts: the facts while it holds them.
    """
    return facts_under(catalog, {key: catalog[key].stock for key in DECIDED_BY.values()
                                 if key in held and key in catalog}, facts)


def values_together(catalog: Catalog, version: Version, facts: Names, held: Entries) -> dict[str, Value]:
    """Return what a version of a game and the rig together puts on a rig, its rig-wide entries marked.

    A formula of the game's part means the facts under the rig-wide part: what a setting decides there, or its stock
    value where the rig holds another value now that the version does not set.

    Args:
        facts: the rig's, as they are now.
        held: the rig-wide values that the rig holds now.

    Raises:
        BadValue, UsageError: as `entries_for`.
    """
    parts, game = parted(version.profile, version.entries), owners(version.profile)[0]
    decided = facts_under(catalog, parts[WHOLE_RIG], facts_at_stock(catalog, held, facts))
    return joined(entries_for(catalog, Version(game, parts[game]), decided),
                  entries_for(catalog, Version(WHOLE_RIG, parts[WHOLE_RIG]), decided))
