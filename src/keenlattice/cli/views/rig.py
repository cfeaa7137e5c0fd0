"""How a rig is shown."""

from collections.abc import Mapping
from typing import TYPE_CHECKING

from keenlattice.cli.output import say, table

if TYPE_CHECKING:
    from keenlattice.workspace.looking import Survey


def show_rig(found: "Survey", described: str) -> None:
    """The rig's facts, devices and games."""
    from keenlattice.report.words import fact

    say(f"Rig {found.rig} ({described})", "bold")
    rows = [fact(name, str(value)) for name, value in found.facts.items()
            if not name.startswith(found.devices or ("-",))]
    half = (len(rows) + 1) // 2
    columns = zip(rows[:half], [*rows[half:], ["", ""]], strict=False)
    table(["", "", "", ""], [[*left, *right] for left, right in columns])
    if found.devices:
        say()
        table(["device", "interrupts"], [[device, _interrupts(found.facts, device)] for device in found.devices])
    say()
    table(["game", "title", "applied"], [[name, found.titles[name], found.applied.get(name, "-")]
                                         for name in found.games])
    if "rig" in found.applied:
        say(f"rig-wide profile applied: {found.applied['rig']}")
    say()


def show_rig_briefly(found: "Survey", described: str) -> None:
    """The rig in two lines."""
    from keenlattice.report.words import facts_in_brief

    say(f"{found.rig} ({described}): {facts_in_brief(found.facts)}.")
    say(f"Games: {', '.join(found.titles.values())}.")


def _interrupts(facts: Mapping[str, object], device: str) -> str:
    if mode := facts.get(f"{device}_mode"):  # a rig that tells how it is, and not only what it could
        messages = f" ({facts[f'{device}_messages']})" * (mode == "message")
        return (f"{mode}{messages}, {facts[f'{device}_interrupts']} so far, on cores {facts[f'{device}_cores']}"
                + ", shares its line" * bool(facts[f"{device}_shares_line"]))
    can = "line or message" if facts.get(f"{device}_message") else "line only"
    return can + (", shares its line" if facts.get(f"{device}_shares_line") else "")
