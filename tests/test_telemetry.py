"""What a rig says of itself while a game runs: kept, measured, and held against a run."""

import math
import re
import subprocess
import sys
import time
from collections import Counter
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as some
from scipy import stats

from conftest import Keen, as_json
from keenlattice.errors import CaptureError
from keenlattice.measure.capture import Capture
from keenlattice.measure.columns import column_map
from keenlattice.measure.course import cut
from keenlattice.measure.doubts import doubts_of
from keenlattice.measure.ingesting import ingest
from keenlattice.measure.machine_log import log_map, read_machine_log
from keenlattice.measure.metrics import TRIAL_METRICS, metrics_of
from keenlattice.measure.parquet import read_capture, write_capture
from keenlattice.measure.rows import read_text, write_text
from keenlattice.measure.series import KINDS, Series
from keenlattice.measure.telemetry import limited_by, readings, throttled
from keenlattice.profile.version import Version, stock
from keenlattice.rig.linux import sampler
from keenlattice.rig.linux.telemetry import Telemetry, taken_down
from keenlattice.rig.standin.machine import Standin
from keenlattice.study.deciding import Deciding
from keenlattice.study.trial.adjusting import AT_START, at_start
from keenlattice.study.trial.concluding import conclude, ended
from keenlattice.study.trial.plan import Arm, TrialPlan
from keenlattice.study.trial.play import run_trial
from keenlattice.study.trial.result import MetricResult, Price
from keenlattice.study.trial.words import price


def said(*values: float) -> Series:
    """A sample each quarter of a second."""
    return Series(250.0 * np.arange(1, len(values) + 1), np.array(values, dtype=np.float64))


def run(frames: int = 100, apart_ms: float = 10.0, **telemetry: Series) -> Capture:
    return Capture(np.arange(frames + 1) * apart_ms, telemetry={
        name.replace("__", "-").replace("_", "."): one for name, one in telemetry.items()})


@given(some.dictionaries(some.builds("{}.{}".format, some.sampled_from(["cpu", "gpu0", "game-thread", "x9"]),
                                     some.sampled_from(list(KINDS))),
                         some.lists(some.floats(-1e6, 1e6) | some.just(float("nan")), max_size=20), max_size=6))
def test_what_is_kept_reads_back(tmp_path_factory: pytest.TempPathFactory, series: dict[str, list[float]]) -> None:
    path = tmp_path_factory.mktemp("kept") / "run.parquet"
    kept = Capture(np.arange(5) * 8.0, np.array([3.0]), np.array([20.0]), telemetry={
        name: said(*values) for name, values in series.items()}, about={"game": "orbit"})
    write_capture(kept, path)
    write_text(kept, path.with_suffix(".csv"))
    full = {name: one for name, one in kept.telemetry.items() if one.at_ms.size}
    for read in (read_capture(path), read_text(path.with_suffix(".csv"))):
        assert np.array_equal(read.shown_ms, kept.shown_ms) and np.array_equal(read.answer_ms, kept.answer_ms)
        assert read.telemetry.keys() == full.keys() and read.about == kept.about
        for name, one in full.items():
            assert np.array_equal(read.telemetry[name].at_ms, one.at_ms)
            assert np.array_equal(read.telemetry[name].values, one.values, equal_nan=True)


def test_a_text_of_a_capture_is_of_the_first_form_unless_the_machine_said_something(tmp_path: Path) -> None:
    for name, series in (("plain", {}), ("told", {"gpu0.load": said(1, 2)})):
        write_text(Capture(np.arange(5) * 8.0, telemetry=series), tmp_path / name)
    heads = [(tmp_path / name).read_text().split("\n")[0] for name in ("plain", "told")]
    assert '"form": 1' in heads[0] and '"form": 2' in heads[1]


