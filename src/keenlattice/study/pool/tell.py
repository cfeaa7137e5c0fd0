"""A pool in blocks: what each change does over rigs."""

from collections.abc import Mapping
from typing import TYPE_CHECKING

from keenlattice.blocks import Alert, Block, Figures, Fold, Picture, Report, Table, Telling, Text
from keenlattice.report.context import Context, the_rig, to_repeat
from keenlattice.report.style import small_figure
from keenlattice.report.words import TITLES, counted
from keenlattice.study.pool.evidence import value_said
from keenlattice.study.pool.figure import MOST_SHOWN, effects, pool_figure
from keenlattice.study.pool.result import Pool, PooledChange, PooledMetric
from keenlattice.study.pool.words import (
    change_does,
    interval,
    pool_headline,
    range_of,
    shares,
    side_said,
)

if TYPE_CHECKING:
    from matplotlib.figure import Figure

    from keenlattice.study.kind import Beside

MOST_REFUSED = 10


def pool_page(result: Pool, beside: "Beside") -> Report:
    """Return the page about a pool."""
    context = beside.context()
    return Report(
        title=f"What {len(result.changes)} changes do on {result.rigs} rigs", verdict="", answer=pool_headline(result),
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
        pool_headline(result), f"From {result.studies} studies; pool {number}. In %, with 95 % intervals.",
        [_standings(result, here), *_left_out(result), Text(
            "\"Here\" is what the facts of this rig let expect of the metric that tells most. Only a trial here tells.",
            aside=True)],
        f"keen pool look {result.changes[0].settings[0]}, or keen pool order BEFORE AFTER" if result.changes else
        "keen pool read --add FILE OR FOLDER")


def pool_figures(result: Pool, beside: "Beside | None" = None) -> Figures:
    """Return the figure of a pool, and its main part."""
    return Figures(lambda: pool_figure(result), lambda axes: effects(axes, result.changes, result.plan.metrics[0]))


def _left_out(result: Pool) -> list[Block]:
    """Return what of the evidence does not count, and why."""
    more = len(result.refused) - MOST_REFUSED
    reasons = [f"left out: {line}" for line in result.refused[:MOST_REFUSED]]
    reasons += [f"left out: {more} more; --json lists all"] * (more > 0)
    if result.copies:
        told = counted(result.copies, "record is a copy of another", "records are copies of others")
        reasons.append(f"{told}, and counted once")
    if result.odd:
        reasons.append(f"{counted(result.odd, 'rig is', 'rigs are')} left out: unlike all others on most of what was "
                       "tried there, as if made up, or measured of something else")
    if result.claimed:
        reasons.append(f"{result.claimed} claims of packs are not counted: a pack tells only of what found something")
    return [Alert(reason) for reason in reasons]


def _what_went_in(result: Pool) -> list[Block]:
    return [Text(f"{result.studies} studies on {result.rigs} rigs, from {', '.join(result.plan.sources)}: "
                 f"{result.records} records."), *_left_out(result)]


def _picture(result: Pool, metric: str) -> Picture:
    shown = result.changes[:MOST_SHOWN]

    def draw() -> "Figure":
        height = 1.1 + 0.27 * len(shown)
        figure = small_figure(height)
        axes = effects(figure.add_axes((0.41, 0.55 / height, 0.3, 1 - 0.95 / height)), shown, metric, 34)
        axes.set_title(axes.get_title(loc="left"), x=-1.3, loc="left", fontsize=10.5, fontweight="bold")
        return figure

    said = "; ".join(f"{one.name}: {each.told}" for one in shown for each in one.metrics if each.metric == metric)
    return Picture(f"{TITLES[metric].capitalize()}: the mean over rigs (thick), and where 95 % of rigs lie (thin)",
                   f"Change over rigs, in per cent. {said}.", draw)


def _standings(result: Pool, here: Mapping[str, str] | None = None) -> Table:
    """Return a row for each change; with what is to be expected here, where that is known."""
    names = result.plan.metrics
    rows = [[_setting(one), ", ".join(value_said(switch.after) for switch in one.change),
             *(interval(found.mean) if (found := _of(one.metrics, name)) else "-" for name in names),
             *([] if here is None else [here.get(one.name, "-")]), _over_rigs(one)] for one in result.changes]
    return Table(["setting", "to", *(TITLES[name] for name in names),
                  *([] if here is None else ["here"]), "over rigs"], rows, code=(0, 1))


def _setting(change: PooledChange) -> str:
    """Return what a change switches: the setting, or the first of several."""
    first, *more = change.settings
    return f"{first} + {len(more)}" if more else first


def _over_rigs(change: PooledChange) -> str:
    return f"{counted(max(each.rigs for each in change.metrics), 'rig')}: {change_does(change)}"


def _where(result: Pool) -> list[Block]:
    """The changes that do something else on some rigs than on others, and on which."""
    rows = [[_named(one), TITLES[each.metric], *(side_said(side) for side in each.sides)] for one in result.changes
            for each in one.metrics if each.sides]
    return [Text("The fact that parts the rigs best, where one does; others that go with it may be what counts:"),
            Table(["change", "metric", "on some rigs", "on the others"], rows, code=(0,))] if rows else []


def _of(some: tuple[PooledMetric, ...], name: str) -> PooledMetric | None:
    return next((one for one in some if one.metric == name), None)


def _numbers(result: Pool, context: Context) -> Fold:
    rows = []
    for one in result.changes:
        for each in one.metrics:
            here = each.here(context.facts, {})
            rows.append([_named(one), TITLES[each.metric], range_of(each.next_rig), range_of(each.bounds),
                         f"{each.differ_pct:.0f} %", shares(each), interval(here),
                         f"{each.studies}" + f" (and {each.silent} without a number)" * bool(each.silent)])
    return Fold("The numbers: the next rig, this rig, and how far rigs differ", [
        Table(["change", "metric", "on the next rig", "if a tenth lie", "differ", "on how many", "here, %", "studies"],
              rows, code=(0,)),
        Text("On the next rig: where its true change lies in 95 % of cases. If a tenth lie: where the mean lies, "
             "whichever tenth of the rigs is careless or lies. Differ: how much of what rigs differ by is no error. "
             "Here: what these facts of this rig let expect; a trial here would tell.")])


def _how_sure(result: Pool) -> list[Block]:
    doubts = [f"{one.name}, {TITLES[each.metric]}: {why}" for one in result.changes for each in one.metrics
              for why in each.doubts]
    return [
        Text("Each rig counts once for a change, however often it was tried there. The rigs' true effects are taken to "
             "differ (random effects), and the mean's interval allows for how little is known of by how much."),
        Text("Every study that was begun is counted, where its player published all; of others nobody can know. "
             "Nothing is said to help or to hurt because of the tenth of the rigs that say so most; more liars than "
             "that would be believed. At least five rigs have to have tried a change."),
        Text("It plans: what a change does on one rig, only a trial there tells."),
        *(Alert(one) for one in doubts[:MOST_REFUSED])]


def _named(change: PooledChange) -> str:
    """Its name, with an arrow that no line is broken in."""
    return change.name.replace("->", "\u2192")
