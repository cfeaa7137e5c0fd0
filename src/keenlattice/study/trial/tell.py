"""A trial in blocks: what it found, and the page about it."""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from keenlattice.blocks import Block, Commands, Figures, Fold, Picture, Report, Table, Telling, Text
from keenlattice.errors import counted
from keenlattice.measure.capture import Capture, Floats
from keenlattice.measure.metrics import METRICS
from keenlattice.report.context import (
    Context,
    again,
    applying,
    excluded,
    for_game,
    page_of_two,
    to_repeat,
)
from keenlattice.report.frames import distribution, frame_times, stage_budget
from keenlattice.report.said import limits_of_trial
from keenlattice.report.style import AFTER, BEFORE, plain, small_figure
from keenlattice.report.words import TITLES, brief_title, capital, listed
from keenlattice.study.limits import SIZING
from keenlattice.study.screen.tell import standings
from keenlattice.study.trial.figure import intervals, longest_shown, runs_by_block, trial_figure, typical_block
from keenlattice.study.trial.plan import MAX_BLOCKS, NOW, TrialPlan
from keenlattice.study.trial.result import Trial
from keenlattice.study.trial.words import (
    adjusted_sentence,
    amount,
    cautions,
    drift_sentence,
    keys_of,
    measured_in,
    percent,
    price,
    word_of,
)

if TYPE_CHECKING:
    from matplotlib.figure import Figure

    from keenlattice.study.kind import Beside

Captures = Sequence[Capture]
MOST_BY_BLOCK = 3  # metrics
ENDED = {"settled": "it was settled early", "futile": "the rest would hardly have settled it"}


def sides_of(plan: TrialPlan, runs_played: int, captures: Mapping[int, Capture]) -> tuple[list[Capture], list[Capture]]:
    """Return the captures of a trial's two versions, in their order.

    Args:
        captures: by the place of their run; what was played after the trial ended, by a hunt, is left out.
    """
    sides: tuple[list[Capture], list[Capture]] = ([], [])
    for place, (_, arm, _) in enumerate(plan.runs()[:runs_played]):
        if place in captures:
            sides[arm == "after"].append(captures[place])
    return sides


def tell_trial(result: Trial, beside: "Beside | None" = None) -> Telling:
    """Tell a trial: what became of what decides, each metric, what it costs, and what to do next."""
    plan = result.plan
    early = _planned(result)
    remarks = [drift_sentence(result), adjusted_sentence(plan.adjusts_for, result.adjusted)]
    where, drawn = ("", "") if plan.order else (f" on {result.rig}", f"; seed {plan.seed}")
    return Telling(
        keys_of(result),
        f"{result.before} against {result.after}{where}: {counted(result.blocks_played, 'block')} of two "
        f"{plan.seconds:g} s runs{early}. A change of {plan.decides.in_words} matters{drawn}.",
        [*cautions(result), *excluded(result.excluded, result.doubts), *metrics_of_trial(result),
         *_prices(result), *(Text(remark, aside=True) for remark in remarks if remark)],
        _advice(result))


def _planned(result: Trial) -> str:
    """Return how many blocks it would have played at most, and why it ended before."""
    plan, why = result.plan, f": {ENDED[result.ended]}" if result.ended else ""
    if plan.sized:
        most = f", {plan.blocks} at most" * (result.asked_blocks > plan.blocks)
        count = str(result.asked_blocks) if result.asked_blocks <= MAX_BLOCKS else f"over {MAX_BLOCKS}"
        asked = f"of {count} that its first {SIZING} asked for{most}" if result.asked_blocks else (
            f"of at most {plan.blocks}")
        return f" ({asked}{why})"
    return f" (of {plan.blocks} planned{why})" if result.ended else ""


def metrics_of_trial(result: Trial) -> list[Block]:
    """Return the table of a trial's metrics, those that decide marked, and what its intervals mean."""
    rows = [[f"{'>' if metric.name in result.plan.deciders else ' '} {TITLES[metric.name]}, {metric.unit}",
             amount(metric, metric.before), amount(metric, metric.after), percent(metric)[1].removesuffix(" %"),
             word_of(metric)]
            for metric in measured_in(result)]
    decides = "decides" if len(result.plan.deciders) == 1 else "decide"
    return [Table(["", "before", "after", "change, %", "verdict"], rows, right=(1, 2, 3)), Text(
        f"> {decides}, and err in at most 1 of 20 trials; so do the other rows, taken together.",
        aside=True)]


def _prices(result: Trial) -> list[Block]:
    """Return what it costs in power and heat, and what the frames waited for, where the rig says."""
    blocks: list[Block] = []
    if result.prices:
        blocks = [Table(["what the rig said", "before", "after", "change"], [
            [f"{TITLES[metric.name]}, {metric.unit}", *price(metric)] for metric in result.prices], right=(1, 2, 3)),
            Text("Intervals at 95 %; none of these decides anything.", aside=True)]
    if limits := limits_of_trial(result.limited_by):
        blocks.append(Text(limits, aside=True))
    return blocks


