"""Any window: programs that we did not write, found by process, recorded from outside, and left as they were."""

import os
import shutil
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from dataclasses import replace
from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest

from keenlattice.errors import RigError
from keenlattice.measure.capture import Capture
from keenlattice.measure.doubts import doubts_of
from keenlattice.profile.matching import Game
from keenlattice.profile.version import Version, stock
from keenlattice.rig.gamelist import Listed, add_game, read_games
from keenlattice.rig.linux.launch import Start
from keenlattice.rig.linux.machine import LinuxRig
from keenlattice.rig.linux.program import Running, game_running, running
from keenlattice.rig.linux.settled import answering
from keenlattice.rig.linux.x11.present import drawn
from keenlattice.rig.linux.x11.server import x_display
from keenlattice.rig.playing_on import play_as_set
from keenlattice.study.deciding import Deciding
from keenlattice.study.trial.plan import TrialPlan
from keenlattice.study.trial.play import run_trial
from test_linux import real_driver, untimed_driver

GEARS = shutil.which("glxgears") or ""
needs_gears = pytest.mark.skipif(not GEARS, reason="glxgears is not installed: apt-get install mesa-utils")


@pytest.fixture
def display(monkeypatch: pytest.MonkeyPatch) -> Iterator[str]:
    with x_display() as name:
        monkeypatch.setenv("DISPLAY", name)
        yield name


def rig_with(tmp_path: Path, *command: str, executable: str = "glxgears") -> LinuxRig:
    (tmp_path / "home").mkdir(exist_ok=True)
    add_game(tmp_path / "state", Listed(Game("gears", "Gears", (executable,)), command))
    return LinuxRig(tmp_path / "state", tmp_path / "home" / ".drirc")


@real_driver
@needs_gears
def test_frames_from_outside_agree_with_what_a_program_counts_itself(tmp_path: Path, display: str) -> None:
    rig = rig_with(tmp_path)
    said: list[tuple[float, int]] = []
    gears = subprocess.Popen(["stdbuf", "-oL", "glxgears"], stdout=subprocess.PIPE, text=True, env=dict(os.environ))

    def listen() -> None:
        for line in gears.stdout or ():
            if " frames in " in line:
                said.append((time.perf_counter(), int(line.split()[0])))

    threading.Thread(target=listen, daemon=True).start()
    until = time.monotonic() + 10
    while running(("glxgears",)) is None and time.monotonic() < until:
        time.sleep(0.05)
    try:
        capture = rig.play("gears", 11.5, 1)
        assert gears.poll() is None and capture.about["started"] is False  # it was left running
    finally:
        gears.kill()
        gears.wait()
    at = capture.shown_ms / 1000 + capture.about["clock_start_s"]
    inside = [(before, one, count) for (before, _), (one, count) in pairwise(said) if before > at[0] and one < at[-1]]
    assert inside, "it counts over five seconds, and says so"
    own, ours = sum(count for *_, count in inside), sum(np.count_nonzero((at > a) & (at <= b)) for a, b, _ in inside)
    assert ours == pytest.approx(own, rel=0.02)


@real_driver
@needs_gears
def test_an_option_acts_on_a_program_that_we_did_not_write(tmp_path: Path, display: str) -> None:
    rig = rig_with(tmp_path, "glxgears")
    result = run_trial(rig, stock("gears"), Version("gears", {"mesa.pp_jimenezmlaa": 8}),
                       TrialPlan(4, 1.0, 1, Deciding("frame_ms_mean", 20)))
    assert result["frame_ms_mean"].verdict == "worse", result
    assert running(("glxgears",)) is None and not rig.config.exists()


@real_driver
@pytest.mark.skipif(not shutil.which("vkcube"), reason="vkcube is not installed: apt-get install vulkan-tools")
def test_a_vulkan_program_is_recorded_and_known_as_one(tmp_path: Path, display: str) -> None:
    run = rig_with(tmp_path, "vkcube", executable="vkcube").play("gears", 2, 1)
    assert run.frame_ms.size > 50 and run.about["api"] == "vulkan" and run.about["steady"] is True


@untimed_driver
@needs_gears
def test_a_window_is_found_through_a_launcher(tmp_path: Path, display: str) -> None:
    rig = rig_with(tmp_path, "sh", "-c", f"{GEARS} & wait", executable="no-such")
    assert rig.play("gears", 1, 1).frame_ms.size > 10
    subprocess.run(["pkill", "-f", GEARS], check=False)


