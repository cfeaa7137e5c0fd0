"""A screen in blocks: which of many changes matter, each on its own and together."""

import textwrap
from dataclasses import replace
from typing import TYPE_CHECKING

from keenlattice.blocks import Alert, Block, Figures, Fold, KeyFigure, Picture, Report, Table, Telling, Text
from keenlattice.errors import counted
from keenlattice.profile.version import parted, profile_of
from keenlattice.report.context import SEED_DRAWS, Context, excluded, for_game, page_of_two
from keenlattice.report.frames import better_side
from keenlattice.report.style import INK, MOST_ON_A_CARD, Row, forest, headed, plain, small_figure
from keenlattice.report.words import TITLES, KeyGroup, between, capital, doing, keys_of_groups, listed, signed
from keenlattice.study.screen.result import Effect, Factor, Screen, helping, together_pct
from keenlattice.study.trial.result import claim_in_words

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

    from keenlattice.study.kind import Beside


MOST_CHANGES = 30
SHORT = {"does nothing that matters": "nothing"}


def screen_page(result: Screen, beside: "Beside") -> Report:
    """Return the page about a screen."""
    context = beside.context(result.game, *beside.versions)
    unclear = any(effect.standing == "unclear" for factor in result.factors for effect in factor.measured)
    return page_of_two(
        context, result.before, result.after, title=f"{context.game or result.game}: which changes matter",
        keys=screen_keys(result), did=[*_not_measured(result), _picture(result)],
        each_change=[standings(result), Text(AVERAGED), *_expected(result), *_together(result)],
        sure=[*_how_sure(result, unclear), _numbers(result)], plays=_plays(result, context),
        drawn="The changes came from a pack, whose file was given as the second version. " * (
            result.after == context.of_pack) + SEED_DRAWS.format(result.plan.seed),
        number=beside.number, figure=lambda: screen_figure(result))


def tell_screen(result: Screen, beside: "Beside | None" = None) -> Telling:
    """Tell a screen: which changes matter, each with its intervals and a word."""
    plan = result.plan
    unclear = [" + ".join(factor.settings) for factor in result.factors
               if any(effect.standing == "unclear" for effect in factor.measured)]
    advice = _advice(result, unclear, beside)
    together_blocks: list[Block] = [Alert(sentence) for sentence in together(result)]
    return Telling(
        screen_keys(result),
        f"{result.game} on {result.rig}: {counted(result.runs, 'run')} of {plan.seconds:g} s in "
        f"{counted(result.rounds_played, 'round')}{_planned(result)}, seed {plan.seed}; {plan.decides.in_words} "
        f"matters. One by one, {result.one_by_one_runs} runs would tell as much.",
        [*_not_measured(result), standings(result), *_expected(result), Text(AVERAGED, aside=True),
         *excluded(result.excluded, result.doubts),
         *(together_blocks or [Text(NONE_TOGETHER, aside=True)])],
        f"{advice}; keen report makes a page of it")


def _planned(result: Screen) -> str:
    """Return how many rounds its first one asked for, if it was to say so."""
    asked, plan = result.asked_rounds, result.plan
    if not plan.sized or not asked:
        return ""
    if asked > plan.rounds:
        return f" (by the noise of the first, over {plan.rounds} would tell what does nothing: longer runs take fewer)"
    return f" (of {plan.most_rounds(asked)} that its first asked for)"


def _advice(result: Screen, unclear: list[str], beside: "Beside | None") -> str:
    """Return what to do next: keep what helps, else look closer at what is unclear."""
    if (factors := helping(result)) and beside:
        parts = parted(profile_of(result.before), {key: "" for factor in factors for key in factor.settings})
        edits = [f"keen edit {profile} --from-screen {beside.number}" for profile, kept in parts.items() if kept]
        return (f"{' and '.join(edits)} make{'s' * (len(edits) == 1)} a version of what helps, for a trial that proves "
                "it")
    return (f"more rounds or longer runs settle what is unclear, or a trial of {unclear[0]} alone" if unclear else
            "leave them out: none of them helps")


def _expected(result: Screen) -> list[Block]:
    """Return what the changes that help would do together, as far as that can be said before a trial."""
    parts = [f"{signed(change, 1.0)} % to {TITLES[name]}" for name, change in together_pct(result).items()]
    return [Text(f"Those that help would do about {listed(parts)} together, if none of them changes what another does. "
                 "Only a trial of them together tells.")] if parts else []


