"""A blind test in words: what was felt, beside what was measured."""

from typing import TYPE_CHECKING

from keenlattice.blocks import Alert, Block, Report, Table, Telling, Text
from keenlattice.report.context import for_game, page_of_two
from keenlattice.study.blind.plan import Blind

if TYPE_CHECKING:
    from keenlattice.study.kind import Beside

ENDINGS = {
    "felt, measured": "Felt and measured: it is real, and you notice.",
    "felt, not measured": "Felt, and not measured: look for what was not measured (another metric, the picture, the "
                          "sound), or measure again.",
    "felt, not known": "Whether it can be measured, no trial of these two has settled yet.",
    "not felt, measured": "Measured, and not shown to be felt: it is real; whether you notice it, this test left open.",
    "not felt, not measured": "No difference that matters was measured, and none shown to be felt: leave it out.",
    "not felt, not known": "Whether it can be measured, no trial of these two has settled yet."}


def blind_headline(result: Blind) -> str:
    """A blind test in two sentences: what was told, and by how many rounds."""
    count, plan = len(result.rounds), result.plan
    if plan.question == "which":
        told = f"{result.right} of {count} answers were right"
    else:
        told = f"{result.after} felt better in {result.right} of {count} rounds"
    if result.felt == "felt":
        return f"You can feel it: {told}. Whoever guesses comes so far in one of {1 / plan.error:.0f} tests at most."
    if result.felt != "not told":
        better, worse = ((result.after, result.before) if result.felt.startswith("after") else
                         (result.before, result.after))
        return (f"{better} feels better than {worse}: {told}. By chance it comes so far in one of {1 / plan.error:.0f} "
                "tests at most.")
    return (f"Not told: {told}, as guessing may bring. Whoever is right in four of five rounds would have been found "
            f"in {100 * result.chance:.0f} of 100 such tests.")


NAMES = {"before": "A", "after": "B"}


def tell_blind(result: Blind, beside: "Beside") -> Telling:
    """Tell a blind test: what was felt, what was on in each round, and what was measured."""
    blocks: list[Block] = [_rounds(result)]
    if result.not_counted:
        blocks.append(Alert(f"{result.not_counted} rounds do not count: the switch took so long that the time could "
                            "have told"))
    trial = f" (trial {result.trial})" if result.trial else ""
    return Telling(
        blind_headline(result), f"{result.before} (A) and {result.after} (B), {result.game} on {result.rig}, "
        f"{len(result.rounds)} of at most {result.plan.rounds} rounds.",
        [*blocks, Text(f"{ENDINGS[result.ending]}{trial}")],
        f"keen trial {result.before} {result.after}, which measures it" if result.measured == "not known" else
        "keen report makes a page of it", "better" if result.felt != "not told" else "")


def _rounds(result: Blind) -> Table:
    what = "was on" if result.plan.question == "which" else "came first"
    return Table(["round", what, "the player said"], [
        [str(number), NAMES[one.on], NAMES[one.answer]] for number, one in enumerate(result.rounds, 1)], right=(0,))


def blind_page(result: Blind, beside: "Beside") -> Report:
    """Return the page about a blind test."""
    context = beside.context(result.game, *beside.versions)
    trial = f" That is trial {result.trial} of this logbook." if result.trial else ""
    plan = result.plan
    plays = (f"blind {result.before} {result.after} --rounds {plan.rounds} --question {plan.question}"
             f"{for_game(result.before, result.game)}")
    return page_of_two(
        context, result.before, result.after, title=f"{context.game or result.game}: can a hand feel it?",
        answer=f"{blind_headline(result)} {ENDINGS[result.ending]}",
        did=[Text(f"{result.ending.capitalize()}.{trial}")],
        each=[Text(f"A is {result.before}, B is {result.after}."), _rounds(result)], sure=_sure(result), plays=plays,
        drawn="What is on is drawn anew: a blind test has no seed.")


def _sure(result: Blind) -> list[Block]:
    late = (f" {result.not_counted} rounds did not count, since the switch took so long that the time could have told."
            if result.not_counted else "")
    return [Text(f"One of the two was put on by chance, by the same way and in the same time whichever it was, and the "
                 f"player did not know which. Of {result.plan.rounds} rounds {len(result.rounds)} were played: it "
                 f"ended as soon as it was told, or could not be any more.{late}"),
            Text("It holds for this player, this game and this rig. Not felt is not the same as not there: it says how "
                 "large a feeling would have been found.")]
