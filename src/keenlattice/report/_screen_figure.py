"""One figure for a screen: what each change does, with its interval, against what does not matter."""

import textwrap
from typing import TYPE_CHECKING

from keenlattice.report._forest import Row, forest
from keenlattice.report.style import headed, plain
from keenlattice.report.words import TITLES, effect_percent
from keenlattice.study.screen.result import Effect, Factor, Screen

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

MOST_SHOWN = 30
SHORT = {"does nothing that matters": "nothing"}


def screen_figure(result: Screen) -> "Figure":
    """The figure of a screen's `result`, 1280 x 800 pixels: side by side for each metric that decides."""
    plan = result.plan
    told = (f"{len(result.factors)} changes in {result.runs} runs of {plan.seconds:g} s on {result.rig}, seed "
            f"{plan.seed}. One by one, {result.one_by_one_runs} runs would tell as much.")
    figure = headed(f"{result.game}: which changes matter", told)
    panels(figure, result, (0.225, 0.1, 0.775, 0.77), 40, 0.64)
    return figure


def panels(figure: "Figure", result: Screen, box: tuple[float, float, float, float], letters: int, share: float
           ) -> "list[Axes]":
    """A panel for each metric that the changes are judged by; those of claims, one for all.

    Args:
        box: left, bottom, width and height of all of them, their words on the right included.
        letters: how long a line of a name may be.
        share: of each panel's width that is drawn on; beside that stand the words.
    """
    left, bottom, width, height = box
    shown = _metrics(result)
    each = width / len(shown)
    made = [effects(figure.add_axes((left + number * each, bottom, each * share, height)), result, name, letters)
            for number, name in enumerate(shown)]
    for axes in made[1:]:
        axes.set_yticklabels([])
    return made


def _metrics(result: Screen) -> list[str]:
    """The metrics of the panels; "" for what each change is judged by."""
    judged = {tuple(one.metric for one in factor.measured) for factor in result.factors}
    names = max(judged, key=len)
    return [*names] if all({*some} <= {*names} for some in judged) else [""]


def effects(axes: "Axes", result: Screen, name: str = "", letters: int = 44) -> "Axes":
    """Every factor's change of a metric with its interval, the strongest first; takes an axes and returns it.

    Args:
        name: the metric; what each is judged by, if it is left out.
        letters: how long a line of a name may be.
    """
    chosen = [(one, next((effect for effect in one.judged if effect.metric == name), one.telling))
              for one in result.factors[:MOST_SHOWN]]
    matters = max(effect.matters_pct or result.plan.matters_pct for _, effect in chosen)
    told = sorted({TITLES[effect.metric] for _, effect in chosen})
    plain(axes, f"{', '.join(told).capitalize()}", f"change by switching it on, %\n"
          f"(grey does not matter: {matters:.3g} %)", "")
    return forest(axes, [_row(one, effect, letters) for one, effect in chosen], matters)


def _row(one: Factor, effect: Effect, letters: int) -> Row:
    told = effect_percent(effect)
    said = told if effect.low_pct is None else f"{SHORT.get(effect.standing, effect.standing)}\n{told}"
    label = "\n".join(textwrap.wrap(" + ".join(one.settings), letters)[:2])
    return Row(label, effect.change_pct, effect.low_pct, effect.high_pct, effect.standing, said)
