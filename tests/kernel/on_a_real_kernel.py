"""The Linux rig on a real kernel, in a machine in qemu: what it reads there, writes, reads back and takes back; and
power cuts in the midst of that, on a disk that loses what was not flushed. Run by `make test-kernel`.
"""

import os
import random
import re
from collections.abc import Iterator
from pathlib import Path

import pytest
from dropping import DroppingDisk
from machine import BUILT, DEVICES, UNMOVABLE, Machine, make_disk

MOST_S = 25.0  # an apply takes about as long there
CUTS = int(os.environ.get("KEEN_CUTS", "50"))
pytestmark = pytest.mark.skipif(not (BUILT / "made").exists(), reason="no machine is built: make test-kernel")

RIG = """
import os, subprocess
from pathlib import Path
if not os.path.ismount("/sys/kernel/debug"):
    subprocess.run(["mount", "-t", "debugfs", "none", "/sys/kernel/debug"])
os.environ["KEEN_STATE"] = "/tmp/state/own"
from keenlattice.logbook.book import Logbook
from keenlattice.rig.applying import apply, preview
from keenlattice.rig.undoing import undo
from keenlattice.rig.applying import find_drift, put_back
from keenlattice.rig.linux.machine import LinuxRig
home = Path("/tmp/state")
rig, book = LinuxRig(home / "rig", home / ".drirc"), Logbook(home / "book")
"""
LSPCI = """
import subprocess
from keenlattice.rig.linux.interrupts import devices
told = subprocess.run(["lspci", "-D", "-vv"], capture_output=True, text=True).stdout
result = [told, {device.address: [device.mode, device.can, device.shares] for device in devices(Path("/"))}]
"""


@pytest.fixture(scope="module")
def booted(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Machine]:
    folder = tmp_path_factory.mktemp("machine")
    made = Machine(folder, str(make_disk(folder / "state", 64)), DEVICES + UNMOVABLE)
    yield made
    made.kill()


@pytest.fixture
def machine(booted: Machine) -> Machine:
    booted.ask("import shutil; shutil.rmtree('/tmp/state', ignore_errors=True)")
    return booted


def by_lspci(told: str) -> dict[str, str]:
    """What each device uses, by the program of the trade."""
    found = {}
    for device in told.split("\n\n"):
        on = re.search(r"MSI(-X)?: Enable\+", device) is not None
        found[device.partition(" ")[0].strip()] = "message" if on else "line" if re.search(
            r"Interrupt: pin [A-D] routed", device) and "driver in use" in device else "none"
    return found


def test_message_and_line_are_what_lspci_says(machine: Machine) -> None:
    told, ours = machine.ask(RIG + LSPCI)
    known = by_lspci(told)
    assert len(ours) >= 9 and {address: mode for address, (mode, _, _) in ours.items()} == {
        address: known[address] for address in ours}


def test_all_that_is_written_is_read_back_and_undone(machine: Machine) -> None:
    before, held, after, places, refused = machine.ask(RIG + """
wanted = {"interrupt.affinity@net0": "1", "interrupt.affinity@usb0": "0", "cpu.governor": "performance",
          "cpu.clock-least": 1600, "cpu.clock-highest": 2400, "cpu.idle-2": False, "interrupt.mode@net0": "message",
          "memory.swappiness": 10, "memory.huge-pages-enabled": "never", "memory.huge-pages-defrag": "defer",
          "scheduling.preemption": "full", "scheduling.turn": 1500, "scheduling.session-groups": False}
def texts():
    return {place: None if content is None else content.decode() for place, content in rig.state().items()}
before = texts()
apply(rig, book, book.commit("rig", wanted))
held = [rig.values(rig.state(), "rig") == wanted, not find_drift(rig, book),
        Path("/sys/devices/system/cpu/cpufreq/policy0/scaling_max_freq").read_text(),
        Path("/sys/devices/system/cpu/cpu1/cpuidle/state2/disable").read_text()]
undo(rig, book)
managed = {device: preview(rig, book.commit("rig", {f"interrupt.affinity@{device}": "0"})).refused
           for device in rig.devices() if device.startswith("disk")}
result = [before, held, texts(), len(before), {device: list(why.values()) for device, why in managed.items()}]
""")
    assert held == [True, True, "2400000\n", "1\n"] and before == after and places > 30
    assert all("spreads" in why[0] for device, why in refused.items() if why) and sum(map(bool, refused.values())) >= 4


