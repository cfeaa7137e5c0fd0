"""Figures for a tuning: how far each combination is from the best one."""

from typing import TYPE_CHECKING

from keenlattice.report._forest import Row, forest
from keenlattice.report.style import headed, plain
from keenlattice.report.words import between, titles
from keenlattice.study.tune.result import Combination, Tuning

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

MOST_SHOWN = 14


def tune_figure(result: Tuning) -> "Figure":
    """The figure of a tuning, 1280 x 800 pixels."""
    told = (f"{len(result.combinations)} combinations in {result.runs} runs of {result.plan.seconds:g} s on "
            f"{result.rig}, {result.rounds_played} rounds, seed {result.plan.seed}.")
    figure = headed(f"{result.game}: the best for {titles(result.plan.goal)}", told)
    combinations(figure.add_axes((0.27, 0.085, 0.55, 0.78)), result)
    return figure


def combinations(axes: "Axes", result: Tuning) -> "Axes":
    """The goal of each combination against the best one's, with its interval; takes an axes and returns it."""
    matters = result.plan.matters_pct
    told = f"{titles(result.plan.goal).capitalize()}, against the best"
    plain(axes, told if len(result.plan.goals) == 1 else f"{told}: how much worse, on average",
          f"change, %   (grey: within {matters:g} %, which does not matter)", "")
    return forest(axes, [_row(one) for one in result.combinations[:MOST_SHOWN]], matters)


def _row(one: Combination) -> Row:
    label = "\n".join(f"{key.partition('.')[2]} {value}" for key, value in one.values.items())
    change, low, high = (0.0, 0.0, 0.0) if one.standing == "best" else (one.change_pct, one.low_pct, one.high_pct)
    said = one.standing if one.standing == "best" else f"{one.standing}\n{between(low, high)}".rstrip()
    return Row(label, change, low, high, one.standing, said, one.standing == "best")
