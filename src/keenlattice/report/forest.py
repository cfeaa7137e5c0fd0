"""Many changes with their intervals under each other: the figures of a screen, a tuning and a history."""

import textwrap
from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from keenlattice.report.style import BAND, FAINT, INK, headed, plain
from keenlattice.report.words import KINDS, TITLES, between, effect_percent, percent, titles
from keenlattice.study.screen.result import Effect, Factor, Screen
from keenlattice.study.trial.result import Trial
from keenlattice.study.tune.plan import Combination, Tuning

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

MARKS = {"good": "o", "bad": "s", "same": "D", "open": "x"}
FAR_BEYOND = 5


@dataclass(frozen=True)
class Row:
    """One change in per cent, with its interval (None where it could not be told).

    Args:
        word: its verdict, which chooses the mark.
        said: what stands beside it.
        bold: whether it is the one that decides.
    """

    label: str
    change: float | None
    low: float | None
    high: float | None
    word: str
    said: str
    bold: bool = False


def reach_of(rows: Sequence[Row], matters: float) -> float:
    """How far the axis goes to show the intervals whole; a change far beyond all others runs off it, so that these
    can still be seen."""
    ends = sorted((max(abs(row.low), abs(row.high)) for row in rows if row.low is not None and row.high is not None),
                  reverse=True)
    while len(ends) > 1 and ends[0] > FAR_BEYOND * max(ends[1], 2 * matters):
        ends = ends[1:]
    return 1.15 * max([*ends[:1], 2 * matters])


def forest(axes: "Axes", rows: Sequence[Row], matters: float, reach: float | None = None) -> "Axes":
    """Draws the rows from the top; what goes beyond `reach` ends in an arrow."""
    reach = reach or reach_of(rows, matters)
    axes.axvspan(-matters / (1 + matters / 100), matters, color=BAND, zorder=0)
    axes.axvline(0, color=FAINT, linewidth=0.8, zorder=1)
    for place, row in enumerate(rows):
        axes.annotate(row.said, (1.02, place), xycoords=("axes fraction", "data"), fontsize=8, color=INK, va="center")
        _interval(axes, place, row, reach)
    axes.set_yticks(range(len(rows)), [row.label for row in rows], fontsize=8.5)
    for label, row in zip(axes.get_yticklabels(), rows, strict=True):
        if row.bold:
            label.set_fontweight("bold")
    axes.set_ylim(len(rows) - 0.4, -0.6)
    axes.set_xlim(-reach, reach)
    return axes


def _interval(axes: "Axes", place: int, row: Row, reach: float) -> None:
    if row.change is None or row.low is None or row.high is None:
        return
    low, high = max(row.low, -reach), min(row.high, reach)
    if low < high:
        axes.plot([low, high], [place, place], color=INK, linewidth=2, solid_capstyle="butt")
    for end, edge, mark in ((row.low, -reach, "<"), (row.high, reach, ">")):
        if abs(end) > reach and (end < 0) == (edge < 0):
            axes.plot([edge], [place], marker=mark, color=INK, markersize=6, clip_on=False)
    if abs(row.change) <= reach:
        kind = KINDS[row.word]
        axes.plot([row.change], [place], marker=MARKS[kind], markersize=6, color=INK,
                  markerfacecolor="white" if kind in ("same", "open") else INK)


MOST_TRIALS = 14


def history_figure(trials: Sequence[Trial], title: str) -> "Figure":
    """The figure of a history, 1280 x 800 pixels: its trials, the newest first."""
    figure = headed(title, "Each trial by the metric that decided it. Intervals of different trials may be of "
                           "different metrics.")
    steps(figure.add_axes((0.27, 0.085, 0.5, 0.78)), trials)
    return figure


def steps(axes: "Axes", trials: Sequence[Trial]) -> "Axes":
    """The deciding metric of every trial with its interval; takes an axes and returns it."""
    chosen = trials[:MOST_TRIALS]
    matters = min(one.plan.matters_pct for one in chosen)
    plain(axes, "What each measured step did", f"change, %   (grey: within {matters:g} %)", "")
    return forest(axes, [_trial_row(one) for one in chosen], matters)


def _trial_row(one: Trial) -> Row:
    decides = one.deciding
    said = f"{TITLES[decides.name]}\n{decides.verdict}\n{percent(decides)[1]}"
    label = f"{one.before.partition('@')[2]}\n→ {one.after.partition('@')[2]}"
    return Row(label, decides.change_pct, decides.low_pct, decides.high_pct, decides.verdict, said)


MOST_COMBINATIONS = 14


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
    return forest(axes, [_combination_row(one) for one in result.combinations[:MOST_COMBINATIONS]], matters)


def _combination_row(one: Combination) -> Row:
    label = "\n".join(f"{key.partition('.')[2]} {value}" for key, value in one.values.items())
    change, low, high = (0.0, 0.0, 0.0) if one.standing == "best" else (one.change_pct, one.low_pct, one.high_pct)
    said = one.standing if one.standing == "best" else f"{one.standing}\n{between(low, high)}".rstrip()
    return Row(label, change, low, high, one.standing, said, one.standing == "best")


MOST_CHANGES = 30
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
              for one in result.factors[:MOST_CHANGES]]
    matters = max(effect.matters_pct or result.plan.matters_pct for _, effect in chosen)
    told = sorted({TITLES[effect.metric] for _, effect in chosen})
    plain(axes, f"{', '.join(told).capitalize()}", f"change by switching it on, %\n"
          f"(grey does not matter: {matters:.3g} %)", "")
    return forest(axes, [_change_row(one, effect, letters) for one, effect in chosen], matters)


def _change_row(one: Factor, effect: Effect, letters: int) -> Row:
    told = effect_percent(effect)
    said = told if effect.low_pct is None else f"{SHORT.get(effect.standing, effect.standing)}\n{told}"
    label = "\n".join(textwrap.wrap(" + ".join(one.settings), letters)[:2])
    return Row(label, effect.change_pct, effect.low_pct, effect.high_pct, effect.standing, said)
