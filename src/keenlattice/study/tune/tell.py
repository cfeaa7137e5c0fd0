"""A tuning in blocks: the race, and the trial of its best against where it started."""

from dataclasses import replace
from typing import TYPE_CHECKING

from keenlattice.blocks import MOST_KEYS, Block, Figures, Fold, KeyFigure, Picture, Report, Table, Telling, Text
from keenlattice.catalog.values import written
from keenlattice.errors import counted
from keenlattice.measure.metrics import METRICS
from keenlattice.report.context import SEED_DRAWS, excluded, for_game, page_of_two
from keenlattice.report.style import MOST_ON_A_CARD, Row, forest, headed, plain, small_figure
from keenlattice.report.words import TITLES, between, capital, titles
from keenlattice.study.trial.result import Trial
from keenlattice.study.trial.tell import how_sure, numbers, sides_of, trial_pictures
from keenlattice.study.trial.words import keys_of, what_was_made
from keenlattice.study.tune.plan import Combination, Tuning, entries_of_best

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

    from keenlattice.study.kind import Beside

MOST_COMBINATIONS = 14
"""This many are drawn and listed; the rest is folded away."""


def tune_page(result: Tuning, beside: "Beside") -> Report:
    """Return the page about a tuning, with the trial that came after it, of its best against where it started."""
    base = beside.versions[0]
    entries = entries_of_best(base, result)
    made = beside.made_of(base.profile, entries) if entries is not None else None
    context = beside.context(result.game, base, made or base)
    proofs = [study for study in beside.finished("trial") if study.number > beside.number and made
              and (study.result.before, study.result.after) == (base.reference, made.reference)]
    pictures: list[Block] = [_picture(result)]
    proof: Trial | None = proofs[0].result if proofs else None
    if proof:
        before, after = sides_of(proof.plan, proof.runs_played, proofs[0].captures())
        if before and len(before) == len(after):
            pictures += trial_pictures(proof, before, after)
    return page_of_two(
        context, result.base, made.reference if made else result.base,
        title=f"{context.game or result.game}: the best for {titles(result.plan.goal.metrics)}",
        keys=_keys(result, proof), did=pictures, each_change=_each(result),
        sure=_sure(result, proof), plays=_plays(result), drawn=SEED_DRAWS.format(result.plan.seed),
        number=beside.number, figure=lambda: tune_figure(result))


def tell_tuning(result: Tuning, beside: "Beside") -> Telling:
    """Tell a tuning: the combinations, the best first, what was made of it, and what to do with that."""
    plan, (made, advice) = result.plan, what_was_made(result.plan.goal.metrics, beside)
    return Telling(
        _keys(result, beside.made.proof if beside.made else None),
        f"{len(result.combinations)} combinations on top of {result.base} on {result.rig}: "
        f"{counted(result.runs, 'run')} of {plan.seconds:g} s in {counted(result.rounds_played, 'round')}, "
        f"seed {plan.seed}.",
        [*_each(result), *excluded(result.excluded, result.doubts), *made], advice)


def tune_figures(result: Tuning, beside: "Beside | None" = None) -> Figures:
    """Return the figure of a tuning, and its main part."""
    first = replace(result, combinations=result.combinations[:MOST_ON_A_CARD - 1])
    return Figures(lambda: tune_figure(result), lambda axes: combinations(axes, result),
                   lambda axes: combinations(axes, first))


def _keys(result: Tuning, proof: Trial | None) -> list[KeyFigure]:
    """Return a tuning in key figures: the best combination, then what it does against where it started."""
    best = result.best
    if best is None:
        return [KeyFigure("No combination surely keeps the limits." if _count(result, "limit not sure") else
                          "No combination keeps the limits.", "worse")]
    sure = "no other is better by what matters" if result.settled else "more rounds may find a better one"
    first = KeyFigure(f"The best is {combination(best)}; {sure}.", "", "The best", combination(best), capital(sure))
    return [first, *(keys_of(proof, MOST_KEYS - 1) if proof else [
        KeyFigure("It was not tried against where it started.")])]


def _count(result: Tuning, standing: str) -> int:
    return sum(combination.standing == standing for combination in result.combinations)


def _standings(result: Tuning) -> list[Block]:
    """Return how many others are as good, or may be."""
    words = [f"{_count(result, 'no better')} more are as good within the {result.plan.goal.matters_pct:g} % that matter"
            * bool(_count(result, "no better")),
            f"{_count(result, 'not told apart')} could not be told apart from the best"
            * bool(_count(result, "not told apart")),
            f"of {_count(result, 'limit not sure')} it is not known whether they keep the limits"
            * bool(_count(result, "limit not sure"))]
    words = [part for part in words if part]
    return [Text(f"{capital('; '.join(words))}.")] if words else []


def _picture(result: Tuning) -> Picture:
    def draw() -> "Figure":
        height = 0.9 + (0.2 + 0.17 * len(result.plan.choices)) * min(len(result.combinations), MOST_COMBINATIONS)
        figure = small_figure(height)
        combinations(figure.add_axes((0.27, 0.5 / height, 0.45, 1 - 0.8 / height)), result)
        return figure

    words = "; ".join(f"{combination(choice)}: {choice.standing}" for choice in result.combinations[:MOST_COMBINATIONS])
    return Picture("How far each combination is from the best", f"Change of {titles(result.plan.goal.metrics)} against "
                   f"the best, with its interval. {words}.", draw)


