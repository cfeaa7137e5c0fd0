"""What everything amounted to with these seeds, when it was last looked at: no number may change unless somebody
meant it.

`tests/known/` holds the numbers, a file for each case. They are not truths (those are in the other tests), but who
changes one says so: `python tests/test_known_results.py [CASE]...` rewrites them, and the commit says why.
"""

import json
import math
import re
import sys
import tempfile
from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict, is_dataclass
from itertools import product
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from league import FleetPlan, play_fleet

from keenlattice import measure, study
from keenlattice.catalog.load import catalog
from keenlattice.measure.capture import Capture
from keenlattice.measure.metrics import METRICS, metrics_of
from keenlattice.profile.compare import Change
from keenlattice.profile.version import Entries, Version, stock
from keenlattice.rig.linux.machine import LinuxRig
from keenlattice.rig.standin.machine import Standin
from keenlattice.study.blind.plan import chance_to_be_found, needed
from keenlattice.study.kind import KeptVersion
from keenlattice.study.pool.from_studies import records
from keenlattice.study.pool.order import Pace, in_order
from keenlattice.study.screen.plan import ScreenSpec
from keenlattice.study.trial.plan import TrialSpec
from known_changes import CHANGES
from known_machine import PARTS
from known_readings import READINGS
from known_studies import STUDIES
from known_sweeps import SWEEPS, beyond_defaults
from test_kernel import NO_OPTIONS, tree
from test_pool import record

HERE = Path(__file__).parent
KNOWN, RECORDINGS = HERE / "known", HERE.parent / "examples/recordings"
CLOSE = 1e-6
"""How far a number may be off, relative to itself: libraries and processors differ in the last digits."""

FACTS = (("cores", (4.0, 8.0, 12.0)), ("ram_mib", (8192.0, 16384.0)), ("refresh_hz", (60.0, 144.0, 240.0)))
OF_THE_TREE = ("governor", "clock", "boost", "idle", "session_groups", "preemption", "turn")
COSTS: Entries = {"texture.anisotropy": "16x", "shading.ambient-occlusion": "on", "antialias.gamma": False,
                  "window.high-dpi": "by-game", "scheduling.gpu": "by-hardware", "gpu.clock-policy": "hold-high"}
ODD = measure.column_map(name="friends-box", time="Zeit [us]", means="intervals", unit="us", gpu="GPU [us]",
                         stage_unit="us", marker="Marke", dropped="Bild", dropped_when="0")


def of_a_run(folder: Path, game: str) -> object:
    capture = Standin(folder / "rig").play(game, 25, 7)
    return {"metrics": metrics_of(capture, METRICS), "said": measure.readings(capture),
            "limited by": measure.limited_by(capture), "warm-up": measure.warm_up_ms(capture),
            "hitches": measure.periodic_hitches(capture), "frames": capture.shown_ms[[1, 100, -1]].tolist(),
            "second half": metrics_of(measure.cut(capture, 12_500, 25_000))}


def of_a_hitching_run(_: Path) -> object:
    frames = 8 * np.exp(np.random.default_rng(3).normal(0, 0.05, 6000))
    frames[::250] += 30
    capture = Capture(np.concatenate(([0.0], np.cumsum(frames))))
    return {"hitches": measure.periodic_hitches(capture), "metrics": metrics_of(capture),
            "median": measure.quantile_interval([capture.frame_ms], 0.5, resamples=300),
            "worst": measure.quantile_interval([capture.frame_ms[:3000], capture.frame_ms[3000:]], resamples=300)}


def of_recordings(_: Path) -> object:
    found = measure.ingest(RECORDINGS / "odd.csv", ODD)
    return {"whole": metrics_of(found.capture), "segments": found.segments, "dropped": found.dropped_frames,
            "frames": found.capture.shown_ms.size,
            "each": {name: metrics_of(measure.segment(found.capture, name)) for name in found.segments}}