@untimed_driver
@needs_gears
def test_a_stretch_of_frames_is_noted_now_and_then_while_a_game_is_played(
        tmp_path: Path, display: str, monkeypatch: pytest.MonkeyPatch) -> None:
    for name, seconds in {"FIRST_STRETCH_AFTER_S": 1.0, "STRETCH_EVERY_S": 0.5, "STRETCH_S": 1.0}.items():
        monkeypatch.setattr(f"keenlattice.rig.under_way.{name}", seconds)
    rig = rig_with(tmp_path, "glxgears")
    over = play_as_set(rig, "gears", ["timeout", "8", GEARS], lambda *_: None)
    assert 1 <= len(over.frames) <= 6
    assert all(0 < metrics["frame_ms_mean"] <= metrics["frame_ms_p99"] for metrics in over.frames)


@pytest.mark.parametrize(("command", "says"), [
    ((), "how it is started is not known"), (("no-such-program",), "no-such-program: No such file"),
    ((sys.executable, "-c", "pass"), "it ended at once")])
@real_driver
def test_a_game_that_cannot_be_measured_is_said_so_in_one_line(tmp_path: Path, display: str, command: tuple[str, ...],
                                                               says: str) -> None:
    with pytest.raises(RigError, match=says) as raised:
        rig_with(tmp_path, *command, executable="no-such").play("gears", 1, 1)
    assert "\n" not in str(raised.value)


