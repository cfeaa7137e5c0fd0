"""Sweeps for `test_known_results.py` over studies: what made-up numbers of runs come to, of each kind, in many ways."""

from collections.abc import Mapping, Sequence
from dataclasses import asdict
from functools import partial
from itertools import product
from pathlib import Path
from typing import Any

import numpy as np

from keenlattice import study
from keenlattice.measure.metrics import METRICS
from keenlattice.profile.pack import Claim
from keenlattice.profile.version import Entries, Version
from keenlattice.study.deciding import Numbers
from keenlattice.study.hunt._search import Signal, first_changed, least_set
from keenlattice.study.hunt.play import Looks, hunted
from keenlattice.study.screen._fit import ScreenRuns, factors, interactions
from keenlattice.study.screen.plan import ScreenPlan
from keenlattice.study.trial.concluding import conclude, ended
from keenlattice.study.trial.plan import Arm, TrialPlan
from keenlattice.study.trial.power import noise_of
from keenlattice.study.trial.result import MetricResult, claims_of, held
from keenlattice.study.tune.play import Race


def numbers(random: np.random.Generator, effect: float, noise: float, start: float = 60.0) -> Numbers:
    """A run's metrics; now and then one has none."""
    by = np.exp(random.normal(effect, noise))
    some = {name: float(8 * by * (1 + place / 40)) for place, name in enumerate(METRICS)}
    return {**some, "fps_mean": 1000 / (8 * by), "stutters_per_min": float(random.poisson(3 * by)),
            "gpu0.temperature": start, "latency_ms_p95": float("nan") if random.uniform() < 0.2 else 30 * float(by)}


def of_trials(_: Path) -> object:
    ways: Sequence[Mapping[str, Any]] = (
        {}, {"early": False}, {"repeats": 3}, {"few_switches": True}, {"few_switches": True, "repeats": 2},
        {"decides": "frame_ms_mean"}, {"decides": "stutters_per_min,fps_mean"}, {"matters_pct": 4.0},
        {"matters_of": (("latency_ms_median", 0.4, "ms"), ("frame_ms_mean", 2.0, "%"))}, {"warm_up_s": 3.0},
        {"decides": "latency_ms_p95"}, {"adjusts_for": "gpu0.temperature"})
    found = []
    for (number, way), effect, noise in product(enumerate(ways), (0.0, 0.015, -0.06), (0.004, 0.03)):
        plan = TrialPlan(**{"blocks": 16, "seconds": 20.0, "seed": number, **way})
        random = np.random.default_rng([number, round(1000 * (effect + 1)), round(1000 * noise)])
        runs: list[tuple[Arm, Numbers]] = [
            (arm, numbers(random, effect * (arm == "after"), noise, float(random.normal(60, 5))))
            for _, arm, _ in plan.runs()]
        for blocks in (3, 8, 16):
            part = runs[:2 * blocks * plan.repeats]
            before, after = ([one for side, one in part if side == arm] for arm in ("before", "after"))
            told = conclude(plan, before, after)
            found.append([ended(plan, part), [one.verdict for one in told], [
                [one.before, one.after, one.change_pct, one.low_pct, one.high_pct, one.matters_pct, one.confidence]
                for one in told[:2]]])
    return found


