"""Presses and frames in films, with a known truth; films that cannot be told; and films that a stranger hands over."""

import struct
import subprocess
import sys
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from bench.films import Desk, Screen, film_of_a_desk, film_of_a_screen
from hypothesis import given, settings
from hypothesis import strategies as st

from conftest import Keen, as_json, environment
from guided import AtTerminal
from keenlattice.errors import CaptureError
from keenlattice.measure.film.edges import edges, without_flicker
from keenlattice.measure.film.grid import Area
from keenlattice.measure.film.latency import from_film
from keenlattice.measure.film.made_up import exposed, write_film
from keenlattice.measure.film.reader import look_at, pictures
from keenlattice.measure.film.screen import frames_of
from keenlattice.measure.film.shown import NotSure, as_stored, look_of
from keenlattice.measure.metrics import metrics_of
from keenlattice.rig.standin.player import SimulatedPlayer
from keenlattice.workspace.workspace import Workspace

QUICK = Desk(presses=10, size=(192, 108))
WIDE = replace(QUICK, size=(320, 180))
LONG = pytest.mark.skipif(sys.platform == "win32", reason="the same code as elsewhere, and minutes under Wine")
VP9 = {"crf": "36", "b:v": "0", "cpu-used": "8", "deadline": "realtime"}
HEVC = {"crf": "26", "preset": "ultrafast", "x265-params": "log-level=0"}


def errors(path: Path, desk: Desk, **given: Any) -> np.ndarray:
    """How far off each latency of a film is, in ms."""
    truth = film_of_a_desk(path, desk)
    latency, _ = from_film(look_at(path), **given)
    assert latency.press_ms == pytest.approx(truth.press_ms, abs=1000 / desk.rate)
    return np.asarray((latency.answer_ms - latency.press_ms) - (truth.answer_ms - truth.press_ms))


@pytest.mark.parametrize(("name", "desk", "given"), [
    ("plain.mp4", QUICK, {"readout_ms": 0.0}),
    ("slow motion.mov", replace(QUICK, claimed=30.0), {"shot_at_hz": 240.0, "readout_ms": 0.0}),
    ("120.mkv", replace(QUICK, rate=120.0), {"readout_ms": 0.0}),
    ("short exposure.mp4", replace(QUICK, shutter=0.1), {"readout_ms": 0.0}),
    ("room light.mp4", replace(QUICK, flicker=(100.0, 0.5)), {"readout_ms": 0.0}),
    ("noise.mp4", replace(QUICK, noise=15.0, shake=2.0), {"readout_ms": 0.0}),
    ("rows.mp4", replace(QUICK, readout=0.8), {"readout_ms": 0.8 * 1000 / 240}),
    ("lock lamp.mp4", replace(QUICK, toggles=True), {"readout_ms": 0.0}),
    ("held.mp4", replace(QUICK, holds=True, adapts=True), {"readout_ms": 0.0}),
    ("vp9.webm", replace(QUICK, codec="libvpx-vp9", options=VP9), {"readout_ms": 0.0}),
    ("hevc.mp4", replace(QUICK, codec="libx265", pixels="yuv420p10le", options=HEVC), {"readout_ms": 0.0}),
    ("mjpeg.avi", replace(QUICK, codec="mjpeg", pixels="yuvj420p", options={"q:v": "6"}), {"readout_ms": 0.0})])
def test_presses_and_answers_are_found_and_dated_between_pictures(tmp_path: Path, name: str, desk: Desk,
                                                                  given: dict[str, Any]) -> None:
    off, picture = errors(tmp_path / name, desk, **given), 1000 / desk.rate
    assert np.abs(off).max() < picture and abs(off.mean()) < 0.3 + picture / np.sqrt(off.size) / 2


def test_what_a_readout_may_shift_is_said_where_it_is_not_known(tmp_path: Path) -> None:
    desk = replace(QUICK, readout=1.0)
    truth = film_of_a_desk(tmp_path / "film.mp4", desk)
    latency, _ = from_film(look_at(tmp_path / "film.mp4"))
    assert 1.0 < latency.bias_ms < 2.0 and abs(latency.waits_ms.mean() - truth.waits_ms.mean()) < latency.bias_ms + 0.3
    with pytest.raises(CaptureError, match=r"a picture is read in 4\.17 ms at most"):
        from_film(look_at(tmp_path / "film.mp4"), readout_ms=9.0)