def test_what_a_series_said_as_a_run_began_is_of_the_first_second_or_the_first_there_is() -> None:
    late = Series(np.array([1500.0, 2500.0]), np.array([math.nan, 70.0]))
    run = Capture(np.arange(5) * 1000.0, telemetry={"gpu0.temperature": late, "cpu.temperature": Series(
        np.array([200.0, 900.0, 1100.0]), np.array([50.0, 52.0, 90.0]))})
    assert at_start(run, "gpu0.temperature") == 70 and at_start(run, "cpu.temperature") == 51
    assert math.isnan(at_start(run, "gpu0.load"))


@pytest.mark.parametrize("wrong", [
    {"gpu": said(1)}, {"gpu0.colour": said(1)}, {"../x.load": said(1)}, {f"p{n}.load": said(1) for n in range(65)}])
def test_series_that_are_none_are_refused(wrong: dict[str, Series]) -> None:
    with pytest.raises(CaptureError):
        Capture(np.arange(5) * 8.0, telemetry=wrong)


@pytest.mark.parametrize(("at", "values"), [
    ([1, 2], [1]), ([2, 1], [1, 1]), ([1, 2], [1, np.inf]), ([1, np.nan], [1, 2])])
def test_a_series_holds_together(at: list[float], values: list[float]) -> None:
    with pytest.raises(CaptureError):
        Series(np.array(at, dtype=float), np.array(values, dtype=float))


def test_metrics_and_what_is_not_said() -> None:
    told = run(gpu0_power=said(100, 110, 120, 130), cpu_power=said(40, 40, 40, 40),
               gpu0_temperature=said(60, 70, 80, 70), gpu0_clock=said(2000, 1500, 2000, 1500),
               gpu0_throttled=said(0, 0, 100, 0))
    found = metrics_of(told)
    assert (found["power_w_mean"], found["gpu_temperature_c_worst"], found["gpu_clock_mhz_mean"]) == (155, 80, 1750)
    assert found["energy_per_frame_mj"] == pytest.approx(1550) and found["throttled_pct"] == 25
    assert readings(told)["gpu0.clock"].worst == 1500 and throttled(told) == {"gpu0": 25}
    assert "the GPU was throttled for 25 %" in doubts_of(told)[0]
    nothing = metrics_of(run())
    assert all(np.isnan(nothing[name]) for name in ("power_w_mean", "energy_per_frame_mj", "throttled_pct"))
    assert doubts_of(run()) == () and np.isnan(metrics_of(run(gpu0_power=said(float("nan"))))["power_w_mean"])


def test_what_the_frames_waited_for() -> None:
    assert limited_by(run(gpu0_load=said(95, 99, 50, 50), game__thread_load=said(40, 40, 97, 40))) == pytest.approx(
        {"GPU": 50, "CPU": 25, "not known": 25})
    assert limited_by(run(gpu0_load=said(95, 99, 99, 99), gpu0_throttled=said(0, 0, 30, 0))) == pytest.approx(
        {"GPU": 75, "heat": 25})
    assert limited_by(run()) == {"not known": 100} and limited_by(Capture(np.empty(0))) == {}
    staged = replace(run(), cpu_ms=np.full(101, 2.0), gpu_ms=np.linspace(0, 20, 101))
    assert limited_by(staged) == pytest.approx({"GPU": 58, "cap": 42}, abs=1)


def test_a_part_of_a_run_has_its_part_of_the_series() -> None:
    part = cut(run(gpu0_load=said(10, 20, 30, 40)), 400, 800)
    assert part.telemetry["gpu0.load"].values.tolist() == [20, 30]
    assert part.telemetry["gpu0.load"].at_ms.tolist() == [100, 350]


