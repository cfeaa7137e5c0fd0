"""How a rig is shown."""

import shlex
from collections.abc import Mapping
from typing import TYPE_CHECKING

from keenlattice.cli.output import say, table
from keenlattice.report.words import fact, facts_in_brief

if TYPE_CHECKING:
    from keenlattice.rig.gamelist import Listed
    from keenlattice.workspace.rig_results import Survey


LONG_FACT = 50  # letters: a longer one has a line of its own


def show_rig(found: "Survey", described: str) -> None:
    """The rig's facts, devices and games."""
    say(f"Rig {found.rig} ({described})", "bold")
    rows = [fact(name, str(value)) for name, value in found.facts.items()
            if not name.startswith(found.devices or ("-",)) and len(str(value)) <= LONG_FACT]
    half = (len(rows) + 1) // 2
    columns = zip(rows[:half], [*rows[half:], ["", ""]], strict=False)
    table(["", "", "", ""], [[*left, *right] for left, right in columns])
    for name, value in found.facts.items():
        if len(str(value)) > LONG_FACT:
            say(f"{name}: {value}")
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
    say(f"{found.rig} ({described}): {facts_in_brief(found.facts)}.")
    say(f"Games: {', '.join(found.titles.values())}.")


def _interrupts(facts: Mapping[str, object], device: str) -> str:
    if mode := facts.get(f"{device}_mode"):  # a rig that tells how it is, and not only what it could
        messages = f" ({facts[f'{device}_messages']})" * (mode == "message")
        return (f"{mode}{messages}, {facts[f'{device}_interrupts']} so far, on cores {facts[f'{device}_cores']}"
                + ", shares its line" * bool(facts[f"{device}_shares_line"]))
    known = facts.get(f"{device}_message")
    can = "not known" if known is None else "line or message" if known else "line only"
    return can + (", shares its line" if facts.get(f"{device}_shares_line") else "")


def all_of_game(told: "Listed") -> str:
    """All that is known of a game: what was said earlier and not taken out holds, too."""
    parts = [f"runs as {', '.join(told.game.executables) or 'nothing that was told'}"]
    parts += [f"started by {shlex.join(told.command)}"] if told.command else []
    parts += [f"its settings in {told.file}"] if told.file else []
    parts += [f"answers at {told.answers_at[0]},{told.answers_at[1]}"] if told.answers_at else []
    parts += [f"clicked at {told.clicks_at[0]},{told.clicks_at[1]}"] if told.clicks_at else []
    parts += [f"draws by {told.api}"] if told.api else []
    parts += [f"known as {' '.join(str(word) for word in one)}" for one in (told.application, told.engine) if one]
    return "; ".join([*parts, *(["left running"] if told.leave_running else [])])
