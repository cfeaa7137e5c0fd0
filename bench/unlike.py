"""Studies of noise that the stand-in does not make: heavy tails, drift, neighbours alike, rare events, coarse timers.

Each generator is a formula of a few lines, and each study plays by the very code of the product.
"""

import math
from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import Executor
from dataclasses import replace
from functools import cache, partial

import numpy as np
from numpy.typing import NDArray

from bench.rows import STUDIES, Row, said, seed_of
from keenlattice.measure.metrics import TRIAL_METRICS
from keenlattice.parallel import spread
from keenlattice.study.blind.plan import BlindPlan, Round, chance_to_be_found
from keenlattice.study.blind.play import over, verdict_of
from keenlattice.study.deciding import Deciding, Numbers
from keenlattice.study.hunt.play import MOST_LOOKS, MOST_PER_QUESTION
from keenlattice.study.hunt.search import Signal, first_changed, least_set
from keenlattice.study.screen.plan import ScreenPlan
from keenlattice.study.screen.play import Rounds
from keenlattice.study.screen.result import Screen
from keenlattice.study.trial.concluding import Seen, decisive_of
from keenlattice.study.trial.concluding import over as is_over
from keenlattice.study.trial.plan import MAX_BLOCKS, Arm, TrialPlan
from keenlattice.study.trial.power import blocks_to_settle, chance_to_settle, noise_of
from keenlattice.study.trial.result import MetricResult, Trial
from keenlattice.study.tune.plan import Limit, TunePlan
from keenlattice.study.tune.play import Race

Array = NDArray[np.float64]
Random = np.random.Generator
FRAME, LATENCY, STUTTERS = "frame_ms_mean", "latency_ms_median", "stutters_per_min"
NOTHING: Numbers = dict.fromkeys((*TRIAL_METRICS,), math.nan)
SD = 0.01


def neighbours(alike: float, random: Random, runs: int) -> Array:
    noise = random.standard_normal(runs)
    for run in range(1, runs):
        noise[run] = alike * noise[run - 1] + math.sqrt(1 - alike ** 2) * noise[run]
    return SD * noise


NOISE: Mapping[str, Callable[[Random, int], Array]] = {
    "normal noise": lambda random, runs: SD * random.standard_normal(runs),
    "heavy tails (t, 3)": lambda random, runs: SD / math.sqrt(3) * random.standard_t(3, runs),
    "skewed noise": lambda random, runs: SD * random.exponential(1, runs),
    "an outlier in ten": lambda random, runs: SD * random.standard_normal(runs) * np.where(
        random.random(runs) < 0.1, 6, 1),
    "neighbours alike (0.4)": partial(neighbours, 0.4),
    "neighbours alike (0.7)": partial(neighbours, 0.7),
    "a random walk": lambda random, runs: SD * np.cumsum(random.standard_normal(runs)),
    "a drift of 1 % a run": lambda random, runs: 0.01 * np.arange(runs) + SD * random.standard_normal(runs),
    "the same with little noise": lambda random, runs: 0.01 * np.arange(runs) + 0.1 * SD * random.standard_normal(runs),
    "a warm-up over the study": lambda random, runs: 0.1 * np.exp(-np.arange(runs) / 5) + SD * random.standard_normal(
        runs),
}


def numbers(**values: float) -> Numbers:
    return {**NOTHING, **values}


def decided(plan: TrialPlan, run: Callable[[int, Arm], Numbers]) -> tuple[MetricResult, int]:
    """The first deciding metric of a trial, and its runs."""
    runs: list[tuple[Arm, Numbers]] = []
    for place, (_, arm, _) in enumerate(plan.runs()):
        runs.append((arm, run(place, arm)))
        if is_over(plan, runs):
            break
    sides = [[one for side, one in runs if side == arm] for arm in ("before", "after")]
    return next(iter(decisive_of(Seen(plan, *sides)).values())), len(runs)


def noisy(plan: TrialPlan, name: str, number: int, effect: float = 0.0) -> tuple[MetricResult, int]:
    random = np.random.default_rng(seed_of(f"{name} {plan}", number))
    noise = NOISE[name](random, len(plan.runs()))
    return decided(replace(plan, seed=seed_of(name, number)), lambda place, arm: numbers(
        **{FRAME: 7 * math.exp(noise[place] + effect * (arm == "after"))}))