def test_the_stand_in_says_what_its_frames_do(tmp_path: Path) -> None:
    rig = Standin(tmp_path)
    plain = readings(rig.play("tidewater-rally", 20, 1))
    capped = run_trial(rig, stock("tidewater-rally"), Version("tidewater-rally", {"frame.cap": 40}),
                       TrialPlan(4, 10, 1, Deciding("frame_ms_mean", 5)))
    assert plain["gpu0.load"].mean > 95 and 50 < plain["gpu0.temperature"].worst < 90
    cost = {one.name: one for one in capped.prices}
    assert cost["power_w_mean"].high < -20 and cost["gpu_temperature_c_mean"].high < 0
    assert cost["gpu_clock_mhz_mean"].low < 0 < cost["gpu_clock_mhz_mean"].high + 20 and "throttled_pct" not in cost


def test_every_source_of_a_machine_is_read(tmp_path: Path) -> None:
    """A recorded tree, made up: a GPU with its monitor, a CPU with throttle counters, an energy counter, a game."""
    card = "0000:01:00.0"
    texts = {
        f"sys/bus/pci/devices/{card}/class": "0x030000",
        "proc/stat": "cpu 100 0 0 60 40 0 0 0\ncpu0 100 0 0 60 40 0 0 0",
        "proc/meminfo": "MemTotal: 2048000 kB\nMemAvailable: 1024000 kB\nSwapTotal: 0 kB\nSwapFree: 0 kB",
        "proc/pressure/cpu": "some avg10=0.00 total=1000000\nfull avg10=0.00 total=0",
        "sys/devices/system/cpu/cpufreq/policy0/scaling_cur_freq": "3000000",
        "sys/devices/system/cpu/cpufreq/policy1/scaling_cur_freq": "4000000",
        "sys/devices/system/cpu/cpu0/thermal_throttle/package_throttle_total_time_ms": "1000",
        "sys/class/hwmon/hwmon0/name": "madeup", "sys/class/hwmon/hwmon0/temp1_input": "61000",
        "sys/class/hwmon/hwmon0/temp2_input": "72000", "sys/class/hwmon/hwmon0/power1_average": "150000000",
        "sys/class/hwmon/hwmon0/fan1_input": "1400", "sys/class/hwmon/hwmon1/name": "coretemp",
        "sys/class/hwmon/hwmon1/temp1_input": "55000", "sys/class/thermal/thermal_zone0/type": "x86_pkg_temp",
        "sys/class/thermal/thermal_zone0/temp": "54000", "sys/class/thermal/thermal_zone1/type": "9Case (rear)",
        "sys/class/thermal/thermal_zone1/temp": "33000", "sys/class/powercap/x:0/name": "package-0",
        "sys/class/powercap/x:0/energy_uj": "5000000", "proc/77/statm": "5000 2560",
        "proc/77/task/78/stat": "78 (a) b) S" + " 0" * 10 + " 50 50",
        "proc/77/fdinfo/4": f"drm-pdev: {card}\ndrm-client-id: 3\ndrm-engine-render: 5 ns"}
    for place, text in texts.items():
        (tmp_path / place).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / place).write_text(text + "\n")
    (tmp_path / "sys/class/hwmon/hwmon0/device").symlink_to(tmp_path / f"sys/bus/pci/devices/{card}")
    (tmp_path / "proc/77/fd").mkdir()
    (tmp_path / "proc/77/fd/4").symlink_to("/dev/dri/renderD128")
    read = sampler.sources(tmp_path, [77])
    first = {name: value for one in read for name, value in one().items()}
    assert {name: first[name] for name in ("gpu0.temperature", "gpu0.power", "gpu0.fan", "cpu.temperature", "cpu.clock",
                                           "cpu-fastest.clock", "case-rear.temperature", "system.memory")} == {
        "gpu0.temperature": 72, "gpu0.power": 150, "gpu0.fan": 1400, "cpu.temperature": 55, "cpu.clock": 3500,
        "cpu-fastest.clock": 4000, "case-rear.temperature": 33, "system.memory": 1000}
    assert "cpu.power" not in first and "game.load" not in first  # shares and rates take a second look
    time.sleep(0.1)
    later = {"sys/class/powercap/x:0/energy_uj": "15000000",
             "proc/stat": "cpu 175 0 0 70 55 0 0 0\ncpu0 175 0 0 70 55 0 0 0",
             "sys/devices/system/cpu/cpu0/thermal_throttle/package_throttle_total_time_ms": "1050",
             "proc/77/task/78/stat": "78 (a) b) S" + " 0" * 10 + " 52 52",
             "proc/77/fdinfo/4": f"drm-pdev: {card}\ndrm-client-id: 3\ndrm-engine-render: 50000005 ns"}
    for place, text in later.items():
        (tmp_path / place).write_text(text + "\n")
    second = {name: value for one in read for name, value in one().items()}
    assert second["cpu.load"] == 75 and 0 < second["cpu.throttled"] <= 50 and 30 < second["cpu.power"] <= 100
    assert 0 < second["gpu0.load"] <= 50 and 0 < second["game-thread.load"] <= 40 and second["cpu.pressure"] == 0
    assert second["game.memory"] == 10


