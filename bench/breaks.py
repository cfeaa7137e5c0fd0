"""Studies that once went wrong, or may: coarse sensors, loads that come round, versions that leave something behind,
trials that size themselves. Each generator is a formula of a few lines, and each study plays by the product's code.
"""

import math
from collections.abc import Mapping, Sequence
from concurrent.futures import Executor
from dataclasses import replace
from functools import partial

import numpy as np

from bench.rows import STUDIES, Row, said, seed_of
from bench.unlike import FRAME, LATENCY, NOISE, SD, Array, decided, numbers, screened
from keenlattice.parallel import spread
from keenlattice.study.deciding import Deciding, Numbers
from keenlattice.study.hunt.play import MOST_LOOKS
from keenlattice.study.hunt.search import Signal, first_changed
from keenlattice.study.screen.plan import MOST_ROUNDS, USUAL_ROUNDS, ScreenPlan
from keenlattice.study.trial.concluding import Seen, arms_of, ended, over
from keenlattice.study.trial.plan import Arm, TrialPlan

CLICKS = 20
AT_BORDER = 1600  # studies, of which just what is claimed may be wrong: fewer would miss it by luck
OF_A_LOAD = 400   # studies, of which next to none is wrong
SIZED = TrialPlan(40, decides=Deciding(FRAME, 3.0), sized=True)
EFFECTS = np.array([0, 0, 0, 0, 0, math.log1p(0.015), math.log1p(0.03), math.log1p(-0.06)])
WAVES = ("sine", "spike", "square")
COSTLY: Mapping[str, Sequence[float]] = {
    "normal noise": (0.0, 1.0, 2.0, 5.0, 10.0), "heavy tails (t, 3)": (0.0, 5.0, 10.0),
    "neighbours alike (0.7)": (0.0, 5.0, 10.0), "a drift of 1 % a run": (0.0, 5.0, 10.0)}
"""Noise, and the true changes in per cent that are looked for in it."""


def sensed(blocks: int, step_ms: float, jitter_ms: float, effect: float, number: int) -> str:
    """The word for a change of latency by a sensor that knows whole steps: the median of some clicks a run."""
    plan = TrialPlan(blocks, 30.0, seed_of(f"sensed {blocks}", number), Deciding(LATENCY, 1.0), early=False)
    random = np.random.default_rng(plan.seed)
    base = random.uniform(24.0, 24.0 + step_ms)

    def run(_: int, arm: Arm) -> Numbers:
        waits = base * (1 + effect * (arm == "after")) + jitter_ms * random.standard_normal(CLICKS)
        return numbers(**{LATENCY: float(np.median(np.round(waits / step_ms) * step_ms))})

    return decided(plan, run)[0].verdict


def sensors(executor: Executor) -> list[Row]:
    rows = []
    for step_ms in (1.0, 2.0, 8.0):
        for blocks in (12, 20):
            words = spread(partial(sensed, blocks, step_ms, 0.3, 0.02), range(STUDIES), executor)
            rows.append(Row(f'wrong "no difference that matters": {blocks} blocks, a sensor of {step_ms:g} ms whose '
                            "clicks vary by 0.3 ms, +2 % where 1 % matters", words.count("no difference that matters"),
                            STUDIES, 0, 0.05))
    said(rows)
    return rows


def load_of(wave: str, period: int, runs: int, phase: int) -> Sequence[float]:
    """A load that comes every this many runs, of 3 %."""
    at = (np.arange(runs) + phase) % period
    shape = {"sine": np.sin(2 * math.pi * at / period), "spike": (at == 0).astype(float),
             "square": (at < period / 2).astype(float)}[wave]
    return (0.03 * shape).tolist()  # type: ignore[no-any-return]


def round_again(wave: str, period: int, sized: bool, number: int) -> bool:
    """Whether two versions alike are distinguished under such a load, with little noise, where 1 % matters."""
    plan = replace(SIZED if sized else TrialPlan(12), decides=Deciding(FRAME),
                   seed=seed_of(f"round {wave} {period}", number))
    random = np.random.default_rng(plan.seed)
    load = load_of(wave, period, len(plan.runs()), int(random.integers(period)))
    one, _ = decided(plan, lambda place, _: numbers(**{
        FRAME: 7 * math.exp(load[place] + 0.004 * random.standard_normal())}))
    return one.verdict in ("better", "worse")


