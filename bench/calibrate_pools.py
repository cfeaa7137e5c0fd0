"""Scores pools against known truth, and writes docs/calibration-pools.md: part of `make calibrate`.

First on effects that are drawn from shapes, some of them unlike what the model takes them for; each rig is measured
with its own error, of which it knows a guess from few blocks. Then on a league of fictional players, whose rigs are
stand-ins: what each change truly does on a rig is had there by playing it, alone, with the same seeds before and after.
"""

import math
import os
import sys
import tempfile
import time
from collections.abc import Mapping, Sequence
from concurrent.futures import Executor, ProcessPoolExecutor
from dataclasses import replace
from functools import partial
from pathlib import Path

import numpy as np
from league import LIST, PLACEBOS, FleetPlan, FleetRig, _careless, play_fleet, player_of, rig_of

from bench.rows import Row, said
from keenlattice.catalog.load import catalog
from keenlattice.catalog.values import Value
from keenlattice.measure.capture import Floats
from keenlattice.measure.metrics import metrics_of
from keenlattice.measure.telemetry import limited_by
from keenlattice.parallel import spread
from keenlattice.profile.compare import Change
from keenlattice.profile.layers import resolve
from keenlattice.rig.standin.games import GAMES
from keenlattice.rig.standin.machine import Standin
from keenlattice.rig.standin.mechanisms import pipeline
from keenlattice.rig.standin.pipeline import simulate
from keenlattice.study.pool.answers import answers
from keenlattice.study.pool.columns import flattened
from keenlattice.study.pool.conclude import shares_beyond, standing_of
from keenlattice.study.pool.evidence import EvidenceRecord
from keenlattice.study.pool.meta import Rigs, moderated, pooled
from keenlattice.study.pool.order import Pace, in_order
from keenlattice.study.pool.play import pool_evidence
from keenlattice.study.pool.result import Pool, PoolPlan

PAGE = Path(__file__).parent.parent / "docs" / "calibration-pools.md"
METRICS = ("frame_ms_mean", "latency_ms_median")
SHAPES = ("none", "little", "normal", "heavy tails", "a third", "two sorts", "skewed")
POOLS, NEW = {5: 1500, 20: 600, 200: 300}, 40
PLAYERS, TRIES, SEED, DRAWN = 600, 10, 11, 20
TRUTH_RIGS, TRUTH_SEED, TRUTH_RUNS, TRUTH_SECONDS = 120, 12, 8, 20.0
MATTERS, SOMEWHERE = 1.0, 0.2  # per cent; share of the rigs
RESTART_MINUTES = 2.0


def drawn(shape: str, size: tuple[int, ...], random: np.random.Generator) -> Floats:
    """True effects of that shape, as log ratios."""
    if shape == "a third":  # of the rigs; the others have nothing of it
        return np.where(random.random(size) < 1 / 3, random.normal(-0.08, 0.02, size), 0.0)
    if shape == "two sorts":
        return np.where(random.random(size) < 0.5, -0.04, 0.03) + random.normal(0, 0.005, size)
    if shape == "skewed":
        return np.asarray(-random.exponential(0.03, size))
    if shape == "heavy tails":
        return np.asarray(-0.02 + 0.015 * random.standard_t(3, size))
    return random.normal(-0.02, {"none": 0.0, "little": 0.006, "normal": 0.02}[shape], size)


def covered(what: tuple[str, int]) -> tuple[int, int]:
    """Of the pools of a shape and number of rigs: how many means lie in their interval, and how many new rigs in
    theirs."""
    from scipy.special import stdtrit

    shape, size = what
    random, pools = np.random.default_rng([SHAPES.index(shape), size]), POOLS[size]
    true, sigma = drawn(shape, (pools, size), random), 0.012 * np.exp(random.normal(0, 0.5, (pools, size)))
    dof = random.integers(3, 15, (pools, size)).astype(float)
    seen = true + sigma * random.standard_normal(true.shape)
    guess = sigma ** 2 * random.chisquare(dof) / dof
    group = np.repeat(np.arange(pools), size)
    found = pooled(Rigs(seen.ravel(), moderated(guess.ravel(), dof.ravel(), group), np.arange(0, pools * size, size)))
    middle = float(drawn(shape, (2_000_000,), random).mean())
    half = stdtrit(size - 1, 0.975) * found.error
    new = drawn(shape, (pools, NEW), random)
    return (int((np.abs(found.mean - middle) <= half).sum()),
            int(((new >= found.low[:, None]) & (new <= found.high[:, None])).sum()))


