"""One figure for a screen: what each change does, with its interval, against what does not matter."""

import textwrap
from typing import TYPE_CHECKING

from keenlattice.report.style import BAND, FAINT, INK, headed, plain
from keenlattice.report.words import TITLES
from keenlattice.trial.screen import Factor, ScreenResult

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

MARKS = {"better": "o", "does what is claimed": "o", "worse": "s", "does the opposite": "s",
         "does nothing that matters": "D", "unclear": "x"}
MOST_SHOWN = 30


def screen_figure(result: ScreenResult) -> "Figure":
    """The figure of a screen, 1280 x 800 pixels."""
    plan = result.plan
    told = (f"{len(result.factors)} changes in {result.runs} runs of {plan.seconds:g} s on {result.rig}, seed "
            f"{plan.seed}. One by one, {result.one_by_one_runs} runs would tell as much.")
    figure = headed(f"{result.game}: which changes matter", told)
    effects(figure.add_axes((0.27, 0.085, 0.45, 0.78)), result)
    return figure


def effects(axes: "Axes", result: ScreenResult) -> "Axes":
    """Every factor's change with its interval, the strongest first; takes an axes and returns it."""
    rows, matters = result.factors[:MOST_SHOWN], result.plan.matters_pct
    titles = sorted({TITLES[one.judged.metric] for one in rows})
    plain(axes, f"Change by switching it on: {', '.join(titles)}",
          f"change, %   (grey: within {matters:g} %, which does not matter)", "")
    ends = sorted((max(abs(one.judged.low_pct), abs(one.judged.high_pct)) for one in rows
                   if one.judged.low_pct is not None and one.judged.high_pct is not None), reverse=True)
    reach = 1.1 * max([*ends[:1], 2 * matters])
    axes.axvspan(-matters / (1 + matters / 100), matters, color=BAND, zorder=0)
    axes.axvline(0, color=FAINT, linewidth=0.8, zorder=1)
    for row, one in enumerate(rows):
        _factor(axes, row, one)
    axes.set_yticks(range(len(rows)), ["\n".join(textwrap.wrap(" + ".join(one.settings), 44)[:2]) for one in rows],
                    fontsize=8.5)
    axes.set_ylim(len(rows) - 0.4, -0.6)
    axes.set_xlim(-reach, reach)
    return axes


def _factor(axes: "Axes", row: int, one: Factor) -> None:
    judged = one.judged
    unknown = judged.change_pct is None or judged.low_pct is None or judged.high_pct is None
    said = "too little to tell" if unknown else f"{judged.low_pct:+.1f} to {judged.high_pct:+.1f} %"
    for place, text in ((1.02, said), (1.27, judged.standing)):
        axes.annotate(text, (place, row), xycoords=("axes fraction", "data"), fontsize=8.5, color=INK, va="center")
    if judged.change_pct is None or judged.low_pct is None or judged.high_pct is None:
        return
    axes.plot([judged.low_pct, judged.high_pct], [row, row], color=INK, linewidth=2, solid_capstyle="butt")
    hollow = judged.standing in ("does nothing that matters", "unclear")
    axes.plot([judged.change_pct], [row], marker=MARKS[judged.standing], markersize=5, color=INK,
              markerfacecolor="white" if hollow else INK)
