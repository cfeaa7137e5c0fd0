"""Studies on a rig changed by hand: somebody else's machine, changed, played and recorded as the player is given.

The machine is a stand-in that Keen Lattice cannot write to; what it does is known, and verdicts are compared with that.
"""

import json
import os
import shutil
import sys
import time
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.special import stdtrit

from conftest import POSIX, Keen, as_json
from guided import AtTerminal
from keenlattice.cli import guide
from keenlattice.cli.views.story import LedPlayer
from keenlattice.errors import CaptureError
from keenlattice.measure.columns import column_map
from keenlattice.measure.sensors import HEADER, SimulatedSensor, sensor_lines, write_sensor_log
from keenlattice.measure.serial_log import SerialLog
from keenlattice.profile.matching import Game
from keenlattice.rig.gamelist import Listed
from keenlattice.rig.player import pace
from keenlattice.rig.standin.player import SimulatedPlayer
from keenlattice.study.deciding import Deciding
from keenlattice.study.screen.plan import ScreenPlan
from keenlattice.study.screen.play import Rounds
from keenlattice.study.screen.result import Screen
from keenlattice.study.trial.adjusting import fit_of_stretches
from keenlattice.study.trial.plan import TrialPlan
from keenlattice.workspace import watching
from keenlattice.workspace.handed import is_of_one_time, told_apart
from keenlattice.workspace.next_run import NextRun, Waiting
from keenlattice.workspace.played import Played
from keenlattice.workspace.watching import WatchedFolder
from keenlattice.workspace.workspace import Workspace

HAND = {"KEEN_RIG": "byhand"}
LATENCY: dict[str, Any] = {"decides": "latency_ms_median", "matters": "5%"}


@pytest.fixture
def player(tmp_path: Path) -> SimulatedPlayer:
    return SimulatedPlayer(tmp_path / "machine", tmp_path / "recorded", 1)


@pytest.fixture
def ws(tmp_path: Path, player: SimulatedPlayer) -> Workspace:
    ws = Workspace(tmp_path / "by-hand", "byhand")
    ws.rig.facts.tell({"refresh_hz": 165})
    ws.rig.games.tell(Listed(Game("brass-orbit", "Brass Orbit", ("brass-orbit",))))
    frames, light = player.record("brass-orbit", 5)
    ws.recordings.ingest(frames, column_map(
        name="mine", time="t [us]", means="stamps", unit="us", process="program"), name="mine")
    ws.recordings.latency.keep_map(light, "light", time="micros", unit="us", light="photo", button="switch")
    return ws


def played(ws: Workspace, player: SimulatedPlayer, begin: Any, sensor: bool = True) -> Any:
    """A study that a player goes through step by step, as they are given."""
    with pytest.raises(Waiting) as waiting:
        begin()
    found = waiting.value.next
    while isinstance(found, NextRun):
        player.take(found.steps)
        found = ws.studies.by_hand.hand_over(player.record("brass-orbit", found.seconds + 0.7, sensor))
    assert isinstance(found, Played)
    return found


def test_a_placebo_by_hand_is_none_and_what_is_left_can_be_undone(ws: Workspace, player: SimulatedPlayer) -> None:
    alike = ws.edit("brass-orbit@stock", {"process.io-priority": "high"})
    found = played(ws, player, lambda: ws.trial("brass-orbit@stock", alike, blocks=4, seconds=6, seed=1, repeats=1,
                                                **LATENCY))
    assert found.result.deciding.verdict not in ("better", "worse") and ws.studies.recompute(found.number).equal
    left, back = ws.studies.by_hand.left_over(), ws.undo().sheet.steps if ws.studies.by_hand.left_over() else ()  # type: ignore[union-attr]
    assert left == [one.key for one in back]