def test_cores_and_the_clock_that_time_is_read_from_are_switched_and_put_back(machine: Machine) -> None:
    before, cores, sources, after = machine.ask(RIG + """
online = Path("/sys/devices/system/cpu/online")
source = Path("/sys/devices/system/clocksource/clocksource0/current_clocksource")
before = [online.read_text(), source.read_text()]
apply(rig, book, book.commit("rig", {"cpu.boot-cores": 1}))
cores = online.read_text()
undo(rig, book)
sources = []
if "timer.source" in rig.catalog():  # where the kernel trusts two of them
    setting = rig.catalog()["timer.source"]
    other = next(choice for choice in setting.choices if choice != setting.stock)
    apply(rig, book, book.commit("rig", {"timer.source": other}))
    sources = [other, rig.values(rig.state(), "rig")["timer.source"], source.read_text()]
    undo(rig, book)
result = [before, cores, sources, [online.read_text(), source.read_text()]]
""")
    assert before == after and cores == "0\n" and (
        not sources or (sources[0] == sources[1] and sources[2] != before[1]))


def test_a_least_clock_above_the_highest_leaves_nothing_behind(machine: Machine) -> None:
    refused, least = machine.ask(RIG + """
policies = [Path(f"/sys/devices/system/cpu/cpufreq/policy{number}") for number in (0, 1)]
apply(rig, book, book.commit("rig", {"cpu.clock-highest": 1600}))
try:
    apply(rig, book, book.commit("rig", {"cpu.clock-highest": 1600, "cpu.clock-least": 2400}))
    refused = ""
except Exception as error:
    refused = str(error)
undo(rig, book)
found = [[(one / "scaling_min_freq").read_text() for one in policies]]
apply(rig, book, book.commit("rig", {"cpu.clock-least": 2400}))
for one in policies:
    (one / "scaling_max_freq").write_text("800000")  # somebody else: the least is shown cut off now
found.append([(one / "scaling_min_freq").read_text() for one in policies])
undo(rig, book)
for one in policies:
    (one / "scaling_max_freq").write_text("3200000")
found.append([(one / "scaling_min_freq").read_text() for one in policies])
result = [refused, found]
""")
    assert "above cpu.clock-highest, 1600 MHz" in refused and "nothing was written" in refused
    assert least == [["800000\n"] * 2] * 3


def test_interrupts_stay_with_their_device_when_drivers_are_loaded_anew(machine: Machine) -> None:
    numbers, cores = machine.ask(RIG + """
net, usb = (rig._kernel.devices[name] for name in ("net0", "usb0"))
apply(rig, book, book.commit("rig", {"interrupt.affinity@net0": "1"}))
drivers = {one.address: Path("/sys/bus/pci/drivers") / one.module for one in (net, usb)}
for address, driver in drivers.items():
    (driver / "unbind").write_text(address)
for address in (usb.address, net.address):  # the other way round
    (drivers[address] / "bind").write_text(address)
import fcntl, os, socket, struct
for card in os.listdir("/sys/class/net"):
    fcntl.ioctl(socket.socket(), 0x8914, struct.pack("16sh", card.encode(), 1))
from keenlattice.rig.linux.interrupts import devices
def now():
    return {device.name: device.interrupts for device in devices(Path("/"))}
def lists():
    return {name: sorted({Path(f"/proc/irq/{number}/smp_affinity_list").read_text().strip()
                          for number in now()[name]}) for name in ("net0", "usb0")}
numbers = [net.interrupts, now()["net0"]]
found = [lists()]
for one in find_drift(rig, book):
    put_back(rig, book, one)
found.append(lists())
apply(rig, book, book.commit("rig", {}))
found.append(lists())
result = [numbers, found]
""")
    assert numbers[0] != numbers[1], "the numbers did not change: nothing was tried"
    assert cores[1]["net0"] == ["1"] and cores[0]["usb0"] == cores[1]["usb0"] == cores[2]["usb0"]
    assert cores[2]["net0"] != ["1"]


def test_what_the_machine_says_of_itself(machine: Machine) -> None:
    names, clock, case = machine.ask("""
from keenlattice.rig.linux.telemetry import taken_down
import time
with taken_down([1], every_s=0.3) as found:
    time.sleep(12)
at, clocks = found.series["cpu.clock"]
result = [sorted(found.series), clocks[-1], found.series["acpitz.temperature"][1][0]]
""")
    assert {"cpu.clock", "cpu.load", "system.memory", "game.load", "acpitz.temperature",
            "nvme.temperature"} <= set(names), names
    assert clock > 0 and case == pytest.approx(45, abs=0.2)


def test_with_messages_off_at_boot_one_cause_is_told(tmp_path: Path) -> None:
    made = Machine(tmp_path, str(make_disk(tmp_path / "state", 64)), DEVICES, "pci=nomsi")
    try:
        told, ours, wrong = made.ask(RIG + LSPCI.replace("result =", "lspci =") + """
from keenlattice.workspace.workspace import Workspace
from keenlattice.profile.checks import findings
from keenlattice.profile.layers import resolve
from keenlattice.rig.base import unknown_on
unknown = unknown_on(rig)
effective = resolve(rig.catalog(), {}, {}, unknown=unknown)
found = findings(rig.catalog(), effective, rig.facts(), rig.devices(), unknown=unknown)
result = [*lspci, [[one.check, one.why, one.what_to_do] for one in found if one.kind == "wrong"]]
""")
    finally:
        made.kill()
    known = by_lspci(told)
    assert {mode for mode, _, _ in ours.values()} <= {"line", "none"}
    assert all(known[address] == mode for address, (mode, _, _) in ours.items() if mode == "line")
    assert [check for check, _, _ in wrong] == ["messages-off-at-boot"] and "nomsi" in wrong[0][2]


