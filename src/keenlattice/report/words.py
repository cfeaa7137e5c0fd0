"""Metrics, facts and numbers in plain words, with no more digits than were measured."""

import math
from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING

from keenlattice.blocks import MOST_KEYS, Alert, KeyFigure
from keenlattice.measure.names import full_name
from keenlattice.quickly import dataclass

if TYPE_CHECKING:
    from keenlattice.profile.checks import Finding

IN_BRIEF = ("os", "cpu", "threads", "ram_mib", "gpu", "driver", "panel", "refresh_hz")
UNITS = {"_mib": "MiB", "_hz": "Hz", "_mts": "MT/s", "_ms": "ms"}
MOST_NAMED = 4
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
    "unanswered_pct": "clicks without an answer", "power_w_mean": "power", "energy_per_frame_mj": "energy per frame",
    "cpu_temperature_c_mean": "CPU temperature", "gpu_temperature_c_mean": "GPU temperature",
    "cpu_temperature_c_worst": "highest CPU temperature", "gpu_temperature_c_worst": "highest GPU temperature",
    "cpu_clock_mhz_mean": "CPU clock", "gpu_clock_mhz_mean": "GPU clock", "throttled_pct": "time throttled",
}
"""What a metric is called in tables, figures and sentences; "latency" is input latency, from click to answer."""

PLURAL = {"stutters_per_min", "pacing_pct", "refreshes_pct", "cpu_bound_pct", "gpu_bound_pct", "unanswered_pct"}
"""The metrics whose title is a plural."""
BRIEF = {"frame_ms_mean": "frame time", "latency_ms_median": "latency"}
"""What a headline calls the metrics that decide by default; the table below it says which mean or median that is."""


def brief_title(name: str) -> str:
    """What a headline calls a metric."""
    return BRIEF.get(name, TITLES[name])


def capital(text: str) -> str:
    """The text with its first letter as a capital, and the others as they are."""
    return text[:1].upper() + text[1:]


def fact(name: str, value: str) -> list[str]:
    """A rig's fact as formulas name it, with its unit behind the number instead of in the name."""
    for suffix, unit in UNITS.items():
        if name.endswith(suffix):
            name, value = (name.removesuffix(suffix) if suffix != "_ms" else name), f"{value} {unit}"
    return [name, {"True": "yes", "False": "no"}.get(value, value)]


def facts_in_brief(facts: Mapping[str, object]) -> str:
    """What a player would say of the rig, on one line."""
    return ", ".join(" ".join(fact(name, str(facts[name]))) for name in IN_BRIEF if name in facts)


KINDS = {
    "better": "good", "does what is claimed": "good", "best": "good", "worse": "bad", "does the opposite": "bad",
    "breaks a limit": "bad", "does not run": "bad", "limit not measured": "open", "limit not sure": "open",
    "unclear": "open", "no better": "same", "not told apart": "same", "no difference that matters": "same",
    "does nothing that matters": "same"}
"""What each verdict amounts to, by which figures choose its mark and pages its colour."""


def rounded(value: float, uncertainty: float) -> str:
    """A value with as many decimals as its uncertainty leaves meaning: down to that one's first digit."""
    if math.isinf(uncertainty):
        return f"{value:.0f}"
    decimals = min(3, max(0, -math.floor(math.log10(uncertainty)))) if uncertainty > 0 else 2
    return f"{value:.{decimals}f}"


def signed_with_ends(middle: float, low: float, high: float) -> tuple[str, str, str]:
    """A change and the ends of its interval, as exact as that leaves meaning."""
    exact = 0.1 if max((high - low) / 2, 0.1) < 10 else 1.0
    return signed(middle, exact), signed(low, exact), signed(high, exact)


def signed(value: float, uncertainty: float = 0.1) -> str:
    """A change with its sign, as exact as its uncertainty leaves meaning."""
    if value > MOST_PCT:
        return f">+{MOST_PCT}"
    text = rounded(value, uncertainty)
    return "0" if float(text) == 0 else text if value < 0 else f"+{text}"


def titles(names: str) -> str:
    """The metrics of a text with commas, as a player calls them.

    >>> titles("frame_ms_mean,latency_ms_median")
    'mean frame time and median latency'
    """
    return listed([TITLES[full_name(name)] for name in names.split(",")])


def listed(words: Sequence[str]) -> str:
    """Words in a row: `a, b and c`."""
    return ", ".join(words[:-1]) + " and " * (len(words) > 1) + words[-1]


def doing(words: Sequence[tuple[str, str]]) -> str:
    """What a change does to each of some metrics, gains first.

    >>> doing([("frame_ms_mean", "no difference that matters"), ("latency_ms_median", "better")])
    'helps median latency, does nothing that matters to mean frame time'

    Args:
        words: metric and verdict of each.
    """
    by_word: dict[str, list[str]] = {}
    for name, word in words:
        by_word.setdefault(NOTHING if word.startswith(("no ", "does nothing")) else word, []).append(TITLES[name])
    return ", ".join(f"{DOES[word]} {listed(by_word[word])}" for word in DOES if word in by_word)


NOTHING = "does nothing that matters"
DOES = {"better": "helps", "does what is claimed": "does what is claimed to", "worse": "hurts",
        "does the opposite": "does the opposite to", "unclear": "is unclear for", NOTHING: f"{NOTHING} to"}


def between(low_pct: float | None, high_pct: float | None) -> str:
    """An interval in per cent, such as `-1.2 to +0.4 %`; "" if there is none."""
    if low_pct is None or high_pct is None:
        return ""
    return f"{signed(low_pct, 0.1)} to {signed(high_pct, 0.1)} %"


@dataclass(frozen=True)
class KeyGroup:
    """Changes that a study tells the same of.

    Args:
        does: the verb for several: "help".
        one_does: the same for one: "helps".
        verdict: the word that chooses its mark.
        names: of the changes; none where it does not matter which they are.
    """

    does: str
    one_does: str
    verdict: str
    count: int
    names: Sequence[str] = ()

    @property
    def verb(self) -> str:
        """The verb that agrees with the number."""
        return self.one_does if self.count == 1 else self.does


def keys_of_groups(groups: Sequence[KeyGroup], total: int) -> list[KeyFigure]:
    """Return how many of all changes do what: a key figure for each group, the last for the rest of them."""
    own, rest = (groups, ()) if len(groups) <= MOST_KEYS else (groups[:MOST_KEYS - 1], groups[MOST_KEYS - 1:])
    keys = list[KeyFigure]()
    for group in own:
        named = listed([*group.names[:MOST_NAMED], *([f"{len(group.names) - MOST_NAMED} more"] if
                                                     len(group.names) > MOST_NAMED else [])]) if group.names else ""
        changes = "" if keys else f" change{'s' * (total != 1)}"
        keys.append(KeyFigure(f"{group.count} of {total}{changes} {group.verb}{': ' * bool(named)}{named}.",
                              group.verdict, capital(group.verb), f"{group.count} of {total}", named))
    if rest:
        summary = listed([f"{group.count} {group.verb}" for group in rest])
        count = sum(group.count for group in rest)
        keys.append(KeyFigure(f"Of the others, {summary}.", "", "The others", f"{count} of {total}", summary))
    return keys


def alert_of(finding: "Finding") -> Alert:
    """Return what a check found, and what to do about it."""
    if finding.kind == "not known":
        return Alert(f"Not known: {finding.why}", finding.what_to_do, "If it is so")
    return Alert(f"{finding.kind.capitalize()} ({', '.join(finding.settings)}): {finding.why}", finding.what_to_do)
