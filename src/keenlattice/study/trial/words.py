"""What a trial found, in plain words, with no more digits than were measured."""

from typing import TYPE_CHECKING

from keenlattice.blocks import Alert, Block, Text
from keenlattice.report.said import series_title
from keenlattice.report.words import TITLES, doing, listed, rounded, signed, signed_with_ends
from keenlattice.study.trial.adjusting import LEAST
from keenlattice.study.trial.result import MetricResult, Price, Trial

if TYPE_CHECKING:
    from keenlattice.study.kind import Beside

FINEST = {"MHz": 1.0, "mJ": 1.0}  # of telemetry: what is told no finer
LEAST_BLOCKS = 4  # for a word


def amount(result: MetricResult, value: float | None) -> str:
    """A metric's value, as exact as the trial knows it."""
    return "-" if value is None else rounded(value, _spread(result))


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


def price(one: Price) -> tuple[str, str, str]:
    """What a metric of telemetry came to before and after, and its change with the interval; as exactly as is known.

    >>> price(Price("power_w_mean", "W", 190.04, 181.52, -8.52, -9.91, -7.13, 8))
    ('190', '182', '-9 (-10 to -7)')
    """
    spread = max((one.high - one.low) / 2, FINEST.get(one.unit, 0.1))
    middle, low, high = (rounded(value, spread) for value in (one.change, one.low, one.high))
    signed = ["0" if not float(text) else text if text.startswith("-") else f"+{text}" for text in (middle, low, high)]
    return rounded(one.before, spread), rounded(one.after, spread), f"{signed[0]} ({signed[1]} to {signed[2]})"


def sentence(one: MetricResult, matters_pct: float) -> str:
    """One metric's verdict as a sentence."""
    title, margin = TITLES[one.name].capitalize(), f"{one.matters_pct or matters_pct:.3g} %"
    if not one.n:
        return f"{title} was not measured."
    if one.low_pct is None and one.before is not None:
        return (f"{title}: unclear. All blocks came to the same ratio ({amount(one, one.before)} to "
                f"{amount(one, one.after)} {one.unit}): a coarse timer, or events too rare for so few runs, may hide a "
                "difference.")
    if one.low_pct is None or one.high_pct is None:
        return f"{title}: unclear. Fewer than two blocks gave a number."
    change, interval = percent(one)
    facts = f"{amount(one, one.before)} to {amount(one, one.after)} {one.unit} ({change}; {interval})"
    if one.verdict == "unclear":
        few = one.n < LEAST_BLOCKS
        return f"{title}: unclear, {facts}. " + ("Fewer than four blocks prove nothing." if few else
                                                 "More or longer runs would tell.")
    if one.verdict == "no difference that matters":
        return f"{title}: no difference that matters, {facts}: within {margin} either way."
    return f"{title}: {one.verdict}, {facts}: beyond the {margin} that matter."


def headline(result: Trial) -> str:
    """The trial `result` in a sentence for each metric that decides, what tells most first; of several, first what it
    does to each."""
    first = result.deciding
    rest = [metric for metric in result.decisive if metric is not first and metric.name != first.name]
    measured = [(one.name, one.verdict) for one in (first, *rest) if one.n]
    at_once = f"It {doing(measured)}. " if len(measured) > 1 else ""
    return at_once + " ".join(sentence(one, result.plan.matters_pct) for one in (first, *rest))


def one_word(result: Trial) -> str:
    """The verdict on all that decides; "" where it is a gain at a price."""
    both = {"better", "worse"} <= {metric.verdict for metric in result.decisive}
    return "" if both else result.deciding.verdict


def in_brief(result: Trial) -> str:
    """The headline of one metric that decides; of several, what it does to each, and by how much."""
    measured = [metric for metric in result.decisive if metric.n]
    if len(measured) < 2:
        return headline(result)
    changes = ", ".join(f"{TITLES[effect.name]} {percent(effect)[1]}" for effect in measured)
    return f"It {doing([(metric.name, metric.verdict) for metric in measured])}: {changes}."


def whole_answer(result: Trial) -> str:
    """The headline, with every other metric that became better or worse."""
    beside = [metric for metric in result.metrics if metric.name not in result.plan.deciders]
    told = [f"{listed([TITLES[one.name] for one in some])} {'is' if len(some) == 1 else 'are'} {word}"
            for word in ("better", "worse") if (some := [one for one in beside if one.verdict == word])]
    return f"{headline(result)} Beside that, {', and '.join(told)}." if told else headline(result)


def drift_sentence(result: Trial) -> str:
    """How the deciding metric changed over the trial, in both versions alike."""
    if result.drift_pct is None:
        return "Fewer than eight blocks do not tell whether the rig changed over the trial."
    change, low, high = (signed(value, 0.1) for value in result.drift_pct)
    title = TITLES[result.plan.deciders[0]]
    told = f"From the first block to the last, {title} changed by {change} % ({low} to {high} %)"
    if result.drift_pct[1] <= 0 <= result.drift_pct[2]:
        return f"{told}: no drift of the rig can be told."
    return f"{told} in both versions alike: the rig drifted, which the blocks cancel."


def adjusted_sentence(series: str, adjusted: bool) -> str:
    """What a trial takes into account of what the rig said as its runs began, in a sentence; empty for nothing.

    >>> adjusted_sentence("gpu0.temperature", True)
    'The changes are told for an equal GPU temperature at the start of each run.'
    """
    if not series:
        return ""
    title = series_title(series)
    return f"The changes are told for an equal {title} at the start of each run." if adjusted else (
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
        blocks.append(Alert(f"it does not have what {latest.reference} sets: {', '.join(lacks)}"))
    if made.proof is None:
        return blocks, f"keen trial {base} {made.version.reference} --decides {goal}, which alone proves it"
    blocks.append(Text(f"Against where it started, in {made.proof.blocks_played} blocks of runs of their own: "
                       f"{headline(made.proof)}"))
    return blocks, (f"keen apply {label}; or into your profile: keen merge {made.version.profile} {label}; keen report "
                    "makes a page of it")