def ends_wrong(plan: TrialPlan, name: str, number: int) -> int:
    """How many ends of an interval are on the wrong side of zero."""
    one, _ = noisy(plan, name, number)
    return (one.low_pct or 0) > 0 or (one.high_pct or 0) < 0


def intervals(executor: Executor) -> list[Row]:
    """Versions alike, of which the interval leaves out zero at one of its ends."""
    plain = TrialPlan(decides=Deciding(FRAME), early=False)
    plans = {"4 blocks": replace(plain, blocks=4), "8 blocks": replace(plain, blocks=8),
             "up to 12 blocks, ended early": replace(plain, blocks=12, early=True),
             "8 blocks, few switches": replace(plain, blocks=8, few_switches=True),
             "8 blocks of 3 repeats": replace(plain, blocks=8, repeats=3)}
    rows = []
    for name in list(NOISE)[4:]:
        for what, plan in plans.items():
            found = spread(partial(ends_wrong, plan, name), range(STUDIES), executor)
            rows.append(Row(f"an end of an interval is wrong: {what}, {name}", sum(found), 2 * STUDIES, 0, 0.05))
        said(rows[-len(plans):])
    return rows


def after_a_switch(plan: TrialPlan, number: int) -> int:
    """The same where each run that follows a switch is 2 % slower, whichever version it is of."""
    plan = replace(plan, seed=seed_of(f"after a switch {plan}", number))
    random, arms = np.random.default_rng(plan.seed), [arm for _, arm, _ in plan.runs()]
    one, _ = decided(plan, lambda place, arm: numbers(**{FRAME: 7 * math.exp(
        SD * random.standard_normal() + 0.02 * (place > 0 and arms[place - 1] != arm))}))
    return (one.low_pct or 0) > 0 or (one.high_pct or 0) < 0


def switches(executor: Executor) -> list[Row]:
    plain = TrialPlan(8, decides=Deciding(FRAME), early=False)
    plans = {"8 blocks": plain, "8 blocks, few switches": replace(plain, few_switches=True),
             "8 blocks of 3 repeats, few switches": replace(plain, few_switches=True, repeats=3)}
    rows = [Row(f"an end of an interval is wrong: {what}, each run after a switch is 2 % slower", sum(
        spread(partial(after_a_switch, plan), range(STUDIES), executor)), 2 * STUDIES, 0, 0.05)
        for what, plan in plans.items()]
    said(rows)
    return rows


def rare(blocks: int, early: bool, number: int) -> bool:
    """Whether it is said that stutters which came up with a version make no difference: none before, one in ten runs
    of a minute after."""
    plan = TrialPlan(blocks, 60.0, seed_of("rare", number), Deciding(STUTTERS, 10.0), early)
    random = np.random.default_rng(plan.seed)
    one, _ = decided(plan, lambda _, arm: numbers(**{STUTTERS: float(random.poisson(0.1)) if arm == "after" else 0.0}))
    return one.verdict == "no difference that matters"


def coarse(blocks: int, early: bool, number: int) -> bool:
    """The same of a timer that shows +10 % in 18 of 100 runs and else nothing: +1.8 % in truth, where 1 % matters."""
    plan = TrialPlan(blocks, 30.0, seed_of("coarse", number), Deciding(FRAME, 1.0), early)
    random = np.random.default_rng(plan.seed)
    one, _ = decided(plan, lambda _, arm: numbers(
        **{FRAME: 11.0 if arm == "after" and random.random() < 0.18 else 10.0}))
    return one.verdict == "no difference that matters"


def two_values(blocks: int, early: bool, number: int) -> bool:
    """Whether a version is given from itself by a timer that knows two values."""
    plan = TrialPlan(blocks, 30.0, seed_of("two values", number), Deciding(FRAME, 0.01), early)
    random = np.random.default_rng(plan.seed)
    one, _ = decided(plan, lambda _, arm: numbers(**{FRAME: 10.0 + (random.random() < 0.5)}))
    return one.verdict in ("better", "worse")


def few_events(executor: Executor) -> list[Row]:
    rows = []
    for study, what in ((rare, 'wrong "no difference that matters": stutters, none before and 0.1 a run after'),
                        (coarse, 'wrong "no difference that matters": most runs equal, +1.8 % where 1 % matters'),
                        (two_values, 'wrong "better" or "worse": a version against itself, two values')):
        for blocks, early in ((2, False), (4, False), (8, False), (20, False), (20, True)):
            found = spread(partial(study, blocks, early), range(STUDIES), executor)
            rows.append(Row(f"{what}, {'up to ' * early}{blocks} blocks", sum(found), STUDIES, 0, 0.05))
        said(rows[-5:])
    return rows