def shapes(executor: Executor) -> list[Row]:
    asked = [(shape, size) for size in POOLS for shape in SHAPES]
    found = spread(covered, asked, executor)
    rows = []
    for size, pools in POOLS.items():
        own = {shape: one for (shape, of), one in zip(asked, found, strict=True) if of == size}
        rows += [Row(f"the mean lies in its interval, {size} rigs, all shapes", sum(one for one, _ in own.values()),
                     pools * len(SHAPES), 0.93, 0.97),
                 Row(f"the next rig lies in its interval, {size} rigs, all shapes", sum(one for _, one in own.values()),
                     pools * len(SHAPES) * NEW, 0.93, 0.97 if size < 200 else 1)]
        rows += [Row(f"the mean lies in its interval, {size} rigs, {shape}", one, pools, 0.93, 1)
                 for shape, (one, _) in own.items()]
        rows += [Row(f"the next rig lies in its interval, {size} rigs, {shape}", one, pools * NEW, 0.93, 1)
                 for shape, (_, one) in own.items()]
    said(rows)
    return rows


HONEST_SD, LIES = 0.012, {"a little": -0.03, "much": -0.10}


def lied(what: tuple[str, int, int]) -> bool:
    """Whether a placebo is said to help, of which a tenth of the rigs claim a gain, with errors like the others'."""
    lie, size, number = what
    random = np.random.default_rng([len(lie), size, number])
    effects = HONEST_SD * random.standard_normal(size)
    effects[:size // 10] += LIES[lie]
    return pooled_as(effects)[0].startswith("helps")


def pooled_as(effects: Floats) -> tuple[str, bool]:
    """What is said of a change by rigs that know its effect with equal errors; and whether the mean's interval has
    zero in it."""
    rigs = Rigs(effects, np.full(effects.size, HONEST_SD ** 2), np.array([0]))
    result = answers(rigs, np.log1p(np.array([MATTERS / 100])), np.array([-1.0]))
    shares = (shares_beyond(rigs, result, 1.0)[0], shares_beyond(rigs, result, -1.0)[0])
    return standing_of(result, 0, (), shares)[0], bool(abs(result.found.mean[0]) <= result.half[0])


def unseen(executor: Executor) -> list[str]:
    """What no pool can see, as lines of a page: a league that shares something, and evidence that was held back."""
    lines = ["## What no pool can see", "",
             f"A placebo, by rigs that vary by {100 * HONEST_SD:g} %, 600 pools each. Of the rigs of one league, which "
             "share an error of 2 %: how often the mean of all leagues lies in the interval. Where one in five of "
             'those who found no gain sends it: how often it "helps".', "",
             "| rigs | shared: in the interval | held back: helps |", "|---|---|---|"]
    for size in (20, 50, 200):
        pools = spread(_unseen, [(size, number) for number in range(600)], executor)
        shared, held_back = (100 * np.mean(hits) for hits in zip(*pools, strict=True))
        lines.append(f"| {size} | {shared:.0f} % | {held_back:.0f} % |")
        print(lines[-1], flush=True)
    return [*lines, ""]


def _unseen(what: tuple[int, int]) -> tuple[bool, bool]:
    random = np.random.default_rng([7, *what])
    shared = 0.02 * random.standard_normal() + HONEST_SD * random.standard_normal(what[0])
    everybody = HONEST_SD * random.standard_normal(12 * what[0])
    sent = everybody[(everybody < 0) | (random.random(everybody.size) < 0.2)][:what[0]]
    return pooled_as(shared)[1], pooled_as(sent)[0].startswith("helps")


def liars(executor: Executor) -> list[Row]:
    rows = []
    for told in LIES:
        for size in (20, 50, 100, 200):
            found = spread(lied, [(told, size, number) for number in range(600)], executor)
            rows.append(Row(f"a placebo \"helps\", a tenth of {size} rigs lie: {told}", sum(found), 600, 0, 0.05))
    said(rows)
    return rows


def run(rig: FleetRig, entries: Mapping[str, Value], seed: int) -> tuple[Floats, dict[str, float]]:
    """The logarithms of the metrics of a run on a rig, and what its frames waited for."""
    held = {key: one.value for key, one in resolve(catalog(), entries, {}).items() if one.value is not None}
    capture = simulate(pipeline(GAMES[rig.game][1], held, rig.build), TRUTH_SECONDS, seed)
    found = metrics_of(capture, METRICS)
    return np.log([found[name] for name in METRICS]), limited_by(capture)


def truth_of(number: int) -> tuple[dict[str, tuple[float, float]], dict[str, float]]:
    """What each change truly does on a rig that no pool has seen, as log ratios; and what its frames wait for."""
    rig = rig_of(TRUTH_SEED, number)
    before = [run(rig, rig.at_first, seed) for seed in range(TRUTH_RUNS)]
    base = np.mean([one for one, _ in before], axis=0)
    found = {}
    for key, value in LIST.items():
        after = base if key in PLACEBOS or rig.at_first.get(key) == value else np.mean(
            [run(rig, {**rig.at_first, key: value}, seed)[0] for seed in range(TRUTH_RUNS)], axis=0)
        found[key] = (float(after[0] - base[0]), float(after[1] - base[1]))
    return found, before[0][1]


def published(executor: Executor) -> list[list[EvidenceRecord]]:
    """What each player of the league has published."""
    folder = Path(__file__).parent.parent / "build" / f"league-{PLAYERS}-{TRIES}-{SEED}"
    files = play_fleet(FleetPlan(PLAYERS, SEED, TRIES), folder, executor)
    return [[EvidenceRecord.model_validate_json(line) for line in file.read_text().splitlines()] for file in files]


def pool_of(players: Sequence[Sequence[EvidenceRecord]]) -> Pool:
    return pool_evidence(flattened(record for records in players for record in records),
                         PoolPlan(("league",), matters_pct=MATTERS))


def in_parts(players: Sequence[Sequence[EvidenceRecord]], size: int) -> list[list[Sequence[EvidenceRecord]]]:
    return [list(players[first:first + size]) for first in range(0, len(players) - size + 1, size)]


def drawn_parts(players: Sequence[Sequence[EvidenceRecord]], size: int) -> list[list[Sequence[EvidenceRecord]]]:
    """Leagues of this many players, drawn from all; they share some, so that their intervals are a little too
    narrow."""
    random = np.random.default_rng([SEED, size])
    return [[players[one] for one in random.choice(len(players), size, replace=False)] for _ in range(DRAWN)]


Truth = Mapping[tuple[str, str], Floats]


def league(executor: Executor, players: list[list[EvidenceRecord]], truth: Truth) -> list[Row]:
    """Coverage, and which changes are found, from parts of the league."""
    rows = []
    helpful = {key for key in LIST for metric in METRICS
               if float((truth[key, metric] < -math.log1p(MATTERS / 100)).mean()) >= SOMEWHERE}
    for size in (15, 60, 600):
        pools = spread(pool_of, in_parts(players, size), executor)
        some = [(change.change[0].setting, each) for pool in pools for change in pool.changes for each in change.metrics
                if each.mean and each.next_rig and each.rigs >= 4]
        means = [100 * math.expm1(float(truth[key, each.metric].mean())) for key, each in some]
        rows.append(Row(f"league: the mean lies in its interval, about {size // 3} rigs a change", sum(
            each.mean.low_pct <= mean <= each.mean.high_pct
            for (_, each), mean in zip(some, means, strict=True) if each.mean), len(some), 0.93, 1))
        rows.append(Row(f"league: a new rig lies in its interval, about {size // 3} rigs a change", sum(
            int(((truth[key, each.metric] >= math.log1p(each.next_rig[0] / 100))
                 & (truth[key, each.metric] <= math.log1p(each.next_rig[1] / 100))).sum())
            for key, each in some if each.next_rig), len(some) * TRUTH_RIGS, 0.93, 1))
    for name, chosen in (("honest", players), ("a tenth careless", careless(players))):
        rows += _found(f"200 players, {name}", spread(pool_of, drawn_parts(chosen, 200), executor), helpful)
        rows += _found(f"60 players, {name}", spread(pool_of, drawn_parts(chosen, 60), executor), helpful)[1:]
    return rows


def _found(name: str, pools: Sequence[Pool], helpful: set[str]) -> list[Row]:
    counts = {key: sum(change.telling.standing.startswith("helps") for pool in pools for change in pool.changes
                       if change.change[0].setting == key) for key in sorted(helpful)}
    print(f"{name}: told to help in this many of {len(pools)} leagues: {counts}")
    told = [(one.change[0].setting, one.telling.standing.startswith("helps")) for pool in pools for one in pool.changes]
    good = [said_so for key, said_so in told if key in helpful]
    nothing = [said_so for key, said_so in told if key in PLACEBOS]
    league = f"league of {name}"
    return [Row(f"{league}: a change that helps a fifth of the rigs by {MATTERS:g} % is said to help", sum(good),
                len(good), 0.9, 1),
            Row(f"{league}: a placebo is said to help", sum(nothing), len(nothing), 0, 0.05)]


def careless(players: Sequence[Sequence[EvidenceRecord]]) -> list[list[EvidenceRecord]]:
    """The same evidence, with every tenth player mixing up or making up theirs, by turns."""
    plan = FleetPlan(PLAYERS, SEED, TRIES)
    found = []
    for number, records in enumerate(players):
        how = {0: "mixes up", 10: "makes up"}.get(number % 20, "")
        player = replace(player_of(plan, number), careless=how)
        found.append([_careless(record, player, plan) if how else record for record in records])
    return found


def bounds(executor: Executor, players: list[list[EvidenceRecord]]) -> list[Row]:
    """Whether what the honest say lies within the bounds that are given where a tenth is careless."""
    wrong = careless(players)
    honest = [[one for number, one in enumerate(part) if number % 10] for part in in_parts(players, 200)]
    alone, mixed = spread(pool_of, honest, executor), spread(pool_of, in_parts(wrong, 200), executor)
    held = []
    for one, other in zip(alone, mixed, strict=True):
        told = {(change.name, metric.metric): metric.bounds for change in other.changes for metric in change.metrics}
        held += [ends[0] <= each.mean.pct <= ends[1] for change in one.changes for each in change.metrics
                 if each.mean and (ends := told.get((change.name, each.metric)))]
    return [Row("what honest players say lies within the bounds, where every tenth is careless", sum(held), len(held),
                0.95, 1)]


def order(executor: Executor, players: list[list[EvidenceRecord]],
          truths: Sequence[tuple[dict[str, tuple[float, float]], dict[str, float]]]) -> list[Row]:
    """Hours until the best three changes of a new rig are tried, in the pooled order, against the list's."""
    pool = pool_of(players[:200])
    ratios = spread(partial(_hours, pool), list(enumerate(truths)), executor)
    print(f"hours in the pooled order over those of the list's order, until the best three are tried: median "
          f"{np.median(ratios):.2f}, mean {np.mean(ratios):.2f}")
    return [Row("the best three changes of a new rig are tried in at most half of the hours of the list's order",
                int((np.array(ratios) <= 0.5).sum()), len(ratios), 0.5, 1)]


def _hours(pool: Pool, what: tuple[int, tuple[dict[str, tuple[float, float]], dict[str, float]]]) -> float:
    number, (truth, limits) = what
    rig = rig_of(TRUTH_SEED, number)
    stock = {one.name: one for one in catalog()}
    left = [Change(key, rig.at_first.get(key, stock[key.partition("@")[0]].stock), value)
            for key, value in LIST.items() if rig.at_first.get(key) != value]
    switch = {one.key: RESTART_MINUTES * (stock[one.key.partition("@")[0]].restart == "machine") for one in left}
    with tempfile.TemporaryDirectory() as home:
        machine = Standin(Path(home), build=rig.build)
        machine.put(machine.changed(machine.state(), "rig", dict(rig.at_first)))
        machine.restart("machine")
        facts = dict(machine.facts())
    tried = in_order(pool, left, facts, limits, Pace(30.0, switch, MATTERS))
    minutes = {one.change[0].key: one.minutes for one in tried}
    best = sorted((one.key for one in left), key=lambda key: sum(min(0.0, each) for each in truth[key]))[:3]
    pooled_order, listed = [one.change[0].key for one in tried], [one.key for one in left]
    return _until(best, pooled_order, minutes) / _until(best, listed, minutes)


def _until(best: Sequence[str], order: Sequence[str], minutes: Mapping[str, float]) -> float:
    last = max(order.index(one) for one in best)
    return sum(minutes[one] for one in order[:last + 1])


def main() -> int:
    began = time.monotonic()
    with ProcessPoolExecutor(os.cpu_count()) as executor:
        rows, lines = [*shapes(executor), *liars(executor)], unseen(executor)
        truths = spread(truth_of, range(TRUTH_RIGS), executor)
        truth = {(key, metric): np.array([one[key][place] for one, _ in truths]) for key in LIST
                 for place, metric in enumerate(METRICS)}
        players = published(executor)
        more = [*league(executor, players, truth), *bounds(executor, players), *order(executor, players, truths)]
        said(more)
    rows += more
    missed = sum(not row.holds() for row in rows)
    text = ["# Calibration of pools", "", (__doc__ or "").split("\n\n", 1)[1].strip(), "",
            f"The league has {PLAYERS} players with {TRIES} of {len(LIST)} changes each; the truth is that of "
            f"{TRUTH_RIGS} other rigs of the population. {len(rows) - missed} of {len(rows)} claims hold. Made in "
            f"{(time.monotonic() - began) / 60:.0f} minutes on {os.cpu_count()} cores.", "",
            "| what | chances | claim | found | interval of that | holds |", "|---|---|---|---|---|---|",
            *(row.line() for row in rows), "", *lines]
    PAGE.write_text("\n".join(text), encoding="utf-8")
    print(f"{missed} of {len(rows)} claims are missed; written to {PAGE}")
    return 1 if missed else 0


if __name__ == "__main__":
    sys.exit(main())
