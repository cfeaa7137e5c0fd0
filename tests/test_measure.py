"""Metrics against known truths, and captures through Parquet."""

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from keenlattice.errors import CaptureError, UnknownName
from keenlattice.measure.capture import Capture
from keenlattice.measure.course import binned, cut, hitch_spectrum, periodic_hitches, segment, warm_up_ms
from keenlattice.measure.metrics import (
    METRICS,
    OF_TELEMETRY,
    TRIAL_METRICS,
    cap_pct,
    late_frames,
    metrics_of,
    refreshes_pct,
    stutter_spans,
    stutters,
)
from keenlattice.measure.parquet import read_capture, write_capture
from keenlattice.measure.resample import resampled_quantiles
from keenlattice.measure.summaries import summary, table


def capture_of(frame_ms: np.ndarray, latency_ms: np.ndarray | None = None) -> Capture:
    waits = np.empty(0) if latency_ms is None else latency_ms
    clicks = np.arange(waits.size) * 100.0
    return Capture(np.concatenate(([0.0], np.cumsum(frame_ms))), clicks, clicks + waits)


def test_a_constant_run() -> None:
    numbers = metrics_of(capture_of(np.full(1000, 8.0), np.full(50, 20.0)))
    assert {name: numbers[name] for name in TRIAL_METRICS} == pytest.approx({
        "frame_ms_mean": 8, "frame_ms_p50": 8, "frame_ms_p99": 8, "fps_mean": 125, "low_1_fps": 125,
        "stutters_per_min": 0, "latency_ms_median": 20, "latency_ms_p95": 20})


def test_frames_over_time_is_not_the_mean_of_rates() -> None:
    numbers = metrics_of(capture_of(np.tile([5.0, 20.0], 500)))
    assert numbers["fps_mean"] == pytest.approx(80)  # the mean of 200 and 50 would be 125
    assert numbers["frame_ms_mean"] == pytest.approx(12.5)


def test_the_one_per_cent_low_is_of_the_slowest_frames() -> None:
    frames = np.full(1000, 10.0)
    frames[[3, 200, 201, 400, 500, 600, 700, 800, 900, 950]] = np.arange(20, 30)
    assert metrics_of(capture_of(frames))["low_1_fps"] == pytest.approx(1000 / 24.5)


@given(arrays(np.float64, st.integers(20, 400), elements=st.floats(0.5, 100)))
def test_metrics_against_numpy(frames: np.ndarray) -> None:
    numbers, kept = metrics_of(capture_of(frames)), np.diff(np.concatenate(([0.0], np.cumsum(frames))))
    assert numbers["frame_ms_mean"] == pytest.approx(kept.mean())
    assert numbers["frame_ms_p99"] == pytest.approx(np.percentile(kept, 99))
    assert numbers["fps_mean"] == pytest.approx(1000 / kept.mean())


@pytest.mark.parametrize("noise", [0.02, 0.08, 0.15])
@pytest.mark.parametrize("base", [3.0, 8.0, 16.7])
def test_planted_stutters_are_all_found_and_none_invented(noise: float, base: float) -> None:
    random = np.random.default_rng(4)
    frames = base * np.exp(random.normal(0, noise, 5000))
    places = np.arange(100, 5000, 137)
    frames[places] = 2.5 * base + 5
    frames[places[0] + 1] = 3 * base + 5  # a second late frame in a row is the same stutter
    assert stutters(frames).tolist() == places.tolist()


def test_a_slow_scene_is_not_a_stutter() -> None:
    frames = np.concatenate([np.full(500, 4.0), np.full(500, 12.0), np.full(500, 4.0)])
    assert stutters(frames).size == 0 or stutters(frames).tolist() == [500]


def test_too_little_gives_no_number() -> None:
    numbers = metrics_of(capture_of(np.full(5, 8.0), np.full(2, 20.0)))
    assert all(np.isnan(value) for value in numbers.values())
    with pytest.raises(UnknownName, match="frame_ms_p99"):
        metrics_of(capture_of(np.full(5, 8.0)), ["frame_ms_p98"])


