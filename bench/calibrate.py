"""Scores trials and screens against the stand-in's truth, and writes docs/calibration.md: `make calibrate`.

Every figure is of simulated studies, as many as its row says, whose seeds follow from its name and number; with the
interval that this number of studies leaves (C. J. Clopper and E. S. Pearson, Biometrika 1934). A claim holds if the
whole interval is on its safe side, or misses it by 2 per cent points at most. `python -m bench.calibrate PART` plays
one part again.
"""

import json
import math
import os
import sys
import tempfile
import time
from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import Executor, ProcessPoolExecutor
from dataclasses import asdict, replace
from functools import cache, partial
from pathlib import Path

import numpy as np

from bench.breaks import breaks, costs
from bench.rows import STUDIES, Row, said, seed_of
from bench.unlike import price, unlike
from keenlattice.measure.capture import Capture
from keenlattice.measure.metrics import METRICS, TRIAL_METRICS, metrics_of
from keenlattice.parallel import spread
from keenlattice.profile.version import WHOLE_RIG, Entries, Version, stock
from keenlattice.rig.standin.machine import Standin
from keenlattice.rig.standin.mechanisms import Pipeline
from keenlattice.rig.standin.pipeline import simulate
from keenlattice.study.deciding import Deciding, Numbers
from keenlattice.study.hunt.plan import HuntPlan
from keenlattice.study.hunt.play import Looks, hunted
from keenlattice.study.screen.plan import ScreenPlan
from keenlattice.study.screen.play import Rounds, mixed
from keenlattice.study.screen.result import Screen
from keenlattice.study.trial.concluding import concluded
from keenlattice.study.trial.concluding import ended as stops
from keenlattice.study.trial.plan import MAX_BLOCKS, Arm, TrialPlan
from keenlattice.study.trial.power import blocks_to_settle, chance_to_settle, noise_of
from keenlattice.study.trial.result import MetricResult, Trial
from keenlattice.study.tune.plan import Limit, TunePlan
from keenlattice.study.tune.play import Race

PAGE = Path(__file__).parent.parent / "docs" / "calibration.md"
PAGE_OF_QUICK = PAGE.with_name("calibration-quick.md")
KEPT = Path(__file__).parent.parent / "build" / "calibration"
ALIKE = 1500  # studies of a version against itself, whose error is just what is claimed: fewer would miss it by luck
TRUTH_RUNS, SECONDS, MATTERS_PCT = 4000, 6.0, 3.0
GAME, CHANGED = "brass-orbit", {"frame.queue-depth": 2}
DECIDES = ("frame_ms_mean", "frame_ms_p99", "latency_ms_median")
DISTURBANCES = ("", "heat", "heavy tails", "rare hitches")
PLACEBOS: Entries = {
    "antialias.gamma": False, "driver.compute-device": "gpu1", "driver.compute-fallback": "forbid",
    "frame.cap-unfocused": 30, "game.config-locked": True, "process.io-priority": "high",
    "texture.bias-below-zero": "ignored", "window.high-dpi": "by-game"}
ACTING: Entries = {
    "frame.queue-depth": 1, "texture.anisotropy": "16x", "texture.filter-quality": "fastest",
    "shading.ambient-occlusion": "on", "gpu.clock-policy": "hold-high", "driver.threaded-submission": True,
    "process.priority": "high", "scaling.render-scale": 95}


@cache
def pipeline_of(entries: tuple[tuple[str, bool | int | float | str], ...]) -> Pipeline:
    """The stand-in's pipeline under some settings, of the game or rig-wide, each where it belongs, once restarted."""
    with tempfile.TemporaryDirectory() as folder:
        rig = Standin(Path(folder))
        for key, value in entries:
            owner = GAME if rig.catalog()[key].scope == "game" else WHOLE_RIG
            rig.put(rig.changed(rig.state(), owner, {key: value}))
        rig.restart("machine")
        return rig.pipeline(GAME)


def run(entries: Entries, seed: int, disturbance: str, progress: float) -> Numbers:
    """The metrics of one run, `progress` of the way through its study."""
    capture = simulate(pipeline_of(tuple(sorted(entries.items()))), SECONDS, seed)
    return metrics_of(disturbed(capture, disturbance, progress, np.random.default_rng([seed, 99])), TRIAL_METRICS)


def disturbed(capture: Capture, how: str, progress: float, random: np.random.Generator) -> Capture:
    """A run as it would be if the rig grew 6 % slower over the study, if runs differed by a heavy-tailed factor
    (Student's t, three degrees of freedom, times 1 %), or if hitches of 0.3 s came about every third run."""
    if how == "rare hitches":
        shown, clicks, answers = (one.copy() for one in (capture.shown_ms, capture.click_ms, capture.answer_ms))
        for at in random.uniform(0, shown[-1], random.poisson(0.3)):
            length = random.exponential(300.0)
            for times in (shown, clicks, answers):
                times[times > at] += length
        return Capture(shown, clicks, answers)
    slower = {"heat": 1 + 0.06 * progress, "heavy tails": math.exp(0.01 * random.standard_t(3))}.get(how, 1.0)
    return Capture(capture.shown_ms * slower, capture.click_ms * slower, capture.answer_ms * slower)