def _advice(result: Trial) -> str:
    if result.after.endswith(NOW):
        profile = result.after.partition("@")[0]
        return (f"keen trial {profile}@stock {profile}{for_game(result.after, result.game)}, which plays versions in "
                "turn as the machine is now; keen report makes a page of it")
    if result.plan.order:
        return {"better": f"keep what {result.after} has set", "worse": f"go back to what {result.before} has set",
                "no difference that matters": f"leave out what {result.after} has set: it gains nothing",
                "unclear": "record more runs of either, in turn"}[result.deciding.verdict] + (
                    "; keen report makes a page of it")
    apply = ", then ".join(f"keen {command}" for command in applying(result.after))
    page = "; keen report makes a page of it"
    if {"better", "worse"} <= {metric.verdict for metric in result.decisive}:
        return f"weigh the gain against the price: {apply}, or leave it be{page}"
    game = for_game(result.before, result.game)
    repeated = (f"keen trial {result.before} {result.after}{game} --decides {result.plan.decides.metrics} --matters "
            f"{result.plan.decides.told}")
    more = f"{repeated} --pilot 8, which says how many blocks would settle it"
    if result.plan.few_switches:  # a pilot would ask for switches between a version and itself
        more = f"{repeated} --blocks {min(2 * result.plan.blocks, MAX_BLOCKS)}; or play longer runs"
    if result.asked_blocks > MAX_BLOCKS:
        more = ("play longer runs (--seconds), or let more matter (--matters): these runs vary too much to tell so "
                "little")
    elif result.asked_blocks > result.plan.blocks:
        more = f"{repeated} --blocks {result.asked_blocks} plays as many blocks as it asked for; or play longer runs"
    return {"better": f"{apply}, to keep it{page}", "worse": f"leave {result.after} be{page}",
            "no difference that matters": f"leave {result.after} be: it gains nothing{page}",
            "unclear": f"{more}{page}"}[result.deciding.verdict]


def trial_figures(result: Trial, beside: "Beside") -> Figures:
    """Return the figure of a trial, and its main part: every metric's change with its interval."""
    return Figures(
        lambda: trial_figure(result, *sides_of(result.plan, result.runs_played, beside.captures(needed=True))),
        lambda axes: intervals(axes, result),
        lambda axes: intervals(axes, replace(result, metrics=result.decisive)))


def trial_page(result: Trial, beside: "Beside") -> Report:
    """Return the page about a trial; a screen of the same two versions tells their changes apart on it."""
    screens = [study.result for study in beside.finished("screen") if study.result.game == result.game
               and (study.result.before, study.result.after) == (result.before, result.after)]
    apart: list[Block] = []
    if screens:
        apart = [Text("A screen of the same two versions told them apart:"), standings(screens[0])]
    sides = sides_of(result.plan, result.runs_played, beside.captures())
    return trial_report(result, *sides, beside.context(result.game, *beside.versions), beside.number, apart)


def trial_report(result: Trial, before: Captures, after: Captures, context: Context, number: int | None = None,
                 told_apart: Sequence[Block] = ()) -> Report:
    """The report of a trial.

    Args:
        result: what came out.
        before, after: the captures of either version, one per run; empty if they are gone.
        context: what else is known.
        number: the trial's in the logbook, if it is there.
        told_apart: what is known of each of several changes from elsewhere, a screen for example.
    """
    drawn = bool(before) and len(before) == len(after)
    pictures = trial_pictures(result, before, after) if drawn else [interval_picture(result)]
    of_pack = result.after == context.of_pack
    kept = (f"{result.after} was made of a pack for this, whose FILE is to be given." if of_pack else
            f"{result.before} and {result.after} are kept in the logbook and never change.")
    report = page_of_two(
        context, result.before, result.after,
        title=f"{context.game or result.game}: {result.before} against {result.after}", keys=keys_of(result),
        did=[*cautions(result), *pictures], each_change=[*_each(result, context), *told_apart],
        sure=[*how_sure(result), numbers(result), *costs(result)],
        plays=(_of_claims(result) if of_pack else trial_command(result)) + " --from-files" * (not context.plays),
        drawn=f"Seed {result.plan.seed} draws the order and everything else that is drawn. {kept}", number=number,
        figure=(lambda: trial_figure(result, before, after)) if drawn else None)
    return _of_recordings(report, result, context, number) if result.plan.order else report