@pytest.mark.parametrize("travel_ms", [20.0, 40.0])
def test_a_key_that_moves_is_no_lamp_and_what_that_leaves_unsure_is_said(keen: Keen, tmp_path: Path, travel_ms: float
                                                                         ) -> None:
    desk = replace(QUICK, travel_ms=travel_ms, bounces=3)
    truth = film_of_a_desk(tmp_path / "film.mp4", desk)
    latency, _ = from_film(look_at(tmp_path / "film.mp4"))
    assert latency.about["press_lasts_ms"] == pytest.approx(travel_ms, rel=0.25)
    assert abs(latency.waits_ms.mean() - truth.waits_ms.mean()) < latency.bias_ms < travel_ms
    shown = " ".join(keen("latency", str(tmp_path / "film.mp4")).stdout.split())
    assert "ms to show, as a key or a finger does" in shown


def test_bounces_of_a_lamp_are_counted_with_their_press(tmp_path: Path) -> None:
    truth = film_of_a_desk(tmp_path / "film.mp4", replace(QUICK, bounces=3))
    latency, _ = from_film(look_at(tmp_path / "film.mp4"))
    assert latency.press_ms.size == truth.press_ms.size and 1 <= latency.about["bounces"] <= 3
    assert "press_lasts_ms" not in latency.about


def test_misses_and_changes_that_nobody_asked_for_are_counted(tmp_path: Path) -> None:
    film_of_a_desk(tmp_path / "film.mp4", replace(QUICK, presses=14, missed=1, unasked=1))
    latency, _ = from_film(look_at(tmp_path / "film.mp4"))
    told = [doubt.what for doubt in latency.doubts]
    assert latency.misses + told.count("2 answers; the first one counts") in (1, 2) and latency.press_ms.size == 14


@LONG
@pytest.mark.parametrize(("desk", "reason"), [
    (replace(QUICK, claimed=30.0), "it claims 30 pictures a second, and slow motion often does"),
    (replace(QUICK, claimed=120.0, sound_s=5.0), "its sound 5.0 s. Say how many pictures"),
    (replace(QUICK, claimed=239.0, sound_s=2.0), "its sound 2.0 s. Say how many pictures"),
    (replace(QUICK, lamp=5.0), "the lamp is overexposed"),
    (replace(QUICK, missed=5), "5 have no answer|none of them answers another surely"),
    (replace(WIDE, backlight=(237.0, 0.9), shutter=0.3), "none of them answers another surely|have no answer"),
    (replace(QUICK, screen=0.0), "only one area changes often enough")])
def test_what_cannot_be_told_is_asked_and_never_guessed(tmp_path: Path, desk: Desk, reason: str) -> None:
    film_of_a_desk(tmp_path / "film.mp4", desk)
    with pytest.raises(NotSure, match=reason) as caught:
        from_film(look_at(tmp_path / "film.mp4"))
    assert caught.value.look.still.shape == desk.size[::-1]


@LONG
def test_a_rate_that_the_phone_has_noted_is_taken(tmp_path: Path) -> None:
    import av

    truth = film_of_a_desk(tmp_path / "film.mkv", replace(QUICK, claimed=30.0))
    with av.open(str(tmp_path / "film.mkv")) as film, av.open(str(tmp_path / "noted.mkv"), "w") as noted:
        noted.metadata["made-up.capture.fps"] = "240.0"
        stream = noted.add_stream_from_template(film.streams.video[0])
        for packet in film.demux(video=0):
            if packet.dts is not None:
                packet.stream = stream
                noted.mux(packet)
    film_itself = look_at(tmp_path / "noted.mkv")
    assert film_itself.shot_at_hz == 240.0
    latency, _ = from_film(film_itself, readout_ms=0.0)
    assert latency.waits_ms == pytest.approx(truth.waits_ms, abs=1000 / 240)