def played(plan: TrialPlan, after: Entries, disturbance: str) -> list[tuple[Arm, Numbers]]:
    order = plan.runs()
    return [(arm, run(after if arm == "after" else {}, seed, disturbance, place / len(order)))
            for place, (_, arm, seed) in enumerate(order)]


def ended(plan: TrialPlan, runs: Sequence[tuple[Arm, Numbers]]) -> MetricResult:
    """The deciding metric of a trial, wherever it ended."""
    end = next((n for n in range(2, len(runs), 2) if stops(plan, runs[:n])), len(runs))
    return concluded(plan, runs[:end], Trial(GAME, "", "", plan, ())).deciding


def trial_study(name: str, blocks: int, early: bool, after: Entries, disturbance: str, number: int
                ) -> dict[str, tuple[float, float, bool]]:
    """One trial: deciding metric to its interval as log ratios, and whether it was said to be better or worse where
    next to nothing matters."""
    plan = TrialPlan(blocks, SECONDS, seed_of(name, number), Deciding(DECIDES[0], 1e-9), early=early)
    runs = played(plan, after, disturbance)
    found = {metric: ended(replace(plan, decides=Deciding(metric, 1e-9)), runs) for metric in DECIDES}
    return {metric: (math.log1p((one.low_pct or 0) / 100), math.log1p((one.high_pct or 0) / 100),
                     one.verdict in ("better", "worse"))
            for metric, one in found.items()}


def truth_run(disturbance: str, number: int) -> list[float]:
    """The log ratios of one pair of runs, with seeds that no study uses."""
    before, after = (run(entries, 2**31 + 2 * number + side, disturbance, 0.5)
                     for side, entries in enumerate(({}, CHANGED)))
    return [math.log(after[metric] / before[metric]) for metric in DECIDES]


def trials(executor: Executor) -> list[Row]:
    rows = []
    for early, disturbance in [(False, one) for one in DISTURBANCES] + [(True, one) for one in DISTURBANCES]:
        name = f"a version against itself, {'up to 20 blocks, ended early' if early else '8 blocks'}" + (
            f", {disturbance}" if disturbance else "")
        found = spread(partial(trial_study, name, 20 if early else 8, early, {}, disturbance), range(ALIKE), executor)
        rows += [Row(f"wrong \"better\" or \"worse\": {name}, `{metric}`",
                     sum(one[metric][2] for one in found), ALIKE, 0, 0.05) for metric in DECIDES]
        said(rows[-3:])
    for disturbance in ("", "heavy tails"):
        truth = np.mean(spread(partial(truth_run, disturbance), range(TRUTH_RUNS), executor), axis=0)
        name = "a queue of two against the game's choice, 8 blocks" + (f", {disturbance}" if disturbance else "")
        found = spread(partial(trial_study, name, 8, False, CHANGED, disturbance), range(STUDIES), executor)
        rows += [Row(f"an end of an interval is wrong: {name}, `{metric}`",
                     sum((one[metric][0] > true) + (one[metric][1] < true) for one in found), 2 * STUDIES, 0,
                     0.05) for metric, true in zip(DECIDES, truth, strict=True)]
        said(rows[-3:])
    return rows


def power_study(number: int) -> tuple[float, bool]:
    """A pilot, and the trial that it plans: what chance was promised, and whether the trial was settled."""
    plan = TrialPlan(8, SECONDS, seed_of("pilot", number), Deciding("frame_ms_mean", MATTERS_PCT), early=False)
    pilot = concluded(plan, played(plan, {}, ""), Trial(GAME, "", "", plan, ()))
    noise = noise_of(pilot)
    blocks = blocks_to_settle(noise, MATTERS_PCT) or MAX_BLOCKS
    trial = TrialPlan(blocks, SECONDS, seed_of("planned", number), Deciding("frame_ms_mean", MATTERS_PCT))
    return chance_to_settle(noise, blocks, MATTERS_PCT), ended(trial, played(trial, {}, "")).verdict != "unclear"


def power(executor: Executor) -> list[Row]:
    found = spread(power_study, range(STUDIES), executor)
    promised = float(np.mean([chance for chance, _ in found]))
    row = Row(f"settled at the planned blocks, where the plans promised {100 * promised:.1f} %",
              sum(settled for _, settled in found), STUDIES, promised - 0.02, 1)
    said([row])
    return [row]


