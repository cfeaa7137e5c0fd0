"""What records a game from outside, piece by piece and without a display: each is given what a server would tell, of
frames whose truth is known."""

import os
import signal
import struct
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from keenlattice.errors import RigError
from keenlattice.measure.capture import BY_SCREEN, Capture
from keenlattice.measure.doubts import doubts_of, held_by_screen
from keenlattice.measure.telemetry import Moment
from keenlattice.rig.linux import play, recorder, settled, vulkan
from keenlattice.rig.linux.children import start, start_to_stay, stop
from keenlattice.rig.linux.program import Running
from keenlattice.rig.linux.telemetry import Telemetry, fill
from keenlattice.rig.linux.wayland.clients import CommitLog
from keenlattice.rig.linux.x11 import present, probe
from keenlattice.rig.linux.x11.present import TOLD, Present

WRAPS = 2 ** 32


class Clock:
    """A clock that moves when somebody waits, and no sooner."""

    def __init__(self) -> None:
        self.now = 100.0

    def perf_counter(self) -> float:
        return self.now

    def sleep(self, seconds: float) -> None:
        self.now += seconds


@pytest.fixture
def clock(monkeypatch: pytest.MonkeyPatch) -> Clock:
    made = Clock()
    for module in (recorder, settled):
        monkeypatch.setattr(module, "time", made)
    return made


# When frames were drawn.

