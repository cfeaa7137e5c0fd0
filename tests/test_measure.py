"""Metrics against known truths, and captures through Parquet."""

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from keenlattice.errors import CaptureError, UnknownName
from keenlattice.measure.capture import Capture
from keenlattice.measure.metrics import metrics_of, stutters
from keenlattice.measure.parquet import read_capture, write_capture


def capture_of(frame_ms: np.ndarray, latency_ms: np.ndarray | None = None) -> Capture:
    waits = np.empty(0) if latency_ms is None else latency_ms
    clicks = np.arange(waits.size) * 100.0
    return Capture(np.concatenate(([0.0], np.cumsum(frame_ms))), clicks, clicks + waits)


def test_a_constant_run() -> None:
    numbers = metrics_of(capture_of(np.full(1000, 8.0), np.full(50, 20.0)))
    assert numbers == pytest.approx({
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
    with pytest.raises(CaptureError, match="does not move on"):
        Capture(np.array([0.0, np.nan, 8.0]))


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