@LONG
def test_a_rate_that_the_sound_gives_the_lie_to_is_doubted(tmp_path: Path) -> None:
    film_of_a_desk(tmp_path / "film.mp4", replace(QUICK, claimed=30.0, sound_s=9.0))
    with pytest.raises(NotSure, match=r"its sound lasts 9\.0 s, its pictures 5\.0 s at the rate"):
        from_film(look_at(tmp_path / "film.mp4"), shot_at_hz=240.0)


@pytest.mark.long
def test_areas_that_are_said_are_taken_and_doubts_said(keen: Keen, tmp_path: Path) -> None:
    film, areas = tmp_path / "film.mp4", ("--press", "30,130,30,25", "--answer", "175,20,125,75")
    film_of_a_desk(film, replace(WIDE, lamp=5.0))
    refused = keen("latency", str(film), "--figure", str(tmp_path / "look.png"), code=1).stderr
    assert "overexposed" in refused and "press 35,135,20,15" in refused and "--answer X,Y,WIDTH,HEIGHT" in refused
    assert (tmp_path / "look.png").read_bytes()[:4] == b"\x89PNG"
    told = keen("latency", str(film), *areas, "--name", "my-phone", "--figure", str(tmp_path / "at.png")).stdout
    assert "! Not sure: the lamp is overexposed" in told and "10 presses, 10 answered" in told
    again = as_json(keen("latency", str(film), "--json"))  # what was said is kept for films of this size
    assert again["about"]["press_area"] == "30,130,30,25" and again["answered"] == 10
    assert "does not lie within" in keen("latency", str(film), *areas[:3], "300,20,125,75", code=1).stderr
    assert "in pixels; '1,2' is not" in keen("latency", str(film), "--press", "1,2", "--answer", "3", code=1).stderr


def test_a_film_that_is_turned_shows_its_areas_upright(tmp_path: Path) -> None:
    film_of_a_desk(tmp_path / "film.mp4", WIDE)
    content = bytearray((tmp_path / "film.mp4").read_bytes())
    track = content.index(b"tkhd") + 44  # the matrix that says how the pictures are to be turned, by a quarter
    content[track:track + 36] = struct.pack(">9i", 0, 1 << 16, 0, -1 << 16, 0, 0, 180 << 16, 0, 1 << 30)
    (tmp_path / "turned.mp4").write_bytes(content)
    film = look_at(tmp_path / "turned.mp4")
    assert film.rotation in (90, 270)
    latency, look = from_film(film)
    assert (look.width, look.height) == (180, 320) and look.still.shape == (320, 180)
    given, _ = from_film(film, press=look.areas["press"], answer=look.areas["answer"])
    assert given.answer_ms == pytest.approx(latency.answer_ms)


@given(st.integers(0, 3), st.integers(0, 50), st.integers(0, 30), st.integers(1, 40), st.integers(1, 20))
def test_turning_an_area_there_and_back_is_the_same(turns: int, x: int, y: int, width: int, height: int) -> None:
    from keenlattice.measure.film.grid import Window
    from keenlattice.measure.film.reader import Film

    film = Film(Path(), 100, 60, 90 * turns, 0, 0, 0, 0)
    window = Window(np.zeros(1), np.zeros((1, 6, 10), np.float32), 10, np.zeros((60, 100), np.uint8))
    area = Area(x, y, width, height)
    assert as_stored(look_of(film, window, {"a": area}).areas["a"], film) == area


@settings(deadline=None)
@given(st.floats(0.05, 1.0), st.floats(0.0, 1.0), st.integers(0, 2**32))
def test_an_edge_is_dated_without_bias_however_long_the_shutter_is_open(shutter: float, flicker: float, seed: int
                                                                        ) -> None:
    random, at = np.random.default_rng(seed), np.arange(4000) * 1000 / 240
    moments = 300 + np.cumsum(random.uniform(150, 190, 80))
    light = exposed(at, shutter * 1000 / 240, moments, 0.01) + 0.1 * flicker * np.sin(2 * np.pi * 100 * at / 1000)
    steps = edges(at, light + random.normal(0, 0.004, at.size))
    assert steps.at_ms.size == 80
    off = steps.at_ms - moments
    assert np.abs(off).max() < 1000 / 240 and abs(off.mean()) < 4 * 1.2 / np.sqrt(80)


