"""How a blind test is shown."""

import sys
from typing import TYPE_CHECKING, Literal

from keenlattice.cli.output import hint, say, table
from keenlattice.report.words import ENDINGS, blind_headline
from keenlattice.study.blind.plan import BlindPlan

if TYPE_CHECKING:
    from keenlattice.study.blind.result import Blind
    from keenlattice.workspace.played import Played


def show_what_it_takes(rounds: int, question: Literal["which", "better"]) -> None:
    """What so many rounds can tell, before the first; beside the result, which may be JSON."""
    from keenlattice.study.blind._rule import chance_to_be_found, needed

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
