"""What a trial found, in plain words, with no more digits than were measured."""

import math
from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING

from keenlattice.catalog.values import written

if TYPE_CHECKING:
    from keenlattice.study.blind.plan import Blind
    from keenlattice.study.hunt.plan import Hunt
    from keenlattice.study.screen.result import Effect, Factor, Screen
    from keenlattice.study.trial.result import MetricResult, Price, Trial
    from keenlattice.study.tune.plan import Combination, Tuning

IN_BRIEF = ("os", "cpu", "threads", "ram_mib", "gpu", "driver", "panel", "refresh_hz")
UNITS = {"_mib": "MiB", "_hz": "Hz", "_mts": "MT/s", "_ms": "ms"}
FINEST = {"MHz": 1.0, "mJ": 1.0}  # of telemetry: what is told no finer
LEAST_BLOCKS = 4  # for a word
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
    change, low, high = signed_with_ends(one.change_pct, one.low_pct, one.high_pct)
    return f"{change} %", f"{low} to {high} %"


def signed_with_ends(middle: float, low: float, high: float) -> tuple[str, str, str]:
    """A change and the ends of its interval, as exact as that leaves meaning."""
    exact = 0.1 if max((high - low) / 2, 0.1) < 10 else 1.0
    return signed(middle, exact), signed(low, exact), signed(high, exact)


def _spread(one: "MetricResult") -> float:
    """Half the interval, in the metric's own unit; never below what can be measured."""
    if one.after is None or one.low_pct is None or one.high_pct is None:
        return 0.01
    return max(abs(one.after) * (one.high_pct - one.low_pct) / 200, 0.01)


def signed(value: float, uncertainty: float = 0.1) -> str:
    """A change with its sign, as exact as its uncertainty leaves meaning."""
    if value > MOST_PCT:
        return f">+{MOST_PCT}"
    text = rounded(value, uncertainty)
    return "0" if float(text) == 0 else text if value < 0 else f"+{text}"


def counted(count: int, one: str, many: str = "") -> str:
    """So many of something: `no studies`, `1 study`, `3 studies`."""
    return f"{count or 'no'} {one if count == 1 else many or one + 's'}"


def titles(names: str) -> str:
    """The metrics of a text with commas, as a player calls them.

    >>> titles("frame_ms_mean,latency_ms_median")
    'mean frame time and median latency'
    """
    return listed([TITLES[one.strip()] for one in names.split(",")])


def price(one: "Price") -> tuple[str, str, str]:
    """What a metric of telemetry came to before and after, and its change with the interval; as exactly as is known.

    >>> from keenlattice.study.trial.result import Price
    >>> price(Price("power_w_mean", "W", 190.04, 181.52, -8.52, -9.91, -7.13, 8))
    ('190', '182', '-9 (-10 to -7)')
    """
    spread = max((one.high - one.low) / 2, FINEST.get(one.unit, 0.1))
    middle, low, high = (rounded(value, spread) for value in (one.change, one.low, one.high))
    signed = ["0" if not float(text) else text if text.startswith("-") else f"+{text}" for text in (middle, low, high)]
    return rounded(one.before, spread), rounded(one.after, spread), f"{signed[0]} ({signed[1]} to {signed[2]})"


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


def sentence(one: "MetricResult", matters_pct: float) -> str:
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


def headline(result: "Trial") -> str:
    """The trial `result` in a sentence for each metric that decides, what tells most first; of several, first what it
    does to each."""
    first = result.deciding
    rest = [one for one in result.decisive if one is not first and one.name != first.name]
    measured = [(one.name, one.verdict) for one in (first, *rest) if one.n]
    at_once = f"It {doing(measured)}. " if len(measured) > 1 else ""
    return at_once + " ".join(sentence(one, result.plan.matters_pct) for one in (first, *rest))


def one_word(result: "Trial") -> str:
    """The verdict on all that decides; "" where it is a gain at a price."""
    both = {"better", "worse"} <= {one.verdict for one in result.decisive}
    return "" if both else result.deciding.verdict