def test_what_the_drivers_of_two_gpus_say_is_read_of_each(tmp_path: Path) -> None:
    devices, cards = tmp_path / "sys/bus/pci/devices", tmp_path / "sys/class/drm"
    for number, address in enumerate(("0000:01:00.0", "0000:02:00.0")):
        (devices / address).mkdir(parents=True)
        (devices / address / "class").write_text("0x030000")
        (cards / f"card{number}").mkdir(parents=True)
        (cards / f"card{number}/device").symlink_to(devices / address)
    (cards / "card0-out").mkdir()
    for place, text in (("card0/device/gpu_busy_percent", "71"), ("card0/device/mem_info_vram_used", f"{3 * 2**20}"),
                        ("card0/gt_act_freq_mhz", "asleep"), ("card1/gt_act_freq_mhz", "1450"),
                        ("card1/gt/gt0/throttle_reason_status", "1"), ("card0-out/gt_act_freq_mhz", "9")):
        (cards / place).parent.mkdir(parents=True, exist_ok=True)
        (cards / place).write_text(text)
    read = sampler.gpus(tmp_path)
    assert read and read() == {"gpu0.load": 71, "gpu0.memory": 3, "gpu1.clock": 1450, "gpu1.throttled": 100}
    assert sampler.gpus(tmp_path / "none") is None


def test_columns_of_a_recording_are_series_too(tmp_path: Path) -> None:
    file = tmp_path / "run.csv"
    file.write_text("t;heat;watts\n" + "\n".join(
        f"{8 * row};{60 + row // 20};{'' if row % 3 else 150 + row % 2}" for row in range(100)) + "\n")
    columns = column_map(name="mine", time="t", means="stamps", unit="ms", said={"gpu0.temperature": "heat",
                                                                                "gpu0.power": "watts"})
    found = ingest(file, columns).capture
    assert readings(found)["gpu0.temperature"].worst == 64 and found.telemetry["gpu0.power"].at_ms.size == 34
    assert metrics_of(found)["power_w_mean"] == pytest.approx(150.5, abs=0.1)
    with pytest.raises(CaptureError, match="is not the name of a series: write"):
        column_map(name="mine", time="t", means="stamps", unit="ms", said={"heat": "heat"})


