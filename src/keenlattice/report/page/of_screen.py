"""A screen as a report."""

from typing import TYPE_CHECKING

from keenlattice.blocks import Alert, Block, Fold, Picture, Report, Table, Telling, Text
from keenlattice.report.forest import panels, screen_figure
from keenlattice.report.page.context import (
    Context,
    again,
    excluded,
    for_game,
    how_to_go_back,
    the_rig,
    to_repeat,
    what_changed,
)
from keenlattice.report.style import INK, small_figure
from keenlattice.report.words import NONE_TOGETHER, TITLES, effect_percent, factor_does, screen_headline, together
from keenlattice.study.deciding import told_of
from keenlattice.study.screen.result import Factor, Screen
from keenlattice.study.trial.result import told

if TYPE_CHECKING:
    from matplotlib.figure import Figure


def screen_report(result: Screen, context: Context, number: int | None = None) -> Report:
    """The report of a screen; `number` is the screen's in the logbook, if it is there."""
    unclear = any(effect.standing == "unclear" for one in result.factors for effect in one.measured)
    return Report(
        title=f"{context.game or result.game}: which changes matter", verdict="", answer=screen_headline(result),
        changed=what_changed(context), did=[_picture(result)], each=[standings(result), *_together(result)],
        sure=[*_how_sure(result, unclear), _numbers(result)], rig=the_rig(context),
        repeat=_how_to_repeat(result, context, number),
        back=how_to_go_back(context, result.before, result.after, tried=True), figure=lambda: screen_figure(result))


def tell_screen(result: Screen) -> Telling:
    """Tell a screen: which changes matter, each with its intervals and a word."""
    plan = result.plan
    unclear = [" + ".join(one.settings) for one in result.factors
               if any(effect.standing == "unclear" for effect in one.measured)]
    advice = (f"more rounds or longer runs tell of what is unclear, or a trial of {unclear[0]} alone" if unclear else
              "keep those that help with keen edit, and prove them together: keen trial")
    together_blocks: list[Block] = [Alert(one) for one in together(result)]
    return Telling(
        screen_headline(result),
        f"{result.game} on {result.rig}: {result.runs} runs of {plan.seconds:g} s in {result.rounds_played} rounds, "
        f"seed {plan.seed}; {told_of(plan)} matters. One by one, {result.one_by_one_runs} runs would tell as much.",
        [standings(result), *excluded(result.excluded, result.doubts),
         *(together_blocks or [Text(NONE_TOGETHER, aside=True)])],
        f"{advice}; keen report makes a page of it")


def standings(result: Screen) -> Table:
    """Every factor's change and standing, and what was claimed of it."""
    claims = {group: ", ".join(told(one) for one in some)
              for group, some in zip(result.plan.factors, result.plan.claims, strict=False)}
    claimed = any(claims.values())
    rows = [[" + ".join(one.settings), *_intervals(result, one), factor_does(one),
             *([claims.get(one.settings, "") or "-"] if claimed else [])] for one in result.factors]
    return Table(["change", *_columns(result), "what it does", *(["claimed"] if claimed else [])], rows, code=(0,),
                 right=tuple(range(1, 1 + len(result.judged_by))))


def _columns(result: Screen) -> list[str]:
    """Of changes that are judged by the same metrics, these; else which it is, and the interval."""
    return [TITLES[name] for name in result.judged_by] or ["metric", "interval"]


def _intervals(result: Screen, one: Factor) -> list[str]:
    if result.judged_by:
        return [effect_percent(effect) for effect in one.judged]
    return [TITLES[one.telling.metric], effect_percent(one.telling)]


def _picture(result: Screen) -> Picture:
    def draw() -> "Figure":
        rows = min(len(result.factors), 30)
        height = 1.1 + 0.36 * rows
        figure = small_figure(height)
        first = panels(figure, result, (0.25, 0.6 / height, 0.75, 1 - 1.0 / height), 18, 0.48)[0]
        first.set_title(first.get_title(loc="left"), x=-0.45, loc="left", fontsize=10.5, color=INK, fontweight="bold")
        return figure

    said = "; ".join(f"{' + '.join(one.settings)} {factor_does(one)}" for one in result.factors)
    return Picture("What each change does", f"Change by switching each on, with its interval. {said}.", draw)


def _together(result: Screen) -> list[Block]:
    """What changes do only together, or that no such thing was seen."""
    return [Text(f"{one}.") for one in together(result)] or [Text(NONE_TOGETHER)]


def _how_sure(result: Screen, unclear: bool) -> list[Block]:
    plan = result.plan
    more = (" What is unclear may matter or not: more rounds, longer runs or a trial of it alone would tell."
            if unclear else "")
    return [
        Text(f"In each of {result.runs} runs of {plan.seconds:g} s about half of the changes were on, so arranged that "
             "every change was on and off equally often beside every other one. So each run tells of all of them; one "
             f"by one, {result.one_by_one_runs} runs would tell as much."),
        Text(f"A change matters if its whole interval is beyond what matters ({told_of(plan)}), and does nothing that "
             "matters if all of it is within that; either end is wrong at most once in twenty. The intervals allow for "
             f"having looked after every round ({result.rounds_played} of {plan.rounds} were played).{more}"),
        Text("What the changes that help do together is best proved by a trial of them alone. All of it holds for this "
             "game on this rig, as it was then."),
        *excluded(result.excluded, result.doubts)]


def _numbers(result: Screen) -> Fold:
    rows = [[" + ".join(one.settings), TITLES[effect.metric], effect_percent(effect), effect.standing]
            for one in result.factors for effect in (*one.judged, *one.others)]
    return Fold("The numbers: every change on every metric", [
        Table(["change", "metric", "interval", "verdict"], rows, code=(0,)),
        Text("The metrics beside the one that decides are not corrected for their number: of twenty, one may be told "
             "by chance.")])


def _how_to_repeat(result: Screen, context: Context, number: int | None) -> list[Block]:
    plan = result.plan
    groups = "".join(f" --together {','.join(group)}" for group in plan.factors if len(group) > 1)
    warm_up = f" --warm-up {plan.warm_up_s:g}" * bool(plan.warm_up_s)
    plays = (f"screen {result.before} {context.given(result.after)} --rounds {plan.rounds} --seconds {plan.seconds:g} "
             f"--decides {plan.decides} --matters {told_of(plan)} --seed {plan.seed}{groups}{warm_up}"
             f"{for_game(result.before, result.game)}")
    pack = ("The changes came from a pack, whose file was given as the second version. "
            if result.after == context.of_pack else "")
    return to_repeat(context, [plays], f"{pack}Seed {plan.seed} draws everything that is drawn.",
                     again(number))