def of_sensors(_: Path) -> object:
    sources = {"log": measure.read_log(RECORDINGS / "light-log.csv", "t_ms", "light", "button"),
               "sound": measure.read_sound(RECORDINGS / "flash.wav"),
               "camera": measure.read_tally(RECORDINGS / "camera.csv", 240)}
    return {name: {**asdict(measure.described(one)), "waits": one.waits_ms.tolist(), "unasked": one.unasked,
                   "doubts": [[doubt.at_ms, doubt.what] for doubt in one.doubts], "about": one.about}
            for name, one in sources.items()}


def of_a_trial(folder: Path, **plan: Any) -> study.Trial:
    changed: Entries = plan.pop("changed", {"frame.queue-depth": 1})
    before, after = stock("rig"), Version("rig", changed)
    settings = {"blocks": 8, "seconds": 6.0, "seed": 5, "matters_pct": 3.0, **plan}
    return study.run_trial(Standin(folder / "rig"), before, after, study.TrialPlan(**settings), "brass-orbit")


def of_a_screen(folder: Path, **plan: Any) -> study.Screen:
    before, after = stock("rig"), Version("rig", COSTS)
    factors = tuple((key,) for key in sorted(COSTS))
    settings = {"factors": factors, "rounds": 2, "seconds": 4.0, "seed": 9, "matters_pct": 2.0, **plan}
    return study.run_screen(Standin(folder / "rig"), before, after, study.ScreenPlan(**settings), "tidewater-rally")


def of_a_hunt(folder: Path) -> object:
    steps: Sequence[Entries] = (
        {"antialias.gamma": False}, {"shading.ambient-occlusion": "on", "frame.cap-unfocused": 30},
        {"window.high-dpi": "by-game"}, {"process.io-priority": "high"})
    line, entries = [stock("tidewater-rally")], dict[str, Any]()
    for step in steps:
        entries |= step
        line.append(Version("tidewater-rally", dict(entries)))
    trial = study.TrialPlan(blocks=8, seconds=6, seed=3, decides="frame_ms_mean", matters_pct=3)
    return study.run_hunt(Standin(folder / "rig"), line, study.HuntPlan(trial))


def of_a_tuning(folder: Path) -> object:
    plan = study.TunePlan((("frame.queue-depth", (1, 2, 3)), ("texture.anisotropy", ("off", "16x"))),
                          "frame_ms_mean,latency_ms_median", (study.Limit("frame_ms_p99", "below", 9.0),), rounds=5,
                          seconds=5.0, seed=2, matters_pct=2.0)
    return study.run_tune(Standin(folder / "rig"), stock("brass-orbit"), plan)


def of_a_ramp(folder: Path) -> object:
    plan = study.RampPlan("gpu.core-offset@gpu0", 30, 60, runs=2, seconds=15.0, seed=4)
    return study.run_ramp(Standin(folder / "rig"), stock("rig"), plan, "brass-orbit")


def evidence() -> list[study.EvidenceRecord]:
    """What 30 made-up rigs say of three changes: one that helps where there are many cores, one that helps everywhere,
    one that does nothing."""
    random, found = np.random.default_rng(12), []
    for rig in range(30):
        facts = {name: float(random.choice(values)) for name, values in FACTS}
        for number, (setting, effect) in enumerate({
                "driver.threaded-submission": 0.04 if facts["cores"] < 5 else -0.05, "gpu.clock-policy": -0.06,
                "process.io-priority": 0.0}.items()):
            error = float(random.uniform(0.003, 0.012))
            found.append(record(rig, float(random.normal(effect, error + 0.008)), error, number, facts=facts, change=(
                study.Switch(setting=setting, before="off", after="on"),), limited_by={"GPU": 70.0, "CPU": 30.0}))
    return found


def of_a_pool(_: Path) -> object:
    pool = study.pool_evidence(study.flattened(evidence()), study.PoolPlan(("made up",), "frame_ms_mean"))
    here, limits = {"cores": 4.0, "ram_mib": 8192.0, "refresh_hz": 144.0}, {"GPU": 90.0, "CPU": 10.0}
    order = in_order(pool, [Change(one.change[0].setting, "off", "on") for one in pool.changes], here, limits,
                     Pace(20.0, {"gpu.clock-policy": 1.0}, 1.0))
    return {"pool": pool.to_json(), "order": [asdict(one) for one in order]}


