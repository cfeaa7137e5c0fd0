"""Some numbers that everything amounted to with these seeds, when it was last looked at: none may change unless
somebody meant it.

They are not truths (those are in the other tests), and few: what a player reads first of a run, a recording, a study of
each kind, a pool. `tests/known/` holds them, a small file for each case. Who changes one says so:
`python tests/test_known_results.py [CASE]...` rewrites them, and the commit says why.
"""

import json
import math
import re
import sys
import tempfile
from collections.abc import Callable, Iterable, Mapping, Sequence
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from league import FleetPlan, play_fleet

from keenlattice import measure, study
from keenlattice.measure.capture import Capture
from keenlattice.measure.metrics import metrics_of
from keenlattice.profile.version import Entries, Version, stock
from keenlattice.rig.standin.machine import Standin
from keenlattice.study.blind.plan import chance_to_be_found, needed
from keenlattice.study.deciding import Deciding
from keenlattice.study.trial.result import MetricResult
from test_pool import record

HERE = Path(__file__).parent
KNOWN, RECORDINGS = HERE / "known", HERE.parent / "examples/recordings"
CLOSE = 1e-6
"""How far a number may be off, relative to itself: libraries and processors differ in the last digits."""
MOST = 200
"""Numbers in all files: a law or a known truth in another test is worth more than one of these."""

FIRST = ("fps_mean", "frame_ms_p99", "latency_ms_median", "stutters_per_min")
FACTS = (("cores", (4.0, 8.0, 12.0)), ("ram_mib", (8192.0, 16384.0)), ("refresh_hz", (60.0, 144.0, 240.0)))
COSTS: Entries = {"texture.anisotropy": "16x", "shading.ambient-occlusion": "on", "antialias.gamma": False,
                  "window.high-dpi": "by-game", "scheduling.gpu": "by-hardware", "gpu.clock-policy": "hold-high"}
ODD = measure.column_map(name="friends-box", time="Zeit [us]", means="intervals", unit="us", gpu="GPU [us]",
                         stage_unit="us", marker="Marke", dropped="Bild", dropped_when="0")
Known = Mapping[str, float | str | None]


def of_a_run(folder: Path, game: str) -> Known:
    capture = Standin(folder / "rig").play(game, 25, 7)
    return {**metrics_of(capture, FIRST), "last frame": float(capture.shown_ms[-1]),
            "GPU-bound": measure.limited_by(capture).get("GPU")}


def of_a_hitching_run(_: Path) -> Known:
    frames = 8 * np.exp(np.random.default_rng(3).normal(0, 0.05, 6000))
    frames[::250] += 30
    capture = Capture(np.concatenate(([0.0], np.cumsum(frames))))
    hitches = measure.periodic_hitches(capture)
    median, low, high = measure.quantile_interval([capture.frame_ms], 0.5, resamples=300)
    assert hitches
    return {"period": hitches.period_s, "extra": hitches.extra_ms, "median": median, "low": low, "high": high}


def of_recordings(_: Path) -> Known:
    read = measure.ingest(RECORDINGS / "odd.csv", ODD)
    parts = {name: metrics_of(measure.segment(read.capture, name), ["frame_ms_p99"]) for name in read.segments}
    return {"frame rate": metrics_of(read.capture, ["fps_mean"])["fps_mean"], "dropped": read.dropped_frames,
            **{name: metrics["frame_ms_p99"] for name, metrics in parts.items()}}


def of_sensors(_: Path) -> Known:
    sources = {"log": measure.read_log(RECORDINGS / "light-log.csv", "t_ms", "light", "button"),
               "sound": measure.read_sound(RECORDINGS / "flash.wav"),
               "camera": measure.read_tally(RECORDINGS / "camera.csv", 240)}
    described = {name: measure.described(source) for name, source in sources.items()}
    return {f"{name}, {what}": getattr(latency, what) for name, latency in described.items()
            for what in ("answered", "mean", "mean_high")}


def of_a_trial(folder: Path, **plan: Any) -> Known:
    changed: Entries = plan.pop("changed", {"frame.queue-depth": 1})
    settings = {"blocks": 8, "seconds": 6.0, "seed": 5, "decides": Deciding(matters_pct=3.0), **plan}
    trial = study.run_trial(Standin(folder / "rig"), stock("rig"), Version("rig", changed), study.TrialPlan(**settings),
                            "brass-orbit")
    return {"blocks": trial.blocks_played, **changes_in(trial.decisive)}