def test_a_player_is_told_what_the_rig_said(keen: Keen, tmp_path: Path) -> None:
    told = as_json(keen("measure", "tidewater-rally", "--runs", "2", "--seconds", "10", "--seed", "1", "--json"))
    assert told["doubts"] == [] and [round(run["GPU"]) for run in told["limited_by"]] == [100, 100]
    assert told["said"][0]["gpu0.power"]["unit"] == "W" and told["said"][0]["gpu0.clock"]["worst"] < 2039
    shown = keen("measure", "tidewater-rally", "--runs", "1", "--seconds", "10", "--seed", "1").stdout
    assert "GPU temperature, °C" in shown and "Limited by the GPU for 100 % of the time." in shown
    keen("edit", "tidewater-rally", "gpu.power-limit@gpu0=70", code=2)
    keen("edit", "tidewater-rally", "frame.cap=40")
    trial = ["trial", "tidewater-rally@stock", "tidewater-rally", "--blocks", "4", "--seconds", "10", "--seed", "1"]
    said = keen(*trial).stdout
    assert "power, W" in said and "none of these decides" in said
    keen("report", "--out", "page.html")
    assert "What the rig said of itself" in (tmp_path / "page.html").read_text(encoding="utf-8")
    (tmp_path / "run.csv").write_text("t;heat\n" + "".join(f"{8 * row};{60 + row}\n" for row in range(40)))
    read = ["ingest", "run.csv", "--time", "t", "--of", "tidewater-rally"]
    shown = keen(*read, "--said", "gpu0.temperature=heat").stdout
    assert "GPU temperature, °C  79.5   99.0" in shown
    assert "write NAME=COLUMN" in keen(*read, "--said", "heat", code=2).stderr


def test_prices_are_told_as_exactly_as_they_are_known() -> None:
    assert price(Price("gpu_clock_mhz_mean", "MHz", 2008.04, 2016.1, 8.06, -0.3, 15.2, 5)) == (
        "2008", "2016", "+8 (0 to +15)")
    assert price(Price("power_w_mean", "W", 190.2, 136.6, -53.6, -54.3, -52.8, 5))[2] == "-53.6 (-54.3 to -52.8)"


def test_this_machine_is_listened_to_at_little_cost() -> None:
    busy = subprocess.Popen([sys.executable, "-c", "while True: pass"])
    try:
        with taken_down([busy.pid], every_s=0.1) as found:
            began = time.perf_counter()
            time.sleep(4)  # on a busy machine a reading may take half a second
    finally:
        busy.kill()
        busy.wait()
    assert found.cost is not None and found.cost < 0.01
    recorded = Capture(np.arange(401) * 10.0, about={"clock_start_s": began})
    beside = found.beside(recorded)
    assert beside.telemetry["game-thread.load"].known.size > 5 and beside.about["telemetry_cost_pct"] < 1
    assert readings(beside)["game-thread.load"].mean > 20 and readings(beside)["system.memory"].mean > 50


def test_a_log_on_a_clock_of_its_own_is_put_beside_the_frames(tmp_path: Path, keen: Keen) -> None:
    frames, log = tmp_path / "frames.csv", tmp_path / "log.csv"
    at_s = 5000 + np.arange(0, 10, 0.01)
    frames.write_text("t\n" + "".join(f"{1000 * one:.3f}\n" for one in at_s))
    when = np.arange(4998, 5013)
    log.write_text("when;hot;spin\n" + "".join(f"{one};{one - 4950};{'-' if one % 2 else 900}\n" for one in when))
    once = ("ingest", str(frames), "--time", "t", "--log", str(log), "--log-time", "when", "--said",
            "gpu0.temperature=hot", "--said", "gpu0.fan=spin", "--name", "mine")
    assert "clock is the frames' own" in keen(*once, "--out", str(tmp_path / "a.csv")).stdout
    hot = read_text(tmp_path / "a.csv").telemetry["gpu0.temperature"]
    assert hot.at_ms[0] == 0 and list(hot.values[[0, -1]]) == [50, 59]
    assert read_text(tmp_path / "a.csv").telemetry["gpu0.fan"].known.size == 5  # what is not a number was not said
    log.write_text("when;hot;spin\n" + "".join(f"{one};{one};0\n" for one in range(100)))  # the map is known now
    told = keen("ingest", str(frames), "--log", str(log), "--log-starts", "-20", "--out", str(tmp_path / "b.csv"))
    assert "not the frames'" in told.stdout
    hot = read_text(tmp_path / "b.csv").telemetry["gpu0.temperature"]
    assert list(hot.values[[0, -1]]) == [20, 29] and hot.at_ms[0] == 0
    for words, code, says in ((("--log", str(log), "--log-starts", "60"), 1, "says nothing of the 10.0 s"),
                        (("--log", str(frames)), 2, "not known yet"),
                              (("--said", "gpu0.fan=spin"), 2, "--said goes with"),
                              (("--log-starts", "3"), 2, "go with --log FILE"),
                              (("--log", str(log), "--said", "gpu0.fan=spin"), 2, "--said goes with"),
                        (("--log", str(log), "--log-time", "no", "--said", "gpu0.fan=spin"), 1, "no"),
                        (("--log", str(log), "--log-time", "when", "--said", "fan=spin"), 1,
                         "not the name of a series"),
                        (("--log", str(log), "--log-time", "when"), 1, "said"),
                              (("--log", str(tmp_path)), 1, str(tmp_path))):
        failed = keen("ingest", str(frames), *words, code=code)
        assert says in failed.stderr and failed.stderr.count("\n") == 1, failed.stderr