@pytest.mark.parametrize("seed", [1, 2])
@pytest.mark.long
def test_a_guided_player_comes_to_what_the_machine_does(ws: Workspace, tmp_path: Path, seed: int,
                                                        monkeypatch: pytest.MonkeyPatch) -> None:
    for module in (watching, guide):  # the player of this test is quick, and writes files whole
        for name in ("STILL_S", "LOOK_EVERY_S"):
            monkeypatch.setattr(module, name, 0.02, raising=False)
    placebo = ws.edit("brass-orbit", {"process.io-priority": "high"}, note="a list")
    quick = ws.edit("brass-orbit", {"frame.queue-depth": 1}, note="flippers")
    ws.edit("brass-orbit", {"texture.filter-quality": "best"}, note="looks")
    player = SimulatedPlayer(tmp_path / f"machine-{seed}", tmp_path / "recorded", 20 + seed)
    sensor = SimulatedSensor() if seed == 2 and os.name == "posix" else None  # read live, over a serial port
    with LedPlayer(ws, player, sensor) as hand:
        ws.rig.machine.hand = hand  # type: ignore[attr-defined]
        screen = ws.screen("brass-orbit@stock", "brass-orbit", rounds=2, seconds=8, seed=seed, repeats=1, **LATENCY)
        hunt = ws.hunt("brass-orbit", blocks=4, seconds=10, seed=seed, **LATENCY)
        tuned = ws.tune("brass-orbit@stock", {"frame.queue-depth": ["1", "3"]}, goal="latency_ms_median", matters="5%",
                        rounds=4, seconds=8, proof=0, seed=seed)
    said = {one.settings: one.telling.standing for one in screen.result.factors}
    assert said[("frame.queue-depth",)] == "better"
    assert not {said[("process.io-priority",)], said[("texture.filter-quality",)]} & {"better", "worse"}
    assert (hunt.result.before, hunt.result.first) == (placebo.version.reference, quick.version.reference)
    assert hunt.result.settings == ("frame.queue-depth",)
    assert tuned.result.best.values == {"frame.queue-depth": 1} and tuned.version.entries == {"frame.queue-depth": 1}
    assert player.sees("brass-orbit", "frame.queue-depth") == "game decides"  # every study was gone back from
    assert any("its player says that it went wrong" in one for one in screen.result.excluded)


def test_a_trial_by_hand_asks_for_the_steps_of_both_profiles(ws: Workspace, player: SimulatedPlayer) -> None:
    ws.edit("rig", {"background.recorder": False})
    ws.edit("brass-orbit", {"frame.queue-depth": 1, "frame.cap": "= refresh - 3"})
    asked = set[tuple[str, str, object]]()
    take = player.take
    player.take = lambda steps: (asked.update((one.owner, one.key, one.after) for one in steps),  # type: ignore
                                 take(steps))[1]
    found = played(ws, player, lambda: ws.trial("brass-orbit@stock+rig@stock", "brass-orbit+rig", blocks=2, seconds=6,
                                                seed=1, repeats=1, **LATENCY))
    assert {("rig", "background.recorder", False), ("brass-orbit", "frame.queue-depth", 1),
            ("brass-orbit", "frame.cap", 162)} <= asked
    assert found.result.after.startswith("brass-orbit@") and ws.studies.recompute(found.number).equal


def test_what_was_there_before_is_noted_told_and_gone_back_to(ws: Workspace, player: SimulatedPlayer) -> None:
    ws.edit("brass-orbit", {"frame.cap": 140})
    with pytest.raises(Waiting):
        ws.trial("brass-orbit@stock", "brass-orbit", blocks=2, seconds=5, seed=1)
    before = ws.studies.by_hand.next_run()
    while not before.steps:
        before = ws.studies.by_hand.hand_over(player.record("brass-orbit", 6))  # type: ignore[assignment]
    assert before.steps[0].before is None
    player.take(before.steps)
    with pytest.raises(Exception, match="open"):  # one thing at a time
        ws.apply("brass-orbit"), ws.studies.resume()
    ws.rig.sheets.drop()
    assert ws.studies.by_hand.left_over() == []  # the sheet has made a restore point of what the study had left


