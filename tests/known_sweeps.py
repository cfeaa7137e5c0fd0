"""Wide sweeps for `test_known_results.py`: many small inputs with few numbers each, for every branch its own."""

from collections.abc import Sequence
from dataclasses import MISSING, asdict, fields, replace
from itertools import product
from pathlib import Path
from types import SimpleNamespace
from typing import Any
from unittest import mock

import numpy as np
from bench.traces import trace
from league import rig_of

from keenlattice import measure, study
from keenlattice._notebook import plain
from keenlattice.catalog.model import Setting
from keenlattice.errors import RefusedByRig
from keenlattice.measure._edges import light_steps, presses
from keenlattice.measure.capture import Capture
from keenlattice.measure.latency import from_camera, from_events, from_sensor
from keenlattice.measure.metrics import METRICS, metrics_of
from keenlattice.profile.version import WHOLE_RIG
from keenlattice.rig.linux import _sampler
from keenlattice.rig.standin.machine import Standin
from keenlattice.rig.standin.pipeline import simulate
from keenlattice.study.pool._answers import answers
from keenlattice.study.pool._meta import Rigs, moderated, pooled, tau2_of
from keenlattice.study.pool._regression import slopes_of
from keenlattice.study.pool._vetting import small_studies, without_each
from keenlattice.study.pool.evidence import Found
from test_pool import record

GAMES = ("brass-orbit", "tidewater-rally", "moth-and-lantern")
FIRST = ("frame_ms_mean", "frame_ms_p99", "latency_ms_median")


def beyond_defaults(setting: Setting) -> dict[str, Any]:
    """What a setting says that is not said of every one, as JSON types."""
    return {field.name: plain(value) for field in fields(setting) if (value := getattr(setting, field.name)) != (
        field.default if field.default_factory is MISSING else field.default_factory())}


def values_of(setting: Setting) -> Sequence[Any]:
    """Each choice; of numbers the ends and one between."""
    if setting.kind == "switch":
        return (True, False)
    if setting.kind in ("whole", "number") and setting.low is not None and setting.high is not None:
        middle = (setting.low + setting.high) / 2
        return (setting.low, int(middle) if setting.kind == "whole" else middle, setting.high, *setting.choices)
    return tuple(setting.choices)


def keys_of(setting: Setting, devices: Sequence[str]) -> Sequence[str]:
    """The setting's key, or one for each device."""
    return [f"{setting.name}@{device}" for device in devices] if setting.scope == "device" else [setting.name]


def of_every_setting(folder: Path) -> object:
    """What each value of each setting does to the pipeline of each game: the fields that differ from stock."""
    rig, found = Standin(folder), dict[str, object]()
    first, at_first = rig.state(), {game: asdict(rig.pipeline(game)) for game in GAMES}
    every = ((setting, key, value) for setting in rig.catalog() for key in keys_of(setting, ("gpu0", "usb0"))
             for value in values_of(setting))
    for setting, key, value in every:
        try:
            rig.put(rig.changed(first, WHOLE_RIG if setting.scope != "game" else GAMES[1], {key: value}))
        except RefusedByRig as error:
            found[f"{key}={value}"] = [str(error), {}]
            continue
        needed = rig.pending().get(key)
        rig.restart(needed or "machine")
        then = {game: asdict(rig.pipeline(game)) for game in (GAMES if setting.scope != "game" else GAMES[1:2])}
        found[f"{key}={value}"] = [needed or "", {
            game: {name: one for name, one in of_it.items() if one != at_first[game][name]}
            for game, of_it in then.items() if of_it != at_first[game]}]
        rig.put(first)
        rig.restart("machine")
    return {name: one for name, one in found.items() if one != ["", {}]}