@real_driver
def test_a_window_that_never_comes_or_is_hidden_is_said_so(tmp_path: Path, display: str,
                                                           monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("keenlattice.rig.linux.play.WINDOW_WITHIN_S", 1.0)
    monkeypatch.setattr("keenlattice.rig.linux.settled.LOADS_WITHIN_S", 2.0)
    with pytest.raises(RigError, match="other means than X11"):
        rig_with(tmp_path, "sleep", "60", executable="no-such").play("gears", 1, 1)
    hidden = ("from Xlib import display, X; import time; d = display.Display(); "
              "w = d.screen().root.create_window(0, 0, 200, 200, 0, X.CopyFromParent); d.sync(); time.sleep(60)")
    with pytest.raises(RigError, match="not shown: is it minimised"):
        rig_with(tmp_path, sys.executable, "-c", hidden, executable="no-such").play("gears", 1, 1)
    still = hidden.replace("d.sync()", "w.map(); d.sync()")
    with pytest.raises(RigError, match="shows no new frames"):
        rig_with(tmp_path, sys.executable, "-c", still, executable="no-such").play("gears", 1, 1)
    with pytest.raises(RigError, match=r"ended while it was measured|went away"):
        rig_with(tmp_path, sys.executable, "-c", still.replace("sleep(60)", "sleep(3)"), executable="no-such").play(
            "gears", 9, 1)


TOY = """
from Xlib import X, display
import itertools, time
d = display.Display()
window = d.screen().root.create_window(0, 0, 300, 200, 0, X.CopyFromParent, event_mask=X.ButtonPressMask)
window.map()
pen, lit = window.create_gc(), 0
for frame in itertools.count():
    for _ in range(d.pending_events()):
        lit ^= d.next_event().type == X.ButtonPress
    for colour, at in ((frame * 77777 & 0xFFFFFF, 100), (0xFFFFFF * lit, 10)):
        pen.change(foreground=colour)
        window.fill_rectangle(pen, at, 10, 60, 60)
    d.sync()
    time.sleep(0.005)
"""


PRESENTS = """
import os, sys, time
from Xlib import X, display
from Xlib.protocol import rq
class Present(rq.Request):
    _request = rq.Struct(rq.Card8("opcode"), rq.Opcode(1), rq.RequestLength(), rq.Card32("window"), rq.Card32("pixmap"),
                         *(rq.Card32(f"word{number}") for number in range(7)), rq.Card32("options"),
                         *(rq.Card32(f"more{number}") for number in range(7)))
d = display.Display()
opcode = d.query_extension("Present").major_opcode
window = d.screen().root.create_window(0, 0, 300, 200, 0, X.CopyFromParent)
window.map()
pictures = [window.create_pixmap(300, 200, 24) for _ in range(2)]
zeros = {f"word{number}": 0 for number in range(7)} | {f"more{number}": 0 for number in range(7)}
with open(sys.argv[1], "w") as stamps:
    for frame in range(100_000):
        Present(display=d.display, opcode=opcode, window=window.id, pixmap=pictures[frame % 2].id, options=1, **zeros)
        d.sync()
        print(time.perf_counter(), file=stamps, flush=True)
        time.sleep(0.004 + 0.03 * (frame % 40 == 0))
"""


@real_driver
def test_of_a_program_that_presents_its_frames_the_server_says_when_they_were_shown(tmp_path: Path,
                                                                                    display: str) -> None:
    run = rig_with(tmp_path, sys.executable, "-c", PRESENTS, str(tmp_path / "own"), executable="no-such").play(
        "gears", 3, 1)
    own = np.loadtxt(tmp_path / "own") - run.about["clock_start_s"]
    inside = np.diff(own[(own >= 0) & (own <= run.seconds)]) * 1000
    assert run.about["recorded_by"] == "present" and "late_share" not in run.about
    for name, at in (("mean", np.mean), ("median", np.median), ("worst", lambda all: np.quantile(all, 0.99))):
        assert at(run.frame_ms) == pytest.approx(at(inside), rel=0.05), name


@real_driver
def test_the_place_that_answers_clicks_is_found_and_has_to_be_seen(tmp_path: Path, display: str,
                                                                       monkeypatch: pytest.MonkeyPatch) -> None:
    from Xlib import X
    from Xlib import display as xdisplay

    rig = rig_with(tmp_path, sys.executable, "-c", TOY, executable="no-such")
    (x, y), clicked = rig.find_spot("gears")
    assert 10 <= x < 70 and 10 <= y < 70 and clicked == (150, 100)
    add_game(rig.home, replace(read_games(rig.home)["gears"], answers_at=(x, y), clicks_at=clicked))
    rig = LinuxRig(rig.home, rig.config)
    server = xdisplay.Display(display)
    root = server.screen().root
    played = rig.play("gears", 2, 1)
    assert played.latency_ms.size > 5 and np.median(played.latency_ms) < 30 and played.about["composed"] is False
    over = root.create_window(0, 0, 40, 40, 0, X.CopyFromParent, override_redirect=True)
    over.set_selection_owner(server.intern_atom("_NET_WM_CM_S0"), X.CurrentTime)
    monkeypatch.setattr("keenlattice.rig.linux.settled.STRETCH_S", 0.5)
    for width, says in ((40 + x, "covers the place that is looked at"), (400, "is covered by other windows")):
        over.configure(width=width, height=2 * width)
        threading.Timer(1.0, lambda: (over.map(), over.configure(stack_mode=X.Above), server.sync())).start()
        with pytest.raises(RigError, match=says):
            rig.play("gears", 1, 1)
        over.unmap()
        server.sync()
    assert rig.play("gears", 1, 1).about["composed"] is True
    server.close()


MANY = TOY.replace("window.map()\n", """
for number in range(2):  # one that is made and dropped, as games do at start; and another that shows nothing
    other = d.screen().root.create_window(400, 0, 300, 200, 0, X.CopyFromParent)
    other.map()
    d.sync()
    time.sleep(0.5)
    number or other.destroy()
window.map()
""")


@untimed_driver
def test_of_several_windows_that_which_shows_frames_is_taken(tmp_path: Path, display: str) -> None:
    rig = rig_with(tmp_path, sys.executable, "-c", MANY, executable="no-such")
    assert rig.play("gears", 1, 1).frame_ms.size > 20
    idle = subprocess.Popen(["sleep", "60"])  # a process of the same name, older and without a window
    game = subprocess.Popen(["sleep", "-c", TOY], executable=sys.executable,
                            env={**os.environ, "PYTHONHOME": sys.base_prefix,
                                 "PYTHONPATH": str(Path(np.__file__).parents[1])})
    try:
        assert rig_with(tmp_path, executable="sleep").play("gears", 1, 1).frame_ms.size > 20
    finally:
        for one in (idle, game):
            one.kill()
            one.wait()


@untimed_driver
@pytest.mark.long
def test_a_window_that_vanishes_while_it_is_looked_at_or_recorded_is_one_line(tmp_path: Path, display: str) -> None:
    short = TOY.replace("itertools.count()", "range(400)") + "\nwindow.destroy(); d.sync(); time.sleep(60)\n"
    for play in (lambda rig: rig.play("gears", 9, 1), lambda rig: rig.find_spot("gears")):
        with pytest.raises(RigError, match="went away") as raised:
            play(rig_with(tmp_path, sys.executable, "-c", short, executable="no-such"))
        assert "\n" not in str(raised.value)


@untimed_driver
def test_one_real_run_in_three_shapes_gives_equal_numbers(tmp_path: Path, display: str) -> None:
    script = Path(__file__).parent.parent / "examples" / "three_recorders.py"
    done = subprocess.run([sys.executable, str(script), str(tmp_path)], capture_output=True, text=True,
                          env={**os.environ, "HOME": str(tmp_path)})
    assert done.returncode == 0, done.stderr
    told = [line.split(maxsplit=1) for line in done.stdout.splitlines()]
    assert [name for name, _ in told] == ["stamps.csv", "intervals.csv", "lines.jsonl"]
    assert len({numbers for _, numbers in told}) == 1 and int(told[0][1].split()[0]) > 50


def test_the_answer_is_what_changes_after_clicks_alone() -> None:
    random = np.random.default_rng(1)
    calm, clicked = (random.random((8, 60, 80)) < 0.02 for _ in range(2))
    calm[:, :, 40:] |= random.random((8, 60, 40)) < 0.5  # a lively half
    clicked[:, :, 40:] = True
    clicked[1:, 10:31, 5:26], calm[:, 10:31, 5:26] = True, False  # the answer; one click is missed
    assert answering(list(calm), list(clicked)) == (15, 20)
    clicked[:3, 10:31, 5:26] = False
    assert answering(list(calm), list(clicked)) is None


def test_frames_are_drawn_within_a_millisecond_of_the_servers_stamp_however_late_word_of_them_comes() -> None:
    random, whole = np.random.default_rng(1), np.ones(600, dtype=bool)
    true = 2**32 - 500 + np.cumsum(random.uniform(1.5, 9.0, 600))  # the stamp starts again on the way
    stamp, prompt = np.floor(true) % 2**32, true + 0.1
    late = np.maximum.accumulate(np.where(random.random(600) < 0.2, prompt + random.uniform(2, 12, 600), prompt))
    at_ease, kept_waiting = drawn(prompt, stamp, whole), drawn(late, stamp, whole)
    assert at_ease.late == 0 and np.abs(at_ease.at_ms - true).max() <= 0.1 + 1e-6
    assert np.abs(late - true).max() > 5 and np.abs(kept_waiting.at_ms - true).max() <= 1 + 1e-6
    assert kept_waiting.late == pytest.approx((late > np.floor(true) + 1.5).mean()) and kept_waiting.late > 0.2
    elsewhere = drawn(late, stamp + 777777, whole)  # a server on another machine
    assert np.isnan(elsewhere.late) and np.array_equal(elsewhere.at_ms, np.unique(late))
    parts = drawn(np.array([5.1, 5.2, 5.3, 12.1]), np.array([5.0, 5.0, 5.0, 12.0]), np.zeros(4, dtype=bool))
    assert parts.at_ms.size == 2 and drawn(np.empty(0), np.empty(0), np.empty(0, dtype=bool)).at_ms.size == 0


def test_a_run_that_is_not_to_be_trusted_says_so() -> None:
    def run(frames: int, apart_ms: float, **about: object) -> Capture:
        return Capture(np.arange(frames + 1) * apart_ms, about=about)

    assert doubts_of(run(200, 8, late_share=0.03, steady=True)) == () == doubts_of(run(200, 8))
    assert "only 12 frames" in doubts_of(run(12, 8))[0]
    assert "22 % of the frames" in doubts_of(run(200, 8, late_share=0.22))[0]
    assert "may have been missed" in doubts_of(run(200, 16, missed_share=0.05))[0]
    assert doubts_of(run(200, 16, missed_share=0.01, others_shown=False)) == ()
    assert "run the game fullscreen" in doubts_of(run(200, 16, others_shown=True))[0]
    assert "do not trust" in doubts_of(run(200, 2, late_share=0.22))[0] and "loading" in doubts_of(
        run(200, 8, steady=False))[0]


def test_a_game_is_left_running_if_the_player_has_it_so(tmp_path: Path) -> None:
    with game_running("x", ("no-such",), ("sleep", "60"), ":0", tmp_path, Start(), leave=True) as game:
        pass
    assert game.alive()
    os.kill(game.pids[0], 9)
    os.waitpid(game.pids[0], 0)


def test_processes_and_what_they_have_started(tmp_path: Path) -> None:
    with game_running("x", ("no-such",), ("sh", "-c", "sleep 60 & wait"), ":0", tmp_path, Start()) as game:
        until = time.monotonic() + 10
        while len(game.processes()) < 2 and time.monotonic() < until:
            time.sleep(0.01)
        assert game.ours and game.alive() and len(game.processes()) == 2
    assert not game.alive() and not Running((2**22 + 1,), ours=False).alive()
    (tmp_path / "games.toml").write_text("[orbit]\nanswers_at = [10, -1]\n")
    with pytest.raises(RigError, match="answers_at is a pixel"):
        read_games(tmp_path)