def in_brief(result: "Trial") -> str:
    """The headline of one metric that decides; of several, what it does to each, and by how much."""
    measured = [one for one in result.decisive if one.n]
    if len(measured) < 2:
        return headline(result)
    changes = ", ".join(f"{TITLES[one.name]} {percent(one)[1]}" for one in measured)
    return f"It {doing([(one.name, one.verdict) for one in measured])}: {changes}."


def whole_answer(result: "Trial") -> str:
    """The headline, with every other metric that became better or worse."""
    beside = [one for one in result.metrics if one.name not in result.plan.deciders]
    told = [f"{listed([TITLES[one.name] for one in some])} {'is' if len(some) == 1 else 'are'} {word}"
            for word in ("better", "worse") if (some := [one for one in beside if one.verdict == word])]
    return f"{headline(result)} Beside that, {', and '.join(told)}." if told else headline(result)


def drift_sentence(result: "Trial") -> str:
    """How the deciding metric changed over the trial, in both versions alike."""
    if result.drift_pct is None:
        return "Fewer than eight blocks do not tell whether the rig changed over the trial."
    change, low, high = (signed(value, 0.1) for value in result.drift_pct)
    title = TITLES[result.plan.deciders[0]]
    told = f"From the first block to the last, {title} changed by {change} % ({low} to {high} %)"
    if result.drift_pct[1] <= 0 <= result.drift_pct[2]:
        return f"{told}: no drift of the rig can be told."
    return f"{told} in both versions alike: the rig drifted, which the blocks cancel."


SORTS = {("better",): "help", ("does what is claimed",): "do what is claimed", ("better", "worse"): "help at a price",
         ("worse",): "hurt", ("does the opposite",): "do the opposite", ("does nothing that matters",):
         "do nothing that matters", ("unclear",): "are unclear"}
ONE = {"do": "does", "are": "is", "help": "helps", "hurt": "hurts"}
MOST_NAMED = 4


def screen_headline(result: "Screen") -> str:
    """A screen in one sentence: how many changes did what, and which of them did anything, to what."""
    counts: dict[str, list[Factor]] = {}
    for factor in result.factors:
        counts.setdefault(SORTS[tuple(sorted(factor.standings))], []).append(factor)
    parts = []
    for sort in SORTS.values():
        if some := counts.get(sort):
            verb, _, rest = sort.partition(" ")
            told = f"{len(some)} {ONE[verb] if len(some) == 1 else verb}{' ' * bool(rest)}{rest}"
            named = len(some) <= MOST_NAMED and sort not in ("do nothing that matters", "are unclear")
            parts.append(told + (f" ({'; '.join(_gain(one) for one in some)})" if named else ""))
    return f"Of {len(result.factors)} changes, {', '.join(parts)}.{_not_measured(result)}"


def _gain(factor: "Factor") -> str:
    """A change and what it does; which metric, where several decide."""
    name = " + ".join(factor.settings)
    told = [(one.metric, one.standing) for one in factor.measured if one.standing in ("better", "worse")]
    return f"{name} {doing(told)}" if len(factor.judged) > 1 else name


def _not_measured(result: "Screen") -> str:
    """What decides and was not measured."""
    judged = [one for factor in result.factors for one in factor.judged]
    missing = [name for name in dict.fromkeys(one.metric for one in judged)
               if all(one.change_pct is None for one in judged if one.metric == name)]
    return f" {listed([TITLES[name] for name in missing]).capitalize()}: not measured." if missing and len(
        missing) < len({one.metric for one in judged}) else ""


def factor_does(factor: "Factor") -> str:
    """What a change does to each metric that it is judged by; of one, the word alone."""
    if len(factor.judged) == 1:
        return factor.judged[0].standing
    return doing([(one.metric, one.standing) for one in factor.measured])


NONE_TOGETHER = "No two of them were seen to do together what neither does alone."


def together(result: "Screen") -> list[str]:
    """What some changes do only together, each as a sentence without its full stop."""
    return [f"{one.settings[0]} with {one.settings[1]} does {one.change_pct:+.1f} % to {TITLES[one.metric]} beyond "
            "what each does alone" if len(one.settings) == 2 else
            f"{listed(one.settings)} act together on {TITLES[one.metric]} (up to {one.change_pct:+.1f} % beyond what "
            "each does alone)" for one in result.interactions]


