"""How settings, changes of them, and packs are shown."""

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING

from keenlattice.catalog.model import Catalog
from keenlattice.catalog.values import same, written
from keenlattice.cli.output import say, table
from keenlattice.profile.compare import Change
from keenlattice.workspace.profile_results import not_held, value_text
from keenlattice.workspace.settings import SURE

if TYPE_CHECKING:
    from keenlattice.catalog.model import Catalog, Setting
    from keenlattice.profile.checks import Finding
    from keenlattice.profile.layers import Effective
    from keenlattice.profile.offers import OfferedRule, OfferedSetting
    from keenlattice.workspace.packs import PackResult
    from keenlattice.workspace.profile_results import ShowResult
    from keenlattice.workspace.settings import CatalogResult


def show_setting(shown: "Setting", noted: str = "") -> None:
    """All about one setting, and what the player has noted of it."""
    needs = [*(["rights"] * shown.rights), *([f"a restart of the {shown.restart}"] * (shown.restart != "none"))]
    moves = [f"{metric} {direction}" for metric, direction in shown.moves.items()]
    whom = {"rig": "the whole rig", "game": "a game, or the whole rig", "device": f"a device: {shown.name}@DEVICE"}
    say(f"{shown.name}: {shown.title}", "bold")
    table(["", ""], [row for row in (
        ["players say", ", ".join(shown.called)],
        ["takes", shown.allowed() + (", or a formula" if shown.is_number else "")],
        ["stock", written(shown.stock, shown.unit)], ["set for", whom[shown.scope]],
        ["needs", " and ".join(needs) or "nothing"], ["trades", shown.trades], ["inert", shown.inert],
        ["where", shown.where], ["you noted", noted], ["to check", shown.check],
        ["may move", ", ".join(moves) or "nothing"], ["how sure", SURE[shown.sure]], ["which when", shown.advice],
        *(["formula", f"{suggestion.formula}   {suggestion.purpose}"] for suggestion in shown.suggest)) if row[1]])


def show_of_pool(answers: Mapping[str, str]) -> None:
    """What the pool says of some settings, if there is one."""
    if answers:
        say("The pool says", "bold")
    for key, words in answers.items():
        say(f"  {key}: {words}")


def tell_what_is_not_held(catalog: "Catalog", listed: "ShowResult") -> None:
    """Where the rig holds something else than the latest rig-wide version, or than what was applied."""
    planned = not_held(catalog, [(shown.setting, shown.held, shown.wanted) for shown in listed.planned], "planned")
    slipped = not_held(catalog, [(shown.setting, shown.held, shown.wanted) for shown in listed.slipped], "applied")
    if planned:
        say(f"! The latest rig-wide version is planned, and not on the rig: {planned}. Values and checks here go by "
            "what the rig holds. To put it on: keen apply rig")
    if slipped:
        say(f"! The rig no longer holds what was applied: {slipped}. To put it back: keen drift --put-back")


def show_catalog(listed: "CatalogResult", all_of_them: bool) -> None:
    """Several settings; and those that the rig does not have, with why, or how many they are."""
    settings = listed.settings
    if settings:
        both = 0 < len(listed.asked) < len(settings)
        table(["setting", "what it is", "takes", *(["set"] if both else [])], [
            [shown.name, shown.title, shown.allowed(), *(["by you" if shown.name in listed.asked else "from here"]
                                                         if both else [])] for shown in settings])
        say()
    by_reason: dict[str, list[str]] = {}
    for name, why in listed.absent.items():
        by_reason.setdefault(why, []).append(name)
    if all_of_them and listed.absent:
        say(f"{len(listed.absent)} more are not to be had on this rig; keen catalog DOMAIN says why, of each.", "dim")
    else:
        for why, names in by_reason.items():
            say(f"Not on this rig: {', '.join(names)}: {why}.", "dim")
    count = f"{len(settings)} setting{'s' * (len(settings) != 1)}." if settings else "None that can be set on this rig."
    say(count + (f" All about one: keen catalog {settings[0].name}" if settings else ""), "dim")


def value_of(catalog: "Catalog", shown: "Effective") -> str:
    """What holds, and the formula that it comes from, if it does."""
    if shown.layer == "unknown":
        return "unknown"
    value = "nothing here" if shown.problem else value_text(catalog, shown.key, shown.value)
    return value if same(shown.stored, shown.value) else f"{value}  ({shown.stored})"


