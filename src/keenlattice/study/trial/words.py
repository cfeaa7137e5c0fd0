"""What a trial found, in plain words, with no more digits than were measured."""

from typing import TYPE_CHECKING

from keenlattice.blocks import MOST_KEYS, Alert, Block, KeyFigure, Text, in_sentences
from keenlattice.report.context import for_game
from keenlattice.report.said import series_title
from keenlattice.report.words import (
    PLURAL,
    TITLES,
    brief_title,
    capital,
    listed,
    rounded,
    signed,
    signed_with_ends,
)
from keenlattice.study.trial.adjusting import LEAST
from keenlattice.study.trial.looks import FIRST_LOOK
from keenlattice.study.trial.result import TURNED, MetricResult, Price, Trial

if TYPE_CHECKING:
    from keenlattice.study.kind import Beside

FINEST = {"MHz": 1.0, "mJ": 1.0}  # of telemetry: what is given no finer
HELD_PCT = 95.0  # of the time at a cap or sync: frame times say nothing of what lies below it


def amount(result: MetricResult, value: float | None) -> str:
    """A metric's value, as exact as the trial knows it."""
    return "-" if value is None else rounded(value, _spread(result))


def measured_in(result: Trial) -> list[MetricResult]:
    """The metrics that the runs gave at all, and those that decide."""
    by_name = {metric.name: metric for metric in result.metrics if metric.n or metric.name in result.plan.deciders}
    order = dict.fromkeys(name for decisive in by_name
                          for name in (decisive, TURNED.get(decisive, "")))  # frame rate by frame time
    return [by_name[name] for name in order if name in by_name]


def word_of(metric: MetricResult) -> str:
    """The verdict on a metric; of one that no run gave there is none."""
    return metric.verdict if metric.n else "not measured"


def percent(result: MetricResult) -> tuple[str, str]:
    """The change and its interval: `-24.1 %` and `-25.0 to -23.2 %`."""
    if result.change_pct is None or result.low_pct is None or result.high_pct is None:
        return "-", "-"
    change, low, high = signed_with_ends(result.change_pct, result.low_pct, result.high_pct)
    return f"{change} %", f"{low} to {high} %"


def _spread(result: MetricResult) -> float:
    """Half the interval, in the metric's own unit; never below what can be measured."""
    if result.after is None or result.low_pct is None or result.high_pct is None:
        return 0.01
    return max(abs(result.after) * (result.high_pct - result.low_pct) / 200, 0.01)


def price(metric: Price) -> tuple[str, str, str]:
    """What a metric of telemetry was before and after, and its change with the interval; as exactly as is known.

    >>> price(Price("power_w_mean", "W", 190.04, 181.52, -8.52, -9.91, -7.13, 8))
    ('190', '182', '-9 (-10 to -7)')
    """
    spread = max((metric.high - metric.low) / 2, FINEST.get(metric.unit, 0.1))
    middle, low, high = (rounded(value, spread) for value in (metric.change, metric.low, metric.high))
    signed = ["0" if not float(text) else text if text.startswith("-") else f"+{text}" for text in (middle, low, high)]
    return rounded(metric.before, spread), rounded(metric.after, spread), f"{signed[0]} ({signed[1]} to {signed[2]})"


def key_of(result: Trial, metric: MetricResult) -> KeyFigure:
    """Return what a trial says of one metric: its verdict, before and after, and the change with its interval."""
    title = capital(brief_title(metric.name))
    are = metric.name in PLURAL
    if not metric.n:
        return KeyFigure(f"{title} {'were' if are else 'was'} not measured.", "", title, "not measured")
    if rate := _held_at(result, metric):
        why = f"a cap or vertical sync holds both at {rate} fps"
        return KeyFigure(f"{title} cannot differ: {why}.", metric.verdict, title, f"{rate} fps", capital(why))
    figure = f"{amount(metric, metric.before)} -> {amount(metric, metric.after)} {metric.unit}"
    if metric.low_pct is None or metric.high_pct is None or metric.change_pct is None:
        why = "fewer than two blocks gave a number" if metric.before is None else (
            "every block gave the same ratio, so a coarse timer or rare events may hide a difference")
        return KeyFigure(f"{title} {'are' if are else 'is'} unclear: {why}.", metric.verdict, title,
                         "no number" if metric.before is None else figure, capital(why))
    change, low, high = _change_in_brief(metric, metric.change_pct, metric.low_pct, metric.high_pct)
    rates = _frame_rates(result, metric)
    does = f"{'show' if are else 'shows'} {metric.verdict}" if metric.verdict.startswith("no ") else (
        f"{'are' if are else 'is'} {metric.verdict}")
    why = _why_unclear(result, metric)
    return KeyFigure(
        f"{title} {does}: {figure}{f', {rates}' * bool(rates)} ({change} %, between {low} and {high}){why}.",
        metric.verdict, title, figure, f"{change} %, between {low} and {high}{f'; {rates}' * bool(rates)}{why}")


def _why_unclear(result: Trial, metric: MetricResult) -> str:
    """Return why a metric has no word, where its interval does not say so by itself; else ""."""
    if result.plan.out_of_turn:
        return "; the runs were not played in turn, so there is no word"
    if metric.verdict != "unclear" or metric.low_pct is None or metric.high_pct is None:
        return ""
    down = -metric.matters_pct / (1 + metric.matters_pct / 100)
    if not (metric.low_pct > metric.matters_pct or metric.high_pct < down):
        return ""
    return (f"; fewer than {FIRST_LOOK} blocks have no word" if metric.n < FIRST_LOOK else
            "; all of that matters, and yet it is not sure enough for a word")


