"""Input latency from sensors: flashes found where the truth says, everything odd counted, nothing dropped unsaid."""

from pathlib import Path

import numpy as np
import pytest
from bench.sensor_grid import scored
from bench.traces import trace
from hypothesis import given
from hypothesis import strategies as st
from scipy.io import wavfile

from conftest import Keen, as_json
from keenlattice.errors import CaptureError, KeenLatticeError
from keenlattice.measure.capture import Capture
from keenlattice.measure.edges import Steps, light_steps, presses, strobe_hz
from keenlattice.measure.latency import (
    described,
    from_camera,
    from_events,
    from_sensor,
    grid_of,
    matched,
    of_capture,
)
from keenlattice.measure.sensors import read_log, read_sound, read_tally

SAMPLES = Path(__file__).parent.parent / "examples" / "recordings"


@pytest.mark.parametrize("rate", [1000, 16_000])
@pytest.mark.parametrize("panel", [0.3, 4.0])
@pytest.mark.parametrize("more", [{}, {"drift": 0.8}, {"hum": 0.15}])
def test_at_a_signal_ten_times_the_noise_flashes_are_found_in_time(rate: int, panel: float,
                                                                   more: dict[str, float]) -> None:
    found, invented, bias, spread = scored(trace(rate, 10, panel_ms=panel, seed=2, presses=100, **more))
    assert found >= 99 and invented == 0
    assert abs(bias) < max(0.1, 1000 / rate) + 3 * spread / 10  # what a hundred of them can tell


@pytest.mark.parametrize("rate", [2000, 8000])
@pytest.mark.parametrize("hz", [120.0, 240.0, 480.0])
def test_a_strobed_backlight_is_found_and_divided_out(rate: int, hz: float) -> None:
    made = trace(rate, 20, strobe_hz=hz, seed=5)
    assert strobe_hz(made.light, rate) == pytest.approx(hz, rel=1e-4)
    found, invented, bias, spread = scored(made)
    assert (found, invented) == (60, 0) and abs(bias) < max(0.1, 1000 / rate) + 3 * spread / 60 ** 0.5
    assert strobe_hz(trace(rate, 20, seed=5).light, rate) is None


@pytest.mark.parametrize("more", [{"inverted": True}, {"fading_s": 0.3}, {"fading_s": 0.3, "inverted": True}])
def test_polarity_and_a_sensor_that_forgets_do_not_matter(more: dict[str, float]) -> None:
    made = trace(8000, 20, seed=3, presses=30, **more)
    found = from_sensor(made.button, made.light, made.rate_hz)
    assert found.press_ms == pytest.approx(made.press_ms, abs=0.2) and found.misses == 0 and found.unasked == 0
    assert found.answer_ms == pytest.approx(made.half_way_ms, abs=0.4)
    assert found.about["polarity"] == ("goes dark" if "inverted" in more else "lights up")


def test_a_button_bounces_and_a_microphone_rings() -> None:
    made = trace(8000, 20, seed=1, presses=20)
    assert presses(made.button, 8000) == pytest.approx(made.press_ms, abs=0.2)
    assert presses(3.3 - 3.3 * made.button, 8000) == pytest.approx(made.press_ms, abs=0.2)
    sound = np.random.default_rng(1).normal(0, 0.01, made.button.size)
    for one in made.press_ms:
        begin = int(np.ceil(one * 8))
        sound[begin:begin + 200] += np.exp(-np.arange(200) / 40) * np.cos(np.arange(200) * 0.9)
    assert presses(sound, 8000) == pytest.approx(made.press_ms, abs=0.3)
    assert presses(np.random.default_rng(1).normal(0, 1, 8000), 8000).size == 0
    assert presses(np.zeros(1000), 8000).size == 0


def steps(*at_ms: float, height: float = 1.0, ratio: float = 50.0) -> Steps:
    at = np.array(at_ms)
    return Steps(at, np.full(at.size, height), np.full(at.size, ratio), None, 0.01)


def test_misses_doubles_and_doubtful_answers_are_listed() -> None:
    found = matched(np.array([0.0, 1000.0, 2000.0, 3000.0]), steps(30.0, 1030.0, 1200.0, 1700.0, 3040.0))
    assert found.answer_ms[[0, 1, 3]].tolist() == [30.0, 1030.0, 3040.0] and found.misses == 1 and found.unasked == 1
    assert [(one.at_ms, one.what) for one in found.doubts] == [
        (1000.0, "2 answers; the first one counts"), (2000.0, "no answer")]
    weak = matched(np.array([0.0]), steps(30.0, ratio=6.0))
    assert "hardly stands out" in weak.doubts[0].what
    small = Steps(np.array([30.0, 1030, 2030, 3030]), np.array([1.0, 1, 1, 0.5]), np.full(4, 50.0), None, 0.1)
    assert "much smaller" in matched(np.arange(4) * 1000.0, small).doubts[0].what
    with pytest.raises(CaptureError, match="no press"):
        matched(np.empty(0), steps(1.0))
    with pytest.raises(CaptureError, match="no step"):
        matched(np.zeros(1), steps())
    with pytest.raises(CaptureError, match="five are needed"):
        described(found)