def screen_study(number: int) -> tuple[int, int, int]:
    """A screen of sixteen changes, eight of them placebos: how many placebos were called effective where 1 % matters,
    how many had an interval that leaves zero out, and the runs."""
    after = Version(GAME, {**PLACEBOS, **ACTING})
    plan = ScreenPlan(tuple((key,) for key in sorted(after.entries)), (), 1, SECONDS, seed_of("screen", number),
                      Deciding("frame_ms_mean"))
    rounds = Rounds(plan, [])
    order = rounds.coming()
    for place, (_, signs, seed) in enumerate(order):
        rounds.add(signs, run(mixed(stock(GAME), after, plan, signs).entries, seed, "", place / len(order)))
    rounds.look()
    found = rounds.result(Screen(GAME, "", "", "", plan, (), (), 0, 0, 0)).factors
    placebos = [one.telling for one in found if one.settings[0] in PLACEBOS]
    return (sum(placebo.standing in ("better", "worse") for placebo in placebos),
            sum(((one.low_pct or 0) > 0) + ((one.high_pct or 0) < 0) for one in placebos), len(order))


def screens(executor: Executor) -> list[Row]:
    found = spread(screen_study, range(STUDIES), executor)
    chances = STUDIES * len(PLACEBOS)
    rows = [Row("placebo called effective, in screens of 16 changes at once where 1 % matters",
                sum(one for one, _, _ in found), chances, 0, 0.05),
            Row("an end of a placebo's interval is wrong, in the same screens", sum(one for _, one, _ in found),
                2 * chances, 0, 0.05)]
    said(rows)
    return rows


def hunt_study(number: int) -> tuple[bool, bool]:
    """A hunt over eight versions of which one brings a change, with placebos in all: whether the version was right, and
    the settings. In every other study two settings bring it about only together."""
    random = np.random.default_rng(seed_of("hunt", number))
    culprits: Entries = ({"antialias.mode": "replaced", "antialias.samples": "4x"} if number % 2 else
                         {"shading.ambient-occlusion": "on"})
    placebos = [(key, PLACEBOS[key]) for key in random.permutation(sorted(PLACEBOS)).tolist()]
    at, held, line = int(random.integers(1, 8)), dict[str, bool | int | float | str](), [Version(GAME, {})]
    for version in range(1, 8):
        key, value = placebos[version - 1]
        held[key] = value
        if version == at:
            held.update({**dict([placebos[7]]), **culprits})
        line.append(Version(GAME, dict(held), note=str(version)))
    plan = HuntPlan(TrialPlan(40, SECONDS, seed_of("hunted", number), Deciding("frame_ms_mean", MATTERS_PCT),
                              sized=True))
    looks = Looks(plan, lambda place, arm, entries, seed: run(entries, seed, "", 0.0))
    found = hunted(line, [version.entries for version in line], plan, looks, Trial(GAME, "", "", plan.trial, ()))
    return found.first == line[at].reference, set(found.settings) == set(culprits)


def hunt_of_a_step(number: int) -> tuple[bool, bool]:
    """A hunt that sizes itself over eight versions, of which one brings a step of 2 %, where runs vary by 1 % and 1 %
    matters: whether it named a version, and whether that was the right one."""
    random = np.random.default_rng(seed_of("hunt of a step", number))
    entries: list[Entries] = [{f"made-up.setting-{one}": 1 for one in range(version)} for version in range(8)]
    line, at = [Version(GAME, each) for each in entries], int(random.integers(1, 8))

    def play(_place: int, _arm: str, on: Entries, _seed: int) -> Numbers:
        step = 0.02 * (f"made-up.setting-{at - 1}" in on)
        return {**dict.fromkeys(METRICS, math.nan), "frame_ms_mean": 8 * math.exp(step + random.normal(0, 0.01))}

    trial = TrialPlan(40, SECONDS, seed_of("hunted step", number), Deciding("frame_ms_mean"), sized=True)
    plan = HuntPlan(trial, most_runs=400)
    found = hunted(line, entries, plan, Looks(plan, play), Trial(GAME, "", "", plan.trial, ()))
    return bool(found.first), found.first == line[at].reference


def hunts(executor: Executor) -> list[Row]:
    found = spread(hunt_study, range(STUDIES), executor)
    steps = spread(hunt_of_a_step, range(STUDIES), executor)
    rows = [Row("hunt over eight versions names the right one", sum(one for one, _ in found), STUDIES, 0.9, 1),
            Row("hunt names that and the least set of its settings, of one or of two that act only together",
                sum(one and other for one, other in found), STUDIES, 0.9, 1),
            Row("hunt names the right one of eight: a step of 2 %, runs vary by 1 %, 1 % matters",
                sum(right for _, right in steps), STUDIES, 0.85, 1),
            Row("the same hunt names a wrong one", sum(named > right for named, right in steps), STUDIES, 0, 0.05)]
    said(rows)
    return rows


