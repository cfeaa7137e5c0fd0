"""A blind test in words: what was felt, beside what was measured."""

from typing import TYPE_CHECKING

from keenlattice.blocks import Alert, Block, KeyFigure, Report, Table, Telling, Text
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


def _key(result: Blind) -> KeyFigure:
    """Return a blind test in a key figure: what was felt, by how many rounds."""
    count, plan = len(result.rounds), result.plan
    right = f"{result.right} of {count}"
    right_text = f"{right} answers {'was' if result.right == 1 else 'were'} right" if plan.question == "which" else (
        f"{result.after} felt better in {right} rounds")
    by_chance = f"guessing does so well in 1 of {1 / plan.error:.0f} tests at most"
    if result.felt == "felt":
        return KeyFigure(f"You can feel it: {right_text}.", "better", "You can feel it", right,
                         f"answers right; {by_chance}")
    if result.felt != "not told":
        better, worse = ((result.after, result.before) if result.felt.startswith("after") else
                         (result.before, result.after))
        return KeyFigure(f"{better} feels better than {worse}: {right_text}.", "better", f"{better} feels better",
                         right,
                         f"rounds; {by_chance}")
    return KeyFigure(f"Nothing felt was shown: {right_text}, as guessing may bring.", "unclear",
                     "Nothing felt was shown",
                     right, "answers right, as guessing may bring" if plan.question == "which" else
                     f"rounds in which {result.after} felt better, as chance may bring")


def _odds(result: Blind) -> Text:
    """Return how likely chance does as well, or how likely a player who feels it would have been found."""
    if result.felt != "not told":
        return Text(f"A player who only guesses does so well in 1 of {1 / result.plan.error:.0f} such tests at most.")
    return Text(f"A player who is right in four of five rounds is found in {100 * result.chance:.0f} of 100 such "
                "tests.")


NAMES = {"before": "A", "after": "B"}


def tell_blind(result: Blind, beside: "Beside") -> Telling:
    """Tell a blind test: what was felt, what was on in each round, and what was measured."""
    blocks: list[Block] = [_rounds(result)]
    if result.not_counted:
        blocks.append(Alert(f"{result.not_counted} rounds do not count: the switch took so long that the time could "
                            "have told"))
    trial = f" (trial {result.trial})" if result.trial else ""
    return Telling(
        [_key(result)], f"{result.before} (A) and {result.after} (B), {result.game} on {result.rig}, "
        f"{len(result.rounds)} of at most {result.plan.rounds} rounds.",
        [Text(f"{ENDINGS[result.ending]}{trial}"), *blocks, _odds(result)],
        f"keen trial {result.before} {result.after}{for_game(result.before, result.game)}, which measures it"
        if result.measured == "not known" else "keen report makes a page of it")


def _rounds(result: Blind) -> Table:
    word = "was on" if result.plan.question == "which" else "came first"
    return Table(["round", word, "the player said"], [
        [str(number), NAMES[round_.on], NAMES[round_.answer]] for number, round_ in enumerate(result.rounds, 1)],
                 right=(0,))


def blind_page(result: Blind, beside: "Beside") -> Report:
    """Return the page about a blind test."""
    context = beside.context(result.game, *beside.versions)
    trial = f" That is trial {result.trial} of this logbook." if result.trial else ""
    plan = result.plan
    plays = (f"blind {result.before} {result.after} --rounds {plan.rounds} --question {plan.question}"
             f"{for_game(result.before, result.game)}")
    return page_of_two(
        context, result.before, result.after, title=f"{context.game or result.game}: can a hand feel it?",
        keys=[_key(result)], did=[Text(f"{ENDINGS[result.ending]}{trial}"), _odds(result)],
        each_change=[Text(f"A is {result.before}, B is {result.after}."), _rounds(result)], sure=_sure(result),
        plays=plays,
        drawn="What is on is redrawn: a blind test has no seed.")


def _sure(result: Blind) -> list[Block]:
    late = (f" {result.not_counted} rounds did not count, since the switch took so long that the time could have told."
            if result.not_counted else "")
    return [Text(f"One of the two was put on by chance, by the same way and in the same time whichever it was, and the "
                 f"player did not know which. Of {result.plan.rounds} rounds {len(result.rounds)} were played: it "
                 f"ended as soon as it was told, or could not be any more.{late}"),
            Text("It holds for this player, this game and this rig. Not felt is not the same as not there: it says how "
                 "large a feeling would have been found.")]