def test_events_go_to_the_last_press_before_them() -> None:
    found = from_events(np.array([0.0, 100.0, 200.0]), np.array([-5.0, 30.0, 130.0, 140.0, 900.0]))
    assert found.answer_ms[:2].tolist() == [30.0, 130.0] and found.misses == 1 and found.unasked == 2
    assert [one.what for one in found.doubts] == ["several answers; the first one counts", "no answer"]
    assert found.to_capture().latency_ms.tolist() == [30.0, 30.0]


def test_stages_that_are_known_go_with_their_press(keen: Keen, tmp_path: Path) -> None:
    at = [200.0 * number for number in range(20)]
    (tmp_path / "e.csv").write_text("pressed,lit,gpu,usb\n" + "".join(
        f"{one},{one + 30 + number % 3},{4 + number % 3},\n" for number, one in reversed(list(enumerate(at)))))
    words = ["latency", "e.csv", "--press", "pressed", "--answer", "lit", "--stage", "gpu=gpu", "--stage", "device=usb"]
    told = as_json(keen(*words, "--of", "brass-orbit", "--json", "--figure", "l.png"))
    assert list(told["stages"]) == ["gpu"] and told["stages"]["gpu"][0] == pytest.approx(4.95)
    assert told["about"]["source"] == "e.csv"
    again = as_json(keen("latency", told["capture"], "--json"))
    assert again["mean_ms"] == told["mean_ms"] and again["stages"] == told["stages"]
    assert "the GPU stage" in keen(*words).stdout and (tmp_path / "l.png").stat().st_size > 10_000
    for bad in ("gpu", "fortune=gpu"):
        keen(*words[:6], "--stage", bad, code=2)


@pytest.mark.parametrize("camera_hz", [120, 240, 1000])
def test_a_cameras_frames_bias_neither_mean_nor_spread(camera_hz: int) -> None:
    random = np.random.default_rng(camera_hz)
    waits, begin = random.normal(40, 6, 20_000), random.uniform(0, 1000 / camera_hz, 20_000)
    counts = np.floor((begin + waits) * camera_hz / 1000) - np.floor(begin * camera_hz / 1000)
    numbers = described(from_camera(counts.tolist(), camera_hz))
    assert numbers.mean == pytest.approx(40, abs=0.2) and numbers.spread == pytest.approx(6, abs=0.15)
    _, low, high = numbers.percentiles[50]
    assert high - low > 1999 / camera_hz and low < 40 < high and numbers.grid_ms is None


def test_a_cameras_counts_are_times_and_what_can_be_none_is_refused() -> None:
    told = from_camera([24, float("nan"), 0], 240)
    assert told.press_ms.tolist() == [0, 1000, 2000] and told.half_width_ms == pytest.approx(1000 / 240)
    assert told.waits_ms.tolist() == pytest.approx([100, 0]) and np.isnan(told.answer_ms[1])
    assert from_camera([600], 10).waits_ms.tolist() == [60_000]  # a minute is the longest that is believed
    for counts, rate, says in (([1, 2], 9.9, "10 to 100000"), ([1], 100_001, "10 to 100000"), ([], 240, "holds counts"),
                               ([1, -1], 240, "holds counts"), ([1, float("inf")], 240, "holds counts"),
                               ([5, 6001], 100, "6001 frames at 100 a second are 60 s: an answer takes at most 60 s")):
        with pytest.raises(CaptureError, match=says):
            from_camera(counts, rate)


def test_waits_that_come_in_steps_are_told_from_waits_that_do_not() -> None:
    random = np.random.default_rng(1)
    waits = random.normal(40, 8, 200)
    assert grid_of(np.round(waits / 4.0) * 4 + random.normal(0, 0.2, 200)) == pytest.approx(4.0, rel=0.02)
    assert sum(grid_of(random.normal(40, 8, 60)) is not None for _ in range(100)) == 0