def test_what_is_no_capture_is_refused() -> None:
    with pytest.raises(CaptureError, match="frame 2"):
        Capture(np.array([0.0, 8.0, 8.0, 16.0]))
    with pytest.raises(CaptureError, match="1 clicks but 2 answers"):
        Capture(np.array([0.0, 8.0]), np.zeros(1), np.zeros(2))
    two = np.array([0.0, 8.0])
    for wrong, says in (({"shown_ms": np.array([0.0, np.nan, 8.0])}, "not a time"),
                        ({"shown_ms": np.array([0.0, np.inf])}, "not a time"),
                        ({"shown_ms": np.array([0.0, 1e12])}, "a week at most"),
                        ({"click_ms": np.array([np.nan]), "answer_ms": np.array([8.0])}, "not a time"),
                        ({"click_ms": np.array([5.0]), "answer_ms": np.array([4.0])}, "an answer -1 ms after"),
                        ({"click_ms": np.array([5.0]), "answer_ms": np.array([1e7])}, "it takes 0 to 60 s"),
                        ({"click_ms": np.array([1e12]), "answer_ms": np.array([np.nan])}, "a week at most"),
                        ({"cpu_ms": np.array([1.0, np.inf])}, "an infinity")):
        with pytest.raises(CaptureError, match=says):
            Capture(**{"shown_ms": two, **wrong})


rising = arrays(np.float64, st.integers(0, 60), elements=st.floats(0.01, 1e4)).map(np.cumsum)
waits = arrays(np.float64, st.integers(0, 30), elements=st.one_of(st.just(float("nan")), st.floats(0, 1e4)))


@given(rising, waits, st.booleans(), st.dictionaries(st.text(), st.integers() | st.text(), max_size=3))
def test_a_capture_survives_parquet(tmp_path_factory: pytest.TempPathFactory, shown: np.ndarray, waits: np.ndarray,
                                    stages: bool, about: dict[str, object]) -> None:
    path = tmp_path_factory.mktemp("captures") / "one.parquet"
    times = shown / 3 if stages else np.empty(0)
    clicks = np.arange(waits.size) * 7.0
    one = Capture(shown, clicks, clicks + waits, times, times, {key: about[key] for key in about if key != "form"})
    write_capture(one, path)
    other = read_capture(path)
    for name in ("shown_ms", "click_ms", "answer_ms", "cpu_ms", "gpu_ms"):
        assert np.array_equal(getattr(one, name), getattr(other, name), equal_nan=True), name
    assert other.about == one.about


@pytest.mark.parametrize("keep", [0, 1, 4, 100, -1, -200])
def test_a_capture_cut_short_is_said_so(tmp_path: Path, keep: int) -> None:
    path = tmp_path / "one.parquet"
    write_capture(capture_of(np.full(500, 8.0)), path)
    path.write_bytes(path.read_bytes()[:keep])
    with pytest.raises(CaptureError, match=r"one\.parquet"):
        read_capture(path)


