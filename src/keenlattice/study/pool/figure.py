"""One figure for a pool: what each change does in general, and where it lies on the next rig."""

import textwrap
from typing import TYPE_CHECKING

from keenlattice.report.forest import MARKS
from keenlattice.report.style import BAND, FAINT, INK, headed, plain
from keenlattice.report.words import TITLES
from keenlattice.study.pool.result import Pool, PooledChange, PooledMetric, Standing
from keenlattice.study.pool.words import BRIEF, interval

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

MOST_SHOWN, FAR = 30, 0.9  # the axis holds this share of the ends of intervals
KINDS: dict[Standing, str] = {
    "helps everywhere": "good", "helps some": "good", "helps some, hurts some": "open", "hurts some": "bad",
    "hurts everywhere": "bad", "nothing that matters anywhere": "same", "not known": "open"}


def pool_figure(result: Pool) -> "Figure":
    """The figure of a pool, 1280 x 800 pixels: a panel for each metric."""
    told = (f"{result.studies} studies of {len(result.changes)} changes on {result.rigs} rigs. Thick: the mean over "
            "rigs, with its interval. Thin: where 95 % of rigs lie. Arrows: it goes on.")
    figure = headed("What each change does, over rigs", told)
    panels(figure, result, (0.285, 0.09, 0.715, 0.79))
    return figure


def panels(figure: "Figure", result: Pool, box: tuple[float, float, float, float], letters: int = 46) -> None:
    """A panel for each metric, beside each other.

    Args:
        box: left, bottom, width and height of all of them, their words on the right included.
        letters: how long a name may be.
    """
    left, bottom, width, height = box
    names, shown = result.plan.metrics, result.changes[:MOST_SHOWN]
    each = width / len(names)
    for number, name in enumerate(names):
        axes = figure.add_axes((left + number * each, bottom, 0.57 * each, height))
        effects(axes, shown, name, letters, words=True)
        if number:
            axes.set_yticklabels([])


def effects(axes: "Axes", changes: tuple[PooledChange, ...], metric: str, letters: int = 46, words: bool = False
            ) -> "Axes":
    """Every change's effect on a metric over rigs; takes an axes and returns it.

    Args:
        letters: how long a name may be.
        words: whether its word stands beside each.
    """
    known = [(place, next((one for one in change.metrics if one.metric == metric and one.mean), None))
             for place, change in enumerate(changes)]
    reach, matters = _reach(known), max([one.matters_pct for _, one in known if one] or [1.0])
    plain(axes, TITLES[metric].capitalize(), f"change over rigs, %\n(grey does not matter: {matters:.3g} %)", "")
    axes.axvspan(-matters / (1 + matters / 100), matters, color=BAND, zorder=0)
    axes.axvline(0, color=FAINT, linewidth=0.8, zorder=1)
    for place, one in known:
        said = "not measured"
        if one and one.mean:
            _row(axes, place, one, reach)
            said = f"{BRIEF[one.standing]}, " * words + interval(one.mean)
        axes.annotate(said, (1.02, place), xycoords=("axes fraction", "data"), fontsize=7, color=INK, va="center")
    axes.set_yticks(range(len(changes)), ["\n".join(textwrap.wrap(one.name, letters)[:2]) for one in changes],
                    fontsize=7.5)
    axes.set_ylim(len(changes) - 0.4, -0.6)
    axes.set_xlim(-reach, reach)
    return axes


def _reach(known: list[tuple[int, PooledMetric | None]]) -> float:
    """How far the axis goes: to the ends of most intervals of the mean, and no further than it takes."""
    ends = sorted(max(abs(one.mean.low_pct), abs(one.mean.high_pct)) for _, one in known if one and one.mean)
    return 1.3 * max(ends[int(FAR * (len(ends) - 1))], 2.0) if ends else 2.0


def _row(axes: "Axes", place: int, one: PooledMetric, reach: float) -> None:
    assert one.mean is not None
    for ends, width in ((one.next_rig, 0.9), ((one.mean.low_pct, one.mean.high_pct), 3.0)):
        if ends and max(ends[0], -reach) < min(ends[1], reach):
            axes.plot([max(ends[0], -reach), min(ends[1], reach)], [place, place], color=INK, linewidth=width,
                      solid_capstyle="butt")
    for beyond, edge, mark in ((one.mean.low_pct < -reach, -reach, "<"), (one.mean.high_pct > reach, reach, ">")):
        if beyond:
            axes.plot([edge], [place], marker=mark, color=INK, markersize=5, clip_on=False)
    if abs(one.mean.pct) <= reach:
        kind = KINDS[one.standing]
        axes.plot([one.mean.pct], [place], marker=MARKS[kind], markersize=5, color=INK,
                  markerfacecolor="white" if kind in ("same", "open") else INK)