def of_screens(_: Path) -> object:
    names = tuple((name,) for name in ("frame.cap", "sync.vertical", "frame.queue-depth", "antialias.gamma"))
    ways: Sequence[Mapping[str, Any]] = ({}, {"folded": False}, {"repeats": 2}, {"seconds": 30.0},
                                         {"few_switches": True}, {"matters_pct": 5.0})
    found = []
    for (number, way), costly in product(enumerate(ways), ((), (1,))):
        plan = ScreenPlan(names, **{"rounds": 3, "seconds": 20.0, "seed": number, **way})
        random, rows, played, sizes = np.random.default_rng(number), [], list[Numbers](), []
        for one in range(plan.rounds):
            design = plan.design(one)
            order = plan.round_of(one, design, costly)
            sizes.append(len(order) // plan.repeats)
            for row, _ in order:
                on = design[row] > 0
                rows.append(design[row])
                played.append(numbers(random, -0.05 * on[0] + 0.02 * on[2] + 0.04 * (on[1] and on[3]), 0.01))
        seen = ScreenRuns(plan, np.array(rows), played, sizes, plan.rounds, costly)
        found.append([[[one.settings, [asdict(each) for each in one.judged], [each.standing for each in one.others]]
                       for one in factors(seen)], [asdict(one) for one in interactions(seen)]])
    return found


def of_searches(_: Path) -> object:
    found = []
    for seed, (sd, delta) in product(range(4), ((0.01, 0.05), (0.02, -0.03), (0.04, 0.02))):
        signal, look = Signal(delta, sd, 9), partial(_seen, np.random.default_rng([seed, 8]), delta, sd)
        for size, first in ((2, 1), (9, 4), (30, 29)):
            found.append(asdict(first_changed(size, lambda at, look=look, first=first: look(at >= first), signal, 0.05,
                                              200)))
        found.append(asdict(first_changed(9, lambda at, look=look: look(0.5 * (at >= 2) + 0.5 * (at >= 6)), signal,
                                          0.05, 200)))
        for items, wanted in ((1, {0}), (6, {2}), (8, {1, 6})):
            found.append(asdict(least_set(items, lambda some, look=look, wanted=wanted: look(wanted <= some), signal,
                                          0.05, 60)))
    return found


def _seen(random: np.random.Generator, delta: float, sd: float, part: float) -> float:
    """A look at what has some part of the change."""
    return delta * part + float(random.normal(0, sd))


def of_races(_: Path) -> object:
    choices = (("frame.queue-depth", (1, 2, 3)), ("texture.anisotropy", ("off", "16x")))
    ways: Sequence[Mapping[str, Any]] = (
        {}, {"few_switches": True}, {"limits": (study.Limit("frame_ms_p99", "below", 9.3),)},
        {"limits": (study.Limit("fps_mean", "above", 118.0), study.Limit("latency_ms_p95", "below", 33.0))},
        {"goal": "fps_mean"}, {"goal": "frame_ms_mean,latency_ms_median", "matters_pct": 4.0})
    found = []
    for (number, way), noise in product(enumerate(ways), (0.005, 0.03)):
        plan = {"choices": choices, "goal": "frame_ms_mean", "rounds": 12, "seed": number, **way}
        race = Race(study.TunePlan(**plan))
        random, orders = np.random.default_rng([number, 4]), []
        for one in range(12):
            orders.append(race.order(one))
            for who in orders[-1]:
                race.add(one, who, numbers(random, 0.02 * who - 0.01 * (who == 3), noise))
            if race.look(one):
                break
        found.append([orders, race.best(), race.margin(), [asdict(each) for each in race.standings()]])
    return found


def of_hunts(_: Path) -> object:
    """Lines of versions where one step, two or a part of one does something; one run now and then has no number."""
    steps: Sequence[Entries] = ({}, {"a.b": 1}, {"c.d": 2, "e.f": 3}, {"a.b": None},
                                {"g.h": 4, "i.j": 5, "k.l": 6})  # type: ignore[dict-item]
    line, entries = list[Version](), dict[str, Any]()
    for step in steps:
        entries = {key: value for key, value in {**entries, **step}.items() if value is not None}
        line.append(Version("orbit", entries))
    wholes: Mapping[str, Any] = {
        "nothing": lambda on: 0.0, "one": lambda on: 0.06 * ("e.f" in on), "two together": lambda on: -0.06 * (
            "g.h" in on and "k.l" in on), "two steps": lambda on: 0.04 * ("c.d" in on) + 0.04 * ("i.j" in on),
        "what went away": lambda on: 0.05 * ("a.b" not in on), "small": lambda on: 0.015 * ("c.d" in on)}
    found = []
    for (name, effect), noise, repeats in product(wholes.items(), (0.006, 0.02), (1, 2)):
        plan = study.HuntPlan(TrialPlan(blocks=12, seconds=20.0, seed=7, repeats=repeats, decides="frame_ms_mean"))
        played = list[str]()

        def play(place: int, arm: str, on: Entries, seed: int, effect: Any = effect, noise: float = noise,
                 played: list[str] = played) -> Numbers:
            played.append(arm)
            return numbers(np.random.default_rng([seed, place]), effect(on), noise)

        one = hunted(line, [version.entries for version in line], plan, Looks(plan, play), study.Trial(
            "orbit", line[0].reference, line[-1].reference, plan.trial, (), "made up"))
        noise_seen = noise_of(one.trial, "frame_ms_mean") if one.trial.metrics else None
        found.append([name, one.first, one.before, one.probability, one.settings, one.sure, one.metric, one.more,
                      len(played), played[-1], one.how_sure, noise_seen and [noise_seen.sd, noise_seen.dof]])
    return found


def of_claims(_: Path) -> object:
    """Whether claims hold by what was found, and what may be claimed of it."""
    ends = ((None, None), (-9.0, -5.0), (-5.0, -1.0), (-1.0, 0.0), (-1.0, 1.0), (0.0, 2.0), (3.0, 6.0))
    found = []
    for (low, high), direction, least in product(ends, ("up", "down"), (0.0, 2.0, 3.0, 5.0)):
        one = MetricResult("fps_mean", "fps", 100.0, 101.0, low and (low + (high or 0)) / 2, low, high, "unclear", 0.9,
                           8, 1.0, 0.01, 7)
        found.append(held(Claim(metric="fps_mean", direction=direction, at_least_pct=least), one))
    metrics = tuple(MetricResult(name, "ms", 8.0, 7.0, (low + high) / 2, low, high, word, 0.9, 8, 1.0, 0.01, 7)
                    for name, low, high, word in (
                        ("frame_ms_mean", -9.0, -5.0, "better"), ("frame_ms_p99", 2.0, 4.0, "worse"),
                        ("fps_mean", 3.0, 9.0, "better"), ("low_1_fps", -3.0, 3.0, "unclear")))
    trial = study.Trial("orbit", "orbit@stock", "orbit@1a2b3c4d", TrialPlan(seed=4), metrics, "made up")
    return [found, [one.model_dump(mode="json") for one in claims_of(trial, "0.4", "2026-11-20T10:00:00")]]


STUDIES = {"trials": of_trials, "screens": of_screens, "searches": of_searches, "races": of_races, "hunts": of_hunts,
           "claims of trials": of_claims}