def test_no_recording_is_swallowed(ws: Workspace, player: SimulatedPlayer, tmp_path: Path) -> None:
    ws.edit("brass-orbit", {"frame.cap": 140})
    with pytest.raises(Waiting):
        ws.trial("brass-orbit", "brass-orbit@stock", blocks=2, seconds=8, seed=3, repeats=1)
    found: Any = ws.studies.by_hand.next_run()
    while not found.steps:
        found = ws.studies.by_hand.hand_over(player.record("brass-orbit", 9))
    at = found.run
    undone = player.record("brass-orbit", 9)  # the step was not taken: it runs without the cap
    for files, says in ((undone, "was that step taken"), (player.record("brass-orbit", 3), "it lasts 3 s"),
                        ([tmp_path / "nothing.csv"], "cannot open")):
        with pytest.raises(Exception, match=says):
            ws.studies.by_hand.hand_over(files)
    other = SimulatedPlayer(tmp_path / "machine", tmp_path / "other", 5, executable="tidewater")
    with pytest.raises(Exception, match="it is of tidewater"):
        ws.studies.by_hand.hand_over(other.record("brass-orbit", 9))
    assert ws.studies.by_hand.next_run().run == at and ws.studies.by_hand.next_run().holds == found.holds
    player.take(found.steps)
    good = player.record("brass-orbit", 9)
    then: Any = ws.studies.by_hand.hand_over(good)
    assert then.run == at + 1
    with pytest.raises(Exception, match="handed over before"):
        ws.studies.by_hand.hand_over(good)
    handed = ws.studies.by_hand.handed_before()
    assert handed and guide.Guide(ws)._seen == handed  # a guide that goes on knows them, too
    assert ws.studies.by_hand.take_back().run == at
    assert ws.studies.by_hand.hand_over([], wrong="it crashed").wrong == 1  # type: ignore[union-attr]
    while isinstance(then, NextRun):
        then = ws.studies.by_hand.next_run()
        player.take(then.steps)
        then = ws.studies.by_hand.hand_over(player.record("brass-orbit", 9))
    assert any("it crashed" in one for one in then.result.excluded)
    assert any("took it back" in one for one in then.result.excluded)


@pytest.mark.long
def test_a_guided_trial_is_interrupted_in_every_way(keen: Keen, tmp_path: Path, player: SimulatedPlayer) -> None:
    set_up(keen, player)
    keen("edit", "brass-orbit", "frame.queue-depth=1", "frame.cap=160", **HAND)

    def mischief(at: AtTerminal, run: int) -> bool:
        if run == 2:
            (at.player.folder / "notes.csv").write_text("when,what\n1,hello\n")
            shutil.copy(at.player.folder / "run-001.csv", at.player.folder / "old.csv")
            at.type("w")
            return True
        at.skip_steps = run in (3, 4)  # what comes before the fifth recording is not done
        if run == 6:
            at.take_steps()
        return False

    at = AtTerminal(tmp_path, player, mischief)
    words = ["--blocks", "5", "--repeats", "1", "--seconds", "10", "--seed", "1", "--decides", "latency_ms_median",
             "--matters", "3"]
    first = at.sit("trial", "brass-orbit@stock", "brass-orbit", *words, "--watch", str(player.folder), kill_at=6)
    assert "What does Frame-rate cap by the driver show now" in first and "The rig holds:" in first
    assert "was that step taken?" in first and "see that each was taken" in first
    assert as_json(keen("rig", "next", "--json", **HAND))["study"] == 1
    last = at.sit("studies", "resume", "--watch", str(player.folder))
    assert "Latency is better" in last and "its player says that it went wrong" in last
    assert at.player.sees("brass-orbit", "frame.cap") == "off"  # it was asked to be put back, as it had been noted


def test_without_a_terminal_each_command_says_what_comes_next(keen: Keen, tmp_path: Path,
                                                              player: SimulatedPlayer) -> None:
    set_up(keen, player)
    keen("edit", "brass-orbit", "frame.queue-depth=1", **HAND)
    begun = keen("trial", "brass-orbit@stock", "brass-orbit", "--blocks", "2", "--repeats", "1",
                 "--seconds", "5", "--seed", "1", **HAND)
    assert "run 1 of at most 4" in begun.stdout and "keen rig next FRAMES" in begun.stderr
    told = as_json(keen("rig", "next", "--json", **HAND))
    while told["schema"].endswith("next-run/1"):
        for step in told["steps"]:
            player.set("brass-orbit", step["key"], step["after"])
        files = [str(one) for one in player.record("brass-orbit", 6)]
        told = json.loads(keen("rig", "next", *files, "--json", **HAND).stdout)
    assert told["schema"] == "keen-lattice/trial/2" and len(told["evidence" if "evidence" in told else "metrics"]) > 0
    measured = as_json(keen("measure", "brass-orbit", *(word for one in player.record("brass-orbit", 6)
                                                        for word in ("--take", str(one))), "--json", **HAND))
    assert measured["runs"][0]["latency_ms_median"] > 5
    keen("measure", "brass-orbit", code=1, **HAND)
    keen("rig", "next", code=2, **HAND)


