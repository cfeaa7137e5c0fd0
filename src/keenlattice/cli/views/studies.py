"""What the views of all studies share."""

from typing import TYPE_CHECKING

from keenlattice.cli.output import GAIN_AT_A_PRICE, VERDICT_STYLES, say
from keenlattice.report.words import TITLES, one_word

if TYPE_CHECKING:
    from keenlattice.study.trial.result import Trial
    from keenlattice.workspace.opened import VersionLike
    from keenlattice.workspace.workspace import Workspace


DOUBTS_SHOWN = 3


def show_excluded(excluded: tuple[str, ...]) -> None:
    """Names the runs that went wrong: they count in nothing."""
    for one in excluded:
        say(f"! {one}: it does not count, and was played again")


def show_doubts(doubts: tuple[str, ...]) -> None:
    """Names the runs that count and are not to be trusted; of many, the first ones and how many there are."""
    for one in doubts[:DOUBTS_SHOWN]:
        say(f"! {one}")
    if len(doubts) > DOUBTS_SHOWN:
        say(f"! and {len(doubts) - DOUBTS_SHOWN} more such runs")


def style_of(result: "Trial") -> str:
    """The style of a trial's answer: by what tells most, or that it is a gain at a price."""
    return VERDICT_STYLES.get(one_word(result), GAIN_AT_A_PRICE)


def tell_amounts(ws: "Workspace", matters: str, decides: str, before: "VersionLike") -> None:
    """What an amount is in per cent, as far as that is known; the first block of the study settles it."""
    from keenlattice.study.deciding import parsed_matters

    for name, amount, unit in parsed_matters(matters, decides)[1]:
        value = ws.recordings.newest_value(name, before) if unit != "%" else 0.0
        if value > 0:
            say(f"{amount:g} {unit} of the {value:.1f} {unit} of {TITLES[name]} in its newest run are "
                f"{100 * amount / value:.2g} %; the first block tells.", "dim")
        elif unit != "%":
            say(f"How many per cent {amount:g} {unit} of {TITLES[name]} are, the first block tells.", "dim")