def loads(executor: Executor) -> list[Row]:
    rows = []
    for wave, period in [("sine", period) for period in range(2, 9)] + [(wave, 4) for wave in WAVES[1:]]:
        for sized in (False, True):
            wrong = spread(partial(round_again, wave, period, sized), range(OF_A_LOAD), executor)
            plan = "a trial that sizes itself" if sized else "up to 12 blocks"
            most = 0.08 if period == 3 and not sized else 0.05  # which the page of limits says
            rows.append(Row(f'wrong "better" or "worse": {plan}, a load of 3 % every {period} runs ({wave})',
                            sum(wrong), OF_A_LOAD, 0, most))
    said(rows)
    return rows


def left_behind(plan: TrialPlan, noise: str, carry: float, number: int) -> bool:
    """Whether a trial doubts itself whose versions leave something for the next run."""
    random = np.random.default_rng(seed_of(f"left {noise} {carry}", number))
    plan = replace(plan, seed=seed_of("left", number))
    drawn, arms = NOISE[noise](random, len(plan.runs())), [arm for _, arm, _ in plan.runs()]
    runs: list[tuple[Arm, Numbers]] = []
    for place, arm in enumerate(arms):
        before = carry * (place > 0 and arms[place - 1] == "after")
        runs.append((arm, numbers(**{FRAME: 7 * math.exp(drawn[place] + before)})))
        if over(plan, runs):
            break
    return Seen(plan, *arms_of(runs)).is_carried_over(FRAME)


def carried(executor: Executor) -> list[Row]:
    plan = TrialPlan(24, decides=Deciding(FRAME), early=False)
    rows = [Row(f"a trial doubts that its runs are distinguished, and they are: 24 blocks, {noise}", sum(
        spread(partial(left_behind, plan, noise, 0.0), range(STUDIES), executor)), STUDIES, 0, 0.02)
        for noise in ("normal noise", "heavy tails (t, 3)", "neighbours alike (0.7)", "a drift of 1 % a run")]
    rows.append(Row("a trial doubts itself where a version leaves 3 % for the next run, 24 blocks", sum(
        spread(partial(left_behind, plan, "normal noise", 0.03), range(STUDIES), executor)), STUDIES, 0.9, 1))
    said(rows)
    return rows


def sized(noise: str, scale: float, effect: float, number: int) -> tuple[str, int]:
    """The word of a trial that sizes itself, and its runs."""
    plan = replace(SIZED, seed=seed_of(f"sized {noise}", number))
    random = np.random.default_rng(seed_of(f"sized {noise} {scale} {effect}", number))
    drawn = scale * NOISE[noise](random, len(plan.runs()))
    one, runs = decided(plan, lambda place, arm: numbers(**{
        FRAME: 7 * math.exp(drawn[place] + effect * (arm == "after"))}))
    return one.verdict, runs


def sizes(executor: Executor) -> list[Row]:
    """Right at the border of what matters, where either word is the easiest to get wrong."""
    rows, border = [], math.log1p(0.03)
    for noise, scale in (("normal noise", 1.0), ("normal noise", 2.0), ("normal noise", 3.0),
                         ("heavy tails (t, 3)", 2.0), ("neighbours alike (0.7)", 2.0), ("a drift of 1 % a run", 2.0)):
        words = [word for word, _ in spread(partial(sized, noise, scale, border), range(AT_BORDER), executor)]
        told = f"a trial that sizes itself, at the border of 3 %, {noise} of {scale:g} %"
        rows += [Row(f'wrong "{word}": {told}', words.count(word), AT_BORDER, 0, 0.05)
                 for word in ("worse", "no difference that matters")]
    said(rows)
    return rows