def ending_of(plan: TrialPlan, random: np.random.Generator, by_heat: float, weight: float) -> MetricResult:
    """What a trial amounts to whose second version is 3 % slower, on a rig whose heat lags and counts by so much.

    Args:
        weight: how much of what a run says of its beginning is that heat; the rest is noise.
    """
    runs, heat = list[tuple[Arm, dict[str, float]]](), 0.0
    for _, arm, _ in plan.runs():
        heat = 0.6 * heat + random.standard_normal()
        slower = math.log(1.03) if arm == "after" else 0.0
        frame_ms = math.exp(2 + slower + by_heat * heat + 0.01 * random.standard_t(4))
        said = 60 + 4 * (weight * heat + (1 - weight) * random.standard_normal())
        runs.append((arm, {**dict.fromkeys(TRIAL_METRICS, math.nan), "frame_ms_mean": frame_ms, AT_START: said}))
        if ended(plan, runs):
            break
    return conclude(plan, *([run for arm, run in runs if arm == which] for which in ("before", "after")))[0]


@pytest.mark.parametrize("few_switches", [False, True])
@pytest.mark.parametrize(("by_heat", "weight", "saves"), [(0.02, 0.8, 0.95), (0.0, 1.0, 1.06)])
def test_what_a_rig_said_as_a_run_began_saves_runs_and_widens_nothing(few_switches: bool, by_heat: float,
                                                                      weight: float, saves: float) -> None:
    """Where the heat counts, fewer runs and fewer unclear ends; where it does not, a few more, for a degree of freedom
    is spent; and never more misses than the interval allows (two ends of 5 %)."""
    runs, clear, missed = Counter[str](), Counter[str](), 0
    for series in ("", "gpu0.temperature"):
        for seed in range(100):
            plan = TrialPlan(16, 10, seed, Deciding("frame_ms_mean"), few_switches=few_switches, adjusts_for=series)
            found = ending_of(plan, np.random.default_rng(seed), by_heat, weight)
            runs[series] += found.n
            clear[series] += found.verdict == "worse"
            missed += bool(series) and not (found.low_pct or 0) <= 3 <= (found.high_pct or 0)
    assert runs["gpu0.temperature"] <= saves * runs[""]
    assert clear["gpu0.temperature"] >= clear[""] - (7 if saves > 1 else 0)
    assert missed <= stats.binom.ppf(0.999, 100, 0.1)


