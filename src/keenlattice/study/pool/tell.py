"""A pool in blocks: what each change does over rigs."""

import textwrap
from collections.abc import Mapping
from typing import TYPE_CHECKING

from keenlattice.blocks import Alert, Block, Figures, Fold, Picture, Report, Table, Telling, Text
from keenlattice.errors import counted
from keenlattice.report.context import Context, the_rig, to_repeat
from keenlattice.report.style import BAND, FAINT, INK, MARKS, MOST_ON_A_CARD, headed, plain, small_figure
from keenlattice.report.words import TITLES, capital
from keenlattice.study.pool.evidence import value_said
from keenlattice.study.pool.result import Pool, PooledChange, PooledMetric, Standing
from keenlattice.study.pool.words import (
    BRIEF,
    change_does,
    interval,
    pool_keys,
    range_of,
    shares,
    side_said,
)

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

    from keenlattice.study.kind import Beside


MOST_SHOWN, FAR = 30, 0.9  # the axis holds this share of the ends of intervals
KINDS: dict[Standing, str] = {
    "helps everywhere": "good", "helps some": "good", "helps some, hurts some": "open", "hurts some": "bad",
    "hurts everywhere": "bad", "nothing that matters anywhere": "same", "not known": "open"}


def pool_figure(result: Pool) -> "Figure":
    """The figure of a pool, 1280 x 800 pixels: a panel for each metric."""
    subtitle = (f"{_studied(result)} of {counted(len(result.changes), 'change')} on {counted(result.rigs, 'rig')}. "
                "Thick: the mean over rigs, with its interval. Thin: where 95 % of rigs lie. Arrows: it goes on.")
    figure = headed("What each change does, over rigs", subtitle)
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
    width_each = width / len(names)
    for number, name in enumerate(names):
        axes = figure.add_axes((left + number * width_each, bottom, 0.57 * width_each, height))
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
    rows = [(place, next((measure for measure in change.metrics if measure.metric == metric and measure.mean), None))
            for place, change in enumerate(changes)]
    reach, matters = _reach(rows), max([metric_row.matters_pct for _, metric_row in rows if metric_row] or [1.0])
    plain(axes, TITLES[metric].capitalize(), f"change over rigs, %\n(grey does not matter: {matters:.3g} %)", "")
    axes.axvspan(-matters / (1 + matters / 100), matters, color=BAND, zorder=0)
    axes.axvline(0, color=FAINT, linewidth=0.8, zorder=1)
    for place, measured in rows:
        label = "not measured"
        if measured and measured.mean:
            _row(axes, place, measured, reach)
            label = f"{BRIEF[measured.standing]}, " * words + interval(measured.mean)
        axes.annotate(label, (1.02, place), xycoords=("axes fraction", "data"), fontsize=7, color=INK, va="center")
    axes.set_yticks(range(len(changes)), ["\n".join(textwrap.wrap(change.name, letters)[:2]) for change in changes],
                    fontsize=7.5)
    axes.set_ylim(len(changes) - 0.4, -0.6)
    axes.set_xlim(-reach, reach)
    return axes


def _reach(rows: list[tuple[int, PooledMetric | None]]) -> float:
    """How far the axis goes: to the ends of most intervals of the mean, and no further than it takes."""
    ends = sorted(max(abs(measure.mean.low_pct), abs(measure.mean.high_pct)) for _, measure in rows
                  if measure and measure.mean)
    return 1.3 * max(ends[int(FAR * (len(ends) - 1))], 2.0) if ends else 2.0


def _row(axes: "Axes", place: int, metric: PooledMetric, reach: float) -> None:
    assert metric.mean is not None
    for ends, width in ((metric.next_rig, 0.9), ((metric.mean.low_pct, metric.mean.high_pct), 3.0)):
        if ends and max(ends[0], -reach) < min(ends[1], reach):
            axes.plot([max(ends[0], -reach), min(ends[1], reach)], [place, place], color=INK, linewidth=width,
                      solid_capstyle="butt")
    for beyond, edge, mark in ((metric.mean.low_pct < -reach, -reach, "<"), (metric.mean.high_pct > reach, reach, ">")):
        if beyond:
            axes.plot([edge], [place], marker=mark, color=INK, markersize=5, clip_on=False)
    if abs(metric.mean.pct) <= reach:
        kind = KINDS[metric.standing]
        axes.plot([metric.mean.pct], [place], marker=MARKS[kind], markersize=5, color=INK,
                  markerfacecolor="white" if kind in ("same", "open") else INK)