def words(name: str, effect: float, number: int) -> str:
    """The word for a change by so much where 1 % matters, in a trial of up to 20 blocks."""
    return noisy(TrialPlan(20, decides=Deciding(FRAME)), name, number, effect)[0].verdict


def margins(executor: Executor) -> list[Row]:
    """Right at the border of what matters, where both words are the easiest to get wrong."""
    rows = []
    for name in list(NOISE)[:4]:
        found = spread(partial(words, name, math.log1p(0.01)), range(STUDIES), executor)
        rows += [Row(f'"{word}" at the very border of what matters, {name}', found.count(word), STUDIES, 0, 0.05)
                 for word in ("worse", "no difference that matters")]
    said(rows)
    return rows


def planned(name: str, early: bool, number: int) -> tuple[float, bool]:
    """A pilot and the trial that it plans: what was promised, and whether it was settled."""
    pilot = TrialPlan(8, decides=Deciding(FRAME), early=False)
    noise = noise_of(Trial("", "", "", pilot, (noisy(pilot, name, 2**20 + number)[0],)))
    blocks = blocks_to_settle(noise, 1.0, early=early) or MAX_BLOCKS
    one, _ = noisy(TrialPlan(blocks, decides=Deciding(FRAME), early=early), name, number)
    return chance_to_settle(noise, blocks, 1.0, early=early), one.verdict != "unclear"


def promises(executor: Executor) -> list[Row]:
    rows = []
    for name in list(NOISE)[:4]:
        for early in (True, False):
            found = spread(partial(planned, name, early), range(STUDIES), executor)
            promised = float(np.mean([chance for chance, _ in found]))
            rows.append(Row(f"settled as the pilot promised{'' if early else ', every block played'}, {name}",
                            sum(settled for _, settled in found), STUDIES, promised, 1))
    said(rows)
    return rows


def screened(plan: ScreenPlan, costly: Sequence[int], effect: Callable[[NDArray[np.bool_]], float], course: Array
             ) -> Screen:
    """A screen whose runs are as the settings that are on make them, and as this noise."""
    rounds = Rounds(plan, list(costly))
    while not rounds.over:
        for _, signs, _ in rounds.coming():
            level = 7 * math.exp(course[len(rounds.numbers)] + effect(signs > 0))
            rounds.add(signs, numbers(**{FRAME: level}))
        rounds.look()
    return rounds.result(Screen("", "", "", "", plan, (), (), 0, 0, 0))


def screen(factors: int, costly: Sequence[int], effect: Callable[[NDArray[np.bool_]], float], noise: str, seed: int
           ) -> Screen:
    plan = ScreenPlan(tuple((str(one),) for one in range(factors)), seed=seed, decides=Deciding(FRAME))
    return screened(plan, costly, effect, NOISE[noise](np.random.default_rng(seed), plan.rounds * plan.runs_a_round))


def restarting(noise: str, number: int) -> tuple[int, int]:
    """A screen of seven placebos of which two restart the machine: how many of these are called effective where 1 %
    matters, and how many of their ends are wrong."""
    found = screen(7, (0, 3), lambda _: 0.0, noise, seed_of(f"restarting {noise}", number))
    dear = [factor.telling for factor in found.factors if factor.settings[0] in ("0", "3")]
    return (sum(one.standing in ("better", "worse") for one in dear),
            sum((one.low_pct or 0) > 0 or (one.high_pct or 0) < 0 for one in dear))


def restarts(executor: Executor) -> list[Row]:
    rows = []
    for name in ("normal noise", *list(NOISE)[4:]):
        found = spread(partial(restarting, name), range(STUDIES), executor)
        rows += [Row(f"placebo that restarts the machine is called effective, {name}", sum(one for one, _ in found),
                     2 * STUDIES, 0, 0.05),
                 Row(f"an end of its interval is wrong, {name}", sum(one for _, one in found), 4 * STUDIES, 0, 0.05)]
    said(rows)
    return rows


