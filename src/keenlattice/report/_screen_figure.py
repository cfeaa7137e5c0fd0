"""One figure for a screen: what each change does, with its interval, against what does not matter."""

import textwrap
from typing import TYPE_CHECKING

from keenlattice.report._forest import Row, forest
from keenlattice.report.style import headed, plain
from keenlattice.report.words import TITLES, effect_percent
from keenlattice.study.screen.result import Factor, Screen

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

MOST_SHOWN = 30


def screen_figure(result: Screen) -> "Figure":
    """The figure of a screen's `result`, 1280 x 800 pixels."""
    plan = result.plan
    told = (f"{len(result.factors)} changes in {result.runs} runs of {plan.seconds:g} s on {result.rig}, seed "
            f"{plan.seed}. One by one, {result.one_by_one_runs} runs would tell as much.")
    figure = headed(f"{result.game}: which changes matter", told)
    effects(figure.add_axes((0.27, 0.085, 0.45, 0.78)), result)
    return figure


def effects(axes: "Axes", result: Screen, letters: int = 44) -> "Axes":
    """Every factor's change with its interval, the strongest first; takes an axes and returns it.

    Args:
        letters: how long a line of a name may be.
    """
    chosen, matters = result.factors[:MOST_SHOWN], result.plan.matters_pct
    titles = sorted({TITLES[one.judged.metric] for one in chosen})
    plain(axes, f"Change by switching it on: {', '.join(titles)}",
          f"change, %   (grey: within {matters:g} %, which does not matter)", "")
    return forest(axes, [_row(one, letters) for one in chosen], matters)


def _row(one: Factor, letters: int) -> Row:
    judged = one.judged
    told = effect_percent(judged)
    said = told if judged.low_pct is None else f"{judged.standing}\n{told}"
    label = "\n".join(textwrap.wrap(" + ".join(one.settings), letters)[:2])
    return Row(label, judged.change_pct, judged.low_pct, judged.high_pct, judged.standing, said)
