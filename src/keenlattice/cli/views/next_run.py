"""How it is told what a study by hand waits for."""

from collections.abc import Mapping
from typing import TYPE_CHECKING

from keenlattice.catalog.values import written
from keenlattice.cli.output import emit, hint, minutes, say
from keenlattice.cli.views.played import show_played
from keenlattice.cli.views.sheet import show_step
from keenlattice.report._sheet_page import heading

if TYPE_CHECKING:
    from keenlattice.catalog.values import Value
    from keenlattice.workspace.next_run import NextRun
    from keenlattice.workspace.workspace import Workspace


def show_next_run(ws: "Workspace", found: "NextRun", json: bool) -> None:
    """Where the study stands, what to change, what to play, and how the recording is handed over; before that, what
    another found that this one proves."""
    if json:
        emit(found)
        return
    if found.finished is not None:
        show_played(ws, found.finished)
        say()
    say(f"{found.kind.capitalize()} {found.study}, {found.of}: {run_of(found.run, found.runs, found.minutes_left)}",
        "bold")
    if found.wrong:
        say(f"This run went wrong {'once' if found.wrong == 1 else f'{found.wrong} times'}; play it again.")
    say(f"The rig holds: {held_in_words(found.holds)}", "dim")
    last = ""
    for step in found.steps:
        if step.restart != last:
            say(f"\n{heading(step.restart)}", "bold")
            last = step.restart
        show_step(step, why=False)
    if not found.steps:
        say("\nNothing is to be changed for this run.")
    if any(step.before is None and step.was is None for step in found.steps):
        say("\nWhat is there now is not known: note it before you change it, for the way back: keen rig take-stock "
            "--rig byhand", "dim")
    say(f"\nThen play {found.game} for {found.seconds:g} s, and record it.", "bold")
    hint("keen rig next FRAMES, or keen rig next FRAMES SENSOR; --wrong WHY if it went wrong; or --watch FOLDER, which "
         "goes through all runs")


def run_of(number: int, most: int | None, minutes_left: float | None) -> str:
    """Which run comes next, and bounds of what is left."""
    if most is None or minutes_left is None:
        return f"run {number}; the search goes on until it is sure"
    return f"run {number} of at most {most}, about {minutes(minutes_left)} if all are played"


def held_in_words(holds: "Mapping[str, Mapping[str, Value]]") -> str:
    """What the rig holds, by all that was said."""
    told = [f"{key} {written(value)}{' (rig-wide)' * (owner == 'rig')}" for owner, some in holds.items()
            for key, value in some.items()]
    return ", ".join(told) or "nothing that anybody has told"