def _of_recordings(report: Report, result: Trial, context: Context, number: int | None) -> Report:
    """The same report, of runs that were recorded before they were planned, on a machine that is not known."""
    recorded = "The runs were recorded before they were planned."
    return replace(
        report, title=f"{result.before} against {result.after}, by recordings",
        changed=report.changed if context.changes else [Text(f"{recorded} What was set for them, nobody has told.")],
        rig=[Text("On which machine they were recorded, nobody has told.")],
        repeat=to_repeat(context, [], recorded, again(number)),
        back=[Text("Nothing was changed on a rig: recordings were compared.")])


def trial_pictures(result: Trial, before: Captures, after: Captures) -> list[Block]:
    """What the trial saw: the intervals, a typical block, all frame times, latency, and where it goes if known."""
    block = typical_block(result, before, after)
    frames = [np.concatenate([capture.frame_ms for capture in side]) for side in (before, after)]
    waits = [np.concatenate([capture.latency_ms for capture in side]) for side in (before, after)]

    def of_frames() -> "Figure":
        figure = small_figure()
        distribution(figure.add_axes((0.12, 0.15, 0.85, 0.73)), frames[0], frames[1], "Frame times of all runs",
                     "frame time, ms")
        return figure

    def of_latency() -> "Figure":
        figure = small_figure()
        distribution(figure.add_axes((0.12, 0.15, 0.85, 0.73)), waits[0], waits[1], "Input latency of all runs",
                     "click to answer, ms")
        return figure

    names = [metric.name for metric in result.decisive][:MOST_BY_BLOCK]
    decides = listed([brief_title(name) for name in names])
    pictures: list[Block] = [interval_picture(result), Picture(
        f"{capital(decides)} of each run", f"{capital(decides)} of either version in each of {result.blocks_played} "
        "blocks.", lambda: _blocks(names, result.plan.repeats, before, after))]
    if all(side.size for side in frames):
        pictures += [
            Picture("Frame times over a run", f"Frame time over time in block {block + 1}, a typical one, before and "
                    f"after on the same scale. {_spoken(frames, 'frame time')}",
                    lambda: _strips(before[block], after[block], block)),
            Picture("How frame times are distributed", _spoken(frames, "frame time"), of_frames)]
    if all(side.size for side in waits):
        pictures.append(Picture("How input latency is distributed", _spoken(waits, "input latency"), of_latency))
    if any(capture.stage_ms for capture in (before[block], after[block])):
        pictures.append(Picture(
            "Where a click's time goes", "Mean time of each stage from the click to the screen, before and after.",
            lambda: _stages(before[block], after[block])))
    return pictures


def interval_picture(result: Trial) -> Picture:
    """Every metric's change with its interval, as a picture."""
    def draw() -> "Figure":
        figure = small_figure(0.4 + 0.38 * (len(measured_in(result)) + 1))
        intervals(figure.add_axes((0.26, 0.15, 0.37, 0.75)), result)
        return figure

    words = "; ".join(f"{TITLES[metric.name]}: {percent(metric)[1]}, {word_of(metric)}"
                      for metric in measured_in(result))
    return Picture("What changed by how much", f"Change of each metric in per cent, with its interval. {words}.", draw)


def _spoken(sides: Sequence[Floats], quantity: str) -> str:
    parts = []
    for name, values in zip(("Before", "After"), sides, strict=True):
        if values.size:
            middle, high = np.quantile(values, (0.5, 0.99))
            parts.append(f"{name}: median {quantity} {middle:.1f} ms, 99 in 100 below {high:.1f} ms.")
    return " ".join(parts)


def _strips(before: Capture, after: Capture, block: int) -> "Figure":
    figure = small_figure(3.6)
    top = longest_shown(before, after)
    for bottom, capture, name, colour in ((0.60, before, "before", BEFORE), (0.13, after, "after", AFTER)):
        axes = frame_times(figure.add_axes((0.10, bottom, 0.87, 0.29)), capture, colour, top)
        plain(axes, f"Block {block + 1}, {name}", "time, s" if name == "after" else "", "frame time, ms")
    return figure


def _blocks(names: Sequence[str], repeats: int, before: Captures, after: Captures) -> "Figure":
    figure = small_figure(2.1 * len(names) + 0.4)
    grid = figure.add_gridspec(len(names), 1, left=0.12, right=0.97, top=1 - 0.3 / figure.get_figheight(),
                               bottom=0.45 / figure.get_figheight(), hspace=0.5)
    for place, name in enumerate(names):
        axes = runs_by_block(figure.add_subplot(grid[place]), name, repeats, before, after)
        if place < len(names) - 1:
            axes.set_xlabel("")
    return figure


def _stages(before: Capture, after: Capture) -> "Figure":
    figure = small_figure(3.6)
    stage_budget(figure.add_axes((0.2, 0.14, 0.77, 0.76)), {"before": before, "after": after})
    return figure