def test_flicker_is_taken_off_and_nothing_else() -> None:
    at = np.arange(2000) / 240
    steps = (at % 1 > 0.5).astype(float)
    wave = 0.2 * np.sin(2 * np.pi * 40 * at + 1)
    assert np.abs(without_flicker(steps + wave, 240.0) - steps).max() < 0.02
    assert np.abs(without_flicker(steps, 240.0) - steps).max() < 1e-9


@pytest.mark.parametrize(("name", "screen"), [
    ("45.mkv", Screen(seconds=5)), ("30.mp4", Screen(seconds=5, fps=30)),
    ("cursor.mkv", Screen(seconds=5, cursor=True)),
    ("hitches.mkv", Screen(seconds=5, hitches=4)), ("noise.mkv", Screen(seconds=5, noise=4)),
    ("compressed.mkv", Screen(seconds=5, options={"crf": "34", "preset": "ultrafast"})),
    ("lossless.mkv", Screen(seconds=4, codec="ffv1", options={}))])
def test_new_pictures_are_told_from_repeated_ones(tmp_path: Path, name: str, screen: Screen) -> None:
    _, which = film_of_a_screen(tmp_path / name, screen)
    capture, seen = frames_of(look_at(tmp_path / name))
    told = np.round((capture.shown_ms + seen.begin_ms) * screen.rate / 1000).astype(int)
    true = np.flatnonzero(np.diff(which) > 0) + 1
    assert np.setxor1d(told, true).size <= 0.01 * true.size and seen.step_ms == pytest.approx(1000 / 60, abs=1e-3)
    stutters = metrics_of(capture)["stutters_per_min"]  # one interval more or less is not a stutter of the game's
    assert (stutters > 20) == bool(screen.hitches)


def test_torn_pictures_show_both_of_their_frames(tmp_path: Path) -> None:
    drawn, _ = film_of_a_screen(tmp_path / "torn.mkv", Screen(torn=True, seconds=6))
    capture, seen = frames_of(look_at(tmp_path / "torn.mkv"))
    frames = drawn[(drawn > 0) & (drawn < 5990)]
    assert abs(capture.shown_ms.size - frames.size) <= 3 and len(seen.tears) > 100 and 0 < min(seen.tears) < 180
    off = np.abs((capture.shown_ms + seen.begin_ms)[:, None] - frames[None, :]).min(axis=1)
    assert np.median(off) < 1.0  # by the row of a tear a frame is dated within the picture


@pytest.mark.parametrize(("screen", "reason"), [
    (Screen(seconds=5, noise=10), "neither clearly new nor clearly repeated"),
    (Screen(seconds=5, speed=0.0), "nothing moves for a second"),
    (Screen(seconds=0.5), "too short")])
def test_a_film_of_the_screen_that_cannot_be_told_is_refused(tmp_path: Path, screen: Screen, reason: str) -> None:
    film_of_a_screen(tmp_path / "film.mkv", screen)
    with pytest.raises(CaptureError, match=reason):
        frames_of(look_at(tmp_path / "film.mkv"))


def test_a_film_of_the_screen_is_ingested_masked_and_known_again(keen: Keen, tmp_path: Path) -> None:
    film = tmp_path / "screen.mkv"
    film_of_a_screen(film, Screen(seconds=6, still=(4.0, 9.0)))
    told = keen("ingest", str(film), "--mask", "0,0,80,40", "--name", "my-recorder", "--of", "brass-orbit").stdout
    assert "by the map my-recorder" in told and "of the film is left out" in told and "multiples of 16.7 ms" in told
    again = as_json(keen("ingest", str(film), "--json"))
    assert again["columns"] == {"name": "my-recorder", "reads": "screen", "mask": ["0,0,80,40"]}
    assert again["frames"] > 150
    assert "--time does not go with a film" in keen("ingest", str(film), "--time", "t", code=2).stderr
    assert "covers the whole picture" in keen("ingest", str(film), "--mask", "0,0,320,180", code=1).stderr