def _each(result: Tuning) -> list[Block]:
    plan = result.plan
    rows = [[*(written(value) for value in row.values.values()),
             *("-" if goal is None else f"{goal:.1f}" for goal in row.goals), between(row.low_pct, row.high_pct),
             str(row.rounds), row.standing] for row in result.combinations]
    columns = [*(key for key, _ in plan.choices), *(f"{TITLES[goal]}, {METRICS[goal].unit}" for goal in plan.goals),
               "against the best" if len(plan.goals) == 1 else "worse than the best", "runs", "what became of it"]
    count = len(plan.choices)
    limits = [Text("Limits that had to be kept: " + ", ".join(
        f"{TITLES[limit.metric]} {limit.side} {limit.value:g} {METRICS[limit.metric].unit}"
        for limit in plan.limits) + ".")]
    table = Table(columns, rows[:MOST_COMBINATIONS], right=tuple(range(count, count + len(plan.goals) + 2)))
    rest = [Fold(f"The other {len(rows) - MOST_COMBINATIONS}",
                 [Table(columns, rows[MOST_COMBINATIONS:], right=table.right)])]
    return [*(limits if plan.limits else []), table, *_standings(result),
            *(rest if len(rows) > MOST_COMBINATIONS else [])]


def _sure(result: Tuning, proof: Trial | None) -> list[Block]:
    plan = result.plan
    ended = ("It ended when none that was left could be better than the best by more than the "
             f"{plan.goal.matters_pct:g} % that matter." if result.settled else
             f"It ended with its last round and is not settled: another may be better by more than "
             f"{plan.goal.matters_pct:g} %.")
    blocks: list[Block] = [
        Text(f"The combinations raced: {result.rounds_played} rounds, in each of which every one that was left was "
             "played once, in random order. Who surely broke a limit, was surely worse, or surely not better by what "
             f"matters, was out; of all such races, one in twenty puts somebody out wrongly. {ended}"),
        *excluded(result.excluded, result.doubts)]
    if proof is None:
        return [*blocks, Text("The winner of a race looks a little better than it is: only a trial with runs of its "
                              "own tells how much it gains.")]
    return [*blocks, Text("The winner of a race looks a little better than it is, so it was then tried against where "
                          "it started, with runs of their own:"), *how_sure(proof),
            numbers(proof, "The numbers of that trial")]


def _plays(result: Tuning) -> str:
    """Return the command that plays it again."""
    plan = result.plan
    tries = " ".join(f"--try {key}={','.join(written(value) for value in values)}" for key, values in plan.choices)
    keep = "".join(f' --keep "{limit.metric}{"<" if limit.side == "below" else ">"}{limit.value:g}"'
                   for limit in plan.limits)
    warm_up = f" --warm-up {plan.warm_up_s:g}" * bool(plan.warm_up_s)
    return (f"tune {result.base} {tries} --goal {plan.goal.metrics}{keep} --rounds {plan.rounds} "
            f"--seconds {plan.seconds:g} --matters {plan.goal.told} --seed {plan.seed}{warm_up}"
            f"{for_game(result.base, result.game)}")


def combination(choice: Combination) -> str:
    """A combination of settings, as a player would type it."""
    return ", ".join(f"{key} = {written(value)}" for key, value in choice.values.items())


def tune_figure(result: Tuning) -> "Figure":
    """The figure of a tuning, 1280 x 800 pixels."""
    words = (f"{counted(len(result.combinations), 'combination')} in {counted(result.runs, 'run')} of "
             f"{result.plan.seconds:g} s on {result.rig}, {result.rounds_played} rounds, seed {result.plan.seed}.")
    figure = headed(f"{result.game}: the best for {titles(result.plan.goal.metrics)}", words)
    combinations(figure.add_axes((0.27, 0.085, 0.55, 0.78)), result)
    return figure


def combinations(axes: "Axes", result: Tuning) -> "Axes":
    """The goal of each combination against the best one's, with its interval; takes an axes and returns it."""
    matters = result.plan.goal.matters_pct
    words = f"{titles(result.plan.goal.metrics).capitalize()}, against the best"
    plain(axes, words if len(result.plan.goals) == 1 else f"{words}: how much worse, on average",
          f"change, %   (grey: within {matters:g} %, which does not matter)", "")
    return forest(axes, [_combination_row(choice) for choice in result.combinations[:MOST_COMBINATIONS]], matters)


def _combination_row(row: Combination) -> Row:
    label = "\n".join(f"{key.partition('.')[2]} {value}" for key, value in row.values.items())
    change, low, high = (0.0, 0.0, 0.0) if row.standing == "best" else (row.change_pct, row.low_pct, row.high_pct)
    words = row.standing if row.standing == "best" else f"{row.standing}\n{between(low, high)}".rstrip()
    return Row(label, change, low, high, row.standing, words, row.standing == "best")