TUNED = (("frame.cap", ("off", 120, 144, 200)), ("frame.queue-depth", (1, 2, 3)))
GOAL, LIMIT = "latency_ms_p95", Limit("frame_ms_p99", "below", 8.5)


def tune_study(number: int) -> int:
    """A race of twelve combinations: which one it names, -1 for none."""
    plan = TunePlan(TUNED, Deciding(GOAL, 1.0), (LIMIT,), 60, SECONDS, seed_of("tune", number))
    race, over, at = Race(plan), False, 0
    while not over and at < plan.rounds:
        for place, one in enumerate(race.order(at)):
            race.add(at, one, run(plan.combinations()[one], seed_of(f"tune {number} {at}", place), "", 0.0))
        over, at = race.look(at), at + 1
    best = race.best()
    return -1 if best is None else best


def exhausted(one: int) -> tuple[float, float]:
    """The truth of one combination: the mean of its goal's logarithm, and the mean of what is limited."""
    entries = TunePlan(TUNED, Deciding(GOAL)).combinations()[one]
    runs = [run(entries, 2**31 + number, "", 0.0) for number in range(TRUTH_RUNS // 4)]
    return (float(np.mean([math.log(numbers[GOAL]) for numbers in runs])),
            float(np.mean([numbers[LIMIT.metric] for numbers in runs])))


def tunes(executor: Executor) -> list[Row]:
    truth = spread(exhausted, range(len(TunePlan(TUNED, Deciding(GOAL)).combinations())), executor)
    optimum = min(goal for goal, limited in truth if limited <= LIMIT.value)
    near = [goal <= optimum + math.log1p(0.02) and limited <= LIMIT.value for goal, limited in truth]
    found = spread(tune_study, range(STUDIES), executor)
    rows = [Row(f"tune names one of {sum(near)} of 12 combinations within 2 % of the optimum that keep the limit",
                sum(one >= 0 and near[one] for one in found), STUDIES, 0.9, 1)]
    said(rows)
    return rows


PARTS: Mapping[str, Callable[[Executor], list[Row]]] = {
    "trials": trials, "power": power, "screens": screens, "hunts": hunts, "tunes": tunes, "unlike": unlike}
QUICK = "quick"
"""The part that takes five minutes, and has its own page."""


def main(*wanted: str) -> int:
    """Play the parts that are wanted, all if none is named, and write the pages of what is there."""
    if unknown := {*wanted} - {*PARTS, QUICK}:
        print(f"there is no part {', '.join(sorted(unknown))}: there are {', '.join(PARTS)} and {QUICK}")
        return 2
    KEPT.mkdir(parents=True, exist_ok=True)
    missed = 0
    with ProcessPoolExecutor(os.cpu_count()) as executor:
        for name in wanted or (*PARTS, QUICK):
            began, rows = time.monotonic(), (breaks if name == QUICK else PARTS[name])(executor)
            lines = {QUICK: costs, "unlike": price}[name](executor) if name in (QUICK, "unlike") else []
            missed += sum(not row.holds() for row in rows)
            (KEPT / f"{name}.json").write_text(json.dumps({
                "minutes": (time.monotonic() - began) / 60, "rows": [asdict(row) for row in rows], "lines": lines},
                default=lambda number: number.item()))  # counts of NumPy's
    _write("Calibration of what once broke", PAGE_OF_QUICK, [QUICK])
    _write("Calibration", PAGE, list(PARTS))
    print(f"{missed} claims are missed")
    return 1 if missed else 0


def _write(title: str, page: Path, names: Sequence[str]) -> None:
    """Write a page of some parts, once all of them were played."""
    if not all((KEPT / f"{name}.json").exists() for name in names):
        return
    parts = [json.loads((KEPT / f"{name}.json").read_text()) for name in names]
    rows = [Row(**row) for part in parts for row in part["rows"]]
    text = [f"# {title}", "", (__doc__ or "").split("\n\n", 1)[1].strip(), "",
            f"Runs of {SECONDS:g} s of {GAME} on the stand-in; the truth is the mean of {TRUTH_RUNS} pairs of runs. "
            if page == PAGE else "Each row is a formula of a few lines in `bench/breaks.py`. ",
            f"{sum(row.holds() for row in rows)} of {len(rows)} claims hold. Made in "
            f"{sum(part['minutes'] for part in parts):.0f} minutes on {os.cpu_count()} cores.", "",
            "| what | chances | claim | found | interval of that | holds |", "|---|---|---|---|---|---|",
            *(row.line() for row in rows), "", *(line for part in parts for line in part["lines"])]
    page.write_text("\n".join(text), encoding="utf-8")
    print(f"written to {page}")


if __name__ == "__main__":
    sys.exit(main(*sys.argv[1:]))