def changes_in(metrics: Iterable[MetricResult]) -> Known:
    """The change of each metric, with its interval and its word."""
    return {f"{metric.name}, {what}": getattr(metric, what) for metric in metrics
            for what in ("change_pct", "low_pct", "high_pct", "verdict")}


def of_a_screen(folder: Path, **plan: Any) -> Known:
    factors = tuple((key,) for key in sorted(COSTS))
    settings = {"factors": factors, "rounds": 2, "seconds": 4.0, "seed": 9, "decides": Deciding(matters_pct=2.0),
                **plan}
    screen = study.run_screen(Standin(folder / "rig"), stock("rig"), Version("rig", COSTS),
                              study.ScreenPlan(**settings), "tidewater-rally")
    return {f"{factor.settings[0]}, {what}": getattr(factor.judged[0], what) for factor in screen.factors
            for what in ("change_pct", "high_pct")}


def of_a_hunt(folder: Path) -> Known:
    steps: Sequence[Entries] = (
        {"antialias.gamma": False}, {"shading.ambient-occlusion": "on", "frame.cap-unfocused": 30},
        {"window.high-dpi": "by-game"}, {"process.io-priority": "high"})
    line, entries = [stock("tidewater-rally")], dict[str, Any]()
    for step in steps:
        entries |= step
        line.append(Version("tidewater-rally", dict(entries)))
    trial = study.TrialPlan(blocks=8, seconds=6, seed=3, decides=Deciding("frame_ms_mean", 3))
    hunt = study.run_hunt(Standin(folder / "rig"), line, study.HuntPlan(trial))
    return {"settings": " ".join(hunt.settings), "probability": hunt.probability, "runs": hunt.runs,
            **changes_in(hunt.trial.decisive)}


def of_a_tuning(folder: Path) -> Known:
    plan = study.TunePlan((("frame.queue-depth", (1, 2, 3)), ("texture.anisotropy", ("off", "16x"))),
                          Deciding(matters_pct=2.0), (study.Limit("frame_ms_p99", "below", 9.0),), rounds=5,
                          seconds=5.0, seed=2)
    tuning = study.run_tune(Standin(folder / "rig"), stock("brass-orbit"), plan)
    return {"runs": tuning.runs, **{f"{number}, {what}": getattr(combination, what)
                                    for number, combination in enumerate(tuning.combinations)
                                    for what in ("change_pct", "high_pct", "standing")}}


def of_a_ramp(folder: Path) -> Known:
    plan = study.RampPlan("gpu.core-offset@gpu0", 30, 60, runs=2, seconds=15.0, seed=4)
    ramp = study.run_ramp(Standin(folder / "rig"), stock("rig"), plan, "brass-orbit")
    return {"settled": ramp.settled, "highest": ramp.highest, "last goal": ramp.steps[-1].goal}


def evidence() -> list[study.EvidenceRecord]:
    """What 30 made-up rigs say of three changes: one that helps where there are many cores, one that helps everywhere,
    one that does nothing."""
    random, records = np.random.default_rng(12), []
    for rig in range(30):
        facts = {name: float(random.choice(values)) for name, values in FACTS}
        for number, (setting, effect) in enumerate({
                "driver.threaded-submission": 0.04 if facts["cores"] < 5 else -0.05, "gpu.clock-policy": -0.06,
                "process.io-priority": 0.0}.items()):
            error = float(random.uniform(0.003, 0.012))
            records.append(record(rig, float(random.normal(effect, error + 0.008)), error, number, facts=facts, change=(
                study.Switch(setting=setting, before="off", after="on"),), limited_by={"GPU": 70.0, "CPU": 30.0}))
    return records


def of_a_pool(_: Path) -> Known:
    pool = study.pool_evidence(study.flattened(evidence()), study.PoolPlan(("made up",), "frame_ms_mean"))
    return {f"{change.name}, {what}": number for change in pool.changes if (mean := change.metrics[0].mean)
            for what, number in (("mean", mean.pct), ("low", mean.low_pct), ("high", mean.high_pct),
                                 ("differ by", change.metrics[0].differ_pct))}


def of_a_league(folder: Path, **plan: Any) -> Known:
    """Of the last player's last study: what it found of its first metric."""
    settings = {"players": 3, "seed": 2, "tries": 2, "seconds": 4.0, "blocks": 4, **plan}
    files = play_fleet(FleetPlan(**settings), folder)
    lines = [json.loads(line) for file in files for line in file.read_text(encoding="utf-8").splitlines()]
    return {"records": len(lines), **{f"{number}, {what}": lines[number]["found"][0][what] for number in (0, -1)
                                      for what in ("log_ratio", "error", "dof")}}


