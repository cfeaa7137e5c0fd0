"""What a trial found, in plain words, with no more digits than were measured."""

import math

from keenlattice.trial.result import MetricResult, TrialResult

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


def rounded(value: float, uncertainty: float) -> str:
    """A value with as many decimals as its uncertainty leaves meaning: down to that one's first digit."""
    decimals = min(3, max(0, -math.floor(math.log10(uncertainty)))) if uncertainty > 0 else 2
    return f"{value:.{decimals}f}"


def amount(one: MetricResult, value: float | None) -> str:
    """A metric's value, as exact as the trial knows it."""
    return "-" if value is None else rounded(value, _spread(one))


def percent(one: MetricResult) -> tuple[str, str]:
    """The change and its interval: `-24.1 %` and `-25.0 to -23.2 %`."""
    if one.change_pct is None or one.low_pct is None or one.high_pct is None:
        return "-", "-"
    half = max((one.high_pct - one.low_pct) / 2, 0.1)
    exact = 0.1 if half < 10 else 1.0
    change, low, high = (_signed(value, exact) for value in (one.change_pct, one.low_pct, one.high_pct))
    return f"{change} %", f"{low} to {high} %"


def _spread(one: MetricResult) -> float:
    """Half the interval, in the metric's own unit; never below what can be measured."""
    assert one.after is not None and one.low_pct is not None and one.high_pct is not None
    return max(abs(one.after) * (one.high_pct - one.low_pct) / 200, 0.01)


def _signed(value: float, uncertainty: float) -> str:
    if value > MOST_PCT:
        return f">+{MOST_PCT}"
    text = rounded(value, uncertainty)
    return "0" if float(text) == 0 else text if value < 0 else f"+{text}"


def sentence(one: MetricResult, matters_pct: float) -> str:
    """One metric's verdict as a sentence."""
    title, margin = TITLES[one.name].capitalize(), f"{matters_pct:g} %"
    if one.low_pct is None or one.high_pct is None:
        return f"{title}: unclear. Fewer than two blocks gave a number."
    change, interval = percent(one)
    facts = f"{amount(one, one.before)} to {amount(one, one.after)} {one.unit} ({change}; {interval})"
    if one.verdict == "unclear":
        return f"{title}: unclear, {facts}. More or longer runs would tell."
    if one.verdict == "no difference that matters":
        return f"{title}: no difference that matters, {facts}: within {margin} either way."
    return f"{title}: {one.verdict}, {facts}: beyond the {margin} that matter."


def headline(result: TrialResult) -> str:
    """The trial in one sentence: what decides, and what it says."""
    return sentence(result.deciding, result.plan.matters_pct)


def drift_sentence(result: TrialResult) -> str:
    """How the deciding metric changed over the trial, in both versions alike."""
    if result.drift_pct is None:
        return "Too few blocks to tell whether the rig changed over the trial."
    change, low, high = (_signed(value, 0.1) for value in result.drift_pct)
    told = f"From the first block to the last, {TITLES[result.plan.decides]} changed by {change} % ({low} to {high} %)"
    if result.drift_pct[1] <= 0 <= result.drift_pct[2]:
        return f"{told}: no drift of the rig can be told."
    return f"{told} in both versions alike: the rig drifted, which the blocks cancel."