def standings(result: Screen) -> Table:
    """Every factor's change and standing, and what was claimed of it."""
    claims = {group: ", ".join(claim_in_words(single) for single in claim)
              for group, claim in zip(result.plan.factors, result.plan.claims, strict=False)}
    claimed = any(claims.values())
    rows = [[" + ".join(factor.settings), *_intervals(result, factor), factor_does(factor),
             *([claims.get(factor.settings, "") or "-"] if claimed else [])] for factor in result.factors]
    return Table(["change", *_columns(result), "what it does", *(["claimed"] if claimed else [])], rows, code=(0,),
                 right=tuple(range(1, 1 + len(result.judged_by))))


def _columns(result: Screen) -> list[str]:
    """Of changes that are judged by the same metrics, these; else which it is, and the interval."""
    return [TITLES[name] for name in result.judged_by] or ["metric", "interval"]


def _intervals(result: Screen, factor: Factor) -> list[str]:
    if result.judged_by:
        return [effect_percent(effect) for effect in factor.judged]
    return [TITLES[factor.telling.metric], effect_percent(factor.telling)]


def _picture(result: Screen) -> Picture:
    def draw() -> "Figure":
        rows = min(len(result.factors), 30)
        height = 1.1 + 0.36 * rows
        figure = small_figure(height)
        first = panels(figure, result, (0.25, 0.6 / height, 0.75, 1 - 1.0 / height), 18, 0.48)[0]
        first.set_title(first.get_title(loc="left"), x=-0.45, loc="left", fontsize=10.5, color=INK, fontweight="bold")
        return figure

    words = "; ".join(f"{' + '.join(factor.settings)} {factor_does(factor)}" for factor in result.factors)
    return Picture("What each change does", f"Change by switching each on, with its interval. {words}.", draw)


def _together(result: Screen) -> list[Block]:
    """What changes do only together, or that no such thing was seen."""
    return [Text(f"{sentence}.") for sentence in together(result)] or [Text(NONE_TOGETHER)]


def _how_sure(result: Screen, unclear: bool) -> list[Block]:
    plan = result.plan
    more = (" What is unclear may matter or not: more rounds, longer runs or a trial of it alone would tell."
            if unclear else "")
    return [
        Text(f"In each of {result.runs} runs of {plan.seconds:g} s about half of the changes were on, so arranged that "
             "every change was on and off equally often beside every other one. So each run says something about all "
             f"of them; one by one, {result.one_by_one_runs} runs would tell as much."),
        Text(f"A change matters if its whole interval is beyond what matters ({plan.decides.told}), and does nothing "
             "that matters if all of it is within that; either end is wrong at most once in twenty. The intervals "
             f"allow for having looked after every round ({result.rounds_played} of "
             f"{plan.most_rounds(result.asked_rounds)} were played).{more}"),
        Text("What the changes that help do together is best proved by a trial of them alone. All of it holds for this "
             "game on this rig, as it was then."),
        *excluded(result.excluded, result.doubts)]


def _numbers(result: Screen) -> Fold:
    rows = [[" + ".join(factor.settings), TITLES[effect.metric], effect_percent(effect), effect.standing]
            for factor in result.factors for effect in (*factor.judged, *factor.others)]
    return Fold("The numbers: every change on every metric", [
        Table(["change", "metric", "interval", "verdict"], rows, code=(0,)),
        Text("The metrics beside the one that decides are not corrected for their number: of twenty, one may be told "
             "by chance.")])


def _plays(result: Screen, context: Context) -> str:
    """Return the command that plays it again."""
    plan = result.plan
    groups = "".join(f" --together {','.join(group)}" for group in plan.factors if len(group) > 1)
    warm_up = f" --warm-up {plan.warm_up_s:g}" * bool(plan.warm_up_s)
    rounds = "" if plan.sized else f" --rounds {plan.rounds}"
    return (f"screen {result.before} {context.given(result.after)}{rounds} --seconds {plan.seconds:g} "
            f"--decides {plan.decides.metrics} --matters {plan.decides.told} --seed {plan.seed}{groups}{warm_up}"
            f"{for_game(result.before, result.game)}")


SORTS = {("better",): ("help", "helps"), ("does what is claimed",): ("do what is claimed", "does what is claimed"),
         ("better", "worse"): ("help at a price", "helps at a price"), ("worse",): ("hurt", "hurts"),
         ("does the opposite",): ("do the opposite", "does the opposite"),
         ("does nothing that matters",): ("do nothing that matters", "does nothing that matters"),
         ("unclear",): ("are unclear", "is unclear")}
"""What changes of each standing do, as a verb for several and for one."""
QUIET = {"does nothing that matters", "unclear"}


