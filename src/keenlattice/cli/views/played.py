"""How a finished study is shown, of whatever kind."""

import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any, Literal

from keenlattice.cli.output import emit, say, show_telling
from keenlattice.cli.views.trial import show_pilot
from keenlattice.study.blind.plan import BlindPlan

if TYPE_CHECKING:
    from keenlattice.workspace.played import Played
    from keenlattice.workspace.workspace import Workspace


def show_played(ws: "Workspace", played: "Played[Any]", json: bool = False, figure: Path | None = None) -> None:
    """A finished study: as JSON, or in words, with what could be done next."""
    if figure:
        played.figure().save(figure)
    if json:
        emit(ws.studies.trials.pilot_of(played) if _is_pilot(played) else played)
        return
    if _is_pilot(played):
        show_pilot(ws.studies.trials.pilot_of(played), "AFTER")
    else:
        show_telling(played.telling())
    if figure:
        say(f"\nfigure: {figure}")
    show_left_over(ws)


def _is_pilot(played: "Played[Any]") -> bool:
    return getattr(played.spec, "is_pilot", False)


def show_left_over(ws: "Workspace") -> None:
    """What a study by hand has left changed on the rig, if anything."""
    if left := ws.studies.by_hand.left_over():
        one = "one setting is" if len(left) == 1 else f"{len(left)} settings are"
        say(f"! {one} not back at what was there before the study: {', '.join(left)}. keen undo --rig byhand writes "
            "the sheet for the way back")


def show_what_it_takes(rounds: int, question: Literal["which", "better"]) -> None:
    """What so many rounds can tell, before the first; beside the result, which may be JSON."""
    from keenlattice.study.blind.plan import chance_to_be_found, needed

    plan = BlindPlan(rounds, question)
    least, chance = needed(rounds, plan.error_of_a_side)[-1], chance_to_be_found(rounds, plan.error_of_a_side, 0.8)
    more = "; more rounds find more" if chance < 0.8 else ""
    print(f"At most {rounds} rounds: {least} right answers of {rounds} settle it, or a larger share of fewer. Whoever "
          f"is right in four of five rounds is found in {100 * chance:.0f} of 100 such tests{more}.", file=sys.stderr)