def test_every_metric_of_a_two_valued_run_is_as_calculated_by_hand() -> None:
    frames = np.tile([5.0] * 9 + [30.0], 100)  # 1000 frames, a tenth of them 30 ms; 45 of 75 ms are in short ones
    shown = np.concatenate(([0.0], np.cumsum(frames)))
    cpu = np.concatenate(([1.0], np.where(frames > 10, 29.0, 1.0)))
    gpu = np.concatenate(([1.0], np.where(frames > 10, 2.0, 4.9)))
    clicks = np.arange(10) * 100.0
    waits = np.array([10.0] * 5 + [20.0] * 3 + [np.nan] * 2)
    capture = Capture(shown, clicks, clicks + waits, cpu, gpu, {"facts": {"refresh_hz": 100}})
    numbers = metrics_of(capture, [name for name in METRICS if name not in OF_TELEMETRY])
    assert {*numbers, *OF_TELEMETRY} == set(METRICS)
    assert numbers == pytest.approx({
        "frame_ms_mean": 7.5, "frame_ms_p50": 5, "frame_ms_p95": 30, "frame_ms_p99": 30, "frame_ms_p99_9": 30,
        "frame_ms_p50_of_time": 5, "frame_ms_p95_of_time": 30, "frame_ms_p99_of_time": 30,
        "fps_mean": 1000 / 7.5, "low_1_fps": 1000 / 30, "low_0_1_fps": 1000 / 30, "low_1_fps_quantile": 1000 / 30,
        "low_0_1_fps_quantile": 1000 / 30, "frame_change_ms_mean": 25 * 199 / 999, "frame_change_ms_p99": 25,
        "pacing_pct": 90, "stutters_per_min": 100 / (7500 / 60_000), "stutter_time_pct": 40, "longest_stutter_ms": 30,
        "refreshes_pct": 100 * np.unique(shown // 10).size / 751, "cpu_bound_pct": 10, "gpu_bound_pct": 90,
        "latency_ms_mean": 13.75, "latency_ms_median": 10, "latency_ms_p95": 20, "latency_ms_spread": 10,
        "unanswered_pct": 20})


@given(st.integers(0, 2 ** 32 - 1), st.integers(2, 4000), st.sampled_from([0.95, 0.99, 0.999]))
def test_a_high_quantile_is_that_of_all_values(seed: int, size: int, share: float) -> None:
    from keenlattice.measure.metrics import upper_quantile

    values = np.random.default_rng(seed).lognormal(2, 0.5, size)
    for ordered in (values, np.sort(values), np.sort(values)[::-1]):
        assert upper_quantile(share)(ordered) == pytest.approx(np.quantile(values, share), rel=1e-12)


@given(arrays(np.float64, st.integers(20, 400), elements=st.floats(0.5, 100)), st.floats(0.01, 0.99))
def test_by_time_is_the_quantile_of_a_moment_drawn_at_random(frames: np.ndarray, share: float) -> None:
    from keenlattice.measure.metrics import time_weighted_quantile

    found = time_weighted_quantile(np.sort(frames), share)
    total = frames.sum()
    assert frames[frames <= found].sum() >= share * total * (1 - 1e-12)
    assert frames[frames < found].sum() <= share * total * (1 + 1e-12)


def test_a_cap_and_a_refresh_rate_are_held_against_the_frames() -> None:
    capture = capture_of(np.tile([10.0, 10.9, 11.2], 100))
    assert cap_pct(capture, 100) == pytest.approx(200 / 3)
    assert refreshes_pct(capture_of(np.full(100, 20.0)), 100) == pytest.approx(100 * 101 / 201)
    assert stutter_spans(np.array([8.0] * 40 + [40.0, 50.0] + [8.0] * 40)) == [(40, 42)]


@pytest.mark.parametrize("seconds", [0.0, 2.0, 5.0])
def test_a_warm_up_is_found_and_none_invented(seconds: float) -> None:
    random = np.random.default_rng(2)
    frames = 8 * np.exp(random.normal(0, 0.1, 3000))
    frames[np.cumsum(frames) < seconds * 1000] *= 1.6
    assert warm_up_ms(capture_of(frames)) / 1000 == pytest.approx(1.6 * seconds, abs=0.5)


@pytest.mark.parametrize("period_s", [0.5, 1.3, 5.0])
@pytest.mark.parametrize("seed", [1, 2, 3])
def test_hitches_that_come_again_and_again_are_found(period_s: float, seed: int) -> None:
    frames = 8 * np.exp(np.random.default_rng(seed).normal(0, 0.1, 5000))
    begins = np.searchsorted(np.cumsum(frames), np.arange(1000 * period_s / 2, frames.sum(), 1000 * period_s))
    frames[begins] += 20
    found = periodic_hitches(capture_of(frames))
    assert found and found.period_s == pytest.approx(period_s, rel=0.06) and found.extra_ms == pytest.approx(20, abs=3)


def test_hitches_at_random_have_no_period() -> None:
    alarms = 0
    for seed in range(60):
        random = np.random.default_rng(seed)
        frames = 8 * np.exp(random.normal(0, 0.1, 4000))
        frames[random.integers(0, 4000, 25)] += 20
        alarms += periodic_hitches(capture_of(frames)) is not None
    assert alarms <= 2


def test_segments_are_cut_out() -> None:
    whole = capture_of(np.full(100, 10.0), np.full(10, 20.0))
    part = cut(whole, 200, 405)
    assert part.frame_ms.size == 20 and part.click_ms.tolist() == [0.0, 100.0, 200.0] and part.shown_ms[0] == 0
    named = Capture(whole.shown_ms, about={"segments": {"two": [200, 405]}})
    assert segment(named, "two").frame_ms.size == 20
    with pytest.raises(UnknownName, match="there are two"):
        segment(named, "three")
    with pytest.raises(CaptureError, match="fewer than two frames"):
        cut(whole, 5000, 6000)


def test_many_runs_are_summed_up_with_the_run_as_the_unit() -> None:
    runs = [capture_of(np.full(100, frame)) for frame in (8.0, 9.0, 10.0)]
    found = summary(runs)["frame_ms_mean"]
    assert (found.runs, found.mean, found.least, found.most) == (3, 9.0, 8.0, 10.0)
    assert found.low == pytest.approx(9 - 4.302653 / np.sqrt(3)) and summary(runs)["latency_ms_p95"].mean is None
    rows = table(runs, ["frame_ms_mean", "fps_mean"])
    assert rows["frame_ms_mean"].tolist() == [8.0, 9.0, 10.0] and list(rows.columns)[-1] == "fps_mean"


@given(st.integers(0, 2**32 - 1), st.integers(200, 900))
def test_stutters_are_those_of_the_plain_definition(seed: int, count: int) -> None:
    """Whatever is done to be quick: the median of every window, taken one by one."""
    random = np.random.default_rng(seed)
    frames = random.uniform(2, 9) * np.exp(random.normal(0, random.uniform(0, 0.6), count))
    frames[random.integers(0, count, count // 15)] *= random.uniform(1, 6)
    padded = np.pad(frames, 30, mode="reflect")
    pace = np.array([np.median(padded[number:number + 61]) for number in range(count)])
    assert (late_frames(frames) == ((frames >= 2 * pace) & (frames >= pace + 4))).all()


def test_a_block_that_is_longer_than_the_run_is_the_run() -> None:
    run = np.random.default_rng(1).gamma(40, 0.1, 60)
    random = [np.random.default_rng(1) for _ in range(2)]
    longer, whole = (resampled_quantiles(run, 0.9, block, 50, random[place]) for place, block in enumerate((200, 60)))
    assert (longer == whole).all() and np.allclose(whole, np.quantile(run, 0.9))


def test_a_runs_course_begins_with_its_first_frame() -> None:
    shown = 5000 + np.concatenate(([0.0], np.cumsum([10.0] * 25 + [25.0] * 10 + [50.0] * 5)))
    assert binned(Capture(shown), 250.0).tolist() == [10, 25]


def test_a_capture_as_a_table_knows_what_was_not_recorded() -> None:
    shown = np.array([0.0, 10.0, 30.0])
    plain = Capture(shown, np.array([5.0]), np.array([28.0])).table()
    assert plain["kind"].tolist() == ["frame", "click", "frame", "frame"] and plain["cpu_ms"].isna().all()
    staged = Capture(shown, cpu_ms=np.array([1.0, 2.0, 3.0]), gpu_ms=np.array([4.0, 5.0, 6.0])).table()
    assert staged["cpu_ms"].tolist() == [1, 2, 3] and staged["gpu_ms"].tolist() == [4, 5, 6]
    assert plain["frame_ms"].dropna().tolist() == [10, 20] and plain["latency_ms"].dropna().tolist() == [23]


@settings(max_examples=20)
@given(st.integers(0, 2**32 - 1), st.floats(-1e6, 1e6))
def test_when_a_run_began_changes_nothing(seed: int, by_ms: float) -> None:
    random = np.random.default_rng(seed)
    frames = random.uniform(4, 12) * np.exp(random.normal(0, 0.2, 2000))
    frames[random.integers(0, 2000, 20)] *= 5
    run = capture_of(frames, random.uniform(10, 40, 30))
    moved = Capture(run.shown_ms + by_ms, run.click_ms + by_ms, run.click_ms + run.latency_ms + by_ms)
    assert metrics_of(moved) == pytest.approx(metrics_of(run), rel=1e-4, nan_ok=True)
    assert np.allclose(binned(moved, 250.0), binned(run, 250.0), rtol=1e-3)
    (found, again) = (hitch_spectrum(capture) for capture in (run, moved))
    assert found and again and np.allclose(again.strength, found.strength, rtol=0.1, atol=0.05)
