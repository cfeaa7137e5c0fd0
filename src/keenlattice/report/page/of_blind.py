"""A blind test as a report."""

from keenlattice.report.page.content import Block, Report, Table, Text
from keenlattice.report.page.context import Context, for_game, how_to_go_back, the_rig, to_repeat, what_changed
from keenlattice.report.words import ENDINGS, blind_headline
from keenlattice.study.blind.result import Blind

NAMES = {"before": "A", "after": "B"}


def blind_report(result: Blind, context: Context) -> Report:
    """The report of a blind test."""
    what = "was on" if result.plan.question == "which" else "came first"
    rounds = Table(["round", what, "the player said"], [
        [str(number), NAMES[one.on], NAMES[one.answer]] for number, one in enumerate(result.rounds, 1)], right=(0,))
    trial = f" That is trial {result.trial} of this logbook." if result.trial else ""
    plan = result.plan
    plays = (f"blind {result.before} {result.after} --rounds {plan.rounds} --question {plan.question}"
             f"{for_game(result.before, result.game)}")
    return Report(
        title=f"{context.game or result.game}: can a hand feel it?", verdict="",
        answer=f"{blind_headline(result)} {ENDINGS[result.ending]}", changed=what_changed(context),
        did=[Text(f"{result.ending.capitalize()}.{trial}")], each=[
            Text(f"A is {result.before}, B is {result.after}."), rounds], sure=_sure(result), rig=the_rig(context),
        repeat=to_repeat(context, [plays], "What is on is drawn anew: a blind test has no seed.", ""),
        back=how_to_go_back(context, result.before, result.after, tried=True))


def _sure(result: Blind) -> list[Block]:
    late = (f" {result.not_counted} rounds did not count, since the switch took so long that the time could have told."
            if result.not_counted else "")
    return [Text(f"One of the two was put on by chance, by the same way and in the same time whichever it was, and the "
                 f"player did not know which. Of {result.plan.rounds} rounds {len(result.rounds)} were played: it "
                 f"ended as soon as it was told, or could not be any more.{late}"),
            Text("It holds for this player, this game and this rig. Not felt is not the same as not there: it says how "
                 "large a feeling would have been found.")]
