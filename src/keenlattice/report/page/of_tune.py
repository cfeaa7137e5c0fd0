"""A tuning as a report: the race, and the trial of its best against where it started."""

from collections.abc import Sequence
from typing import TYPE_CHECKING

from keenlattice.blocks import Alert, Block, Fold, Picture, Report, Table, Telling, Text
from keenlattice.catalog.values import written
from keenlattice.measure.metrics import METRICS
from keenlattice.report.forest import MOST_COMBINATIONS, combinations, tune_figure
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
from keenlattice.report.page.of_trial import Captures, how_sure, numbers, trial_pictures
from keenlattice.report.style import small_figure
from keenlattice.report.words import (
    TITLES,
    between,
    combination,
    headline,
    one_word,
    titles,
    tune_headline,
    whole_answer,
)
from keenlattice.study.deciding import told_of
from keenlattice.study.ramp.plan import Ramp
from keenlattice.study.trial.result import Trial
from keenlattice.study.tune.plan import Tuning

if TYPE_CHECKING:
    from matplotlib.figure import Figure


def tune_report(result: Tuning, context: Context, made: str = "", proof: Trial | None = None,
                before: Captures = (), after: Captures = (), number: int | None = None) -> Report:
    """The report of a tuning.

    Args:
        made: the version that was made of the best, as a reference.
        proof: the trial of that against where it started, with its captures `before` and `after`.
        number: the tuning's in the logbook, if it is there.
    """
    pictures: list[Block] = [_picture(result)]
    if proof and before and len(before) == len(after):
        pictures += trial_pictures(proof, before, after)
    return Report(
        title=f"{context.game or result.game}: the best for {titles(result.plan.goal)}",
        verdict=one_word(proof) if proof else "", answer=_answer(result, proof), changed=what_changed(context),
        did=pictures, each=_each(result), sure=_sure(result, proof), rig=the_rig(context),
        repeat=_how_to_repeat(result, context, number),
        back=how_to_go_back(context, result.base, made or result.base, tried=True), figure=lambda: tune_figure(result))


def tell_tuning(result: Tuning, made: Sequence[Block], advice: str) -> Telling:
    """Tell a tuning: the combinations, the best first, what was made of it, and what to do with that."""
    plan = result.plan
    return Telling(
        tune_headline(result), f"{len(result.combinations)} combinations on top of {result.base} on {result.rig}: "
        f"{result.runs} runs of {plan.seconds:g} s in {result.rounds_played} rounds, seed {plan.seed}.",
        [*_each(result), *excluded(result.excluded, result.doubts), *made], advice, "" if result.best else "worse")


def tell_ramp(result: Ramp, unit: str, made: Sequence[Block], advice: str) -> Telling:
    """Tell a ramp: how far it went, and where it settles; `unit` is the setting's."""
    plan, last = result.plan, result.steps[-1]
    stopped = (f"At {last.value:g} a run went wrong: {last.wrong}." if last.wrong else
               "Nothing went wrong up to the end of what the catalog allows.")
    about = ("" if result.highest is None else
             f"The highest step at which all {plan.runs} runs of {plan.seconds:g} s went well is {result.highest:g}; "
             f"what ran may still be a little unstable, so it settles {plan.margin:g} below.")
    rows = [[f"{one.value:g}", "-" if one.goal is None else f"{one.goal:.2f}", one.wrong or "ran"]
            for one in result.steps]
    table = Table([f"{plan.key}, {unit}", f"{TITLES[plan.goal]}, {METRICS[plan.goal].unit}", ""], rows, right=(0, 1))
    return Telling(f"{plan.key}: {written(result.settled, unit)}. {stopped}", about, [table, *(made or [Text(
        "Nothing was changed: no step is far enough above where it started.")])], advice)