@LONG
@pytest.mark.long
def test_a_phone_alone_decides_a_trial_by_hand(keen: Keen, tmp_path: Path) -> None:
    """Nothing is installed beside the phone: a film is a run, handed over or as it appears in a watched folder."""
    hand = {"KEEN_RIG": "byhand"}
    player = SimulatedPlayer(tmp_path / "machine", tmp_path / "films", seed=5)
    keen("rig", "game", "brass-orbit", "--executable", "orbit.exe", **hand)
    keen("edit", "brass-orbit", "frame.queue-depth=1", **hand)
    desk = replace(QUICK, presses=9, claimed=30.0)
    film_of_a_desk(tmp_path / "first.mp4", desk)
    keen("latency", str(tmp_path / "first.mp4"), "--shot-at", "240", "--name", "my-phone", **hand)

    def films(at: AtTerminal, run: int) -> bool:
        quick = at.player.sees("brass-orbit", "frame.queue-depth") == 1
        film_of_a_desk(at.player.folder / f"phone-{run}.mp4",
                       replace(desk, seed=run, latency_ms=(26.0 if quick else 42.0, 4.0)))
        return True

    trial = ("trial", "brass-orbit@stock", "brass-orbit", "--blocks", "4", "--repeats", "1", "--seconds", "4",
             "--decides", "latency_ms_median", "--matters", "4", "--seed", "1")
    screen = AtTerminal(tmp_path, player, films).sit(*trial, "--watch", str(player.folder))
    assert "Latency is better" in screen and "mean frame time" not in screen, screen[-2000:]
    assert "nan" not in screen and "phone-8.mp4: 9 answered presses" in screen
    page = tmp_path / "page.html"
    keen("report", "--out", str(page), **hand)
    assert "Input latency" in page.read_text() and "How frame times are distributed" not in page.read_text()
    keen(*trial, "--json", **hand)
    told = as_json(keen("rig", "next", str(tmp_path / "first.mp4"), "--json", **hand))
    assert told["run"] == 2 and told["latency_alone"]


