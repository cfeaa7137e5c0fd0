"""How an apply is shown before it is done."""

from pathlib import Path
from typing import TYPE_CHECKING

from keenlattice.cli.output import say, shown_path, table, warn
from keenlattice.workspace.wording import value_text

if TYPE_CHECKING:
    from keenlattice.catalog.model import Catalog
    from keenlattice.rig.base import ByHand
    from keenlattice.workspace.rig_results import AppliedChange, ApplyResult


def show_steps(catalog: "Catalog", plan: "ApplyResult", home: Path, by_hand: "ByHand | None" = None) -> None:
    """The steps in their order, what each needs, where they write, and what is refused."""
    for key in plan.unknown:
        say(f"! {key} is left out: the rig {plan.rig} does not have it")
    if not plan.changes:
        return
    first = {change.step: change.setting for change in reversed(plan.changes)}
    seen = by_hand.seen_before(plan.version.profile) if by_hand else {}

    def now(one: "AppliedChange") -> str:
        held = seen.get(one.setting) if one.before is None else one.before
        return "not known" if held is None and by_hand else value_text(catalog, one.setting, held)

    table(["step", "setting", "on the rig", plan.version.reference, "needs"], [
        [str(one.step) if first[one.step] == one.setting else "", one.setting,
         now(one), value_text(catalog, one.setting, one.after), _needs(plan, one)]
        for one in plan.changes])
    if plan.at_start:
        say(f"! {', '.join(plan.at_start)}: written to no file of the game or the system. It holds only while keen "
            "starts the game itself, for a run; whoever starts it in another way plays without it")
    if plan.places and by_hand is None:
        inside = [str(Path(place).relative_to(home)) for place in plan.places if Path(place).is_relative_to(home)]
        whole = [shown_path(Path(place)) for place in plan.places if not Path(place).is_relative_to(home)]
        say("writes " + " and ".join([*whole, *([f"{', '.join(inside)} in {shown_path(home)}"] if inside else [])]),
            "dim")


def _needs(plan: "ApplyResult", one: "AppliedChange") -> str:
    if any(each.setting in plan.refused for each in plan.changes if each.step == one.step):
        return "REFUSED HERE"
    if one.setting in plan.at_start:
        return "keen to start the game"
    parts = ["rights"] * one.rights + [f"restart of the {one.restart}"] * (one.restart != "none")
    return ", ".join(parts) or "-"


def warn_of_facts(catalog: "Catalog", plan: "ApplyResult") -> None:
    """Says of a formula that it comes to something else once the rig-wide profile, too, is on the rig."""
    for key, values in plan.otherwise.items():
        now, then = (value_text(catalog, key, one) for one in values)
        warn(f"{key} comes to {now} on the rig as it is, and to {then} once the rig-wide profile is on it: apply rig "
             "first, and restart what has to")
