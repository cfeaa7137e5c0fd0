"""How a game is started and its process treated, as it is set for it: kept in the rig's folder, in force here alone."""

import json
import os
import subprocess
import sys
import time
from pathlib import Path

import pytest

from keenlattice.errors import RefusedByRig, RigError, UsageError
from keenlattice.logbook.book import Logbook
from keenlattice.profile.matching import Game
from keenlattice.profile.version import Entries
from keenlattice.rig.applying import apply, preview
from keenlattice.rig.gamelist import Listed, add_game
from keenlattice.rig.held import PLACE
from keenlattice.rig.linux import launch
from keenlattice.rig.linux.cores import cores_of
from keenlattice.rig.linux.driver import Driver
from keenlattice.rig.linux.launch import Start
from keenlattice.rig.linux.machine import LinuxRig
from keenlattice.rig.linux.program import Running, game_running
from keenlattice.rig.undoing import undo
from keenlattice.workspace.workspace import Workspace

pytestmark = pytest.mark.skipif(not hasattr(os, "sched_setaffinity"), reason="Linux alone")
TELLS = """
import json, os, sys, threading, time
told = [os.getpriority(os.PRIO_PROCESS, 0), sorted(os.sched_getaffinity(0)), os.sched_getscheduler(0), sys.argv[2:],
        {name: os.environ.get(name) for name in ("LP_NUM_THREADS", "MESA_VK_WSI_PRESENT_MODE", "DRI_PRIME", "SILVER")}]
open(sys.argv[1] + ".new", "w").write(json.dumps(told))
os.rename(sys.argv[1] + ".new", sys.argv[1])
threading.Thread(target=time.sleep, args=(60,), daemon=True).start()
time.sleep(60)
"""
SET = {"process.priority": "lowered", "process.affinity": "0", "process.policy": "batch",
       "process.io-priority": "low", "driver.raster-threads": 3, "driver.vulkan-present": "mailbox",
       "game.launch-options": "--pinball 'two words'", "game.environment": "DRI_PRIME=1 SILVER='a ball'"}


@pytest.fixture
def rig(tmp_path: Path) -> LinuxRig:
    command = (sys.executable, "-c", TELLS, str(tmp_path / "told"))
    add_game(tmp_path / "state", Listed(Game("teller", "Teller", ("no-such-teller",)), command))
    made = LinuxRig(tmp_path / "state", tmp_path / ".drirc", tmp_path / "root")
    made.driver = Driver("made-up", "Nobody", "A renderer", "<driinfo></driinfo>")
    return made


def start_of(rig: LinuxRig) -> Start:
    return rig._starter.start_of("teller")


def told(tmp_path: Path) -> list[object]:
    until = time.monotonic() + 20
    while not (tmp_path / "told").exists() and time.monotonic() < until:
        time.sleep(0.02)
    found: list[object] = json.loads((tmp_path / "told").read_text())
    return found


def test_a_game_is_started_as_it_is_set_to_be(rig: LinuxRig, book: Logbook, tmp_path: Path) -> None:
    before = rig.state()
    apply(rig, book, book.commit("teller", SET))
    assert rig.values(rig.state(), "teller") == SET and list(tmp_path.glob("root/**/*")) == []
    listed = rig._listed["teller"]
    with game_running("teller", listed.game.executables, listed.command, ":0", tmp_path, start_of(rig)) as game:
        nice, cores, policy, words, environment = told(tmp_path)
        io = subprocess.run(["ionice", "-p", str(game.pids[0])], capture_output=True, text=True, check=True).stdout
    assert (nice, cores, policy, words) == (5, [0], os.SCHED_BATCH, ["--pinball", "two words"])
    assert environment == {"LP_NUM_THREADS": "3", "MESA_VK_WSI_PRESENT_MODE": "mailbox", "DRI_PRIME": "1",
                           "SILVER": "a ball"}
    assert "prio 7" in io
    undo(rig, book)
    assert rig.state() == before and start_of(rig) == Start()


def test_one_that_runs_is_treated_so_for_a_while_and_has_its_own_back(rig: LinuxRig, tmp_path: Path) -> None:
    running = subprocess.Popen([sys.executable, "-c", TELLS, str(tmp_path / "told")])
    try:
        told(tmp_path)
        time.sleep(0.3)
        threads = [int(name) for name in os.listdir(f"/proc/{running.pid}/task")]
        game, begin = Running((running.pid,), ours=False), Start({"process.priority": "lowered",
                                                                   "process.affinity": "0"})
        before = [(os.getpriority(os.PRIO_PROCESS, one), os.sched_getaffinity(one)) for one in threads]
        with begin.while_it_runs(game.processes):
            held = [(os.getpriority(os.PRIO_PROCESS, one), os.sched_getaffinity(one)) for one in threads]
        after = [(os.getpriority(os.PRIO_PROCESS, one), os.sched_getaffinity(one)) for one in threads]
    finally:
        running.kill()
        running.wait()
    assert len(threads) == 2 and held == [(5, {0})] * 2 and after == before