def of_odd_pipelines(folder: Path) -> object:
    line = Standin(folder).pipeline("brass-orbit")
    ways = [{"sync": sync, "gap_ms": gap} for sync, gap in product(
        ("off", "on", "half-rate", "only-above-refresh", "variable"), (0.0, 9.0))]
    ways += [{"in_flight": 1}, {"in_flight": 4, "buffers": 2, "sync": "on"}, {"lead_ms": 6.0},
             {"composed_refreshes": 1}, {"composed_refreshes": 0, "sync": "on"},
             {"stall_share": 0.3, "stall_ms": 5.0}, {"burst_slowdown": 2.0},
             {"compiles_per_min": 60.0}, {"dips_per_min": 60.0}, {"cpu_ms": 12.0}, {"poll_ms": 8.0, "panel_ms": 9.0},
             {"warming": 0.2}, {"oversleep_ms": 4.0, "gap_ms": 9.0}]
    runs = [simulate(replace(line, **way), 8.0, 5) for way in ways]  # type: ignore[arg-type]
    return [[metrics_of(one, [*FIRST, "stutters_per_min", "latency_ms_spread"]), one.frame_ms[-3:].tolist(),
             {name: float(np.nanmean(ms)) for name, ms in one.stage_ms.items()},
             {name: float(series.values.mean()) for name, series in one.telemetry.items()}] for one in runs]


def of_a_population(_: Path) -> object:
    rigs = [rig_of(3, number) for number in range(12)]
    return [[one.at_first, asdict(one.build)] for one in rigs]


def of_signals(_: Path) -> object:
    """A grid of signals; of each, where presses and steps were found."""
    grid: list[dict[str, Any]] = [
        {"rate_hz": 1000, "snr": 10}, {"rate_hz": 1000, "snr": 4, "panel_ms": 6.0}, {"rate_hz": 4000, "snr": 20},
        {"rate_hz": 4000, "snr": 10, "strobe_hz": 240.0}, {"rate_hz": 2000, "snr": 30, "strobe_hz": 97.0},
        {"rate_hz": 2000, "snr": 8, "hum": 0.3}, {"rate_hz": 2000, "snr": 8, "drift": 2.0, "inverted": True},
        {"rate_hz": 3000, "snr": 15, "fading_s": 0.2}, {"rate_hz": 700, "snr": 6}, {"rate_hz": 1500, "snr": 2}]
    found = []
    for number, more in enumerate(grid):
        made = trace(**more, seed=40 + number, presses=9)
        steps, whole = light_steps(made.light, made.rate_hz), from_sensor(made.button, made.light, made.rate_hz)
        sound = np.random.default_rng(number).normal(0, 0.02, made.button.size) + np.diff(made.button, prepend=0.0)
        found.append([presses(made.button, made.rate_hz), presses(sound, made.rate_hz), steps.at_ms, steps.height,
                      steps.ratio[:4], steps.strobe_hz, steps.noise, whole.waits_ms, whole.misses, whole.unasked,
                      [[one.at_ms, one.what] for one in whole.doubts]])
    return found


def of_waits(_: Path) -> object:
    random = np.random.default_rng(6)
    press = np.arange(40) * 500.0
    waits = {"even": random.uniform(20, 45, 40), "in steps": random.integers(3, 7, 40) * 8.0,
             "few": random.uniform(20, 45, 5), "with a late one": np.r_[random.uniform(20, 30, 39), 240.0]}
    told = {name: from_events(press[:one.size], press[:one.size] + one) for name, one in waits.items()}
    told["a camera"] = from_camera([*random.integers(4, 9, 30).tolist(), float("nan"), 40], 240.0)
    return {name: [asdict(measure.described(one)), [[each.at_ms, each.what] for each in one.doubts], one.about]
            for name, one in told.items()}