def what_was_made(label: str, reference: str, base: str, latest: str, lacks: Sequence[str],
                  proof: Trial | None) -> list[Block]:
    """Return which version was made of a tuning's or a ramp's best, from which, and what proves it.

    Args:
        label, reference: of the version that was made.
        base: what it was made from.
        latest: the player's latest version.
        lacks: what that sets and the new one does not have.
        proof: its trial against where it started, if one was played.
    """
    blocks: list[Block] = [Text(f"{label} ({reference}) was made of the best, from {base}. Your latest version stays "
                                f"{latest}, and the rig is as it was.")]
    if lacks:
        blocks.append(Alert(f"it does not have what {latest} sets: {', '.join(lacks)}"))
    if proof is not None:
        blocks.append(Text(f"Against where it started, in {proof.blocks_played} blocks of runs of their own: "
                           f"{headline(proof)}"))
    return blocks


def _answer(result: Tuning, proof: Trial | None) -> str:
    return tune_headline(result) + (f" Against where it started: {whole_answer(proof)}" if proof else
                                    " Against where it started it has not been tried.")


def _picture(result: Tuning) -> Picture:
    def draw() -> "Figure":
        height = 0.9 + (0.2 + 0.17 * len(result.plan.choices)) * min(len(result.combinations), MOST_COMBINATIONS)
        figure = small_figure(height)
        combinations(figure.add_axes((0.27, 0.5 / height, 0.45, 1 - 0.8 / height)), result)
        return figure

    said = "; ".join(f"{combination(one)}: {one.standing}" for one in result.combinations[:MOST_COMBINATIONS])
    return Picture("How far each combination is from the best", f"Change of {titles(result.plan.goal)} against the "
                   f"best, with its interval. {said}.", draw)


def _each(result: Tuning) -> list[Block]:
    plan = result.plan
    rows = [[*(written(value) for value in one.values.values()),
             *("-" if goal is None else f"{goal:.1f}" for goal in one.goals), between(one.low_pct, one.high_pct),
             str(one.rounds), one.standing] for one in result.combinations]
    columns = [*(key for key, _ in plan.choices), *(f"{TITLES[goal]}, {METRICS[goal].unit}" for goal in plan.goals),
               "against the best" if len(plan.goals) == 1 else "worse than the best", "runs", "what became of it"]
    count = len(plan.choices)
    limits = [Text("Limits that had to be kept: " + ", ".join(
        f"{TITLES[one.metric]} {one.side} {one.value:g} {METRICS[one.metric].unit}" for one in plan.limits) + ".")]
    table = Table(columns, rows[:MOST_COMBINATIONS], right=tuple(range(count, count + len(plan.goals) + 2)))
    rest = [Fold(f"The other {len(rows) - MOST_COMBINATIONS}",
                 [Table(columns, rows[MOST_COMBINATIONS:], right=table.right)])]
    return [*(limits if plan.limits else []), table, *(rest if len(rows) > MOST_COMBINATIONS else [])]


def _sure(result: Tuning, proof: Trial | None) -> list[Block]:
    plan = result.plan
    ended = (f"It ended when none that was left could be better than the best by more than the {plan.matters_pct:g} % "
             "that matter." if result.settled else
             f"It ended with its last round and is not settled: another may be better by more than "
             f"{plan.matters_pct:g} %.")
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


def _how_to_repeat(result: Tuning, context: Context, number: int | None) -> list[Block]:
    plan = result.plan
    tries = " ".join(f"--try {key}={','.join(written(value) for value in values)}" for key, values in plan.choices)
    keep = "".join(f' --keep "{one.metric}{"<" if one.side == "below" else ">"}{one.value:g}"' for one in plan.limits)
    warm_up = f" --warm-up {plan.warm_up_s:g}" * bool(plan.warm_up_s)
    plays = (f"tune {result.base} {tries} --goal {plan.goal}{keep} --rounds {plan.rounds} --seconds {plan.seconds:g} "
             f"--matters {told_of(plan)} --seed {plan.seed}{warm_up}{for_game(result.base, result.game)}")
    return to_repeat(context, [plays], f"Seed {plan.seed} draws everything that is drawn.", again(number))
