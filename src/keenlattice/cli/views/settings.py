"""How settings are shown: all about one, and what holds for it."""

from collections.abc import Mapping
from typing import TYPE_CHECKING

from keenlattice.cli.output import say, table
from keenlattice.workspace._wording import not_held, value_text
from keenlattice.workspace.looking import SURE

if TYPE_CHECKING:
    from keenlattice.catalog.model import Catalog, Setting
    from keenlattice.profile.layers import Effective
    from keenlattice.workspace.comparing import ShowResult
    from keenlattice.workspace.looking import CatalogResult


def show_setting(one: "Setting", noted: str = "") -> None:
    """All about one setting, and what the player has noted of it."""
    from keenlattice.catalog.values import written

    needs = [*(["rights"] * one.rights), *([f"a restart of the {one.restart}"] * (one.restart != "none"))]
    moves = [f"{metric} {direction}" for metric, direction in one.moves.items()]
    whom = {"rig": "the whole rig", "game": "a game, or the whole rig", "device": f"a device: {one.name}@DEVICE"}
    say(f"{one.name}: {one.title}", "bold")
    table(["", ""], [row for row in (
        ["takes", one.allowed() + (", or a formula" if one.is_number else "")],
        ["stock", written(one.stock, one.unit)], ["set for", whom[one.scope]],
        ["needs", " and ".join(needs) or "nothing"], ["trades", one.trades], ["inert", one.inert],
        ["where", one.where], ["you noted", noted], ["to check", one.check],
        ["may move", ", ".join(moves) or "nothing"], ["how sure", SURE[one.sure]], ["which when", one.advice],
        *(["formula", f"{suggestion.formula}   {suggestion.purpose}"] for suggestion in one.suggest)) if row[1]])


def show_of_pool(told: Mapping[str, str]) -> None:
    """What the pool says of some settings, if there is one."""
    if told:
        say("The pool says", "bold")
    for key, words in told.items():
        say(f"  {key}: {words}")


def tell_what_is_not_held(catalog: "Catalog", found: "ShowResult") -> None:
    """Where the rig holds something else than the latest rig-wide version, or than what was applied."""
    planned = not_held(catalog, [(one.setting, one.held, one.wanted) for one in found.planned], "planned")
    slipped = not_held(catalog, [(one.setting, one.held, one.wanted) for one in found.slipped], "applied")
    if planned:
        say(f"! The latest rig-wide version is planned, and not on the rig: {planned}. Values and checks here go by "
            "what the rig holds. To put it on: keen apply rig")
    if slipped:
        say(f"! The rig no longer holds what was applied: {slipped}. To put it back: keen drift --put-back")


def show_catalog(found: "CatalogResult", all_of_them: bool) -> None:
    """Several settings; and those that the rig does not have, with why, or how many they are."""
    some = found.settings
    if some:
        table(["setting", "what it is", "takes"], [[one.name, one.title, one.allowed()] for one in some])
        say()
    by_reason: dict[str, list[str]] = {}
    for name, why in found.absent.items():
        by_reason.setdefault(why, []).append(name)
    if all_of_them and found.absent:
        say(f"{len(found.absent)} more are not to be had on this rig; keen catalog DOMAIN says why, of each.", "dim")
    else:
        for why, names in by_reason.items():
            say(f"Not on this rig: {', '.join(names)}: {why}.", "dim")
    say(f"{len(some)} settings." + (f" All about one: keen catalog {some[0].name}" if some else ""), "dim")


def value_of(catalog: "Catalog", one: "Effective") -> str:
    """What holds, and the formula that it comes from, if it does."""
    from keenlattice.catalog.values import same

    if one.layer == "unknown":
        return "unknown"
    value = "nothing here" if one.problem else value_text(catalog, one.key, one.value)
    return value if same(one.stored, one.value) else f"{value}  ({one.stored})"


def instead_of(catalog: "Catalog", one: "Effective") -> str:
    """What a value hides, and from which layer."""
    if one.is_set and not one.shadows:
        return "unknown"
    hidden = [f"{value_text(catalog, one.key, value)} ({layer})" for layer, value in one.shadows]
    return ", ".join(hidden) + (": no change" if one.in_vain else "")