def set_up(keen: Keen, player: SimulatedPlayer) -> None:
    """A player reports their game, and what their recorder's and their sensor's columns are."""
    frames, light = map(str, player.record("brass-orbit", 5))
    keen("rig", "game", "brass-orbit", "--title", "Brass Orbit", "--executable", "brass-orbit", **HAND)
    keen("ingest", frames, "--time", "t [us]", "--unit", "us", "--program", "program", "--name", "mine", "--yes",
         **HAND)
    keen("latency", light, "--time", "micros", "--unit", "us", "--light", "photo", "--button", "switch", "--name",
         "light", **HAND)


def test_a_watched_folder_gives_whole_files_alone(ws: Workspace, player: SimulatedPlayer, tmp_path: Path,
                                                 monkeypatch: pytest.MonkeyPatch) -> None:
    clock = [0.0]
    monkeypatch.setattr(watching, "monotonic", lambda: clock[0])
    folder = tmp_path / "recorded"
    watched = WatchedFolder(ws.opened, folder)
    whole = player.record("brass-orbit", 5)[0].read_bytes()
    growing, arrived = folder / "growing.csv", list[tuple[str, int]]()
    for step in range(20):
        if step < 12:
            growing.write_bytes(whole[:2000 + 500 * step])
        clock[0] += watching.STILL_S / 2
        found = watched.arrived()
        arrived += [(one.frames.name, one.frames.stat().st_size) for one in (*found.frames, *found.sensors)]
        assert step >= 12 or "growing.csv" not in dict(arrived)
    assert ("growing.csv", 7500) in arrived and len(arrived) == 3  # beside the run's own two files


@pytest.mark.parametrize(("saved_s", "own"), [(0, True), (3, True), (-3, True), (12, False), (-12, False), (40, False)])
def test_a_sensors_file_goes_to_the_run_of_its_time(ws: Workspace, player: SimulatedPlayer, saved_s: float,
                                                   own: bool) -> None:
    frames, light = player.record("brass-orbit", 10)
    os.utime(frames, (1e6, 1e6))
    os.utime(light, (1e6 + saved_s, 1e6 + saved_s))
    (run,) = told_apart(ws.opened, [frames, light])
    assert run.sensor is not None and is_of_one_time(run, run.sensor, run.by) is own


@pytest.mark.long
def test_a_sensors_file_that_is_saved_late_is_waited_for(keen: Keen, tmp_path: Path, player: SimulatedPlayer) -> None:
    set_up(keen, player)
    keen("edit", "brass-orbit", "frame.queue-depth=1", **HAND)
    truth: list[float] = []

    def frames_alone(at: AtTerminal, _run: int) -> bool:
        run = at.player.record_frames("brass-orbit", at._seconds() + 0.7)
        truth.append(float(np.nanmedian(run.answer_ms - run.click_ms)))
        at.on_missing_sensor = lambda: write_sensor_log(run, at.player.folder / f"late-{at.runs}.csv", at.runs)
        return True

    at = AtTerminal(tmp_path, player, frames_alone)
    said = at.sit("trial", "brass-orbit@stock", "brass-orbit", "--blocks", "4", "--repeats", "1", "--seconds", "10",
                  "--seed", "1", "--every-block", "--watch", str(player.folder))
    assert "Latency is better" in said
    with Workspace(tmp_path / "book", "byhand") as opened:
        runs = opened.studies.get(1).captures()
    found = [float(np.nanmedian(runs[place].latency_ms)) for place in sorted(runs)]
    assert len(found) == 8 and np.allclose(found, truth, atol=2.0)  # each run has the sensor's file of its own time