def effect_percent(effect: "Effect") -> str:
    """An effect's interval in words."""
    return between(effect.low_pct, effect.high_pct) or "too little to tell"


def between(low_pct: float | None, high_pct: float | None) -> str:
    """An interval in per cent, such as `-1.2 to +0.4 %`; "" if there is none."""
    if low_pct is None or high_pct is None:
        return ""
    return f"{signed(low_pct, 0.1)} to {signed(high_pct, 0.1)} %"


def tune_headline(result: "Tuning") -> str:
    """A tuning in one sentence: the best combination, and how sure that is."""
    plan, best = result.plan, result.best
    counts = {word: sum(one.standing == word for one in result.combinations)
              for word in ("no better", "not told apart", "limit not sure")}
    if best is None:
        if not (open_ := counts["limit not sure"]):
            return "No combination keeps the limits."
        return f"No combination surely keeps the limits; {open_} may, which {result.rounds_played} rounds do not tell."
    sure = f"none is better by more than {plan.matters_pct:g} %" if result.settled else (
        f"{result.rounds_played} rounds do not settle it")
    more = [f"{counts['no better']} more are as good within that" * bool(counts["no better"]),
            f"{counts['not told apart']} could not be told apart from it" * bool(counts["not told apart"]),
            f"of {counts['limit not sure']} it is not known whether they keep the limits" * bool(
                counts["limit not sure"])]
    return f"Best for {titles(plan.goal)}: {'; '.join([combination(best), sure, *(one for one in more if one)])}."


def combination(one: "Combination") -> str:
    """A combination of settings, as a player would type it."""
    return ", ".join(f"{key} = {written(value)}" for key, value in one.values.items())


ENDINGS = {
    "felt, measured": "Felt and measured: it is real, and you notice.",
    "felt, not measured": "Felt, and not measured: look for what was not measured (another metric, the picture, the "
                          "sound), or measure again.",
    "felt, not known": "Whether it can be measured, no trial of these two has settled yet.",
    "not felt, measured": "Measured, and not shown to be felt: it is real; whether you notice it, this test left open.",
    "not felt, not measured": "No difference that matters was measured, and none shown to be felt: leave it out.",
    "not felt, not known": "Whether it can be measured, no trial of these two has settled yet."}


def blind_headline(result: "Blind") -> str:
    """A blind test in two sentences: what was told, and by how many rounds."""
    count, plan = len(result.rounds), result.plan
    if plan.question == "which":
        told = f"{result.right} of {count} answers were right"
    else:
        told = f"{result.after} felt better in {result.right} of {count} rounds"
    if result.felt == "felt":
        return f"You can feel it: {told}. Whoever guesses comes so far in one of {1 / plan.error:.0f} tests at most."
    if result.felt != "not told":
        better, worse = ((result.after, result.before) if result.felt.startswith("after") else
                         (result.before, result.after))
        return (f"{better} feels better than {worse}: {told}. By chance it comes so far in one of {1 / plan.error:.0f} "
                "tests at most.")
    return (f"Not told: {told}, as guessing may bring. Whoever is right in four of five rounds would have been found "
            f"in {100 * result.chance:.0f} of 100 such tests.")


def hunt_headline(result: "Hunt") -> str:
    """A hunt in one sentence: the version, and the settings in it."""
    if not result.first:
        return (f"{titles(result.trial.plan.decides).capitalize()}: no change beyond what matters was told from "
                f"{result.trial.before} to {result.trial.after}, so there is nothing to hunt for.")
    return (f"{TITLES[result.metric].capitalize()} changed with {result.first} ({result.how_sure} "
            f"sure), because of {listed(result.settings)}.{also_changed(result)}")


def also_changed(result: "Hunt") -> str:
    """That it was not this version alone, or not this metric alone; "" if nothing was seen of either."""
    told = " It was not that version alone: another in the line has a part in it." * result.more
    others = [one.name for one in result.trial.decisive
              if one.name != result.metric and one.verdict in ("better", "worse")]
    return told + "".join(f" {TITLES[name].capitalize()} changed, too; since when, keen hunt --decides {name} tells."
                          for name in others)