@pytest.fixture(autouse=True)
def fine_stamps(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(present, "_stamp_width_ms", lambda: 1.0)


def drawn(arrived: list[float], stamp: list[float], whole: list[bool] | None = None) -> present.Drawn:
    return present.drawn(np.array(arrived), np.array(stamp), np.array(whole or [True] * len(arrived)))


def test_word_that_comes_in_time_is_taken_as_it_comes_and_late_word_by_its_stamp() -> None:
    in_time = drawn([10.2, 20.9, 30.05], [10, 20, 30])
    assert in_time.at_ms.tolist() == [10.2, 20.9, 30.05] and in_time.late == 0
    assert drawn([11.3, 20.9], [10, 20]).at_ms.tolist() == [11.0, 20.9]  # a little late: not beyond what it allows
    for arrived in ([10.2, 45.0, 45.1, 45.2, 50.3], [10.2, 45.03, 45.17, 45.29, 50.3]):
        bunch = drawn(arrived, [10, 20, 30, 30, 50])
        assert bunch.at_ms.tolist() == [10.2, 20.5, 30.25, 30.75, 50.3] and bunch.late == 0.6
    assert drawn([], []).at_ms.size == 0 and np.isnan(drawn([], []).late)


def test_a_stamp_that_starts_anew_is_the_same_moment_and_another_clock_is_none_of_ours() -> None:
    long_up = drawn([WRAPS - 4.8, WRAPS + 5.2, 3 * WRAPS + 9.5], [WRAPS - 5, 5, 9])
    assert long_up.late == 0 and long_up.at_ms.tolist() == [WRAPS - 4.8, WRAPS + 5.2, 3 * WRAPS + 9.5]
    for elsewhere in ([5000.0, 5010.0], [12.5, 22.5]):  # long ago, and still to come
        told = drawn([10.0, 20.0], elsewhere)
        assert told.at_ms.tolist() == [10.0, 20.0] and np.isnan(told.late)


def test_parts_of_a_window_drawn_at_once_are_one_frame() -> None:
    parts = drawn([10.1, 10.3, 10.5, 20.1, 20.7, 30.1], [10, 10, 10, 20, 20, 30],
                  [True, False, False, True, False, True])
    assert parts.at_ms.tolist() == [10.1, 20.1, 20.7, 30.1]  # 0.6 ms after: its own frame
    assert drawn([10.1, 10.1, 10.3], [10, 10, 10]).at_ms.tolist() == [10.1, 10.3]  # time does not stand still


@given(st.lists(st.tuples(st.floats(1.2, 40), st.floats(0, 45)), min_size=1, max_size=60))
def test_late_or_not_each_frame_is_put_within_what_its_stamp_allows(frames: list[tuple[float, float]]) -> None:
    at = np.cumsum([gap for gap, _ in frames]) + 1000
    arrived = np.maximum.accumulate(at + [delay for _, delay in frames])
    found = present.drawn(arrived, np.floor(at), np.ones(at.size, dtype=bool))
    assert (np.diff(found.at_ms) > 0).all() and 0 <= found.late <= 1
    assert found.at_ms.size == at.size  # none is lost, however late and bunched the word
    assert (np.abs(found.at_ms - at) <= 1.0).all()


def test_how_far_a_stamp_may_be_behind_is_the_clocks_tick(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.undo()
    for tick_s, width in ((0.001, 2.0), (0.0005, 1.5), (0.004, 1.0)):  # a server does not take a clock as coarse
        monkeypatch.setattr(present.time, "clock_getres", lambda which, tick_s=tick_s: tick_s if which == 6 else 9.9)
        assert present._stamp_width_ms() == width


def presents(opcode: int = 77) -> Present:
    made = Present(SimpleNamespace(has_extension=lambda name: False))
    assert made.watch(None) == 0  # a display without generic events reports nothing
    made._opcode = opcode
    return made


def event(kind: int = 0, mode: int = 1, at_us: int = 16_667, **other: Any) -> SimpleNamespace:
    data = TOLD.pack(kind, mode, 3, 4, 5, at_us) + bytes(8)
    return SimpleNamespace(**{"type": 35, "extension": 77, "evtype": 1, "data": data, **other})


def test_the_servers_word_of_presented_frames_is_told_from_all_else() -> None:
    present = presents()
    assert present.shown_ms(event()) == 16.667
    assert present.shown_ms(event(type=35 | 0x80)) == 16.667  # sent by another client, as the highest bit says
    assert [present.shown_ms(one) for one in (
        event(kind=1), event(mode=2), event(extension=78), event(evtype=0), event(type=36),
        event(data=bytes(TOLD.size - 1)))] == [None] * 6
    assert struct.calcsize("=BBIIIQ") == 22 and presents(0).shown_ms(event(extension=0)) is None


def recording(at_ms: list[float], presented: list[float]) -> probe._Recording:
    return probe._Recording([one / 1000 for one in at_ms], [int(one) for one in at_ms], [True] * len(at_ms), presented)


def clicks_of(sent: list[float], answered: list[float]) -> recorder.Clicks:
    clicks = recorder.Clicks(1, 1e9)
    clicks.sent, clicks.answered = sent, answered
    return clicks


def test_presented_frames_are_taken_if_the_server_tells_of_nearly_all() -> None:
    at = [100.25 + 10 * place for place in range(20)]
    clicks = clicks_of([0.1125, 0.15], [0.1325, float("nan")])
    found = probe._capture(recording(at, []), clicks, {"composed": True})
    assert found.about == {"clock_start_s": pytest.approx(0.10025), "recorded_by": "damage", "composed": True,
                           "late_share": 0.0}
    assert found.frame_ms == pytest.approx([10.0] * 19) and found.click_ms == pytest.approx([12.25, 49.75])
    assert found.latency_ms == pytest.approx([20.0])
    shown = [one + 3.125 for one in at]
    for told, by, size in ((shown + shown[:4], "present", 20), (shown[2:], "present", 18), (shown[3:], "damage", 20),
                           ([one + 2000 for one in shown], "damage", 20)):
        found = probe._capture(recording(at, told), clicks, {})
        assert (found.about["recorded_by"], found.shown_ms.size) == (by, size)
        assert ("late_share" in found.about) == (by == "damage")
    assert probe._capture(recording([], shown), clicks, {}).shown_ms.size == 20
    with pytest.raises(RigError, match="no new frames"):
        probe._capture(recording(at[:1], shown[:1]), clicks, {})


# Clicks, and what is given meanwhile.

def test_a_click_waits_for_its_answer_and_is_given_up_after_a_second(clock: Clock) -> None:
    clicks = recorder.Clicks(seed=4, until=110.0)
    assert not clicks.is_due(100.049) and clicks.is_due(100.1)
    clicks.send(100.1)
    assert clicks.waiting and not clicks.is_due(101.0) and not clicks.is_due(101.1)
    clock.now = 101.0
    clicks.answer(100.9)
    assert clicks.answered == [100.9] and not clicks.is_due(101.049) and clicks.is_due(101.1)
    clicks.send(101.1)
    assert clicks.is_due(102.2) and not clicks.waiting  # given up: the next one is due at once
    assert np.isnan(clicks.answered[1]) and clicks.sent == [100.1, 101.1]
    assert clicks.is_due(109.7) and not clicks.is_due(109.75)  # none so late that its answer could not be seen
    waits = []
    for _ in range(400):
        clicks.send(clock.now)
        clicks.answer(clock.now)
        waits.append(clicks._next - clock.now)
    assert 0.05 <= min(waits) < 0.052 and 0.098 < max(waits) <= 0.1


def test_who_watches_is_told_once_a_second_of_what_is_new(clock: Clock) -> None:
    told: list[Moment] = []
    live = recorder.Live(told.append, lambda: {"gpu0.load": 97.0})
    shown, clicks = [100.0, 100.01, 100.03], clicks_of([100.2, 100.5], [100.23, float("nan")])
    clicks.waiting = True
    clock.now = 100.99
    live.look(shown, clicks)
    assert told == []
    clock.now = 101.25
    live.look(shown, clicks)
    shown += [101.53, 101.54]
    clicks.answered[1], clicks.waiting = 101.5, False
    clock.now = 102.25
    live.look(shown, clicks)
    assert [(one.at_s, one.frames) for one in told] == [(1.25, 3), (2.25, 2)]
    first, second = told
    assert (first.frame_ms, first.worst_ms) == pytest.approx((15.0, 20.0))
    assert (second.frame_ms, second.worst_ms) == pytest.approx((755.0, 1500.0))  # from the last one before
    assert (first.latency_ms, second.latency_ms) == pytest.approx((30.0, 1000.0))  # the click that waited is given then
    clock.now = 104.0
    live.look(shown, clicks)
    assert np.isnan(told[2].frame_ms) and np.isnan(told[2].latency_ms) and told[2].said == {"gpu0.load": 97.0}


# The window that stays, and the pixel that answers.

@dataclass
class MadeUp:
    """A recorder of a made-up game: its windows, one after the other, and how many frames each stretch shows."""

    frames: Iterator[int]
    clock: Clock
    windows: Iterator[int] = field(default_factory=lambda: iter([]))
    shown: int = 1
    asked: list[float] = field(default_factory=list)

    def find(self, processes: Any, patience_s: float, alive: Any) -> SimpleNamespace:
        self.shown = next(self.windows, self.shown)
        return SimpleNamespace(id=self.shown)

    def frames_in(self, window: Any, seconds: float) -> int:
        self.asked.append(seconds)
        self.clock.now += seconds
        found = next(self.frames)
        if found < 0:
            raise RigError("the window went away")
        return found

    def check_seen(self, window: Any, looked_at: Any, clicked: Any) -> None:
        raise RigError("it is covered")


@pytest.mark.parametrize(("frames", "windows", "steady", "stretches"), [
    ([0, 12, 40, 41, 39], [], True, 5),             # it loads, and then runs
    ([60, 2, 60, 60, 61], [], True, 5),             # it hangs once
    ([40, 41, 39, 40, 41, 42], [1, 1, 1, 2], True, 6),   # a splash screen that gives way to the game's window
    ([1, 2, 3, 1], [], True, 3),                    # slow, but at a pace: two frames apart at most
    ([9, 4, 9] * 60, [], False, 150),               # never at a pace: a minute, and no more
    ([-1, 40, 41, 42], [], True, 4),                # a window that was there for a moment only
])
def test_a_game_that_we_started_is_recorded_once_it_runs_at_a_pace(
        clock: Clock, frames: list[int], windows: list[int], steady: bool, stretches: int) -> None:
    made = MadeUp(iter(frames), clock, iter(windows))
    window, is_steady = settled.settled(made, Running((1,), ours=True), 20.0)  # type: ignore[arg-type]
    assert (is_steady, len(made.asked), window.id) == (steady, stretches, windows[-1] if windows else 1)
    assert set(made.asked) == {0.4}


def test_a_game_that_runs_already_gets_a_moment_and_one_that_is_covered_is_said_to_be(clock: Clock) -> None:
    made = MadeUp(iter([7]), clock)
    assert settled.settled(made, Running((1,), ours=False), 20.0)[1] and made.asked == [0.6]  # type: ignore[arg-type]
    with pytest.raises(RigError, match="covered"):
        settled.settled(MadeUp(iter([5, 0, 0]), clock), Running((1,), ours=True), 20.0)  # type: ignore[arg-type]
    assert settled.is_steady([40, 30, 25]) and not settled.is_steady([40, 40]) and not settled.is_steady([40, 40, 0])


def picture(*boxes: tuple[int, int, int, int], size: tuple[int, int] = (30, 40)) -> np.ndarray:
    """Which pixels changed: those of some boxes (left, top, width, height)."""
    made = np.zeros(size, dtype=bool)
    for left, top, width, height in boxes:
        made[top:top + height, left:left + width] = True
    return made


def test_the_pixel_that_answers_is_the_one_farthest_from_all_else() -> None:
    lamp, clock_face, nothing = (4, 10, 9, 7), (20, 3, 8, 8), picture()
    calm = [picture(clock_face)] * 8
    assert settled.answering(calm, [picture(lamp, clock_face)] * 8) == (7, 13)
    assert settled.answering(calm, [picture(lamp)] * 7 + [nothing]) == (7, 13)         # one click was missed
    assert settled.answering(calm, [picture(lamp)] * 6 + [nothing] * 2) is None
    assert settled.answering([picture(lamp), *[nothing] * 7], [picture(lamp)] * 8) == (7, 13)  # changed once by itself
    assert settled.answering([picture(lamp)] * 2 + [nothing] * 6, [picture(lamp)] * 8) is None
    assert settled.answering([nothing] * 8, [picture((4, 10, 9, 2))] * 8) is None      # too thin to be aimed at
    assert settled.answering([nothing] * 8, [picture((0, 0, 3, 3))] * 8) == (1, 1)     # the edge is not part of it


@pytest.mark.parametrize("answers", [True, False])
def test_a_look_at_a_window_clicks_into_its_middle(clock: Clock, answers: bool) -> None:
    seen, clicked = SimpleNamespace(at=None), [0]
    screen = np.zeros((30, 40), dtype=np.uint32)

    def image(window: object) -> np.ndarray:
        shows = screen.copy()
        shows[:3, :5] = int(clock.now * 100)  # a clock in the corner, which goes on by itself
        if answers and clicked[0] and clock.now - clicked[0] < 0.2:
            shows[10:20, 8:18] = 7
        return shows

    def click() -> float:
        clicked[0] = clock.now
        return clock.now

    window = SimpleNamespace(size_of=lambda window: (40, 30), image=image, click=click,
                             point_at=lambda window, spot: setattr(seen, "at", spot))
    if not answers:
        with pytest.raises(RigError, match="answered 8 clicks"):
            settled.look(window, None, lambda: True)  # type: ignore[arg-type]
        return
    spot, middle = settled.look(window, None, lambda: True)  # type: ignore[arg-type]
    assert middle == seen.at == (20, 15) and 10 <= spot[0] <= 15 and 12 <= spot[1] <= 17
    with pytest.raises(RigError, match="the game ended"):
        settled.look(window, None, lambda: False)  # type: ignore[arg-type]


# What is given beside the frames.

def test_what_the_machine_said_is_put_on_the_clock_of_the_frames() -> None:
    told = Telemetry()
    fill(told, ['{"names": ["gpu0.load", "cpu.temperature", "odd name"]}', "[99.5, 10, 50.5, 1]",
                 "[100.0, 20, null, 1]", "[101.0, 30, 51.5, 1]", "[103.5, 40, 52.5, 1]", '{"cost": 0.00256}',
                 "[104.0, 5"])
    assert told.cost == 0.00256 and told.series["gpu0.load"] == ([99.5, 100.0, 101.0, 103.5], [10, 20, 30, 40])
    capture = Capture(np.array([0.0, 1000.0, 2000.0]), about={"clock_start_s": 99.75})
    beside = told.beside(capture)
    assert set(beside.telemetry) == {"gpu0.load", "cpu.temperature"} and beside.about["telemetry_cost_pct"] == 0.256
    assert beside.telemetry["gpu0.load"].at_ms.tolist() == [250.0, 1250.0]
    assert beside.telemetry["cpu.temperature"].known.tolist() == [51.5]
    assert told.beside(plain := Capture(np.array([0.0, 10.0]))) is plain  # on a clock that is not known
    assert "telemetry_cost_pct" not in Telemetry().beside(capture).about


def test_the_scenes_own_stamps_are_those_of_the_recorded_stretch(tmp_path: Path) -> None:
    stamps_file = tmp_path / "stamps"
    stamps_file.write_text("\n".join(map(str, [10.0, 10.5, 11.0, 11.01, 11.03, 11.06, 12.5, 14.0])))
    capture = Capture(np.array([0.0, 60.0]), about={"clock_start_s": 11.0})
    assert play._own_median(stamps_file, capture) == pytest.approx(20.0)
    assert np.isnan(play._own_median(stamps_file, Capture(np.array([0.0, 15.0]), about={"clock_start_s": 11.0})))
    log = tmp_path / "log"
    log.write_text("a warning\nno driver\n\n")
    assert play._last_words(3, log) == "the scene ended with exit code 3: no driver"
    assert play._last_words(0, log) == play._last_words(None, log) == ""
    log.write_text("")
    assert play._last_words(-9, log) == "the scene ended with exit code -9: it said nothing"


@pytest.mark.parametrize(("loaded", "api"), [
    (["/usr/lib/libvulkan.so.1", "/usr/lib/libGL.so.1"], "vulkan"), (["/usr/lib/libEGL.so.1"], "opengl"),
    (["/usr/lib/libGLX.so.0"], "opengl"), (["/usr/lib/libGLU.so.1"], ""), ([], "")])
def test_what_a_program_draws_by_is_known_from_its_libraries(
        tmp_path: Path, monkeypatch: pytest.MonkeyPatch, loaded: list[str], api: str) -> None:
    (tmp_path / "7").mkdir()
    (tmp_path / "7/maps").write_text("".join(f"7f00-7f01 r-xp 0 08:01 5 {one}\n" for one in loaded))
    monkeypatch.setattr(vulkan, "Path", lambda where: tmp_path if where == "/proc" else Path(where))
    assert vulkan.draws_by([6, 7]) == api  # 6 has ended


@pytest.mark.parametrize("started", [start, start_to_stay])
def test_a_program_that_is_to_stay_has_a_session_of_its_own(started: Callable[..., Any], tmp_path: Path) -> None:
    says, told = tmp_path / "says", "import os; print(os.getsid(0) == os.getpid(), os.environ['KEEN_TEST'])"
    with says.open("wb") as out:
        running = started([sys.executable, "-c", told], lambda: os.environ.update(KEEN_TEST="before"), stdout=out)
        assert running.wait(30) == 0
    assert says.read_text().split() == [str(started is start_to_stay), "before"] and "KEEN_TEST" not in os.environ


def test_one_that_does_not_end_when_it_is_asked_to_is_ended() -> None:
    deaf = start([sys.executable, "-c", "import signal, time; signal.signal(15, signal.SIG_IGN); print(1, flush=True); "
                                        "time.sleep(60)"], stdout=subprocess.PIPE)
    assert deaf.stdout is not None and deaf.stdout.read(1) == b"1"  # it is deaf from now on
    stop(deaf, 0.3)
    deaf.stdout.close()
    assert deaf.returncode == -signal.SIGKILL
    stop(deaf, 0.3)  # once more: it has ended already


def logged(lines: list[str]) -> CommitLog:
    """A log of a game that has ended."""
    read, write = os.pipe()
    log = CommitLog(os.fdopen(read, "rb"))
    with os.fdopen(write, "wb") as pipe:
        pipe.write("\n".join([*lines, ""]).encode())
    return log


def older(us: int) -> str:
    us %= 2**32
    return f"[{us // 1000:7d}.{us % 1000:03d}]  -> wl_surface@"


def newer(us: int) -> str:
    second = time.strftime("%H:%M:%S", time.localtime(us // 10**6))
    return f"[{second}.{us % 10**6:06d}] {{Default Queue}}  -> wl_surface#"


@pytest.mark.parametrize("form", [older, newer])
def test_the_frames_of_a_game_are_the_commits_of_the_surface_that_gets_its_buffers(form: Callable[[int], str]) -> None:
    begin_us = time.time_ns() // 1000 - 3_000_000
    lines = ["a game's own words", "[bad.stamp]  -> wl_surface@3.commit()"]
    for frame in range(300):
        begin = form(begin_us + 3600 * frame)
        lines += [begin + message for message in (
            "3.attach(wl_buffer@9, 0, 0)", "3.damage(0, 0, 9, 9)", "3.commit()", "3.commit()", "7.attach(nil, 0, 0)",
            "7.commit()", *(["8.attach(wl_buffer@8, 0, 0)", "8.commit()"] if frame % 10 == 0 else []))]
    start = time.perf_counter() - (time.time_ns() / 1e9 - begin_us / 1e6)
    shown = Capture(np.arange(0, 1000, 1000 / 60), np.array([100.0]), np.array([130.0]), about={
        "clock_start_s": start, "recorded_by": BY_SCREEN, "refresh_hz": 60.0})
    log = logged(lines)
    time.sleep(0.2)
    run = log.frames_of(shown)
    assert run.about["recorded_by"] == "commits" and np.allclose(run.frame_ms, 3.6, atol=0.01)
    assert 265 <= run.shown_ms.size <= 280 and run.latency_ms == pytest.approx([30.0])
    assert logged(["nothing"]).frames_of(shown) is shown


@given(st.lists(st.integers(1, 4), min_size=3, max_size=60), st.data())
def test_no_more_frames_are_missed_than_is_said(steps: list[int], data: st.DataObject) -> None:
    """The screen shows a frame at every refresh; those before which nobody waited are not seen."""
    from keenlattice.rig.linux.wayland.probe import missed_share

    seen = np.cumsum(steps) / 60
    late = np.array([data.draw(st.floats(0, 1)) for _ in steps]) / 60  # it waited so long before the frame that it saw
    awaited = seen - late
    assert missed_share(seen, awaited, 60.0) >= (sum(steps[1:]) - len(steps[1:])) / (sum(steps[1:]) + 1) - 1e-9
    prompt = np.concatenate([[seen[0]], seen[:-1] + 0.001])
    assert missed_share(seen, prompt, 60.0) == 0.0  # who waited all along has missed nothing


def test_a_run_at_the_screens_rate_is_doubted_and_says_what_to_do() -> None:
    about = {"recorded_by": BY_SCREEN, "refresh_hz": 60.0}
    held, slower = (Capture(np.arange(200) * ms, about=about) for ms in (16.9, 25.0))
    assert held_by_screen(held) == 60 and held_by_screen(slower) == 0
    assert any("beyond that is not seen" in one for one in doubts_of(held)) and not doubts_of(slower)
    quick = Capture(np.arange(9000) * 0.2, about={"recorded_by": "damage"})
    assert any("3 to 5 % long" in one for one in doubts_of(quick))