def test_a_trial_says_what_it_takes_into_account(tmp_path: Path, keen: Keen) -> None:
    keen("edit", "brass-orbit", "frame.queue-depth=1")
    words = ("trial", "brass-orbit@stock", "brass-orbit", "--blocks", "8", "--seconds", "5", "--seed", "1",
             "--every-block", "--adjusts-for", "gpu0.temperature")
    told = keen(*words).stdout
    assert "for an equal GPU temperature at the start of each run" in told and "limited by the GPU for" in told
    shares = as_json(keen(*words, "--json"))["limited_by"]
    assert set(shares) == {"before", "after"}
    assert all(sum(some.values()) == pytest.approx(100) for some in shares.values())
    assert "to the last bit" in keen("studies", "again", "1").stdout
    assert "is not the name of a series" in keen(*words[:-1], "heat", code=2).stderr
    assert "The GPU fan is not taken into account" in keen(*words[:-1], "gpu0.fan").stdout  # no run knows it


def test_runs_that_throttled_are_named_in_every_kind_of_study(keen: Keen, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("keenlattice.study.player.doubts_of", lambda run: ("was throttled",) * (run.about["seed"] % 2))
    keen("edit", "brass-orbit", "frame.queue-depth=1", "sync.vertical=off", "frame.cap=200")
    versions, short = ("brass-orbit@stock", "brass-orbit"), ("--seconds", "2", "--seed", "1")
    for words in (("screen", *versions, "--rounds", "1"), ("hunt", "brass-orbit", "--matters", "3"),
                  ("tune", "brass-orbit@stock", "--try", "frame.queue-depth=1,2", "--rounds", "3")):
        said = keen(*words, *short).stdout
        assert "was throttled" in said and said.count("! run ") <= 3, said


@pytest.mark.parametrize(("before", "after", "busy", "taken"), [
    ("100 0 0 100 0 0 0 0", "150 0 0 150 0 0 0 0", 50, 0), ("100 0 0 60 40 0 0 0", "130 0 0 90 80 0 0 0", 30, 0),
    ("0 0 0 0 0 0 0 0", "40 0 0 50 0 0 0 10", 50, 10), ("0 0 0 0 0 0 0", "25 0 0 75 0 0 0", 25, 0)])
def test_how_busy_cores_were_is_what_was_neither_idle_nor_waiting(tmp_path: Path, before: str, after: str, busy: float,
                                                                  taken: float) -> None:
    (tmp_path / "proc").mkdir()
    file = tmp_path / "proc/stat"
    file.write_text(f"cpu {before}\ncpu0 {before}\nintr 5\n")
    read = sampler.processors(tmp_path)
    assert read is not None and read() == {}
    file.write_text(f"cpu {after}\ncpu0 {after}\nintr 9\n")
    assert read() == pytest.approx({"cpu.load": busy, "cpu-busiest.load": busy, "cpu-taken.load": taken})


def test_what_was_taken_down_last_is_read_as_it_comes(tmp_path: Path) -> None:
    file = tmp_path / "taken"
    file.write_text('{"names": ["gpu0.load", "cpu.load"]}\n[1.0, 50, 20]\n[1.25, 60, null]\n[1.5, 7')
    with file.open("rb") as opened:
        found = Telemetry(file=opened.fileno())
        assert found.latest() == {"gpu0.load": 60}
        with file.open("a") as more:
            more.write('0, 30]\n')
        assert found.latest() == {"gpu0.load": 70, "cpu.load": 30}
        assert found.latest() == {"gpu0.load": 70, "cpu.load": 30}


@pytest.mark.parametrize(("rows", "says"), [
    ([(9, 40), *((second, 50) for second in range(8))], "go back, first after row 1 of 9"),
    ([(second, 119 if second == 4 else 60) for second in range(8)], "holds 119, and gpu0.load is a share of 100 %")])
def test_a_log_of_two_runs_or_of_another_unit_is_refused(tmp_path: Path, rows: list, says: str) -> None:
    file = tmp_path / "log.csv"
    file.write_text("t,load\n" + "".join(f"{time},{load}\n" for time, load in rows))
    with pytest.raises(CaptureError, match=re.escape(says)):
        read_machine_log(file, log_map(name="mine", time="t", said={"gpu0.load": "load"}))
