"""How a pack is shown."""

from typing import TYPE_CHECKING

from keenlattice.catalog.values import same
from keenlattice.cli.output import say, table
from keenlattice.workspace.wording import value_text

if TYPE_CHECKING:
    from keenlattice.catalog.model import Catalog
    from keenlattice.profile._offer import OfferedRule, OfferedSetting
    from keenlattice.workspace.packs import PackResult


def show_pack(catalog: "Catalog", pack: "PackResult") -> None:
    """Its rules, and what each would do here."""
    by = f", by {pack.author}" if pack.author else ""
    say(f"{pack.title}{by} ({pack.licence or 'no licence given'})", "bold")
    if pack.note:
        say(pack.note)
    for one in pack.rules:
        _show_rule(catalog, one.offered)


def _show_rule(catalog: "Catalog", one: "OfferedRule") -> None:
    from keenlattice.study.trial.claims import told

    say(f"\n{one.number}. {one.rule.game}" + (f", where {one.rule.when}" if one.rule.when else "")
        + (f": {one.rule.reason}" if one.rule.reason else ""), "bold")
    if one.fails:
        say(f"! its condition does not hold: {one.fails}")
    else:
        table(["setting", "now", "offered", "here"], [_row(catalog, each) for each in one.settings])
    for claim in one.rule.claim:
        say(f"claims: {told(claim)}" + (" (no evidence comes with it)" if not claim.evidence else ""), "dim")
        for evidence in claim.evidence:
            say(f"  its author measured {evidence.told()}", "dim")


def _row(catalog: "Catalog", each: "OfferedSetting") -> tuple[str, ...]:
    offered = value_text(catalog, each.key, each.offered)
    if each.comes_to is not None and not same(each.comes_to, each.offered):
        offered += f", here {value_text(catalog, each.key, each.comes_to)}"
    return (each.key, value_text(catalog, each.key, each.now), offered,
            each.status + (f": {each.why}" if each.why else ""))
