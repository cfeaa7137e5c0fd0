"""A run that is watched while it is recorded."""

import io
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

import keenlattice
from conftest import Keen as Run
from keenlattice.cli.views.runs import LiveView
from keenlattice.errors import UsageError
from keenlattice.measure.capture import Capture
from keenlattice.measure.telemetry import Moment
from keenlattice.rig.linux.machine import LinuxRig
from keenlattice.rig.linux.recorder import Clicks, Live
from test_linux import real_driver

MOMENT = Moment(1.0, 120, 8.25, 20.04, float("nan"), {"cpu.load": 52.4, "cpu.pressure": 3.0})


class Terminal(io.StringIO):
    encoding = "utf-8"

    def isatty(self) -> bool:
        return True


def test_what_is_new_is_told_once_a_second(monkeypatch: pytest.MonkeyPatch) -> None:
    now, told = [100.0], list[Moment]()
    monkeypatch.setattr("keenlattice.rig.linux.recorder.time.perf_counter", lambda: now[0])
    live, clicks = Live(told.append, lambda: {"cpu.load": 50.0}), Clicks(1, 200.0)
    shown = [100.0 + 0.01 * number for number in range(100)]
    live.look(shown, clicks)
    assert not told
    clicks.send(100.2)
    clicks.answer(100.23)
    clicks.send(100.9)  # waits for its answer: it learns of with the next
    now[0] = 101.0
    live.look(shown, clicks)
    clicks.answer(101.0)
    now[0] = 102.1
    live.look([*shown, 101.5, 101.52], clicks)
    assert [(one.frames, round(one.frame_ms), round(one.worst_ms), round(one.latency_ms)) for one in told] == [
        (100, 10, 10, 30), (2, 265, 510, 100)] and told[1].said == {"cpu.load": 50.0}


def test_a_moment_is_a_line_in_a_pipe_and_a_block_that_is_drawn_anew_at_a_terminal() -> None:
    pipe, terminal = io.StringIO(), Terminal()
    LiveView(pipe)(MOMENT)
    assert pipe.getvalue() == "1 s: frames 120, frame time 8.2 ms, worst frame 20.0 ms, CPU load 52 %\n"
    view = LiveView(terminal)
    for moment in (MOMENT, replace(MOMENT, at_s=2.0, frame_ms=4.0), replace(MOMENT, at_s=1.0)):
        view(moment)
    first, second, third = terminal.getvalue().split("recorded for ")[1:]
    assert first.count("\n") == 7 and first.endswith("\x1b[7A\x1b[J") and "\x1b[7A" not in second.removesuffix("\x1b[J")
    assert "4.0 ms  ▇▄" in second and "8.2 ms  ▇\n" in third  # another run begins again


@real_driver
def test_a_run_of_this_machine_is_watched(tmp_path: Path, keen: Run) -> None:
    done = keen("measure", "scene", "--rig", "here", "--runs", "1", "--seconds", "3", "--live", "--json")
    lines = [line for line in done.stderr.splitlines() if " s: frames " in line]
    assert len(lines) in (2, 3) and "latency" in lines[0] and "CPU load" in lines[1]


def test_a_simulated_run_is_shown_second_by_second_at_its_end(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("KEEN_STATE", str(tmp_path / "state"))
    seen = list[Moment]()
    with keenlattice.open(tmp_path / "book", "standin") as ws:
        result = ws.measure("brass-orbit", 2, 3.0, live=seen.append)
    frames = result.last.frame_ms.size
    assert [moment.at_s for moment in seen][:2] == [1, 2] and len(seen) == 6
    assert frames - 9 < sum(moment.frames for moment in seen[3:]) <= frames
    assert max(moment.worst_ms for moment in seen) >= seen[0].frame_ms and "gpu0.load" in seen[0].said


def test_a_rig_whose_runs_another_program_records_says_so(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("KEEN_STATE", str(tmp_path / "state"))
    with pytest.raises(UsageError, match="another program"):
        keenlattice.open(tmp_path / "book", "byhand").measure("brass-orbit", 1, 1.0, live=lambda _: None)


def test_whoever_watched_a_run_is_not_told_of_the_next(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("KEEN_STATE", str(tmp_path / "own"))
    rig, watchers = LinuxRig(tmp_path / "state", tmp_path / ".drirc"), list[object]()
    monkeypatch.setattr(rig, "play", lambda *_: (watchers.append(rig.watcher), Capture(np.arange(99.0)))[1])
    ws = keenlattice.open(tmp_path / "book", rig)
    ws.measure("scene", 1, 1.0, live=print)
    ws.measure("scene", 1, 1.0)
    assert watchers == [print, None]