PAIRS = {"two pairs": ({2, 5}, {4, 7}), "three settings that act only together": ({1, 3, 6},), "none": ()}


def paired(what: str, number: int) -> tuple[bool, bool, int]:
    """A screen of ten settings, some of which do -4 % only together: whether all that was named is there, whether just
    that, and how many ends are wrong of the intervals of the others."""
    groups = PAIRS[what]
    result = screen(10, (), lambda on: -0.04 * sum(all(on[place] for place in group) for group in groups),
                    "normal noise", seed_of(f"pairs {what}", number))
    named = [{int(setting) for setting in pair.settings} for pair in result.interactions]
    there = all(any(pair <= group for group in groups) for pair in named)
    innocent = [factor.telling for factor in result.factors if int(factor.settings[0]) not in set().union(*groups)]
    wrong = sum((effect.low_pct or 0) > 0 or (effect.high_pct or 0) < 0 for effect in innocent)
    return there, sorted(map(sorted, named)) == sorted(map(sorted, groups)), wrong


def pairs(executor: Executor) -> list[Row]:
    rows = []
    for what, groups in PAIRS.items():
        screens = spread(partial(paired, what), range(STUDIES), executor)
        rows.append(Row(f"a screen names settings as acting together that do not ({what})",
                        sum(not there for there, *_ in screens), STUDIES, 0, 0.05))
        if what == "two pairs":
            rows.append(Row(f"a screen names exactly those that act together ({what})",
                            sum(exactly for _, exactly, _ in screens), STUDIES, 0.9, 1))
        if groups:
            others = 10 - sum(map(len, groups))
            rows.append(Row(f"an end of the interval of a setting that has no part in it is wrong ({what})",
                            sum(wrong for *_, wrong in screens), 2 * others * STUDIES, 0, 0.05))
    said(rows)
    return rows


def line(versions: int, step: float, changed: int, number: int, repeats: int = 1) -> tuple[bool, bool]:
    """A hunt whose first trial said that something changed: whether it names a version that changed it, and whether it
    says that there was more than one."""
    random = np.random.default_rng(seed_of(f"line {versions} {step} {changed} {repeats}", number))
    sd = SD * math.sqrt(2) / math.sqrt(repeats)
    at = random.choice(versions - 1, changed, replace=False)
    effect = (np.arange(versions - 1)[None, :] >= at[:, None]).sum(axis=0) * step / changed
    while True:  # hunts of which the first trial came out clear
        seen = step + sd * random.standard_normal(8)
        if seen.mean() - 1.895 * seen.std(ddof=1) / math.sqrt(8) > math.log1p(0.002):
            break
    found = first_changed(versions - 1, lambda one: effect[one] + sd * random.standard_normal(),
                          Signal(seen.mean(), seen.std(ddof=1), 7), 0.05, MOST_LOOKS)
    return found.first in at, found.more


def least(kind: str, number: int) -> bool:
    """Whether a hunt names the least set among eight settings of a version that does 4 %."""
    random = np.random.default_rng(seed_of(f"least {kind}", number))
    one, other = random.choice(8, 2, replace=False).tolist()
    sd = SD * math.sqrt(2)

    def look(some: frozenset[int]) -> float:
        share = {"one": float(one in some), "half each": ((one in some) + (other in some)) / 2,
                 "only together": float({one, other} <= some)}[kind]
        return float(0.04 * share + sd * random.standard_normal())

    found = least_set(8, look, Signal(0.04 * random.uniform(0.9, 1.3), sd, 7), 0.05 / 16, MOST_PER_QUESTION)
    return {*found.items} == ({one} if kind == "one" else {one, other})


def hunts(executor: Executor) -> list[Row]:
    rows = []
    for versions, step, repeats in ((8, 0.02, 1), (8, 0.01, 1), (32, 0.02, 1), (32, 0.01, 1), (8, 0.02, 3)):
        found = spread(partial(line, versions, step, 1, repeats=repeats), range(STUDIES), executor)
        told = f" of {100 * step:g} % among {versions} versions" + f", {repeats} repeats a block" * (repeats > 1)
        rows += [Row(f"hunt names the right one: a step{told}", sum(one for one, _ in found), STUDIES, 0.9, 1),
                 Row(f"hunt says that there was more than one, and there was not: a step{told}",
                     sum(more for _, more in found), STUDIES, 0, 0.05)]
    for versions in (8, 32):
        found = spread(partial(line, versions, 0.04, 2), range(STUDIES), executor)
        rows.append(Row(f"hunt names one of two versions that did half of 4 % each, and says that there was another, "
                        f"among {versions}", sum(one and more for one, more in found), STUDIES, 0.9, 1))
    for kind in ("one", "half each", "only together"):
        rows.append(Row(f"hunt names the least set among eight settings: {kind}", sum(
            spread(partial(least, kind), range(STUDIES), executor)), STUDIES, 0.9, 1))
    said(rows)
    return rows


