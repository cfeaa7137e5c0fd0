"""What a trial found, in plain words, with no more digits than were measured."""

import math
from collections.abc import Mapping
from typing import TYPE_CHECKING

from keenlattice.catalog.values import written

if TYPE_CHECKING:
    from keenlattice.study.hunt.result import Hunt
    from keenlattice.study.screen.result import Effect, Screen
    from keenlattice.study.trial.result import MetricResult, Trial, Verdict
    from keenlattice.study.tune.result import Combination, Tuning

IN_BRIEF = ("os", "cpu", "threads", "ram_mib", "gpu", "driver", "panel", "refresh_hz")
UNITS = {"_mib": "MiB", "_hz": "Hz", "_mts": "MT/s", "_ms": "ms"}
MOST_PCT = 999  # a change beyond which a number says nothing more

TITLES = {
    "frame_ms_mean": "mean frame time", "frame_ms_p50": "p50 frame time", "frame_ms_p99": "p99 frame time",
    "fps_mean": "frame rate", "low_1_fps": "1 % low", "stutters_per_min": "stutters",
    "latency_ms_median": "median latency", "latency_ms_p95": "p95 latency",
    "frame_ms_p95": "p95 frame time", "frame_ms_p99_9": "p99.9 frame time",
    "frame_ms_p50_of_time": "p50 frame time, by time", "frame_ms_p95_of_time": "p95 frame time, by time",
    "frame_ms_p99_of_time": "p99 frame time, by time", "low_0_1_fps": "0.1 % low",
    "low_1_fps_quantile": "1 % low, by quantile", "low_0_1_fps_quantile": "0.1 % low, by quantile",
    "frame_change_ms_mean": "frame-to-frame change", "frame_change_ms_p99": "p99 frame-to-frame change",
    "pacing_pct": "frames near the median", "stutter_time_pct": "time in stutters",
    "longest_stutter_ms": "longest stutter", "refreshes_pct": "refreshes with a new frame",
    "cpu_bound_pct": "frames bound by the CPU", "gpu_bound_pct": "frames bound by the GPU",
    "latency_ms_mean": "mean latency", "latency_ms_spread": "spread of latency (p25 to p75)",
    "unanswered_pct": "clicks without an answer",
}
"""What a metric is called in tables, figures and sentences; "latency" is input latency, from click to answer."""


def fact(name: str, value: str) -> list[str]:
    """A rig's fact as formulas name it, with its unit behind the number instead of in the name."""
    for suffix, unit in UNITS.items():
        if name.endswith(suffix):
            name, value = (name.removesuffix(suffix) if suffix != "_ms" else name), f"{value} {unit}"
    return [name, {"True": "yes", "False": "no"}.get(value, value)]


def facts_in_brief(facts: Mapping[str, object]) -> str:
    """What a player would say of the rig, on one line."""
    return ", ".join(" ".join(fact(name, str(facts[name]))) for name in IN_BRIEF if name in facts)


KINDS = {"better": "good", "does what is claimed": "good", "best": "good", "worse": "bad", "does the opposite": "bad",
         "breaks a limit": "bad", "does not run": "bad", "limit not measured": "open", "unclear": "open",
         "not told apart": "same", "no difference that matters": "same", "does nothing that matters": "same"}
"""What each verdict comes to, by which figures choose its mark and pages its colour."""


def rounded(value: float, uncertainty: float) -> str:
    """A value with as many decimals as its uncertainty leaves meaning: down to that one's first digit."""
    if math.isinf(uncertainty):
        return f"{value:.0f}"
    decimals = min(3, max(0, -math.floor(math.log10(uncertainty)))) if uncertainty > 0 else 2
    return f"{value:.{decimals}f}"


def amount(one: "MetricResult", value: float | None) -> str:
    """A metric's value, as exact as the trial knows it."""
    return "-" if value is None else rounded(value, _spread(one))


def percent(one: "MetricResult") -> tuple[str, str]:
    """The change and its interval: `-24.1 %` and `-25.0 to -23.2 %`."""
    if one.change_pct is None or one.low_pct is None or one.high_pct is None:
        return "-", "-"
    half = max((one.high_pct - one.low_pct) / 2, 0.1)
    exact = 0.1 if half < 10 else 1.0
    change, low, high = (_signed(value, exact) for value in (one.change_pct, one.low_pct, one.high_pct))
    return f"{change} %", f"{low} to {high} %"


def _spread(one: "MetricResult") -> float:
    """Half the interval, in the metric's own unit; never below what can be measured."""
    if one.after is None or one.low_pct is None or one.high_pct is None:
        return 0.01
    return max(abs(one.after) * (one.high_pct - one.low_pct) / 200, 0.01)


def _signed(value: float, uncertainty: float) -> str:
    if value > MOST_PCT:
        return f">+{MOST_PCT}"
    text = rounded(value, uncertainty)
    return "0" if float(text) == 0 else text if value < 0 else f"+{text}"