def frame_times(kind: str, size: int = 4000) -> np.ndarray:
    random = np.random.default_rng(size)
    frames = 8 * np.exp(random.normal(0, 0.1, size))
    if kind == "heavy tails":
        frames = 5 + random.pareto(2.5, size) * 3
    if kind == "coarse":
        frames = np.maximum(1.0, np.round(frames))
    if kind == "stutters":
        frames[::97] += 40
    if kind == "slow scene":
        frames[size // 3:size // 2] *= 3
    if kind == "warm-up":
        frames[:size // 10] *= np.linspace(2, 1, size // 10)
    if kind == "two in turn":
        frames[::2] *= 2
    return frames


def of_frames(_: Path) -> object:
    found = {}
    for kind in ("even", "heavy tails", "coarse", "stutters", "slow scene", "warm-up", "two in turn"):
        frames = frame_times(kind)
        capture = Capture(np.cumsum(frames), cpu_ms=frames * 0.6, gpu_ms=frames * 0.8)
        known = metrics_of(capture, METRICS)
        found[kind] = [{name: value for name, value in known.items() if value == value}, measure.warm_up_ms(capture),
                       measure.periodic_hitches(capture), metrics_of(measure.cut(capture, 4000, 9000), FIRST[:2]),
                       measure.doubts_of(capture)]
    return found


def of_pooling(_: Path) -> object:
    random, found = np.random.default_rng(21), []
    for sizes, spread, noise in product(((1, 2, 3), (4, 9, 15), (30, 60, 45)), (0.0, 0.03), (0.004, 0.02)):
        size = sum(sizes)
        variance = random.uniform(0.5, 2, size) * noise ** 2
        facts = random.normal(0, 1, (size, 3))
        facts[::7, 1] = np.nan
        effect = random.normal(-0.02 + 0.03 * np.nan_to_num(facts[:, 0]), np.sqrt(variance + spread ** 2))
        rigs = Rigs(effect, variance, np.r_[0, np.cumsum(sizes)[:-1]].astype(np.intp))
        tau2, few = tau2_of(rigs), np.zeros(len(sizes))
        said = answers(rigs, few + 0.01, few - 1.0)
        slopes = slopes_of(rigs, facts)
        found.append([
            tau2, asdict(pooled(rigs)), moderated(variance, random.integers(3, 20, size).astype(float),
                                                  np.repeat(np.arange(len(sizes)), sizes))[:3],
            without_each(rigs, tau2)[:4], small_studies(rigs, tau2), said.half, said.surely, said.bounds, said.coming,
            [one and [one.places, one.mean, one.slope, one.tau2, one.dof, one.on(np.array([1.0, np.nan, 5.0]))]
             for one in slopes]])
    return found


def of_pools(_: Path) -> object:
    """Pools of other kinds than the one of `test_known_results.py`: few rigs, copies, silence, claims, screens, several
    metrics and games, and rigs of which one, some or those that measured least say otherwise."""
    random = np.random.default_rng(31)
    found = []
    for number, (size, way) in enumerate(product((1, 2, 5, 12, 40), (
            "alike", "spread", "parted", "one says it all", "less measured, more said", "careless"))):
        records = list[study.EvidenceRecord]()
        for rig in range(size):
            cores, error = float(random.choice([4, 8, 16])), float(random.uniform(0.003, 0.02))
            effect = {
                "alike": -0.04, "spread": float(random.normal(-0.03, 0.04)), "parted": 0.05 if cores < 8 else -0.06,
                "one says it all": -0.3 if rig == 1 else -0.02, "less measured, more said": -4 * error,
                "careless": 0.25 if rig % 9 == 3 else -0.03}[way]
            for metric, sign in (("frame_ms_mean", 1), ("fps_mean", -1))[:1 + number % 2]:
                records.append(record(
                    rig, 0.0, study=rig, facts={"cores": cores, "ram_mib": float(random.choice([8192, 32768]))},
                    game=("brass-orbit", "tidewater-rally")[rig % 2], kind=("trial", "screen")[rig % 3 == 2],
                    state=("finished", "finished", "claimed", "not finished")[rig % 4 if rig > 7 else 0],
                    found=(said(metric, sign * float(random.normal(effect, error)) if rig % 7 != 6 else None, error),)))
        records += records[:2]
        pool = study.pool_evidence(study.flattened(records), study.PoolPlan(("made up",), "frame_ms_mean,fps_mean"))
        content = pool.to_json()
        for change in content["changes"]:
            for one in change["metrics"]:
                one.pop("digest")
        found.append([size, way, content])
    return found


def said(metric: str, effect: float | None, error: float) -> Found:
    known = effect is not None
    return Found(metric=metric, decides=True, log_ratio=effect, error=error if known else None,
                 dof=8.0 if known else None, blocks=8, matters_pct=1.0, verdict="unclear")


SAID_BY_A_MACHINE = {
    "sys/bus/pci/devices/0000:01:00.0/class": "0x030000", "sys/bus/pci/devices/0000:02:00.0/class": "0x038000",
    "sys/bus/pci/devices/0000:03:00.0/class": "0x020000",
    "proc/stat": "cpu {c} 5 9 {b} {a} 1 2 {a} 7\ncpu0 {c} 0 0 60 {a} 0 0\ncpu1 {b} 0 0 {c} 0 0 0 0\nintr 5",
    "proc/meminfo": "MemTotal: 2048000 kB\nMemAvailable: 10240{b} kB\nSwapTotal: 4096 kB\nSwapFree: 20{b} kB\nOdd:",
    "proc/pressure/cpu": "some avg10=0.00 total={c}000\nfull avg10=0.00 total=0",
    "proc/pressure/memory": "full avg10=0.00 total={c}000", "proc/pressure/io": "some avg10=0.00 total={b}0000",
    "sys/devices/system/cpu/cpufreq/policy0/scaling_cur_freq": "30{b}000",
    "sys/devices/system/cpu/cpufreq/policy1/scaling_cur_freq": "no number",
    "sys/devices/system/cpu/cpu0/thermal_throttle/package_throttle_total_time_ms": "{a}",
    "sys/devices/system/cpu/cpu1/thermal_throttle/core_throttle_total_time_ms": "{b}",
    "sys/class/hwmon/hwmon0/name": "madeup", "sys/class/hwmon/hwmon0/temp1_input": "61{b}",
    "sys/class/hwmon/hwmon0/temp2_input": "72000", "sys/class/hwmon/hwmon0/power1_average": "15{b}00000",
    "sys/class/hwmon/hwmon0/power2_average": "2000000", "sys/class/hwmon/hwmon0/freq1_input": "19{b}000000",
    "sys/class/hwmon/hwmon0/fan1_input": "1{b}", "sys/class/hwmon/hwmon1/name": "coretemp",
    "sys/class/hwmon/hwmon1/temp1_input": "55{b}", "sys/class/hwmon/hwmon2/name": "Drive 1 (fast)",
    "sys/class/hwmon/hwmon2/temp1_input": "40{b}", "sys/class/hwmon/hwmon10/name": "Drive 1 (fast)",
    "sys/class/hwmon/hwmon10/temp1_input": "41{b}", "sys/class/thermal/thermal_zone0/type": "x86_pkg_temp",
    "sys/class/thermal/thermal_zone0/temp": "54000", "sys/class/thermal/thermal_zone1/type": "9Case (rear)",
    "sys/class/thermal/thermal_zone1/temp": "33{b}", "sys/class/thermal/thermal_zone2/type": "madeup",
    "sys/class/thermal/thermal_zone2/temp": "1", "sys/class/powercap/x:0/name": "package-0",
    "sys/class/powercap/x:0/energy_uj": "{c}000000", "sys/class/powercap/x:1/name": "package-1",
    "sys/class/powercap/x:1/energy_uj": "{b}00000", "sys/class/powercap/x:2/name": "dram",
    "sys/class/powercap/x:2/energy_uj": "{b}0000000", "sys/class/power_supply/one/status": "Discharging",
    "sys/class/power_supply/one/power_now": "9{b}0000", "sys/class/power_supply/two/status": "Full",
    "sys/class/power_supply/two/power_now": "70000000",
    "sys/bus/pci/devices/0000:01:00.0/gpu_busy_percent": "{a}",
    "sys/bus/pci/devices/0000:01:00.0/mem_info_vram_used": "{c}0485760",
    "sys/class/drm/card1/gt_act_freq_mhz": "1{b}", "sys/class/drm/card1/gt/gt0/throttle_reason_status": "1",
    "sys/class/drm/card0/gt_act_freq_mhz": "no number", "proc/77/statm": "5000 25{b}", "proc/78/statm": "7",
    "proc/77/task/77/stat": "77 (a) b) S 0 0 0 0 0 0 0 0 0 0 {b} {a} 0", "proc/77/task/79/stat": "79 (x) S 0",
    "proc/77/task/78/stat": "78 (c) S 0 0 0 0 0 0 0 0 0 0 {a} 1 0",
    "proc/77/fdinfo/4": "drm-pdev: 0000:01:00.0\ndrm-client-id: 3\ndrm-engine-render: {c}00000 ns\nodd",
    "proc/77/fdinfo/5": "drm-pdev: 0000:01:00.0\ndrm-client-id: 3\ndrm-engine-gfx: {b}00000 ns\ndrm-engine-x: {c} ns",
    "proc/77/fdinfo/6": "drm-pdev: 0000:02:00.0\ndrm-client-id: 9\ndrm-engine-3d: {b}00000 ns",
    "proc/77/fdinfo/7": "drm-pdev: 0000:02:00.0\ndrm-client-id: 8\ndrm-engine-3d: {c}000000000 ns",
    "proc/77/fdinfo/8": "drm-engine-3d: {c}000000000 ns"}


def of_what_a_machine_says(folder: Path) -> object:
    """Every source, looked at four times half a second apart, while all counters rise."""
    def tell(look: int) -> None:
        for place, text in SAID_BY_A_MACHINE.items():
            (folder / place).parent.mkdir(parents=True, exist_ok=True)
            counts = {"{a}": 10 + 7 * look, "{b}": 120 + 31 * look ** 2, "{c}": 300 + 83 * look}
            for name, count in counts.items():
                text = text.replace(name, str(count))
            text = "?" if look == 3 and "cpufreq" in place else text  # a core that is asleep
            (folder / place).write_text(text + "\n", encoding="utf-8")

    tell(0)
    cards = folder / "sys/class/drm", folder / "sys/bus/pci/devices"
    for name, address in (("card0", "0000:01:00.0"), ("card1", "0000:02:00.0"), ("card1-out", "0000:01:00.0")):
        (cards[0] / name).mkdir(exist_ok=True)
        (cards[0] / name / "device").symlink_to(cards[1] / address)
    (folder / "sys/class/hwmon/hwmon0/device").symlink_to(cards[1] / "0000:02:00.0")
    (folder / "proc/77/fd").mkdir()
    for number in range(4, 10):
        (folder / "proc/77/fd" / str(number)).symlink_to("/dev/dri/renderD128" if number < 9 else "/dev/null")
    found, now, read = [], [5.0], _sampler.sources(folder, [77, 78])
    with mock.patch.object(_sampler, "time", SimpleNamespace(perf_counter=lambda: now[0])):
        for look in range(4):
            tell(look)
            found.append([one() for one in read])
            now[0] += 0.5
    return found


SWEEPS = {
    "every setting": of_every_setting, "odd pipelines": of_odd_pipelines, "population": of_a_population,
    "signals": of_signals, "waits": of_waits, "frames": of_frames,
    "pooling": of_pooling,
    "pools": of_pools, "what a machine says": of_what_a_machine_says}