MOST_REFUSED = 10


def pool_page(result: Pool, beside: "Beside") -> Report:
    """Return the page about a pool."""
    context = beside.context()
    return Report(
        title=f"What {counted(len(result.changes), 'change does', 'changes do')} on {counted(result.rigs, 'rig')}",
        keys=pool_keys(result),
        changed=_what_went_in(result), did=[_picture(result, name) for name in result.plan.metrics],
        each=[Text("In %, with 95 % intervals."), _standings(result), *_where(result), _numbers(result, context)],
        sure=_how_sure(result), rig=the_rig(context),
        repeat=to_repeat(context, ["pool read FILES"], "Nothing in it is drawn at random."),
        back=[Text("Nothing was changed on any rig: a pool only reads.")], figure=lambda: pool_figure(result),
        first="What went in")


def tell_pool(result: Pool, beside: "Beside") -> Telling:
    """Tell a pool: what each change does over rigs."""
    return tell_pool_here(result, beside.number, {})


def tell_pool_here(result: Pool, number: int, here: Mapping[str, str]) -> Telling:
    """Tell a pool, with what is to be expected on this rig.

    Args:
        number: the pool's in the logbook.
        here: a change's name to what is to be expected of it.
    """
    return Telling(
        pool_keys(result),
        f"From {_studied(result)} on {counted(result.rigs, 'rig')}; pool {number}. In %, with 95 % intervals.",
        [_standings(result, here), *_left_out(result), Text(
            "\"Here\" is what the facts of this rig let expect of the metric that tells most. Only a trial here tells.",
            aside=True)],
        f"keen pool look {result.changes[0].settings[0]}, or keen pool order GAME@stock GAME" if result.changes else
        "keen pool read --add FOLDER")


def pool_figures(result: Pool, beside: "Beside | None" = None) -> Figures:
    """Return the figure of a pool, and its main part."""
    return Figures(lambda: pool_figure(result), lambda axes: effects(axes, result.changes, result.plan.metrics[0]),
                   lambda axes: effects(axes, result.changes[:MOST_ON_A_CARD], result.plan.metrics[0], 30))


def _left_out(result: Pool) -> list[Block]:
    """Return what of the evidence does not count, and why."""
    more = len(result.refused) - MOST_REFUSED
    reasons = [f"left out: {line}" for line in result.refused[:MOST_REFUSED]]
    reasons += [f"left out: {more} more; --json lists all"] * (more > 0)
    if result.copies:
        copies = counted(result.copies, "record is a copy of another", "records are copies of others")
        reasons.append(f"{copies}, and counted once")
    if result.odd:
        reasons.append(f"{counted(result.odd, 'rig is', 'rigs are')} left out: unlike all others on most of what was "
                       "tried there, as if made up, or measured of something else")
    if result.claimed:
        reasons.append(f"{result.claimed} claims of packs are not counted: a pack tells only of what found something")
    return [Alert(reason) for reason in reasons]


def _what_went_in(result: Pool) -> list[Block]:
    return [Text(f"{capital(_studied(result))} on {counted(result.rigs, 'rig')}, from "
                 f"{', '.join(result.plan.sources)}: {counted(result.records, 'record')}."), *_left_out(result)]


def _studied(result: Pool) -> str:
    return counted(result.studies, "study", "studies")