def sentence(one: "MetricResult", matters_pct: float) -> str:
    """One metric's verdict as a sentence."""
    title, margin = TITLES[one.name].capitalize(), f"{matters_pct:g} %"
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
        return f"{title}: unclear, {facts}. More or longer runs would tell."
    if one.verdict == "no difference that matters":
        return f"{title}: no difference that matters, {facts}: within {margin} either way."
    return f"{title}: {one.verdict}, {facts}: beyond the {margin} that matter."


def headline(result: "Trial") -> str:
    """The trial `result` in a sentence for each metric that decides, what tells most first."""
    first = result.deciding
    rest = [one for one in result.decisive if one is not first and one.name != first.name]
    return " ".join(sentence(one, result.plan.matters_pct) for one in (first, *rest))


def whole_answer(result: "Trial") -> str:
    """The headline, with what it was bought with: the other metrics that went the other way."""
    other: Verdict = "better" if result.deciding.verdict == "worse" else "worse"
    beside = [one for one in result.metrics if one.name not in result.plan.deciders]
    names = [TITLES[one.name] for one in beside if one.verdict == other]
    if not names:
        return headline(result)
    told = f"{', '.join(names[:3])}" + f" and {len(names) - 3} more" * (len(names) > 3)
    begins = "In return" if other == "better" else "At a price"
    return f"{headline(result)} {begins}: {told} {'is' if len(names) == 1 else 'are'} {other}."


def drift_sentence(result: "Trial") -> str:
    """How the deciding metric changed over the trial, in both versions alike."""
    if result.drift_pct is None:
        return "Too few blocks to tell whether the rig changed over the trial."
    change, low, high = (_signed(value, 0.1) for value in result.drift_pct)
    title = TITLES[result.plan.deciders[0]]
    told = f"From the first block to the last, {title} changed by {change} % ({low} to {high} %)"
    if result.drift_pct[1] <= 0 <= result.drift_pct[2]:
        return f"{told}: no drift of the rig can be told."
    return f"{told} in both versions alike: the rig drifted, which the blocks cancel."


STANDINGS = ("better", "does what is claimed", "worse", "does the opposite", "does nothing that matters", "unclear")


def screen_headline(result: "Screen") -> str:
    """A screen in one sentence: how many changes did what, and which of them did anything."""
    counts = {word: [one for one in result.factors if one.judged.standing == word] for word in STANDINGS}
    parts = [f"{len(some)} {_counted(word, len(some))}" + (
        f" ({', '.join(' + '.join(one.settings) for one in some)})" if word not in STANDINGS[4:] and len(some) < 4
        else "") for word, some in counts.items() if some]
    return f"Of {len(result.factors)} changes, {', '.join(parts)}."


def _counted(standing: str, count: int) -> str:
    """How a count of changes is put: `3 do nothing that matters`, `1 does`."""
    if standing.startswith("does"):
        return standing if count == 1 else "do" + standing.removeprefix("does")
    return f"{'is' if count == 1 else 'are'} {standing}"


def effect_percent(effect: "Effect") -> str:
    """An effect's interval in words."""
    return between(effect.low_pct, effect.high_pct) or "too little to tell"


def between(low_pct: float | None, high_pct: float | None) -> str:
    """An interval in per cent, such as `-1.2 to +0.4 %`; "" if there is none."""
    if low_pct is None or high_pct is None:
        return ""
    return f"{_signed(low_pct, 0.1)} to {_signed(high_pct, 0.1)} %"


def tune_headline(result: "Tuning") -> str:
    """A tuning in one sentence: the best combination, and how sure that is."""
    plan, best = result.plan, result.best
    if best is None:
        return "No combination keeps the limits."
    alike = sum(one.standing == "not told apart" for one in result.combinations)
    sure = f"none is better by more than {plan.matters_pct:g} %" if result.settled else (
        f"{result.rounds_played} rounds do not settle it")
    return (f"Best for {TITLES[plan.goal]}: {combination(best)}; {sure}"
            + f", and {alike} more could not be told apart from it" * bool(alike) + ".")


def combination(one: "Combination") -> str:
    """A combination of settings, as a player would type it."""
    return ", ".join(f"{key} = {written(value)}" for key, value in one.values.items())


def hunt_headline(result: "Hunt") -> str:
    """A hunt in one sentence: the version, and the settings in it."""
    title = TITLES[result.trial.plan.decides].capitalize()
    if not result.first:
        return (f"{title} was not told to change beyond what matters from {result.trial.before} to "
                f"{result.trial.after}: there is nothing to hunt for.")
    settings = ", ".join(result.settings[:-1]) + " and " * (len(result.settings) > 1) + result.settings[-1]
    return f"{title} changed with {result.first} ({100 * result.probability:.0f} % sure), because of {settings}."