def of_a_league(folder: Path, **plan: Any) -> object:
    settings = {"players": 3, "seed": 2, "tries": 2, "seconds": 4.0, "blocks": 4, **plan}
    files = play_fleet(FleetPlan(**settings), folder)
    lines = [json.loads(line) for file in files for line in file.read_text(encoding="utf-8").splitlines()]
    return [{name: one[name] for name in ("rig", "study", "game", "change", "found", "facts", "limited_by")}
            for one in lines]


def of_evidence(folder: Path) -> object:
    """What studies tell to others: those that came out, and those that did not."""
    kept = [KeptVersion.of(one) for one in (stock("rig"), Version("rig", COSTS))]
    trial, screen = of_a_trial(folder / "trial", changed=COSTS), of_a_screen(folder / "screen")
    rig, found = Standin(folder / "rig"), []
    plans = TrialSpec(*kept, trial.plan, "brass-orbit"), ScreenSpec(*kept, screen.plan, "tidewater-rally")
    for spec, result in product(plans, (None, trial, screen)):
        if result is None or isinstance(result, study.Trial) == isinstance(spec, TrialSpec):
            found += [one.model_dump() for one in records(spec, result, "0" * 16, "1" * 16, rig.catalog(), {
                **rig.facts(), "cores": "many", "refresh_hz": True, "glow": 3}, "0.4", "2026-11-20")]
    return [found, {str(name): str(text) for name, text in study.flattened(evidence()).schema.metadata.items()}]


def of_a_linux_machine(folder: Path) -> object:
    rig = LinuxRig(folder / "state", folder / ".drirc", tree(folder / "root"))
    rig.driver = NO_OPTIONS
    settings = {one.name: beyond_defaults(one) for one in rig.catalog()
                if one.name not in catalog() or one != catalog()[one.name]}
    facts = {name: fact for name, fact in rig.facts().items() if name.startswith((*rig.devices(), *OF_THE_TREE))}
    held = {place.removeprefix(str(folder)): content and content.decode() for place, content in rig.state().items()}
    return {"settings": settings, "facts": facts, "state": held}


def of_rules(_: Path) -> object:
    noises = [study.Noise(sd, 7) for sd in (0.005, 0.02)]
    return {"blind": {str(rounds): [list(needed(rounds, 0.05)), chance_to_be_found(rounds, 0.05, 0.8)]
                      for rounds in (5, 12, 20)},
            "chance": [study.chance_to_settle(noise, blocks, 1.0, effect) for noise in noises for blocks in (6, 12, 24)
                       for effect in (0.0, 3.0)],
            "blocks": [study.blocks_to_settle(noise, 1.0) for noise in noises]}


CASES: Mapping[str, Callable[[Path], object]] = {
    **{f"run of {game}": lambda folder, game=game: of_a_run(folder, game)  # type: ignore[misc]
       for game in ("brass-orbit", "tidewater-rally", "moth-and-lantern")},
    "hitching run": of_a_hitching_run, "recordings": of_recordings, "sensors": of_sensors,
    "trial": of_a_trial,
    "trial, all blocks": lambda folder: of_a_trial(folder, early=False, decides="latency_ms_median"),
    "trial, few switches": lambda folder: of_a_trial(folder, few_switches=True, repeats=2, early=False, blocks=6),
    "trial, warm-up": lambda folder: of_a_trial(folder, warm_up_s=2.0, adjusts_for="gpu0.temperature", blocks=10),
    "trial, stutters": lambda folder: of_a_trial(folder, decides="stutters_per_min", seconds=20.0, blocks=6, changed={
        "shader.cache-size": 4096, "interrupt.mode@gpu0": "message"}),
    "screen": of_a_screen,
    "screen, short": lambda folder: of_a_screen(folder, folded=False, few_switches=True, repeats=2),
    "hunt": of_a_hunt, "tuning": of_a_tuning, "ramp": of_a_ramp, "pool": of_a_pool, "league": of_a_league,
    "league of the careless": lambda folder: of_a_league(folder, screens=True, careless=1.0, players=5, tries=3),
    "rules": of_rules, "evidence": of_evidence, "Linux machine": of_a_linux_machine,
    **SWEEPS, **STUDIES, **READINGS, **CHANGES, **PARTS}


