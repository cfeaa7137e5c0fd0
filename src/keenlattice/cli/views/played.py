"""How a finished study is shown, of whatever kind."""

from pathlib import Path
from typing import TYPE_CHECKING, Any

from keenlattice.cli.output import emit, say
from keenlattice.cli.views.searches import show_hunt, show_ramp, show_screen, show_tuning
from keenlattice.cli.views.trial import hint_after, show_pilot, show_trial

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
    _show(ws, played)
    if figure:
        say(f"\nfigure: {figure}")
    show_left_over(ws)


def _is_pilot(played: "Played[Any]") -> bool:
    return getattr(played.spec, "is_pilot", False)


def _show(ws: "Workspace", played: "Played[Any]") -> None:
    if played.kind == "screen":
        show_screen(played.result)
    elif played.kind == "hunt":
        show_hunt(ws.rig.machine.catalog(), played.result,
                  [ws.profiles.find(kept.reference, both=True) for kept in played.spec.versions])
    elif played.kind in ("tune", "ramp"):
        show = show_ramp if played.kind == "ramp" else show_tuning
        show(ws.rig.machine.catalog(), played, ws.profiles.find(played.spec.owner))
    elif _is_pilot(played):
        show_pilot(ws.studies.trials.pilot_of(played), "AFTER")
    else:
        show_trial(played.result)
        hint_after(played.result)


def show_left_over(ws: "Workspace") -> None:
    """What a study by hand has left changed on the rig, if anything."""
    if left := ws.studies.by_hand.left_over():
        one = "one setting is" if len(left) == 1 else f"{len(left)} settings are"
        say(f"! {one} not back at what was there before the study: {', '.join(left)}. keen undo --rig byhand writes "
            "the sheet for the way back")