def _change_in_brief(metric: MetricResult, change: float, low: float, high: float) -> tuple[str, str, str]:
    """Return a change and its interval in whole per cent where that is as much as is known; finer where an end would
    round onto zero or onto the border of what matters, and so contradict the verdict."""
    borders = (0.0, metric.matters_pct, -metric.matters_pct / (1 + metric.matters_pct / 100))
    coarse = high - low >= 2 and all(abs(end - border) >= 0.5 for end in (low, high) for border in borders)
    exact = 1.0 if coarse else 0.1
    return signed(change, exact), signed(low, exact), signed(high, exact)


def _frame_rates(result: Trial, metric: MetricResult) -> str:
    """Return the frame rates that go with mean frame times; "" beside any other metric."""
    rates = {entry.name: entry for entry in result.metrics}.get("fps_mean")
    if metric.name != "frame_ms_mean" or rates is None or rates.before is None or rates.after is None:
        return ""
    return f"{rates.before:.0f} -> {rates.after:.0f} fps"


def _held_at(result: Trial, metric: MetricResult) -> str:
    """Return the frame rate that a cap or sync holds both versions at, where frame times cannot differ for that."""
    shares = [result.limited_by.get(arm, {}).get("cap", 0.0) for arm in ("before", "after")]
    if metric.name not in ("frame_ms_mean", "fps_mean") or min(shares) < HELD_PCT or (
            metric.verdict in ("better", "worse")) or metric.before is None or metric.after is None:
        return ""
    before, after = (f"{1000 / value if metric.unit == 'ms' else value:.0f}" for value in (metric.before, metric.after))
    return before if before == after else ""


def keys_of(result: Trial, most: int = MOST_KEYS) -> list[KeyFigure]:
    """Return what a trial says of each metric that decides, what tells most first."""
    first = result.deciding
    order = [first, *(metric for metric in result.decisive if metric.name != first.name)]
    return [key_of(result, metric) for metric in order[:most]]


def headline(result: Trial) -> str:
    """The trial `result` in a sentence for each metric that decides, what tells most first."""
    return in_sentences(keys_of(result, len(result.decisive)))


def cautions(result: Trial) -> list[Block]:
    """Return what became worse among the metrics that do not decide, and that there were too few blocks for a word."""
    few = 0 < max(metric.n for metric in result.decisive) < FIRST_LOOK
    is_worse = any(metric.verdict == "worse" for metric in result.decisive)
    worse = [TITLES[metric.name] for metric in result.metrics
             if not is_worse and metric.name not in result.plan.deciders and metric.verdict == "worse"]
    return [*([Alert(f"Fewer than {FIRST_LOOK} blocks prove nothing, whatever they show")] if few else []),
            *([Alert(f"Worse, though not among what decides: {listed(worse)}")] if worse else [])]


def drift_sentence(result: Trial) -> str:
    """How the deciding metric changed over the trial, in both versions alike."""
    if result.drift_pct is None:
        return "Fewer than eight blocks do not tell whether the rig changed over the trial."
    change, low, high = (signed(value, 0.1) for value in result.drift_pct)
    title = TITLES[result.plan.deciders[0]]
    lead = f"From the first block to the last, {title} changed by {change} % ({low} to {high} %)"
    if result.drift_pct[1] <= 0 <= result.drift_pct[2]:
        return f"{lead}: no drift of the rig can be told."
    return f"{lead} in both versions alike: the rig drifted, which the blocks cancel."


def adjusted_sentence(series: str, adjusted: bool) -> str:
    """What a trial takes into account of what the rig said as its runs began, in a sentence; empty for nothing.

    >>> adjusted_sentence("gpu0.temperature", True)
    'The changes are given for an equal GPU temperature at the start of each run.'
    """
    if not series:
        return ""
    title = series_title(series)
    return f"The changes are given for an equal {title} at the start of each run." if adjusted else (
        f"The {title} is not taken into account: that takes {LEAST} blocks at least, and runs that all know it.")


def what_was_made(goal: str, beside: "Beside") -> tuple[list[Block], str]:
    """Return which version was made of a tuning's or a ramp's best, from which, what proves it, and what is next.

    Args:
        goal: the metrics that it was to make as good as can be.
    """
    made = beside.made
    if made is None:
        return [], ""
    base, latest = beside.spec.versions[0].reference, beside.find(beside.spec.owner)
    label = f"{made.version.profile}@{made.label}"
    blocks: list[Block] = [Text(f"{label} ({made.version.reference}) was made of the best, from {base}. Your latest "
                                f"version stays {latest.reference}, and the rig is as it was.")]
    if lacks := [key for key in latest.entries if key not in made.version.entries]:
        blocks.append(Alert(f"It does not have what {latest.reference} sets: {', '.join(lacks)}"))
    if made.proof is None:
        game = for_game(base, beside.spec.game) if beside.spec.game else ""
        return blocks, f"keen trial {base} {made.version.reference}{game} --decides {goal}, which alone proves it"
    blocks.append(Text(f"Proved against where it started, in {made.proof.blocks_played} blocks of runs of their own."))
    return blocks, (f"keen apply {label}; or into your profile: keen merge {made.version.profile} {label}; keen report "
                    "makes a page of it")