def plain(value: Any) -> Any:
    """As JSON has it: what is not a number is null, and what is beyond all is said in words."""
    if isinstance(value, study.Form):
        value = value.to_json()
    if is_dataclass(value) and not isinstance(value, type):
        value = asdict(value)
    if isinstance(value, Mapping):
        return {str(name): plain(one) for name, one in value.items()}
    if isinstance(value, np.ndarray | list | tuple):
        return [plain(one) for one in value]
    if isinstance(value, float | np.floating):
        return float(f"{value:.9g}") if math.isfinite(value) else None if math.isnan(value) else str(float(value))
    if isinstance(value, str):
        return re.sub("@[0-9a-f]{8}", "@VERSION", value)  # which reports the time, too
    return value.item() if isinstance(value, np.generic) else value


def comes_to(case: str, folder: Path) -> Any:
    """What a case amounts to, as it is kept: wherever its folder is."""
    return json.loads(json.dumps(plain(CASES[case](folder))).replace(str(folder), "HERE"))


def differences(found: Any, known: Any, where: str = "") -> list[str]:
    """Where two differ by more than CLOSE."""
    if isinstance(found, dict) and isinstance(known, dict):
        return [one for name in sorted({*found, *known})
                for one in differences(found.get(name, "(none)"), known.get(name, "(none)"), f"{where}/{name}")]
    if isinstance(found, list) and isinstance(known, list) and len(found) == len(known):
        return [one for place, pair in enumerate(zip(found, known, strict=True))
                for one in differences(*pair, f"{where}/{place}")]
    numbers = all(isinstance(one, int | float) and not isinstance(one, bool) for one in (found, known))
    alike = math.isclose(found, known, rel_tol=CLOSE, abs_tol=1e-9) if numbers else found == known
    return [] if alike else [f"{where}: {found!r}, where it was {known!r}"]


@pytest.mark.parametrize("case", CASES)
def test_it_comes_to_what_it_came_to(case: str, tmp_path: Path) -> None:
    assert not differences(comes_to(case, tmp_path), json.loads(file_of(case).read_text(encoding="utf-8")))


def test_each_case_has_a_file_that_can_be_read() -> None:
    files = {path.name: path.stat().st_size for path in KNOWN.iterdir()}
    assert files.keys() == {file_of(case).name for case in CASES} and max(files.values()) < 100_000


def test_a_difference_is_seen() -> None:
    one = plain({"a": [1.0, {"b": np.float64(2)}, math.nan], "c": "x"})
    assert not differences(one, json.loads(json.dumps(one)))
    for other in ({"a": [1.0, {"b": 2.00001}, None], "c": "x"}, {**one, "c": "y"}, {"a": one["a"]}, {**one, "d": None},
                  {"a": [*one["a"], 1], "c": "x"}, {"a": [1.0, {"b": 2.0}, 0.0], "c": "x"}):
        assert len(differences(one, other)) == 1


def file_of(case: str) -> Path:
    return KNOWN / (re.sub("[^a-z0-9]+", "-", case.lower()).strip("-") + ".json")


def main() -> None:
    KNOWN.mkdir(exist_ok=True)
    for case in sys.argv[1:] or CASES:
        with tempfile.TemporaryDirectory() as folder:
            text = json.dumps(comes_to(case, Path(folder)), separators=(",", ":"), ensure_ascii=False, sort_keys=True)
        lines = re.sub(r',(?="(?:[^"\\]|\\.)*":)|(?<=[]}],)(?=[{[])', lambda match: f"{match[0]}\n", text)
        file_of(case).write_text(lines + "\n", encoding="utf-8")


if __name__ == "__main__":
    sys.exit(main())