def of_rules(_: Path) -> Known:
    noises = {sd: study.Noise(sd, 7) for sd in (0.005, 0.02)}
    chances = {f"{sd}, {effect}": study.chance_to_settle(noise, 12, 1.0, effect) for sd, noise in noises.items()
               for effect in (0.0, 3.0)}
    return {**{f"{rounds} rounds": chance_to_be_found(rounds, 0.05, 0.8) for rounds in (5, 12, 20)},
            "right of 12": needed(12, 0.05)[0], **chances,
            **{f"{sd}, blocks": study.blocks_to_settle(noise, 1.0) for sd, noise in noises.items()}}


CASES: Mapping[str, Callable[[Path], Known]] = {
    **{f"run of {game}": lambda folder, game=game: of_a_run(folder, game)  # type: ignore[misc]
       for game in ("brass-orbit", "tidewater-rally", "moth-and-lantern")},
    "hitching run": of_a_hitching_run, "recordings": of_recordings, "sensors": of_sensors,
    "trial": of_a_trial,
    "trial, all blocks": lambda folder: of_a_trial(folder, early=False, decides=Deciding("latency_ms_median", 3.0)),
    "trial, few switches": lambda folder: of_a_trial(folder, few_switches=True, repeats=2, early=False, blocks=6),
    "trial, warm-up": lambda folder: of_a_trial(folder, warm_up_s=2.0, adjusts_for="gpu0.temperature", blocks=10),
    "trial, stutters": lambda folder: of_a_trial(
        folder, decides=Deciding("stutters_per_min", 3.0), seconds=20.0, blocks=6,
        changed={"shader.cache-size": 4096, "interrupt.mode@gpu0": "message"}),
    "screen": of_a_screen,
    "screen, short": lambda folder: of_a_screen(folder, folded=False, few_switches=True, repeats=2),
    "hunt": of_a_hunt, "tuning": of_a_tuning, "ramp": of_a_ramp, "pool": of_a_pool, "league": of_a_league,
    "league of the careless": lambda folder: of_a_league(folder, screens=True, careless=1.0, players=5, tries=3),
    "rules": of_rules}


def as_kept(known: Known) -> Known:
    return {name: (float(f"{value:.9g}") if math.isfinite(value) else str(value)) if isinstance(value, float) else value
            for name, value in known.items()}


def differences(seen: Known, known: Known) -> list[str]:
    """Which differ by more than CLOSE."""
    def alike(name: str) -> bool:
        pair = seen.get(name, "(none)"), known.get(name, "(none)")
        return math.isclose(*pair, rel_tol=CLOSE, abs_tol=1e-9) if all(  # type: ignore[arg-type]
            isinstance(value, int | float) for value in pair) else pair[0] == pair[1]

    return [f"{name}: {seen.get(name)!r}, where it was {known.get(name)!r}"
            for name in sorted({*seen, *known}) if not alike(name)]


@pytest.mark.parametrize("case", CASES)
def test_it_comes_to_what_it_came_to(case: str, tmp_path: Path) -> None:
    assert not differences(as_kept(CASES[case](tmp_path)), json.loads(file_of(case).read_text(encoding="utf-8")))


def test_the_known_numbers_are_few_and_each_case_has_its_file() -> None:
    assert {path.name for path in KNOWN.iterdir()} == {file_of(case).name for case in CASES}
    assert sum(len(json.loads(path.read_text(encoding="utf-8"))) for path in KNOWN.iterdir()) <= MOST


def test_a_difference_is_seen() -> None:
    known = {"a": 1.0, "b": 2, "c": "x", "d": None}
    assert not differences(as_kept({**known, "a": 1.0 + 1e-12}), known)
    for other in ({**known, "a": 1.00001}, {**known, "c": "y"}, {**known, "d": 0.0}, {**known, "e": 1.0},
                  {"a": 1.0, "c": "x", "d": None}):
        assert len(differences(other, known)) == 1


def file_of(case: str) -> Path:
    return KNOWN / (re.sub("[^a-z0-9]+", "-", case.lower()).strip("-") + ".json")


def main() -> None:
    for case in sys.argv[1:] or CASES:
        with tempfile.TemporaryDirectory() as folder:
            text = json.dumps(as_kept(CASES[case](Path(folder))), indent=0, ensure_ascii=False)
        file_of(case).write_text(text + "\n", encoding="utf-8")


if __name__ == "__main__":
    sys.exit(main())