def test_the_samples_that_ship_are_read(keen: Keen) -> None:
    log = as_json(keen("latency", str(SAMPLES / "light-log.csv"), "--time", "t_ms", "--light", "light", "--button",
                       "button", "--of", "brass-orbit", "--json"))
    assert (log["presses"], log["answered"], log["misses"]) == (12, 11, 1) and 25 < log["mean_ms"] < 50
    assert log["capture"] and [one["what"] for one in log["doubts"]] == ["no answer"]
    sound = as_json(keen("latency", str(SAMPLES / "flash.wav"), "--json"))
    assert sound["answered"] == 14 and sound["about"]["strobe_hz"] == pytest.approx(240, rel=1e-3)
    assert "strobed at 240 Hz" in keen("latency", str(SAMPLES / "flash.wav")).stdout
    tally = keen("latency", str(SAMPLES / "camera.csv"), "--camera", "240").stdout
    assert "24 presses, 23 answered" in tally and "within 4.2 ms" in tally
    told = as_json(keen("latency", str(SAMPLES / "camera.csv"), "--camera", "240", "--json"))
    assert told["about"] == {"camera_hz": 240.0, "source": "camera.csv"} and told["misses"] == 1
    for words in ([], ["--press", "press"], ["--unit", "weeks"], ["--camera", "240", "--of", "nothing"]):
        keen("latency", str(SAMPLES / "camera.csv"), *words, code=2)
    for words in (["--light-channel", "3"], ["--camera", "240"]):
        keen("latency", str(SAMPLES / "flash.wav"), *words, code=1)
    keen("latency", str(SAMPLES / "light-log.csv"), "--time", "t_ms", "--light", "x", "--button", "button", code=1)


SEEDS = [b"t,l,b\n" + b"".join(b"%d,%d,%d\n" % (n, 9 * (n % 150 > 100), n % 150 > 70) for n in range(500)),
         b"n,frames\n1,9\n2,8\n3,-\n4,11\n5,9\n6,10\n"]
edits_of = st.lists(st.tuples(st.floats(0, 1), st.binary(max_size=8), st.integers(0, 9)), max_size=4)


@given(st.sampled_from([*SEEDS, None]), edits_of)
def test_mangled_sensor_files_are_read_or_refused_in_one_line(tmp_path_factory: pytest.TempPathFactory,
                                                              seed: bytes | None,
                                                              edits: list[tuple[float, bytes, int]]) -> None:
    path = tmp_path_factory.getbasetemp() / "mangled"
    if seed is None:
        wavfile.write(path, 1000, np.tile(np.repeat([[0, 0], [90, 0], [90, 90]], 250, axis=0), (4, 1)).astype(np.int16))
    content = bytearray(seed or path.read_bytes())
    for place, put_in, cut in edits:
        at = int(place * min(len(content), 200 if seed is None else len(content)))
        content[at:at + cut] = put_in
    path.write_bytes(bytes(content))
    for read in (lambda: read_log(path, "t", "l", "b"), lambda: read_sound(path), lambda: read_tally(path, 240)):
        try:
            found = read()
            assert ((found.waits_ms >= 0) & (found.waits_ms < 1e9)).all()
        except KeenLatticeError as error:
            assert "\n" not in str(error)


def test_what_can_be_no_latency_is_refused_or_doubted(tmp_path: Path) -> None:
    (doubt,) = from_camera([9, 8, 200, 10, 9], 240).doubts
    assert doubt.what == "an answer only 833 ms later: is it one?"
    for counts, rate in (([9.0, 100_000.0], 240.0), ([9.0, float("inf")], 240.0), ([9.0, -1.0], 240.0)):
        with pytest.raises(CaptureError):
            from_camera(counts, rate)
    late = Capture(np.empty(0), np.array([0.0, 1000.0]), np.array([30.0, 1900.0]))
    assert [one.at_ms for one in of_capture(late).doubts] == [1000.0]


def test_a_log_with_one_late_stamp_takes_no_memory(tmp_path: Path, hang: None) -> None:
    rows = [f"{number * 0.5:.1f},1,0" for number in range(2000)]
    (tmp_path / "late.csv").write_text("t,light,button\n" + "\n".join([*rows, "9e11,1,0"]) + "\n")
    with pytest.raises(CaptureError, match="a stamp is wrong"):
        read_log(tmp_path / "late.csv", "t", "light", "button")


def test_a_long_silence_and_a_single_sample_invent_nothing() -> None:
    assert light_steps(np.random.default_rng(1).normal(0, 1, 60_000), 1000).at_ms.size <= 1
    assert light_steps(np.zeros(5000), 1000).at_ms.size == 0 and light_steps(np.zeros(3), 1000).at_ms.size == 0


@pytest.mark.parametrize("light", [np.zeros(4000), np.full(4000, 7.5), np.zeros(3)])
def test_a_light_that_never_changes_has_no_steps(light: np.ndarray) -> None:
    found = light_steps(light, 1000)
    assert found.at_ms.shape == found.height.shape == found.ratio.shape == (0,) and found.strobe_hz is None