def _each(result: Trial, context: Context) -> list[Block]:
    """The verdict on what was changed, on every metric; of many changes, what this cannot tell."""
    count = len(context.changes)
    blocks: list[Block] = []
    if count == 1:
        blocks.append(Table(["change", "metric", "interval", "verdict"], [
            [context.changes[0].key, TITLES[metric.name], percent(metric)[1], metric.verdict]
            for metric in result.decisive],
            code=(0,)))
    elif count:
        blocks.append(Text(f"All {count} changes were measured together. A trial does not tell "
                           "which of them did it."))
        apart = (f"screen {result.before} {context.given(result.after)} --decides {result.plan.decides.metrics} "
                 f"--matters {result.plan.decides.told}")
        blocks.append(Commands([f"{context.command(apart)}    # tells them apart"]))
    return [*blocks, *metrics_of_trial(result)]


def how_sure(result: Trial) -> list[Block]:
    """In plain words, how the numbers came about and what their intervals mean."""
    plan, decides = result.plan, result.deciding
    early = _planned(result)
    of = f"The interval of {TITLES[decides.name]}"
    matters = f"{decides.matters_pct or plan.decides.matters_pct:.3g} %"
    meaning = {
        "better": f"{of} lies wholly beyond the {matters} that matter, on the good side.",
        "worse": f"{of} lies wholly beyond the {matters} that matter, on the bad side.",
        "no difference that matters": f"{of} lies wholly within {matters} of no change at all, so this is known, and "
                                      "not merely not seen.",
        "unclear": f"{of} holds changes that matter and changes that do not ({matters} is the border), so this trial "
                   "does not tell. More blocks or longer runs would."}[decides.verdict]
    played = (f"{plan.blocks} recordings of either were compared, {plan.seconds:g} s of each, in the order in which "
              "they were played: what went up or down steadily meanwhile is taken out." if plan.order else
              f"Both versions were played in turn in {result.blocks_played} blocks{early}, {plan.seconds:g} s a run, "
              "in an order drawn at random, either first equally often: what heat or background load did to a block, "
              "it did to both.")
    return [
        Text(played),
        Text(f"{meaning} Each end of an interval that decides is wrong in one of twenty such trials at most, all looks "
             f"and all metrics that decide together; seen alone, {100 * decides.confidence:.3g} of a hundred intervals "
             "like this one hold the true change."),
        Text(" ".join(filter(None, [
            drift_sentence(result), adjusted_sentence(result.plan.adjusts_for, result.adjusted),
            f"All of it holds for this game on {'the machine that was recorded' if plan.order else 'this rig'}, as it "
            "was then."]))),
        *excluded(result.excluded, result.doubts)]


def costs(result: Trial) -> list[Block]:
    """What it costs in power and heat, where the rig says."""
    return [Fold("What the rig said of itself", _prices(result))] if result.prices else []


def numbers(result: Trial, title: str = "The numbers") -> Fold:
    """Every metric, with all that is known of it."""
    rows = [[f"{TITLES[metric.name]}, {metric.unit}",
             *("-" if metric.low_pct is None else amount(metric, value) for value in (metric.before, metric.after)),
             *percent(metric),
             f"{100 * metric.confidence:.3g} %", str(metric.n), word_of(metric)] for metric in measured_in(result)]
    return Fold(title, [
        Table(["metric", "before", "after", "change", "interval", "at", "blocks", "verdict"], rows,
              right=(1, 2, 3, 4, 5, 6)),
        Text("Before and after: geometric means over the runs. What decides has its own error, or shares one; so "
             "do the others among them."),
        Table(["metric", "what it is"], [
            [TITLES[metric.name], METRICS[metric.name].definition] for metric in measured_in(result)])])


def trial_command(result: Trial) -> str:
    """The command that plays this trial again, seed and all."""
    plan = result.plan
    words = [f"trial {result.before} {result.after}", f"--blocks {plan.blocks}" * (not plan.sized),
             f"--seconds {plan.seconds:g}", f"--decides {plan.decides.metrics}", f"--matters {plan.decides.told}",
             f"--seed {plan.seed}",
             "--every-block" * (not plan.early), f"--repeats {plan.repeats}" * (plan.repeats > 1),
             f"--warm-up {plan.warm_up_s:g}" * bool(plan.warm_up_s),
             f"--adjusts-for {plan.adjusts_for}" * bool(plan.adjusts_for), for_game(result.before, result.game).strip()]
    return " ".join(word for word in words if word)


def _of_claims(result: Trial) -> str:
    """The command that plays the trial of a pack's rule again, with those of its other rules."""
    plan = result.plan
    return f"studies claims FILE --blocks {plan.blocks} --seconds {plan.seconds:g} --seed {plan.seed}"
