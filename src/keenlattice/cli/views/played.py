"""How a finished study is shown, of whatever kind."""

import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any, Literal

from keenlattice.cli.output import emit, hint, say, table
from keenlattice.cli.views.searches import show_hunt, show_ramp, show_screen, show_tuning
from keenlattice.cli.views.trial import hint_after, show_pilot, show_trial
from keenlattice.report.words import ENDINGS, blind_headline
from keenlattice.study.blind.plan import BlindPlan

if TYPE_CHECKING:
    from keenlattice.study.blind.plan import Blind
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


def show_what_it_takes(rounds: int, question: Literal["which", "better"]) -> None:
    """What so many rounds can tell, before the first; beside the result, which may be JSON."""
    from keenlattice.study.blind.plan import chance_to_be_found, needed

    plan = BlindPlan(rounds, question)
    least, chance = needed(rounds, plan.error_of_a_side)[-1], chance_to_be_found(rounds, plan.error_of_a_side, 0.8)
    more = "; more rounds find more" if chance < 0.8 else ""
    print(f"At most {rounds} rounds: {least} right answers of {rounds} settle it, or a larger share of fewer. Whoever "
          f"is right in four of five rounds is found in {100 * chance:.0f} of 100 such tests{more}.", file=sys.stderr)


def show_blind(played: "Played[Blind]") -> None:
    """What was felt, what was on in each round, and what was measured."""
    result = played.result
    say(f"\n{blind_headline(result)}", "bold green" if result.felt != "not told" else "bold")
    what = "on" if result.plan.question == "which" else "first"
    say(f"{result.before} (A) and {result.after} (B), {result.game} on {result.rig}, {len(result.rounds)} of at most "
        f"{result.plan.rounds} rounds.\n", "dim")
    name = {"before": "A", "after": "B"}
    table(["round", what, "you said"], [[str(number), name[one.on], name[one.answer]]
                                        for number, one in enumerate(result.rounds, 1)], right=(0,))
    if result.not_counted:
        say(f"! {result.not_counted} rounds do not count: the switch took so long that the time could have told")
    trial = f" (trial {result.trial})" if result.trial else ""
    say(f"{ENDINGS[result.ending]}{trial}")
    if result.measured == "not known":
        hint(f"keen trial {result.before} {result.after}, which measures it")
    else:
        hint("keen report makes a page of it")