PREPARE = """
import os, subprocess
subprocess.run(["mount", "/dev/vdc", "/state"], check=True)
""" + RIG.replace("/tmp/state", "/state/own") + """
from keenlattice.rig.gamelist import Key, Listed, add_game
from keenlattice.profile.matching import Game
from keenlattice.rig.recovery import recover
ini = Path("/state/game.ini")
"""
FIRST = PREPARE + """
home.mkdir(parents=True, exist_ok=True)
ini.write_text("[Picture]\\nOverall = 0\\n" + "".join(f"Key{number} = 0\\n" for number in range(200)))
keys = {"game.quality": Key("Picture", "Overall", {"low": "0", "high": "2"})}
add_game(rig.home, Listed(Game("orbit", "Orbit", ("orbit",)), (), ini, keys))
book.close()
os.chdir("/")
subprocess.run(["umount", "/state"], check=True)
"""
WORK = PREPARE + """
count = len(book.history("rig"))
while True:
    count += 1
    wanted = {"interrupt.affinity@net0": str(count % 2), "cpu.clock-least": (800, 1600)[count % 2],
              "cpu.idle-2": bool(count % 2)}
    version = book.commit("rig", wanted, note=f"number {count}")
    tell(f"committed {version.id}")
    apply(rig, book, version)
    tell(f"applied {version.id}")
    game = book.commit("orbit", {"game.quality": ("low", "high")[count % 2]}, note=f"number {count}")
    tell(f"committed {game.id}")
    apply(rig, book, game)
    tell(f"applied {game.id}")
"""
LOOK = PREPARE + """
said = recover(rig)
known = {one.id for name in ("rig", "orbit") for one in book.history(name)}
applied = {name: (last.version if (last := book.last_apply("here", name)) else "") for name in ("rig", "orbit")}
state = rig.values(rig.state(), "orbit")
stored = book.version("orbit", applied["orbit"]).entries if applied["orbit"] else {}
recover_again = recover(rig)
whole = ini.read_text().count("Key") == 200
book.close()
subprocess.run(["umount", "/state"], check=True)
checked = subprocess.run(["e2fsck", "-fn", "/dev/vdc"], capture_output=True, text=True)
result = {"said": said, "known": sorted(known), "applied": applied, "state": dict(state), "stored": dict(stored),
          "again": recover_again, "whole": whole, "fsck": checked.returncode, "told": checked.stdout}
"""


def test_power_cuts_in_the_midst_of_applies_lose_nothing(tmp_path: Path) -> None:
    """Each time the power goes at a random moment, and the disk loses about half of what was not flushed; what was
    said to be done is there, a change that was cut short is taken back or whole, and the rig is as its logbook says."""
    drawn, frozen = random.Random(int(os.environ.get("KEEN_SEED", "1"))), tmp_path / "frozen"
    disk = DroppingDisk(make_disk(tmp_path / "state", 64), tmp_path / "disk")
    address = f"nbd+unix:///?socket={disk.address}"
    Machine(tmp_path, address).freeze(frozen)  # it has not looked at the disk yet, and will find it as it is then
    first = Machine(tmp_path, address, frozen=frozen)
    first.ask(FIRST)
    first.kill()
    done, lost, cut_short, interrupted = set[str](), 0, 0, 0
    for number in range(CUTS):
        working = Machine(tmp_path, address, frozen=frozen)
        working.begin(WORK)
        told = working.told_until_cut(MOST_S * drawn.random())
        lost += disk.cut(number)
        done |= {one.split()[1] for one in told if one.startswith("committed")}
        applied = [one.split()[1] for one in told if one.startswith("applied")]
        assert all(one.split()[0] in ("committed", "applied") for one in told), told
        looking = Machine(tmp_path, address, frozen=frozen)
        found = looking.ask(LOOK)
        looking.kill()
        disk.cut(-number)
        assert done <= set(found["known"]), (number, told, found)
        assert set(applied) <= set(found["known"]) and found["whole"] and found["again"] is None, (number, found)
        assert found["state"] == found["stored"], (number, told, found)
        assert found["fsck"] == 0, found["told"]
        print(f"cut {number + 1}: {len(told)} said, {found['said'] or 'nothing was cut short'}", flush=True)
        cut_short += found["said"] is not None
        interrupted += bool(told)
    print(f"{CUTS} cuts, {interrupted} after something was said to be done, {cut_short} in a change; "
          f"{lost} blocks lost, {len(done)} versions, all there")
    assert interrupted >= CUTS // 2 and lost > CUTS and cut_short
    disk.close()