def raced(plan: TunePlan, run: Callable[[int], Mapping[str, float]]) -> tuple[Race, bool]:
    """A race to its end, and whether it is settled."""
    race, over = Race(plan), False
    while not over and race.rounds < plan.rounds:
        for one in race.order(race.rounds):
            race.add(race.rounds, one, numbers(**run(one)))
        over = race.look(race.rounds)
    return race, over


def tuned(kind: str, sd: float, varies: float, number: int) -> tuple[bool, bool, bool]:
    """A race of twelve: whether what it names keeps the limit; whether it says that it is settled; and whether what it
    names is then within 2 % of the best that keeps it. Where it names none, nothing is wrong."""
    random = np.random.default_rng(seed_of(f"tuned {kind} {sd} {varies}", number))
    plan = TunePlan((("one", tuple(range(12))),), Deciding(FRAME), (Limit(LATENCY, "below", 10.0),), seed=number)
    goal = np.exp(random.normal(0, 0.04, 12))
    limited = {"kept by all": np.full(12, 9.0), "a trade-off": 10 / goal * np.exp(random.normal(0, 0.01, 12)),
               "broken by all but one, by 1 %": np.where(np.arange(12) == random.integers(12), 9.7, 10.1)}[kind]
    race, over = raced(plan, lambda one: {FRAME: 7 * goal[one] * math.exp(sd * random.standard_normal()),
                                          LATENCY: limited[one] * math.exp(varies * random.standard_normal())})
    best = race.best()
    if best is None:
        return True, over, True
    keeps = limited <= 10
    return bool(keeps[best]), over, bool(keeps[best] and goal[best] <= 1.02 * goal[keeps].min())


def alike(more: float, number: int) -> bool:
    """A race of twelve that are alike, of which every other one varies so many times as much: whether it calls any
    worse."""
    random = np.random.default_rng(seed_of(f"alike {more}", number))
    race, _ = raced(TunePlan((("one", tuple(range(12))),), Deciding(FRAME), seed=number), lambda one: {
        FRAME: 7 * math.exp(SD * (more if one % 2 else 1) * random.standard_normal())})
    return "worse" in race.out.values()


def tunes(executor: Executor) -> list[Row]:
    rows = [Row(f"tune calls one of twelve worse that are alike{told}", sum(
        spread(partial(alike, more), range(STUDIES), executor)), STUDIES, 0, 0.05)
        for more, told in ((1.0, ""), (3.0, ", of which half vary three times as much"))]
    for kind, sd, varies in (("a trade-off", 0.01, 0.02), ("a trade-off", 0.01, 0.05),
                             ("broken by all but one, by 1 %", 0.01, 0.01), ("kept by all", 0.02, 0.02),
                             ("kept by all", 0.06, 0.02)):
        found = spread(partial(tuned, kind, sd, varies), range(STUDIES), executor)
        told = f"limit {kind}, runs vary by {100 * sd:g} %, what is limited by {100 * varies:g} %"
        settled = [right for _, over, right in found if over]
        rows += [Row(f"tune names one that breaks the limit: {told}", sum(not keeps for keeps, *_ in found), STUDIES, 0,
                     0.05),
                 *([Row(f"tune says that it is settled, and it is not within 2 % of the best: {told}",
                        len(settled) - sum(settled), len(settled), 0, 0.1)] if settled else [])]
    said(rows)
    return rows