def instead_of(catalog: "Catalog", shown: "Effective") -> str:
    """What a value hides, and from which layer."""
    if shown.is_set and not shown.shadows:
        return "unknown"
    hidden = [f"{value_text(catalog, shown.key, value)} ({layer})" for layer, value in shown.shadows]
    return ", ".join(hidden) + (": no change" if shown.in_vain else "")


def show_findings(findings: "Sequence[Finding]") -> None:
    """What the checks found, the clearly wrong first, each with what to do."""
    wrong = [finding for finding in findings if finding.kind == "wrong"]
    unknown = [finding for finding in findings if finding.kind == "not known"]
    remarks = [finding for finding in findings if finding.kind not in ("wrong", "not known")]
    if not findings:
        say("Nothing is clearly wrong.")
    for title, group in (("Clearly wrong", wrong), ("Worth a look", remarks)):
        if group:
            say(f"{title} ({len(group)})", "bold")
        for remark in group:
            kind = "" if remark.kind == "wrong" else f"{remark.kind}: "
            say(f"! {kind}{', '.join(remark.settings)}: {remark.why}")
            say(f"  to fix it: {remark.what_to_do}", "dim")
    if unknown:
        say(f"Not known, to be looked at ({len(unknown)})", "bold")
    for remark in unknown:
        say(f"? {remark.why}")
        say(f"  if it is so: {remark.what_to_do}", "dim")


def show_changes(catalog: Catalog, changes: Sequence[Change], before: str = "from", after: str = "to") -> None:
    """A table of changes, with the title of each setting."""
    table(["setting", before, after, ""],
          [[change.key, value_text(catalog, change.key, change.before), value_text(catalog, change.key, change.after),
            catalog[change.key].title if change.key in catalog else "not in this rig's catalog"] for change in changes])


def show_by_owner(catalog: Catalog, changes: Mapping[str, Sequence[Change]], before: str, after: str,
                  heading: str = "{}") -> None:
    """A table of changes for each owner; their names only where there are several, or a heading is wanted."""
    for owner, edits in changes.items():
        if len(changes) > 1 or heading != "{}":
            say(heading.format(owner), "bold")
        show_changes(catalog, edits, before, after)


def show_pack(catalog: "Catalog", pack: "PackResult") -> None:
    """Its rules, and what each would do here."""
    by = f", by {pack.author}" if pack.author else ""
    say(f"{pack.title}{by} ({pack.licence or 'no licence given'})", "bold")
    if pack.note:
        say(pack.note)
    for rule in pack.rules:
        _show_rule(catalog, rule.offered)


def _show_rule(catalog: "Catalog", rule: "OfferedRule") -> None:
    from keenlattice.study.trial.result import told

    say(f"\n{rule.number}. {rule.rule.game}" + (f", where {rule.rule.when}" if rule.rule.when else "")
        + (f": {rule.rule.reason}" if rule.rule.reason else ""), "bold")
    if rule.fails:
        say(f"! its condition does not hold: {rule.fails}")
    else:
        table(["setting", "now", "offered", "here"], [_row(catalog, setting) for setting in rule.settings])
    for claim in rule.rule.claim:
        say(f"claims: {told(claim)}" + (" (no evidence comes with it)" if not claim.evidence else ""), "dim")
        for evidence in claim.evidence:
            say(f"  its author measured {evidence.told()}", "dim")


def _row(catalog: "Catalog", setting: "OfferedSetting") -> tuple[str, ...]:
    offered = value_text(catalog, setting.key, setting.offered)
    if setting.comes_to is not None and not same(setting.comes_to, setting.offered):
        offered += f", here {value_text(catalog, setting.key, setting.comes_to)}"
    return (setting.key, value_text(catalog, setting.key, setting.now), offered,
            setting.status + (f": {setting.why}" if setting.why else ""))


def show_effective(catalog: Catalog, settings: "Sequence[Effective]", *, everything: bool) -> None:
    """What holds, setting by setting; and how many are not shown, since nothing sets them.

    Args:
        everything: show those, too.
    """
    shown = [setting for setting in settings if everything or setting.is_set]
    if shown:
        table(["setting", "value", "from", "instead of"], [
            [setting.key, value_of(catalog, setting), setting.layer, instead_of(catalog, setting)]
            for setting in shown])
    hidden = [setting.layer for setting in settings if not everything and not setting.is_set]
    unknown = hidden.count("unknown")
    parts = [f"{len(hidden) - unknown} other settings are at stock"] if len(hidden) > unknown else []
    if unknown:
        parts += [f"{unknown} {'are' if parts else 'other settings are'} unknown: nobody has said what they are at"]
    if parts:
        say(f"{', '.join(parts)} (--all shows them).", "dim")