@LONG
@pytest.mark.long
def test_films_of_two_versions_are_compared_as_they_lie_there(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("HOME", str(tmp_path))
    desk = replace(QUICK, presses=9, claimed=30.0, lamp=5.0)
    for number in range(4):
        for name, mean in (("stock", 42.0), ("quick", 26.0)):
            film_of_a_desk(tmp_path / f"{name}-{number}.mp4", replace(desk, seed=number, latency_ms=(mean, 4.0)))
    ws = Workspace(tmp_path / "book", "standin")
    ws.recordings.latency.keep_map(tmp_path / "stock-0.mp4", "my-phone", camera=240, press="18,76,20,18",
                                   answer="100,10,84,48")
    played = ws.trial_of_files({name: str(tmp_path / f"{name}-*.mp4") for name in ("stock", "quick")},
                               decides="latency_ms_median", matters="4%")
    assert played.result.metrics[0].change_pct == pytest.approx(-37, abs=6)
    assert any("film is not sure" in doubt for doubt in played.result.doubts)


def playlist(path: Path) -> None:
    path.write_text("#EXTM3U\n#EXTINF:9,\nfile:///etc/passwd\n")


def chopped(path: Path) -> None:
    film_of_a_desk(path, replace(QUICK, presses=2))
    path.write_bytes(path.read_bytes()[:3000])


def without_pictures(path: Path) -> None:
    import av

    with av.open(str(path), "w") as film:
        sound = film.add_stream("aac", rate=48_000)
        part = av.AudioFrame.from_ndarray(np.zeros((1, 1024), np.float32), format="fltp", layout="mono")
        part.sample_rate, part.pts = 48_000, 0
        film.mux(sound.encode(part))
        film.mux(sound.encode())


def huge(path: Path) -> None:
    write_film(path, iter([np.zeros((64, 16_000))]), np.zeros(1), (16_000, 64), "mjpeg", "yuvj420p", {})


def long(path: Path) -> None:
    """Ten hours by its own word."""
    film_of_a_desk(path, replace(QUICK, presses=2))
    content = bytearray(path.read_bytes())
    for name in (b"mvhd", b"mdhd"):
        place = content.index(name) + 4 + 12
        content[place + 4:place + 8] = (2**31 - 1).to_bytes(4, "big")
    place = content.index(b"stts") + 8
    content[place + 4:place + 8] = (2**30).to_bytes(4, "big")
    path.write_bytes(content)


def naming_others(path: Path) -> None:
    """An AVI's name on a list of other files."""
    path.write_bytes(b"ffconcat version 1.0\nfile /etc/passwd\n")


@pytest.mark.parametrize("made", [playlist, chopped, without_pictures, huge, long, naming_others,
                                  lambda path: path.write_bytes(b""), lambda path: path.write_bytes(bytes(9999)),
                                  lambda path: path.write_bytes(b"\x1a\x45\xdf\xa3" + b"\xff" * 5000),
                                  lambda path: path.write_bytes(b"\0\0\0\x18ftypmp42" + b"\xff" * 5000)])
@pytest.mark.parametrize("command", ["latency", "ingest"])
def test_a_strangers_film_gives_one_line(keen: Keen, tmp_path: Path, made: Any, command: str) -> None:
    film = tmp_path / ("film.avi" if made is huge else "film.mp4")
    made(film)
    said = keen(command, str(film), code=1).stderr
    assert said.startswith("keen: ") and said.count("\n") == 1 and "film" in said, said


@settings(deadline=None, max_examples=25)
@given(st.data())
def test_a_damaged_film_is_read_or_refused(tmp_path_factory: pytest.TempPathFactory, data: st.DataObject) -> None:
    folder = tmp_path_factory.getbasetemp()
    whole = folder / "whole.mp4"
    if not whole.exists():
        film_of_a_desk(whole, replace(QUICK, presses=2))
    content = bytearray(whole.read_bytes())
    for _ in range(data.draw(st.integers(1, 20))):
        content[data.draw(st.integers(0, len(content) - 1))] = data.draw(st.integers(0, 255))
    film = folder / "damaged.mp4"
    film.write_bytes(content)
    try:
        stamps = [picture.at_ms for picture in pictures(look_at(film))]
    except CaptureError:
        return
    assert np.isfinite(stamps).all() and (np.diff(stamps) > 0).all()


def test_without_the_extra_one_line_says_how_to_get_it(tmp_path: Path) -> None:
    film = tmp_path / "film.mp4"
    film.write_bytes(b"\0\0\0\x18ftypmp42")
    told = subprocess.run([sys.executable, "-c", "import sys; sys.modules['av'] = None\n"
                           "from keenlattice.cli.start import main; main()", "latency", str(film)],
                          env=environment(tmp_path, KEEN_BOOK=str(tmp_path / "book")), capture_output=True, text=True,
                          check=False)
    assert told.returncode == 1 and "pip install av" in told.stderr and told.stderr.count("\n") == 1


@LONG
@pytest.mark.long
def test_memory_does_not_grow_with_the_length_of_a_film(tmp_path: Path) -> None:
    """Of each picture only a few numbers are kept, once its window is past."""
    from keenlattice.measure.film import grid

    film_of_a_desk(tmp_path / "film.mp4", replace(WIDE, presses=12))
    film = look_at(tmp_path / "film.mp4")
    whole, _ = from_film(film)
    grid.WINDOW, before = 700, grid.WINDOW
    try:
        held = [window.grid.shape[0] for window in grid.windows(film)]
        again, _ = from_film(film, press=Area(35, 135, 20, 15), answer=Area(175, 20, 125, 75))
    finally:
        grid.WINDOW = before
    assert max(held) == 700 and sum(held) == whole.about["pictures"]
    assert again.answer_ms == pytest.approx(whole.answer_ms)