@pytest.mark.parametrize(("key", "value", "says"), [
    ("shader.cache-location", "/nowhere", "not a folder of yours"),
    ("process.affinity", "0-9999", "not a list of this machine's cores"), ("process.affinity", "all; rm", "not a list"),
    ("game.launch-options", "'open", "cannot be cut into words"),
    ("game.environment", "'A=1", "cannot be cut into words"),
    ("game.environment", "A=1 A=2", "each name once"), ("game.environment", "A", "write NAME=VALUE"),
    ("game.environment", "A=/tmp/x", "somebody's code"), ("game.environment", "ld_preload=x.so", "somebody's code"),
    ("game.environment", "NODE_OPTIONS=x", "somebody's code"), ("game.environment", "path=x", "somebody's code"),
    ("game.environment", "VK_ICD_FILENAMES=x.json", "somebody's code")])
def test_what_cannot_be_is_refused_in_the_preview(rig: LinuxRig, book: Logbook, key: str, value: str,
                                                  says: str) -> None:
    assert says in preview(rig, book.commit("teller", {key: value})).refused[key]


def test_a_gpu_a_cache_and_its_folder_are_told_to_the_driver(tmp_path: Path) -> None:
    held: Entries = {"gpu.render-device": "gpu1", "shader.cache-size": 2048, "shader.cache-location": str(tmp_path)}
    start = launch.start_of(held, {"gpu0": "0000:01:00.0", "gpu1": "0000:02:00.0"})
    assert start.environment == {"DRI_PRIME": "pci-0000_02_00_0", "MESA_SHADER_CACHE_MAX_SIZE": "2048M",
                                 "MESA_SHADER_CACHE_DIR": str(tmp_path)}
    assert not launch.start_of({**held, "gpu.render-device": "gpu7"}, {}).environment.keys() & {"DRI_PRIME"}


def test_a_class_of_cores_is_what_the_kernel_tells_apart(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("keenlattice.rig.linux.cores.DEVICES", tmp_path)
    for word in ("one-thread-a-core", "fast-cores", "slow-cores"):
        with pytest.raises(RefusedByRig, match=r"one thread|no fast"):
            cores_of(word)
    for core, (siblings, capacity) in enumerate(
            [("0,2", 1024), ("1,3", 1000), ("0,2", 1024), ("1,3", 1000), ("4", 450)]):
        (folder := tmp_path / f"system/cpu/cpu{core}" / "topology").mkdir(parents=True)
        (folder / "thread_siblings_list").write_text(siblings)
        (folder.parent / "cpu_capacity").write_text(f"{capacity}\n")
    assert [cores_of(word) for word in ("all", "one-thread-a-core", "fast-cores", "slow-cores")] == [
        None, {0, 1, 4}, {0, 1, 2, 3}, {4}]
    for kind, cores in (("cpu_core", "0-1"), ("cpu_atom", "2-4")):  # where the processor's own counters tell
        (tmp_path / kind).mkdir()
        (tmp_path / kind / "cpus").write_text(cores)
    assert cores_of("fast-cores") == {0, 1} and cores_of("slow-cores") == {2, 3, 4}


def test_without_rights_the_way_to_get_them_is_told(rig: LinuxRig, book: Logbook,
                                                    monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(os, "geteuid", lambda: 1000)
    monkeypatch.setattr("keenlattice.rig.linux.launch.resource.getrlimit", lambda _: (0, 0))
    refused = preview(rig, book.commit("teller", {"process.priority": "high", "process.policy": "fifo"})).refused
    assert "USER - nice -10" in refused["process.priority"] and "rtprio" in refused["process.policy"]
    assert not preview(rig, book.commit("teller", {"process.priority": "lowered"})).refused
    monkeypatch.setattr("keenlattice.rig.linux.launch.platform.machine", lambda: "chalk")
    assert "not known how on chalk" in preview(rig, book.commit("teller", {
        "process.io-priority": "low"})).refused["process.io-priority"]


def test_it_is_set_for_games_alone_and_a_damaged_file_is_said_so(rig: LinuxRig, book: Logbook) -> None:
    with pytest.raises(UsageError):
        rig.catalog().check_key("process.affinity@x", whole_rig=True, devices=())
    assert "set per game" in preview(rig, book.commit("rig", {"process.affinity": "0"})).refused["process.affinity"]
    (rig.home / PLACE).write_text("{")
    with pytest.raises(RigError, match="is damaged"):
        rig.values(rig.state(), "teller")


def test_the_preview_says_what_holds_only_when_keen_starts_the_game(tmp_path: Path, rig: LinuxRig) -> None:
    ws = Workspace(tmp_path / "book", rig)
    ws.edit("scene", {"process.priority": "lowered"})
    assert ws.rig.preview("scene").at_start == ("process.priority",)