def test_a_folder_with_a_temporary_name_a_pause_a_growing_file_and_its_end(
        ws: Workspace, player: SimulatedPlayer, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    clock = [0.0]
    monkeypatch.setattr(watching, "monotonic", lambda: clock[0])
    folder = tmp_path / "recorded"
    lines = player.record("brass-orbit", 5)[0].read_text().splitlines(True)
    watched = WatchedFolder(ws.opened, folder)

    def after(seconds: float) -> watching.Arrived:
        found = watching.Arrived()
        for _ in range(10):
            clock[0] += seconds / 10
            some = watched.arrived()
            found.frames += some.frames
            found.grown += some.grown
            found.left_alone |= some.left_alone
        return found

    (folder / "run.tmp").write_text("".join(lines[:10]))
    assert not after(0.2).frames and watched.growing
    (folder / "run.tmp").rename(folder / "first.csv")
    (folder / "first.csv").write_text("".join(lines))
    assert [one.frames.name for one in after(2.0).frames] == ["first.csv"] and not watched.growing

    slow = folder / "slow.csv"
    for count in (20, 40, 60):  # a writer that pauses at the end of a line for half a second
        slow.write_text("".join(lines[:count]))
        assert not after(0.5).frames
    assert watched.still_s > 1.0
    assert [one.frames.name for one in after(3.0).frames] == ["slow.csv"]
    slow.write_text("".join(lines[:90]))
    found = after(5.0)
    assert found.grown == ["slow.csv"] and not found.frames  # the same run, grown
    slow.write_text("".join([lines[0], *lines[30:90]]))
    assert [one.frames.name for one in after(5.0).frames] == ["slow.csv"]  # another run, under the same name

    if sys.platform == "linux":
        with (folder / "open.csv").open("w") as writer:
            writer.writelines(lines)
            writer.flush()
            assert not after(10.0).frames and watched.growing
        assert [one.frames.name for one in after(5.0).frames] == ["open.csv"]
    shutil.rmtree(folder)
    with pytest.raises(watching.FolderGone, match="cannot be watched any more"):
        watched.arrived()


@POSIX
def test_a_sensor_is_read_live_over_a_serial_port(ws: Workspace, player: SimulatedPlayer, tmp_path: Path) -> None:
    run, sensor = player.play("brass-orbit", 5), SimulatedSensor()
    log = SerialLog(sensor.port)
    log.start(tmp_path / "live.csv")
    sensor.send([HEADER, *sensor_lines(run, 1)])
    sensor.wait()
    import time

    time.sleep(0.3)
    log.stop()
    log.close()
    sensor.close()
    said = ws.recordings.latency.by_map(tmp_path / "live.csv")
    assert said is not None and abs(said.mean_ms - run.latency_ms.mean()) < 1.5


def test_a_screen_by_hand_takes_a_third_of_the_switches_at_equal_width() -> None:
    factors = tuple((f"setting-{number}",) for number in range(12))
    widths, switches = np.zeros(2), np.zeros(2)
    for seed in range(10):
        random = np.random.default_rng(seed)
        empty = Screen("g", "b", "a", "r", ScreenPlan(factors), (), (), 0, 0, 0)
        plans = (ScreenPlan(factors, rounds=rounds, repeats=repeats, few_switches=few, seed=seed,
                            decides=Deciding("frame_ms_mean", 0.001))
                 for rounds, repeats, few in ((3, 1, False), (1, 3, True)))
        for place, plan in enumerate(plans):
            rounds = Rounds(plan, [])
            while not rounds.over:
                for _, signs, _ in rounds.coming():
                    rounds.add(signs, dict.fromkeys(plan.metrics(), float(np.exp(random.normal(2, 0.02)))))
                rounds.look()
                rounds.settled.clear()  # all go on, for equal runs
            found = [one.telling for one in rounds.result(empty).factors]
            widths[place] += sum(one.high_pct - one.low_pct for one in found)  # type: ignore[operator]
            switches[place] += plan.rounds * plan.switched()
            assert len(rounds.numbers) == 96
    assert switches[1] <= switches[0] / 3 and widths[1] <= 1.03 * widths[0]


@pytest.mark.parametrize("shared", [0.0, 0.02])
def test_what_runs_share_between_two_switches_is_not_taken_for_evidence(shared: float) -> None:
    plan, random, missed = TrialPlan(blocks=8, repeats=3, few_switches=True, seed=1), np.random.default_rng(3), 0
    arms = [arm for _, arm, _ in plan.runs()]
    stretch = np.cumsum([0] + [one != other for one, other in pairwise(arms)])
    for _ in range(1500):
        logs = random.normal(0, 0.01, len(arms)) + random.normal(0, shared, stretch[-1] + 1)[stretch]
        middle, error, dof = fit_of_stretches(arms, logs)  # type: ignore[misc]
        missed += abs(middle) > stdtrit(dof, 0.975) * error
    assert 0.035 < missed / 1500 < 0.065


def test_a_screen_by_hand_says_what_it_costs_and_offers_a_cheaper_one(keen: Keen, player: SimulatedPlayer) -> None:
    set_up(keen, player)
    keen("edit", "brass-orbit", "frame.queue-depth=1", "frame.cap=160", "sync.vertical=off", "process.priority=high",
         "texture.anisotropy=8x", "process.io-priority=high", **HAND)
    said = keen("screen", "brass-orbit@stock", "brass-orbit", "--plan", "--switch-minutes", "2", **HAND).stdout
    whole, *cheaper = as_json(keen("screen", "brass-orbit@stock", "brass-orbit", "--plan", "--json", **HAND)), *[
        line for line in said.splitlines() if line.startswith("cheaper:")]
    assert "settings to switch" in said and len(cheaper) == 2 and "--short takes" in cheaper[1]
    assert whole["plan"]["repeats"] > 1 and all(one["wider"] > 1 for one in whole["cheaper"])


INI = b"[Picture]\r\nOverall = 2\r\nShadows = 2 ; of the flippers, too\r\n"


def test_a_games_own_file_and_the_sheet_are_one_apply_with_one_undo(keen: Keen, tmp_path: Path) -> None:
    file = tmp_path / "settings.ini"
    file.write_bytes(INI)
    keen("rig", "game", "brass-orbit", "--executable", "orbit.exe", "--file", str(file), **HAND)
    keen("edit", "brass-orbit", "frame.cap=140", "file.picture_shadows=0", "game.config-locked=on", **HAND)
    steps = as_json(keen("apply", "brass-orbit", "--yes", "--json", **HAND))["sheet"]["steps"]
    assert {one["key"]: one["done"] for one in steps} == {
        "frame.cap": "open", "file.picture_shadows": "written", "game.config-locked": "written"}
    assert file.read_bytes() == INI.replace(b"Shadows = 2", b"Shadows = 0") and not file.stat().st_mode & 0o200
    keen("rig", "sheet", "--tick", "1", **HAND)
    assert as_json(keen("survey", "--json", **HAND))["applied"]["brass-orbit"]
    back = as_json(keen("undo", "--json", **HAND))["sheet"]["steps"]
    assert [one["done"] for one in back] == ["open", "written", "written"]
    assert file.read_bytes() == INI and file.stat().st_mode & 0o200
    keen("rig", "sheet", "--tick", "1", **HAND)
    keen("undo", code=2, **HAND)
    keen("edit", "brass-orbit", "frame.cap=", "game.config-locked=", **HAND)
    assert "changes" in as_json(keen("apply", "brass-orbit", "--yes", "--json", **HAND))  # nothing is asked
    assert "No run sheet is open" in keen("rig", "sheet", **HAND).stdout and b"Shadows = 0" in file.read_bytes()
    assert as_json(keen("undo", "--json", **HAND))["exactly"] and file.read_bytes() == INI


@pytest.mark.parametrize("asked", [{}, {"frame.queue-depth": 1}])
def test_a_study_by_hand_writes_a_games_own_file_itself(ws: Workspace, player: SimulatedPlayer, tmp_path: Path,
                                                        asked: dict[str, int]) -> None:
    """What is written is there as soon as the player is given to play, and with what they are asked for."""
    file = tmp_path / "settings.ini"
    file.write_bytes(INI)
    ws.rig.games.tell(Listed(Game("brass-orbit", "Brass Orbit", ("brass-orbit",)), file=file))
    ws.edit("brass-orbit", {"file.picture_shadows": "0", **asked})
    held = set[tuple[bool, bool]]()
    with pytest.raises(Waiting):
        ws.trial("brass-orbit@stock", "brass-orbit", blocks=2, seconds=5, seed=1, repeats=1)
    found: Any = ws.studies.by_hand.next_run()
    while isinstance(found, NextRun):
        assert {step.key for step in found.steps} <= set(asked)  # nobody is asked for what is written from here
        player.take(found.steps)
        held.add((found.arm == "after", b"Shadows = 0" in file.read_bytes()))
        found = ws.studies.by_hand.hand_over(player.record("brass-orbit", 6))
    assert held == {(True, True), (False, False)} and file.read_bytes() == INI


def test_stock_is_taken_told_and_gone_back_to(keen: Keen) -> None:
    keen("rig", "game", "brass-orbit", "--executable", "orbit.exe", **HAND)
    assert "background.recorder" in keen("rig", "take-stock", "--domain", "background", **HAND).stdout
    keen("rig", "take-stock", "background.recorder=on", **HAND)
    keen("rig", "take-stock", "frame.cap=90", "--game", "brass-orbit", **HAND)
    for wrong in (["display.hdr=off", "--game", "brass-orbit"], ["frame.kap=1"], ["frame.cap== refresh"], ["frame.cap"],
                  ["frame.cap=ninety", "--game", "brass-orbit"], ["--domain", "frames"]):
        assert len(keen("rig", "take-stock", *wrong, code=2, **HAND).stderr.splitlines()) == 1
    found = as_json(keen("survey", "--json", **HAND))["findings"]
    assert [one["kind"] for one in found if "background.recorder" in one["settings"]] == ["wrong"]
    shown = as_json(keen("show", "brass-orbit", "frame.cap", "--json", **HAND))["settings"][0]
    assert (shown["value"], shown["layer"]) == (90, "seen")
    keen("edit", "brass-orbit", "frame.cap=140", **HAND)
    assert "from 90 fps to 140 fps" in keen("apply", "brass-orbit", "--yes", **HAND).stdout
    assert "tick it off first" in keen("rig", "take-stock", "display.hdr=off", code=2, **HAND).stderr
    keen("rig", "sheet", "--tick", "1", **HAND)
    listed = as_json(keen("undo", "--list", "--json", **HAND))["points"]
    assert [(one["kind"], one["in_force"]) for one in listed] == [("seen", False), ("seen", False), ("apply", True)]
    said = keen("undo", "--to", "2", **HAND).stdout
    assert "from 140 fps to 90 fps, as it was" in said and "a look at" not in said  # a look is nothing to be undone


def test_a_serial_port_is_a_device_and_sends_lines(tmp_path: Path) -> None:
    for url in (f"spy://loop?file={tmp_path / 'written'}", "socket://localhost:1", "loop://"):
        with pytest.raises(CaptureError, match="no URL"):
            SerialLog(url)
    assert not (tmp_path / "written").exists()


@POSIX
def test_a_sensor_that_ends_no_line_is_given_up(tmp_path: Path) -> None:
    ours, theirs = os.openpty()
    log = SerialLog(os.ttyname(theirs))
    log.start(tmp_path / "log.csv")
    for _ in range(40):
        os.write(ours, b"x" * 200)
        time.sleep(0.01)
    with pytest.raises(CaptureError, match="without the end of a line"):
        log.stop()
    log.close()


@given(st.floats(0.0, 20.0), st.floats(0.1, 5.0))
def test_between_two_switches_so_many_runs_are_played_as_tell_most_in_the_time(switch: float, run: float) -> None:
    def cost(repeats: int) -> float:  # minutes for an equally well known mean
        return (pace.BETWEEN_SWITCHES + 1 / repeats) * (switch + repeats * run)

    repeats = pace.cheapest_repeats(switch, run)
    assert cost(repeats) <= 1.05 * min(map(cost, range(1, pace.MOST_REPEATS + 1)))


def test_how_long_a_step_takes_is_the_median_of_those_that_were_timed(tmp_path: Path) -> None:
    assert (pace.minutes_a_step(tmp_path), pace.is_learnt(tmp_path)) == (pace.GUESSED_MINUTES, False)
    for steps, minutes in ((2, 3.0), (0, 5.0), (1, 20.0), (1, 20.1), (1, 0.0), (4, 2.0)):  # breaks, and no steps
        pace.learn(tmp_path, steps, minutes)
    assert (pace.minutes_a_step(tmp_path), pace.is_learnt(tmp_path)) == (1.5, True)
    assert pace.minutes_left(tmp_path, 6, 90.0, 2) == pytest.approx(6 * (1.5 + pace.HANDLING_MINUTES + 2 * 1.5))