def sized_screen(noise: str, scale: float, is_sized: bool, number: int) -> tuple[int, int, int]:
    """A screen of eight changes, of which three do 1.5, 3 and -6 %: how many ends of their intervals are wrong, how
    many have a word, and how many runs it takes."""
    plan = ScreenPlan(tuple((str(place),) for place in range(len(EFFECTS))), seed=seed_of("screened", number),
                      rounds=MOST_ROUNDS if is_sized else USUAL_ROUNDS, decides=Deciding(FRAME, 3.0), sized=is_sized)
    course = scale * NOISE[noise](np.random.default_rng(seed_of(f"screened {noise}", number)),
                                  plan.rounds * plan.runs_a_round)
    result = screened(plan, (), lambda on: float(on @ EFFECTS), course)
    effects = [(EFFECTS[int(factor.settings[0])], factor.telling) for factor in result.factors]
    wrong = sum((math.log1p((effect.low_pct or 0) / 100) > true) + (math.log1p((effect.high_pct or 0) / 100) < true)
                for true, effect in effects if effect.low_pct is not None)
    return wrong, sum(effect.standing != "unclear" for _, effect in effects), result.runs


def sized_screens(executor: Executor) -> list[Row]:
    rows = []
    for noise, scale in (("normal noise", 1.0), ("normal noise", 2.0), ("normal noise", 4.0),
                         ("heavy tails (t, 3)", 2.0)):
        screens = spread(partial(sized_screen, noise, scale, True), range(STUDIES // 2), executor)
        rows.append(Row(f"an end of an interval is wrong: a screen that sizes itself, {noise} of {scale:g} %",
                        sum(wrong for wrong, _, _ in screens), 2 * len(EFFECTS) * len(screens), 0, 0.05))
    said(rows)
    return rows


def given_up(scale: float, effect: float, number: int) -> str:
    """What becomes of a trial of up to 20 blocks that goes on after it is called futile: "" if it never is."""
    plan = TrialPlan(20, decides=Deciding(FRAME, 3.0), seed=seed_of("given up", number))
    random = np.random.default_rng(seed_of(f"given up {scale} {effect}", number))
    runs: list[tuple[Arm, Numbers]] = []
    futile = False
    for _, arm, _ in plan.runs():
        runs.append((arm, numbers(**{FRAME: 7 * math.exp(
            scale * SD * random.standard_normal() + effect * (arm == "after"))})))
        word = ended(plan, runs) if len(runs) % 2 == 0 else ""
        futile |= word == "futile"
        if word == "settled":
            return "settled" if futile else ""
    return "unclear" if futile else ""


def futile(executor: Executor) -> list[Row]:
    rows = []
    for scale, effect in ((2.0, 0.02), (4.0, 0.0), (4.0, 0.03)):
        words = spread(partial(given_up, scale, math.log1p(effect)), range(STUDIES), executor)
        ends = len(words) - words.count("")
        rows.append(Row(f"a trial that is given up would have been settled: a change of {100 * effect:g} %, runs that "
                        f"vary by {scale:g} %, 3 % matters", words.count("settled"), ends, 0, 0.1))
    said(rows)
    return rows


def undone(part: float, number: int) -> bool:
    """Whether a hunt says that another version has a part in it, where the sixth of eight takes some of it back."""
    random = np.random.default_rng(seed_of(f"undone {part}", number))
    noise, effect = SD * math.sqrt(2), 0.02 * np.array([0, 0, 1, 1, 1, 1 - part, 1 - part])
    while True:  # hunts of which the first trial came out clear
        seen = effect[-1] + noise * random.standard_normal(8)
        if seen.mean() - 1.895 * seen.std(ddof=1) / math.sqrt(8) > math.log1p(0.002):
            break
    return first_changed(7, lambda at: effect[at] + noise * random.standard_normal(),
                         Signal(seen.mean(), seen.std(ddof=1), 7), 0.05, MOST_LOOKS).more


def taken_back(executor: Executor) -> list[Row]:
    rows = [Row("a hunt says that another version has a part, and none has: a step of 2 % among 8 versions", sum(
        spread(partial(undone, 0.0), range(STUDIES), executor)), STUDIES, 0, 0.05),
            Row("a hunt says that another version takes half of it back", sum(
                spread(partial(undone, 0.5), range(STUDIES), executor)), STUDIES, 0.15, 1)]
    said(rows)
    return rows


def breaks(executor: Executor) -> list[Row]:
    """All of them."""
    parts = (sensors, loads, carried, sizes, sized_screens, futile, taken_back)
    return [row for part in parts for row in part(executor)]


def costs(executor: Executor) -> list[str]:
    """What a trial that sizes itself costs, as lines of a page."""
    lines = ["## What a trial that sizes itself costs", "",
             f"Runs that vary by 2 %, where 3 % matters, {STUDIES} trials each; beside it one of up to 12 blocks, and "
             "a plain script of up to 16: Student's t, looked at after 4, 8, 12 and 16. Noise is twice as wide as "
             "[there](calibration.md), drift twice as steep.", "",
             "| noise | true change | runs | told | up to 12 blocks: runs | told | a script: runs | told |",
             "|---|---|---|---|---|---|---|---|"]
    twelve = TrialPlan(12, decides=Deciding(FRAME, 3.0))
    for shape, effects in COSTLY.items():
        for effect in effects:
            line = f"| {shape} | {effect:g} % |"
            for way in (partial(cost, SIZED), partial(cost, twelve), scripted):
                trials = spread(partial(way, shape, effect), range(STUDIES), executor)
                line += (f" {np.mean([runs for _, runs in trials]):.1f} | "
                         f"{100 * np.mean([word != 'unclear' for word, _ in trials]):.0f} % |")
            lines.append(line)
            print(line, flush=True)
    lines += ["", "Screens of eight changes, three of which do 1.5, 3 and -6 %; of 4 rounds beside it.", "",
              "| runs vary by | runs | told | 4 rounds: runs | told |", "|---|---|---|---|---|"]
    for scale in (1.0, 2.0, 4.0, 6.0):
        line = f"| {scale:g} % |"
        for is_sized in (True, False):
            screens = spread(partial(sized_screen, "normal noise", scale, is_sized), range(STUDIES // 4), executor)
            line += (f" {np.mean([runs for *_, runs in screens]):.0f} | "
                     f"{100 * np.mean([words for _, words, _ in screens]) / len(EFFECTS):.0f} % |")
        lines.append(line)
        print(line, flush=True)
    return [*lines, ""]


def cost(plan: TrialPlan, shape: str, effect_pct: float, number: int) -> tuple[str, int]:
    plan = replace(plan, seed=seed_of("cost", number))
    logs = noise_of(shape, f"cost {effect_pct}", number, 2 * plan.blocks)
    effect = math.log1p(effect_pct / 100)
    metric, runs = decided(plan, lambda place, arm: numbers(**{
        FRAME: 7 * math.exp(logs[place] + effect * (arm == "after"))}))
    return metric.verdict, runs


def noise_of(shape: str, what_for: str, number: int, runs: int) -> Array:
    """What the runs of a study vary by, in their order: by twice what `unlike.NOISE` has."""
    return 2 * NOISE[shape](np.random.default_rng(seed_of(f"{what_for} {shape}", number)), runs)


def scripted(shape: str, effect_pct: float, number: int) -> tuple[str, int]:
    """What one would write in an hour: pairs of runs in random order, and two one-sided t tests against either border
    of what matters, with the bounds of P. C. O'Brien and T. R. Fleming (Biometrics 1979) for four looks at 5 %."""
    from scipy import stats

    logs = noise_of(shape, f"script {effect_pct}", number, 32).reshape(16, 2)
    sides = np.random.default_rng(seed_of("script's order", number)).choice([-1, 1], 16)
    ratios, margin = math.log1p(effect_pct / 100) + sides * (logs[:, 1] - logs[:, 0]), math.log1p(0.03)
    for look in (1, 2, 3, 4):
        seen = ratios[:4 * look]
        half = stats.t.isf(stats.norm.sf(1.733 * math.sqrt(4 / look)), seen.size - 1) * stats.sem(seen)
        if abs(seen.mean()) - half > margin or abs(seen.mean()) + half < margin:
            return "told", 2 * seen.size
    return "unclear", 32
