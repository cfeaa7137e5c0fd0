"""Figures for a game's history: what each measured step did."""

from collections.abc import Sequence
from typing import TYPE_CHECKING

from keenlattice.report._forest import Row, forest
from keenlattice.report.style import headed, plain
from keenlattice.report.words import TITLES, percent
from keenlattice.study.trial.result import Trial

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

MOST_SHOWN = 14


def history_figure(trials: Sequence[Trial], title: str) -> "Figure":
    """The figure of a history, 1280 x 800 pixels: its trials, the newest first."""
    figure = headed(title, "Each trial by the metric that decided it. Intervals of different trials may be of "
                           "different metrics.")
    steps(figure.add_axes((0.27, 0.085, 0.5, 0.78)), trials)
    return figure


def steps(axes: "Axes", trials: Sequence[Trial]) -> "Axes":
    """The deciding metric of every trial with its interval; takes an axes and returns it."""
    chosen = trials[:MOST_SHOWN]
    matters = min(one.plan.matters_pct for one in chosen)
    plain(axes, "What each measured step did", f"change, %   (grey: within {matters:g} %)", "")
    return forest(axes, [_row(one) for one in chosen], matters)


def _row(one: Trial) -> Row:
    decides = one.deciding
    said = f"{TITLES[decides.name]}\n{decides.verdict}\n{percent(decides)[1]}"
    label = f"{one.before.partition('@')[2]}\n→ {one.after.partition('@')[2]}"
    return Row(label, decides.change_pct, decides.low_pct, decides.high_pct, decides.verdict, said)
