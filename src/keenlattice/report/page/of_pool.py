"""A pool as a report."""

from typing import TYPE_CHECKING

from keenlattice.report._pool_figure import MOST_SHOWN, effects, pool_figure
from keenlattice.report.page.content import Alert, Block, Fold, Picture, Report, Table, Text
from keenlattice.report.page.context import Context, the_rig, to_repeat
from keenlattice.report.pool_words import (
    change_does,
    interval,
    pool_headline,
    range_of,
    shares,
    side_said,
)
from keenlattice.report.style import small_figure
from keenlattice.report.words import TITLES
from keenlattice.study.pool.result import Pool, PooledChange, PooledMetric

if TYPE_CHECKING:
    from matplotlib.figure import Figure

MOST_REFUSED = 10


def pool_report(result: Pool, context: Context, number: int | None = None) -> Report:
    """The report of a pool; `number` is its in the logbook, if it is there."""
    return Report(
        title=f"What {len(result.changes)} changes do on {result.rigs} rigs", verdict="", answer=pool_headline(result),
        changed=_what_went_in(result), did=[_picture(result, name) for name in result.plan.metrics],
        each=[_standings(result), *_where(result), _numbers(result, context)], sure=_how_sure(result),
        rig=the_rig(context), repeat=to_repeat(context, ["pool read FILES"], "Nothing in it is drawn at random."),
        back=[Text("Nothing was changed on any rig: a pool only reads.")], figure=lambda: pool_figure(result),
        first="What went in")


def _what_went_in(result: Pool) -> list[Block]:
    told = [f"{result.studies} studies on {result.rigs} rigs, from {', '.join(result.plan.sources)}: "
            f"{result.records} records."]
    told += [f"{result.copies} of them were copies of others, and count once."] * bool(result.copies)
    told += [f"{result.claimed} are claims of packs, which tell only of what found something: they are not counted."
             ] * bool(result.claimed)
    told += [f"{result.odd} {'rig was' if result.odd == 1 else 'rigs were'} left out, unlike all others on most of "
             "what was tried there, as if made up or measured of something else."] * bool(result.odd)
    more = len(result.refused) - MOST_REFUSED
    return [Text(" ".join(told)), *(Alert(f"Left out: {one}") for one in result.refused[:MOST_REFUSED]),
            *([Alert(f"Left out: {more} more")] if more > 0 else [])]


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


def _standings(result: Pool) -> Table:
    names = result.plan.metrics
    rows = [[_named(one), *(interval(found.mean) if (found := _of(one.metrics, name)) else "-" for name in names),
             str(max(each.rigs for each in one.metrics)), change_does(one)] for one in result.changes]
    return Table(["change", *(f"{TITLES[name]}, % (95 %)" for name in names), "rigs", "over rigs"], rows,
                 right=(len(names) + 1,), code=(0,))


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