def blindly(threshold: float | None, question: str, number: int) -> tuple[bool, int]:
    """A blind test of a player who feels a change of -20 % beyond a threshold (in units of it, the middle of a normal
    ogive that is as wide as the change), or who guesses: whether it is given, and the rounds."""
    random = np.random.default_rng(seed_of(f"blind {threshold} {question}", number))
    right = 0.5 if threshold is None else 0.5 + 0.5 * 0.5 * (1 + math.erf((1 - threshold) / math.sqrt(2)))
    plan, rounds = BlindPlan(20, question), list[Round]()  # type: ignore[arg-type]
    while not over(plan, rounds):
        on = "after" if random.random() < 0.5 else "before"
        if question == "which":
            feels = on if random.random() < right else {"before": "after", "after": "before"}[on]
        else:
            feels = "after" if random.random() < right else "before"
        rounds.append(Round(on, feels))  # type: ignore[arg-type]
    return verdict_of(plan, rounds)[0] != "not told", len(rounds)


def blind(executor: Executor) -> list[Row]:
    rows = []
    for question in ("which", "better"):
        error = BlindPlan(20, question).error_of_a_side
        found = spread(partial(blindly, None, question), range(2000), executor)
        rows.append(Row(f"a blind test ({question}) says that a player who guesses can feel it", sum(
            one for one, _ in found), 2000, 0, 0.05))
        for threshold in (0.0, 0.5):
            right = 0.5 + 0.25 * (1 + math.erf((1 - threshold) / math.sqrt(2)))
            found = spread(partial(blindly, threshold, question), range(2000), executor)
            chance = chance_to_be_found(20, error, right)
            rows.append(Row(f"it finds one who feels {1 - threshold:g} beyond their threshold, as was promised "
                            f"({100 * chance:.0f} %)", sum(one for one, _ in found), 2000, chance - 0.02, 1))
    said(rows)
    return rows


def unlike(executor: Executor) -> list[Row]:
    """All of them."""
    parts = (intervals, switches, few_events, margins, promises, restarts, pairs, hunts, tunes, blind)
    return [row for part in parts for row in part(executor)]


@cache
def blocks_before(deciders: int) -> int:
    """How many blocks a fixed plan took until 0.4: four chances in five that Student's intervals at 95 %, or what they
    have to be to share that error, all lie within 1 %, of versions alike, with the noise known."""
    from scipy.special import stdtrit

    ratios = SD * math.sqrt(2) * np.random.default_rng(1).standard_normal((deciders, 4000, 200))
    for blocks in range(2, 200):
        some = ratios[..., :blocks]
        half = stdtrit(blocks - 1, 1 - 0.025 / deciders) * some.std(axis=-1, ddof=1) / math.sqrt(blocks)
        if (np.abs(some.mean(axis=-1)) + half <= math.log1p(0.01)).all(axis=0).mean() >= 0.8:
            return blocks
    raise AssertionError("noise beyond all plans")


def runs_of(effect_pct: float, both: bool, number: int) -> int:
    """The runs of a trial that may take half as many blocks again as that, with latency deciding beside it, or not; it
    goes unchanged."""
    blocks = 3 * blocks_before(1 + both) // 2
    plan = TrialPlan(blocks, seed=seed_of("price", number), decides=Deciding(f"{FRAME},{LATENCY}" if both else FRAME))
    random = np.random.default_rng(seed_of(f"price {effect_pct}", number))
    effect = math.log1p(effect_pct / 100)
    return decided(plan, lambda _, arm: numbers(**{
        FRAME: 7 * math.exp(SD * random.standard_normal() + effect * (arm == "after")),
        LATENCY: 20 * math.exp(SD * random.standard_normal())}))[1]


def price(executor: Executor) -> list[str]:
    """What a verdict costs, as lines of a page."""
    before, before_two = 2 * blocks_before(1), 2 * blocks_before(2)
    lines = ["## What a verdict costs", "",
             f"Runs that vary by 1 %, where 1 % matters. The fixed plan of before took {before} runs where one metric "
             f"decided and {before_two} where two did, whatever the "
             "change was (four chances in five that versions alike are settled, the noise known). Now a trial may take "
             "half as many again, and ends once it is settled, or can hardly be any more.", "",
             "| true change | median runs, one decides | of before | two decide | of before |",
             "|---|---|---|---|---|"]
    for effect in (0.0, 2.0, 3.0, 5.0, 10.0):
        one, two = (float(np.median(spread(partial(runs_of, effect, both), range(STUDIES), executor)))
                    for both in (False, True))
        lines.append(f"| {effect:g} % | {one:.0f} | {100 * one / before:.0f} % | {two:.0f} | "
                     f"{100 * two / before_two:.0f} % |")
        print(lines[-1], flush=True)
    return [*lines, ""]