def _picture(result: Pool, metric: str) -> Picture:
    shown = result.changes[:MOST_SHOWN]

    def draw() -> "Figure":
        height = 1.1 + 0.27 * len(shown)
        figure = small_figure(height)
        axes = effects(figure.add_axes((0.41, 0.55 / height, 0.3, 1 - 0.95 / height)), shown, metric, 34)
        axes.set_title(axes.get_title(loc="left"), x=-1.3, loc="left", fontsize=10.5, fontweight="bold")
        return figure

    summary = "; ".join(f"{change.name}: {measure.told}" for change in shown for measure in change.metrics
                        if measure.metric == metric)
    return Picture(f"{TITLES[metric].capitalize()}: the mean over rigs (thick), and where 95 % of rigs lie (thin)",
                   f"Change over rigs, in per cent. {summary}.", draw)


def _standings(result: Pool, here: Mapping[str, str] | None = None) -> Table:
    """Return a row for each change; with what is to be expected here, where that is known."""
    names = result.plan.metrics
    rows = [[_setting(change), ", ".join(value_said(switch.after) for switch in change.change),
             *(interval(measure.mean) if (measure := _of(change.metrics, name)) else "-" for name in names),
             *([] if here is None else [here.get(change.name, "-")]), _over_rigs(change)] for change in result.changes]
    return Table(["setting", "to", *(TITLES[name] for name in names),
                  *([] if here is None else ["here"]), "over rigs"], rows, code=(0, 1))


def _setting(change: PooledChange) -> str:
    """Return what a change switches: the setting, or the first of several."""
    first, *more = change.settings
    return f"{first} + {len(more)}" if more else first


def _over_rigs(change: PooledChange) -> str:
    return f"{counted(max(metric.rigs for metric in change.metrics), 'rig')}: {change_does(change)}"


def _where(result: Pool) -> list[Block]:
    """The changes that do something else on some rigs than on others, and on which."""
    rows = [[_named(change), TITLES[metric.metric], *(side_said(side) for side in metric.sides)]
            for change in result.changes
            for metric in change.metrics if metric.sides]
    return [Text("The fact that parts the rigs best, where one does; others that go with it may be what counts:"),
            Table(["change", "metric", "on some rigs", "on the others"], rows, code=(0,))] if rows else []


def _of(metrics: tuple[PooledMetric, ...], name: str) -> PooledMetric | None:
    return next((metric_of for metric_of in metrics if metric_of.metric == name), None)


def _numbers(result: Pool, context: Context) -> Fold:
    rows = []
    for change in result.changes:
        for metric in change.metrics:
            here = metric.here(context.facts, {})
            rows.append([_named(change), TITLES[metric.metric], range_of(metric.next_rig), range_of(metric.bounds),
                         f"{metric.differ_pct:.0f} %", shares(metric), interval(here),
                         f"{metric.studies}" + f" (and {metric.silent} without a number)" * bool(metric.silent)])
    return Fold("The numbers: the next rig, this rig, and how far rigs differ", [
        Table(["change", "metric", "on the next rig", "if a tenth lie", "differ", "on how many", "here, %", "studies"],
              rows, code=(0,)),
        Text("On the next rig: where its true change lies in 95 % of cases. If a tenth lie: where the mean lies, "
             "whichever tenth of the rigs is careless or lies. Differ: how much of what rigs differ by is not error. "
             "Here: what these facts of this rig let expect; a trial here would tell.")])


def _how_sure(result: Pool) -> list[Block]:
    doubts = [f"{change.name}, {TITLES[metric.metric]}: {why}" for change in result.changes for metric in change.metrics
              for why in metric.doubts]
    return [
        Text("Each rig counts once for a change, however often it was tried there. The rigs' true effects are taken to "
             "differ (random effects), and the mean's interval allows for how little is known of by how much."),
        Text("Every study that was begun is counted, where its player published all; of others nobody can know. "
             "Nothing is said to help or to hurt because of the tenth of the rigs that say so most; more liars than "
             "that would be believed. At least five rigs have to have tried a change."),
        Text("It plans: what a change does on one rig, only a trial there tells."),
        *(Alert(doubt) for doubt in doubts[:MOST_REFUSED])]


def _named(change: PooledChange) -> str:
    """Its name, with an arrow that no line is broken in."""
    return change.name.replace("->", "\u2192")