def screen_keys(result: Screen) -> list[KeyFigure]:
    """Return a screen in key figures: how many changes help, hurt or do nothing, and which of them do anything."""
    sorted_by: dict[tuple[str, ...], list[Factor]] = {}
    for factor in result.factors:
        sorted_by.setdefault(tuple(sorted(factor.standings)), []).append(factor)
    groups = [KeyGroup(*verbs, standing[0] if len(standing) == 1 else "unclear", len(factors),
                    [] if standing[0] in QUIET else [" + ".join(factor.settings) for factor in factors])
              for standing, verbs in SORTS.items() if (factors := sorted_by.get(standing))]
    return keys_of_groups(groups, len(result.factors))


def _not_measured(result: Screen) -> list[Block]:
    """Return what decides and was not measured."""
    judged = [metric for factor in result.factors for metric in factor.judged]
    missing = [name for name in dict.fromkeys(effect.metric for effect in judged)
               if all(metric.change_pct is None for metric in judged if metric.metric == name)]
    if not missing or len(missing) == len({metric.metric for metric in judged}):
        return []
    return [Alert(f"{capital(listed([TITLES[name] for name in missing]))}: not measured")]


def factor_does(factor: Factor) -> str:
    """What a change does to each metric that it is judged by; of one, the word alone."""
    if len(factor.judged) == 1:
        return factor.judged[0].standing
    return doing([(effect.metric, effect.standing) for effect in factor.measured])


AVERAGED = "Each number is an average over the other changes being on and off."
NONE_TOGETHER = "No two of them were seen to do together what neither does alone."


def together(result: Screen) -> list[str]:
    """What some changes do only together, each as a sentence without its full stop."""
    return [f"{pair.settings[0]} with {pair.settings[1]} does {pair.change_pct:+.1f} % to {TITLES[pair.metric]} beyond "
            "what each does alone" if len(pair.settings) == 2 else
            f"{listed(pair.settings)} act together on {TITLES[pair.metric]} (up to {pair.change_pct:+.1f} % beyond "
            "what each does alone)" for pair in result.interactions]


def effect_percent(effect: Effect) -> str:
    """An effect's interval in words."""
    return between(effect.low_pct, effect.high_pct) or "too little to tell"


def screen_figures(result: Screen, beside: "Beside | None" = None) -> Figures:
    """Return the figure of a screen, and its main part."""
    return Figures(lambda: screen_figure(result), lambda axes: effects(axes, result),
                   lambda axes: effects(axes, replace(result, factors=result.factors[:MOST_ON_A_CARD])))


def screen_figure(result: Screen) -> "Figure":
    """The figure of a screen's `result`, 1280 x 800 pixels: side by side for each metric that decides."""
    plan = result.plan
    subtitle = (f"{counted(len(result.factors), 'change')} in {counted(result.runs, 'run')} of {plan.seconds:g} s on "
                f"{result.rig}, seed {plan.seed}. One by one, {result.one_by_one_runs} runs would tell as much.")
    figure = headed(f"{result.game}: which changes matter", subtitle)
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
    width_each = width / len(shown)
    made = [effects(figure.add_axes((left + number * width_each, bottom, width_each * share, height)), result, name,
                    letters)
            for number, name in enumerate(shown)]
    for axes in made[1:]:
        axes.set_yticklabels([])
    return made


def _metrics(result: Screen) -> list[str]:
    """The metrics of the panels; "" for what each change is judged by."""
    judged = {tuple(effect.metric for effect in factor.measured) for factor in result.factors}
    names = max(judged, key=len)
    return [*names] if all({*metric} <= {*names} for metric in judged) else [""]


def effects(axes: "Axes", result: Screen, name: str = "", letters: int = 44) -> "Axes":
    """Every factor's change of a metric with its interval, the strongest first; takes an axes and returns it.

    Args:
        name: the metric; what each is judged by, if it is left out.
        letters: how long a line of a name may be.
    """
    chosen = [(factor, next((effect for effect in factor.judged if effect.metric == name), factor.telling))
              for factor in result.factors[:MOST_CHANGES]]
    matters = max(effect.matters_pct or result.plan.decides.matters_pct for _, effect in chosen)
    metrics = sorted({TITLES[effect.metric] for _, effect in chosen})
    side = f"; {better_side([name])}" if name else ""
    plain(axes, f"{', '.join(metrics).capitalize()}", f"change, %{side}\n"
          f"(grey does not matter: {matters:.3g} %)", "")
    return forest(axes, [_change_row(factor, effect, letters) for factor, effect in chosen], matters)


def _change_row(factor: Factor, effect: Effect, letters: int) -> Row:
    interval = effect_percent(effect)
    words = interval if effect.low_pct is None else f"{SHORT.get(effect.standing, effect.standing)}\n{interval}"
    label = "\n".join(textwrap.wrap(" + ".join(factor.settings), letters)[:2])
    return Row(label, effect.change_pct, effect.low_pct, effect.high_pct, effect.standing, words)
