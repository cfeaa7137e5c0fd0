"""The kernel's settings, on recorded trees of bigger machines (made up), and on this one."""

import os
import struct
import tomllib
from collections.abc import Sequence
from dataclasses import replace
from importlib import resources
from pathlib import Path

import pytest

from keenlattice.catalog.load import catalog
from keenlattice.catalog.values import Value
from keenlattice.errors import RefusedByRig, RigError, UsageError
from keenlattice.logbook.book import Logbook
from keenlattice.measure.capture import Capture
from keenlattice.profile.checks import findings
from keenlattice.profile.layers import resolve
from keenlattice.profile.matching import Game
from keenlattice.profile.sheet import SheetStep
from keenlattice.rig.applying import apply, find_drift, preview, put_back
from keenlattice.rig.base import asked_on, unknown_on
from keenlattice.rig.gamefiles import LOCK_KEY
from keenlattice.rig.gamelist import Key, Listed, add_game, read_games
from keenlattice.rig.hand import ComingRun
from keenlattice.rig.linux.absent import asked
from keenlattice.rig.linux.driver import Driver
from keenlattice.rig.linux.interrupts import as_list, cores_in, counts, devices
from keenlattice.rig.linux.machine import LinuxRig
from keenlattice.rig.linux.options import MAPPED, mapped_settings
from keenlattice.rig.linux.preferences import PLACES, preferences_of
from keenlattice.rig.linux.resolver import resolver
from keenlattice.rig.linux.x11.input import keys_and_pointers
from keenlattice.rig.linux.x11.picture import picture
from keenlattice.rig.places import write
from keenlattice.rig.player.sheets import sheet_to_apply, sheet_to_undo, tick
from keenlattice.rig.standin.machine import Standin
from keenlattice.rig.standin.pipeline import simulate
from keenlattice.rig.undoing import undo
from keenlattice.study.trial.plan import TrialPlan
from keenlattice.study.trial.play import run_trial

NO_OPTIONS = Driver("made-up", "Nobody", "A renderer", "<driinfo></driinfo>")


BARE = "0000:00:1f.2"
"""A device that no driver drives."""


def with_capability(number: int) -> bytes:
    """A device's configuration space that names one capability."""
    head = bytearray(256)
    head[6], head[0x34], head[0x3D] = 0x10, 0x40, 1
    head[0x40:0x42] = struct.pack("BB", number, 0)
    return bytes(head)


def tree(root: Path) -> Path:
    """A machine with two GPUs, a network card, a USB controller and a sound card on one line, and eight cores."""
    found = [("0000:01:00.0", "0x030000", 0, [40], 5), ("0000:00:02.0", "0x038000", 0, [41], 5),
             ("0000:03:00.0", "0x020000", 0, [50, 51, 52, 53], 17), ("0000:00:14.0", "0x0c0330", 16, [], 5),
             ("0000:00:1f.3", "0x040300", 16, [], 1), (BARE, "0x010600", 16, [], 5),
             ("0000:00:00.0", "0x060000", 0, [], 1)]
    for address, code, line, messages, capability in found:
        folder = root / "sys/bus/pci/devices" / address
        folder.mkdir(parents=True)
        (folder / "class").write_text(code + "\n")
        (folder / "irq").write_text(f"{line}\n")
        (folder / "config").write_bytes(with_capability(capability))
        if address != BARE:
            (root / "sys/bus/pci/drivers/made-up").mkdir(parents=True, exist_ok=True)
            (folder / "driver").symlink_to(root / "sys/bus/pci/drivers/made-up")
        for message in messages:
            (folder / "msi_irqs").mkdir(exist_ok=True)
            (folder / "msi_irqs" / str(message)).write_text("msi\n")
    lines = ["            CPU0       CPU1"]
    for number in (16, 40, 41, 50, 51, 52, 53):
        (root / "proc/irq" / str(number)).mkdir(parents=True)
        (root / "proc/irq" / str(number) / "smp_affinity_list").write_text("0-7\n")
        lines.append(f" {number}:   {number}00          7   PCI-MSI 1-edge   made-up, 3 more words")
    (root / "proc/interrupts").write_text("\n".join([*lines, "NMI:  1  2  Non-maskable interrupts"]))
    cpu = root / "sys/devices/system/cpu"
    for policy in range(8):
        folder = cpu / "cpufreq" / f"policy{policy}"
        folder.mkdir(parents=True)
        for name, text in (("scaling_available_governors", "calm brisk"), ("scaling_governor", "calm"),
                           ("cpuinfo_min_freq", "800000"), ("cpuinfo_max_freq", "4600000"),
                           ("scaling_min_freq", "800000"), ("scaling_max_freq", "4600000")):
            (folder / name).write_text(text + "\n")
        for state, name in enumerate(("POLL", "C1", "C6")):
            idle = cpu / f"cpu{policy}" / "cpuidle" / f"state{state}"
            idle.mkdir(parents=True)
            for file, text in (("name", name), ("latency", "85"), ("disable", "0")):
                (idle / file).write_text(text + "\n")
    (cpu / "cpufreq" / "boost").write_text("1\n")
    (cpu / "online").write_text("0-7\n")
    pci = root / "sys/bus/pci/devices"
    for path, text in ((pci / "0000:01:00.0/hwmon/hwmon3/power1_cap", "215000000"),
                       (pci / "0000:01:00.0/hwmon/hwmon3/power1_cap_min", "90000000"),
                       (pci / "0000:01:00.0/hwmon/hwmon3/power1_cap_max", "250000000"),
                       (pci / "0000:01:00.0/hwmon/hwmon3/power1_cap_default", "215000000"),
                       (pci / "0000:01:00.0/power_dpm_force_performance_level", "auto"),
                       (pci / "0000:00:02.0/drm/card1/gt_min_freq_mhz", "300"),
                       (pci / "0000:00:02.0/drm/card1/gt_max_freq_mhz", "1500"),
                       (pci / "0000:00:02.0/drm/card1/gt_RPn_freq_mhz", "300"),
                       (pci / "0000:00:02.0/drm/card1/gt_RP0_freq_mhz", "1500"),
                       (root / "proc/sys/kernel/sched_autogroup_enabled", "1"),
                       (root / "sys/kernel/debug/sched/preempt", "none (voluntary) full"),
                       (root / "sys/kernel/debug/sched/base_slice_ns", "3000000")):
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(text + "\n")
    return root


@pytest.fixture
def rig(tmp_path: Path) -> LinuxRig:
    made = LinuxRig(tmp_path / "state", tmp_path / ".drirc", tree(tmp_path / "root"))
    made.driver = NO_OPTIONS
    return made


def test_devices_are_found_by_class_with_their_interrupts(rig: LinuxRig, tmp_path: Path) -> None:
    found = {one.name: one for one in devices(tmp_path / "root")}
    assert sorted(found) == ["disk0", "gpu0", "gpu1", "net0", "sound0", "usb0"]
    assert (found["gpu0"].address, found["gpu1"].address) == ("0000:00:02.0", "0000:01:00.0")
    assert [(one.mode, one.can, one.shares) for one in (found["net0"], found["usb0"], found["sound0"])] == [
        ("message", True, False), ("line", True, True), ("line", False, True)]
    assert (found["disk0"].mode, found["disk0"].interrupts, found["disk0"].shares) == ("none", (), False)
    assert found["net0"].interrupts == (50, 51, 52, 53)
    assert counts(tmp_path / "root")[50] == 5007
    facts = rig.facts()
    assert facts["case_matters"] is True and facts["threads"] == os.cpu_count()
    assert facts["net0_interrupts"] == 4 * 7 + 5000 + 5100 + 5200 + 5300 and facts["net0_messages"] == 4
    assert (facts["governor"], facts["clock_highest"], facts["boost"], facts["gpu0_cores"]) == (
        "calm", 4600, "on", "0-7")


def test_what_can_be_written_is_applied_read_back_and_undone(rig: LinuxRig, book: Logbook, tmp_path: Path) -> None:
    before = rig.state()
    wanted = {"interrupt.affinity@net0": "0-1,6", "cpu.governor": "brisk", "cpu.clock-least": 2000,
              "cpu.boost": "off", "cpu.idle-2": False, "interrupt.mode@net0": "message"}
    plan = preview(rig, book.commit("rig", wanted))
    assert len(plan.places) == 4 + 8 + 8 + 1 + 8 + 1  # the last is what was noted down
    apply(rig, book, book.commit("rig", wanted))
    irq, cpu = tmp_path / "root/proc/irq", tmp_path / "root/sys/devices/system/cpu"
    assert (irq / "53/smp_affinity_list").read_text() == "0-1,6"
    assert (irq / "40/smp_affinity_list").read_text() == "0-7\n"
    assert (cpu / "cpufreq/policy7/scaling_min_freq").read_text() == "2000000"
    assert (cpu / "cpu3/cpuidle/state2/disable").read_text() == "1"
    assert rig.values(rig.state(), "rig") == wanted and find_drift(rig, book) == ()
    (cpu / "cpufreq/policy7/scaling_governor").write_text("calm\n")  # as after a restart, or somebody else
    assert [one.key for one in find_drift(rig, book)[0].changes] == ["cpu.governor"]
    undo(rig, book)
    assert rig.state() == before


@pytest.mark.parametrize(("key", "value", "says"), [
    ("interrupt.mode@net0", "line", "add pci=nomsi"), ("interrupt.mode@usb0", "message", "modinfo -p"),
    ("interrupt.mode@sound0", "message", "has no message-signalled"), ("interrupt.messages@net0", 2, "modprobe.d"),
    ("interrupt.affinity@net0", "0-9", "not a list of this machine's cores"),
    ("interrupt.affinity@net0", "; reboot", "not a list of this machine's cores")])
def test_what_cannot_be_written_says_what_to_do_by_hand(rig: LinuxRig, book: Logbook, key: str, value: object,
                                                        says: str) -> None:
    before = rig.state()
    assert says in preview(rig, book.commit("rig", {key: value})).refused[key]  # type: ignore[dict-item]
    with pytest.raises(RefusedByRig, match="nothing was written"):
        apply(rig, book, book.commit("rig", {key: value}))  # type: ignore[dict-item]
    assert rig.state() == before


def test_the_kernels_own_files_are_written_in_place_and_in_one_go(rig: LinuxRig, tmp_path: Path,
                                                                   monkeypatch: pytest.MonkeyPatch) -> None:
    """They cannot be renamed over; here plain files stand for them."""
    kernel, place = rig._kernel, next(place for place in rig.state() if place.endswith("policy0/scaling_governor"))
    monkeypatch.setattr(kernel, "_root", Path("/"))
    before = os.stat(place).st_ino
    kernel._write(place, Path(place), b"brisk")
    assert os.stat(place).st_ino == before and Path(place).read_bytes() == b"brisk\n"
    monkeypatch.setattr(kernel, "_root", tmp_path / "root")
    kernel.put({place: b"calm"})
    assert os.stat(place).st_ino != before and Path(place).read_bytes() == b"calm"


def test_a_place_is_the_kernels_only_if_it_lists_it(rig: LinuxRig, tmp_path: Path) -> None:
    root = tmp_path / "root"
    for place in (f"{root}/system-games/settings.ini", f"{root}/proc/1/environ", f"{root}/sys/x",
                  "kernel-before.json/.."):
        assert not rig._kernel.owns(place)
        with pytest.raises(RefusedByRig, match="is not a place"):
            write(rig, {place: b"x"})
    assert rig._kernel.owns("kernel-before.json") and rig._kernel.owns("pci/0000:01:00.0/interrupt/0/cores")


def test_interrupts_follow_their_device_when_numbers_are_given_anew(rig: LinuxRig, book: Logbook,
                                                                    tmp_path: Path) -> None:
    apply(rig, book, book.commit("rig", {"interrupt.affinity@gpu0": "0-1"}))
    root, one, other = tmp_path / "root", "0000:00:02.0", "0000:01:00.0"
    for address, was, now in ((one, 41, 40), (other, 40, 41)):  # both drivers were loaded again, the other way round
        (root / "sys/bus/pci/devices" / address / "msi_irqs" / str(was)).unlink()
        (root / "sys/bus/pci/devices" / address / "msi_irqs" / str(now)).write_text("msi\n")
    cores = {number: root / f"proc/irq/{number}/smp_affinity_list" for number in (40, 41)}
    for file in cores.values():
        file.write_text("0-7\n")
    (slipped,) = find_drift(rig, book)
    put_back(rig, book, slipped)
    assert {number: file.read_text().strip() for number, file in cores.items()} == {40: "0-1", 41: "0-7"}
    undo(rig, book)
    undo(rig, book)
    assert {file.read_text().strip() for file in cores.values()} == {"0-7"} and rig.values(rig.state(), "rig") == {}


def test_a_gpu_and_the_scheduler_are_set_by_what_their_drivers_offer(rig: LinuxRig, book: Logbook,
                                                                     tmp_path: Path) -> None:
    pci, facts = tmp_path / "root/sys/bus/pci/devices", rig.facts()
    cap, level = (pci / "0000:01:00.0" / name for name in ("hwmon/hwmon3/power1_cap",
                                                           "power_dpm_force_performance_level"))
    assert (facts["gpu1_power_limit"], facts["gpu0_clock_highest"], facts["preemption"], facts["turn"]) == (
        100, 1500, "voluntary", 3000)
    before = rig.state()
    assert b"voluntary" in before.values()  # of all that a file lists, what can be written back
    apply(rig, book, book.commit("rig", {"gpu.power-limit@gpu1": 84, "gpu.clock-policy@gpu1": "hold-high",
                                         "gpu.clock-least@gpu0": 900, "scheduling.turn": 1500,
                                         "scheduling.session-groups": False}))
    assert (cap.read_text().strip(), level.read_text().strip()) == ("181000000", "high")
    assert (tmp_path / "root/sys/kernel/debug/sched/base_slice_ns").read_text().strip() == "1500000"
    cap.parent.rename(cap.parent.with_name("hwmon9"))  # sensors get other numbers at the next start
    again = LinuxRig(rig.home, rig.config, tmp_path / "root")
    again.driver = NO_OPTIONS
    assert again.values(again.state(), "rig")["gpu.power-limit@gpu1"] == 84 and find_drift(again, book) == ()
    for key, value, says in (("gpu.clock-least@gpu0", 1600, "1500"), ("gpu.power-limit@gpu0", 100, "offers no such"),
                             ("gpu.power-limit@net0", 100, "offers no such")):
        with pytest.raises((RefusedByRig, UsageError), match=says):
            apply(again, book, book.commit("rig", {key: value}))
    with pytest.raises(RefusedByRig, match=r"gpu.clock-least@gpu0 would be 900 MHz, above"):
        apply(again, book, book.commit("rig", {"gpu.clock-least@gpu0": 900, "gpu.clock-highest@gpu0": 700}))
    undo(again, book)
    assert {place: text for place, text in again.state().items() if text} == {
        place: text for place, text in before.items() if text}
    cap.parent.with_name("hwmon9").joinpath("power1_cap_max").unlink()  # without a bound it could be set to anything
    unbounded = LinuxRig(rig.home, rig.config, tmp_path / "root")
    unbounded.driver = NO_OPTIONS
    assert "gpu.power-limit" not in unbounded.catalog() and "gpu.clock-policy" in unbounded.catalog()
    assert "gpu.render-device" in unbounded.catalog()  # of two, a game can be told which
    assert [unbounded._kernel.covers("rig", key) for key in ("interrupt.mode@gpu0", "cpu.governor", "frame.cap")] == [
        True, True, False]


def test_what_sleeps_and_takes_turns_is_set_and_put_back(rig: LinuxRig, book: Logbook, tmp_path: Path) -> None:
    root, held = tmp_path / "root", {
        "sys/module/pcie_aspm/parameters/policy": "[default] brisk powersave",
        "sys/bus/pci/devices/0000:00:02.0/power/control": "auto",
        "sys/block/made0/queue/scheduler": "none [fair] first",
        "sys/bus/usb/devices/1-2/product": "Made-up Mouse", "sys/bus/usb/devices/1-2/power/control": "auto",
        "proc/sys/vm/compaction_proactiveness": "20", "sys/module/zswap/parameters/enabled": "N",
        "sys/block/loop0/queue/scheduler": "[none] fair",
        "sys/firmware/acpi/platform_profile": "balanced",
        "sys/firmware/acpi/platform_profile_choices": "low-power balanced performance",
        "sys/devices/system/clocksource/clocksource0/current_clocksource": "tsc",
        "sys/devices/system/clocksource/clocksource0/available_clocksource": "tsc hpet acpi_pm",
        "sys/devices/system/cpu/made_pstate/min_perf_pct": "20", "sys/devices/system/cpu/made_pstate/status": "active",
        "sys/devices/system/cpu/made_pstate/max_perf_pct": "100", "sys/module/usbhid/parameters/mousepoll": "0",
        **{f"sys/devices/system/cpu/cpu{number}/online": "1" for number in range(1, 8)}}
    for policy in range(8):
        folder = f"sys/devices/system/cpu/cpufreq/policy{policy}/energy_performance"
        held |= {f"{folder}_available_preferences": "default performance power", f"{folder}_preference": "power"}
    for path, text in held.items():
        (root / path).parent.mkdir(parents=True, exist_ok=True)
        (root / path).write_text(text + "\n")
    rig = LinuxRig(rig.home, rig.config, root)
    rig.driver = NO_OPTIONS
    wanted: dict[str, Value] = {
        "bus.link-power": "brisk", "bus.sleep@gpu0": False, "usb.sleep-made-up-mouse-1-2": False,
        "disk.turns-made0": "none", "memory.compaction": 0, "memory.compressed-swap": True,
        "cpu.energy-preference": 0, "cpu.power-plan": "high", "timer.source": "platform", "cpu.minimum-state": 60,
        "cpu.frequency-scaling": "by-system", "input.polling-rate": 1000, "cpu.boot-cores": 3}
    apply(rig, book, book.commit("rig", wanted))
    assert rig.values(rig.state(), "rig") == wanted and "disk.turns-loop0" not in rig.catalog()
    assert (root / "sys/bus/usb/devices/1-2/power/control").read_text().strip() == "on"
    assert [(root / f"sys/devices/system/cpu/cpu{number}/online").read_text().strip() for number in range(1, 8)] == [
        "1", "1", "0", "0", "0", "0", "0"]
    for key, value, says in (("cpu.maximum-state", 50, "state would be 60 %, above cpu.maximum-state, 50 %"),
                             ("input.polling-rate", 300, "cannot be 300 Hz here; there are 125, 250, 500, 1000"),
                             ("cpu.energy-preference", 50, "cannot be 50 % here; there are 0, 100")):
        assert says in preview(rig, book.commit("rig", {**wanted, key: value})).refused[key]
    _check_what_is_called_written(rig)
    assert undo(rig, book).exactly
    assert {path: (root / path).read_text().strip() for path in held} == {
        path: text.partition("[")[2].partition("]")[0] if "[" in text and "loop" not in path else text
        for path, text in held.items()}


def _check_what_is_called_written(rig: LinuxRig) -> None:
    """The documentation's table of all settings says what is written on Linux: by a part, each of them."""
    text = (resources.files("keenlattice.rig.linux") / "absent.toml").read_text()
    ways = {name: group.get("how", "") for group in tomllib.loads(text).values() for name in group["settings"]}
    said = {setting.name for setting in catalog() if ways.get(setting.name, "written") == "written"}
    kept = [*preferences_of(dict.fromkeys(PLACES, "true")), *resolver({"file": None}), *keys_and_pointers(
        {"input/key-repeat": "1 2", "input/slow-keys": "0 1", "input/pointer": "1/1 0"}), *picture(
        dict.fromkeys((f"picture/x/{name}" for name in ("scaling mode", "Broadcast RGB", "CTM")), "0 1" + " 0" * 16))]
    written = {*(setting.name for setting in rig.catalog()), *(stored.setting.name for stored in kept), LOCK_KEY,
               *(setting.name for setting in mapped_settings(option.option for option in MAPPED.values())),
               "display.refresh", "display.resolution"}
    assert said <= written and len(said) + list(ways.values()).count("one by one") >= 40


def test_a_games_own_file_is_a_part_of_this_machine(rig: LinuxRig, book: Logbook, tmp_path: Path) -> None:
    ini, keys = tmp_path / "game.ini", {"game.quality": Key("Picture", "Overall", {"low": "0", "high": "2"})}
    ini.write_text("[Picture]\nOverall = 0\nOther = 1\n")
    told = Listed(Game("orbit", "Orbit", ("orbit",)), (), ini, keys)
    add_game(rig.home, told)
    add_game(rig.home, replace(told, keys={}))  # told again without: what was known of the file stays
    assert read_games(rig.home)["orbit"] == told
    rig = LinuxRig(rig.home, rig.config, tmp_path / "root")
    rig.driver = NO_OPTIONS
    assert rig.written_here("orbit", "game.quality") and not rig.written_here("orbit", "game.shadows")
    apply(rig, book, book.commit("orbit", {"game.quality": "high", "file.picture_other": "7"}))
    assert ini.read_text() == "[Picture]\nOverall = 2\nOther = 7\n"
    assert rig.values(rig.state(), "orbit") == {"game.quality": "high", "file.picture_other": "7"}
    undo(rig, book)
    assert ini.read_text() == "[Picture]\nOverall = 0\nOther = 1\n"


def test_what_the_kernel_manages_is_refused_in_the_preview(rig: LinuxRig, book: Logbook, tmp_path: Path) -> None:
    (tmp_path / "root/proc/irq/51/smp_affinity_list").chmod(0o444)
    refused = preview(rig, book.commit("rig", {"interrupt.affinity@net0": "0-1"})).refused
    assert "spreads 1 of this device's 4 interrupts" in refused["interrupt.affinity@net0"]


def test_clock_limits_the_wrong_way_round_are_refused_and_steps_are_named(rig: LinuxRig, book: Logbook,
                                                                           tmp_path: Path) -> None:
    apply(rig, book, book.commit("rig", {"cpu.clock-highest": 2000}))
    wrong = book.commit("rig", {"cpu.clock-highest": 2000, "cpu.clock-least": 3000})
    assert "above cpu.clock-highest, 2000 MHz" in preview(rig, wrong).refused["cpu.clock-least"]
    apply(rig, book, book.commit("rig", {"cpu.clock-highest": 4000, "cpu.clock-least": 3000}))  # both at once
    policies = sorted((tmp_path / "root/sys/devices/system/cpu/cpufreq").glob("policy*"))
    assert {(one / "scaling_min_freq").read_text() for one in policies} == {"3000000"}
    (policies[7] / "cpuinfo_max_freq").write_text("3400000\n")  # a core that is slower than the others
    slower = LinuxRig(rig.home, rig.config, tmp_path / "root")
    slower.driver = NO_OPTIONS
    apply(slower, book, book.commit("rig", {"cpu.clock-highest": 3900}))
    assert (policies[7] / "scaling_max_freq").read_text() == "3400000" and find_drift(slower, book) == ()
    for policy in policies:
        (policy / "scaling_available_frequencies").write_text("2000000 1000000\n")
    stepped = LinuxRig(rig.home, rig.config, tmp_path / "root")
    stepped.driver = NO_OPTIONS
    said = preview(stepped, book.commit("rig", {"cpu.clock-least": 1500})).refused["cpu.clock-least"]
    assert "cannot be 1500 MHz here; there are 1000, 2000" in said


def test_a_limit_that_reads_cut_off_is_put_back_all_the_same(rig: LinuxRig, book: Logbook, tmp_path: Path,
                                                              monkeypatch: pytest.MonkeyPatch) -> None:
    """As a real kernel does it: what is asked for is kept, and shown no higher than the other limit."""
    apply(rig, book, book.commit("rig", {"cpu.clock-least": 3000}))
    asked: dict[str, int] = {}
    cut_off = rig._kernel._write

    def keep(place: str, path: Path, content: bytes | None) -> None:
        cut_off(place, path, content)
        if place.endswith("_freq"):
            asked[place] = int(content or b"0")

    monkeypatch.setattr(rig._kernel, "_write", keep)
    for policy in (tmp_path / "root/sys/devices/system/cpu/cpufreq").glob("policy*"):
        for name in ("min", "max"):  # somebody lowers the highest to the least that there is
            (policy / f"scaling_{name}_freq").write_text("800000\n")
    undo(rig, book)
    assert set(asked.values()) == {800000} and len(asked) == 8, asked


def test_one_cause_is_told_once(rig: LinuxRig, book: Logbook, tmp_path: Path) -> None:
    def told() -> list[tuple[str, tuple[str, ...]]]:
        unknown = unknown_on(rig)
        effective = resolve(rig.catalog(), {}, {}, unknown=unknown)
        return [(one.check, one.settings) for one in findings(
            rig.catalog(), effective, rig.facts(), rig.devices(), unknown=unknown) if one.kind == "wrong"]

    assert told() == [("line-shared-by-driver", ("interrupt.mode@usb0",))]
    (tmp_path / "root/proc/cmdline").write_text("quiet pci=noaer,nomsi panic=5\n")
    assert told() == [("messages-off-at-boot", ("interrupt.mode",))]


def test_a_rig_wide_version_of_another_rig_is_applied_as_far_as_this_one_knows_it(rig: LinuxRig, book: Logbook) -> None:
    version = book.commit("rig", {"cpu.governor": "brisk", "display.refresh": 165, "timer.resolution": 0.5})
    shown = apply(rig, book, version)
    assert shown.unknown == ("display.refresh", "timer.resolution")
    assert rig.values(rig.state(), "rig") == {"cpu.governor": "brisk"} and find_drift(rig, book) == ()
    with pytest.raises(UsageError, match=r"display\.refresh, timer\.resolution, which the rig here does not have"):
        run_trial(rig, version, version, TrialPlan(blocks=2, seconds=1), "scene")


def test_what_stands_in_the_drivers_file_wrongly_is_drift_and_no_reason_to_refuse(rig: LinuxRig, book: Logbook) -> None:
    rig.driver = replace(NO_OPTIONS, options=(
        "<driinfo><option name='smooth' type='int' default='0' valid='0:9'><description text='Smoothing'/></option>"
        "<option name='sharp' type='bool' default='false'><description text='Sharp'/></option></driinfo>"))
    for known in ("_options", "_catalog"):
        vars(rig).pop(known, None)
    apply(rig, book, book.commit("scene", {"mesa.smooth": 3, "mesa.sharp": True}))
    rig.config.write_bytes(rig.config.read_bytes().replace(b'"3"', b'"threee"').replace(b'"true"', b'"yes"'))
    (slipped,) = find_drift(rig, book)
    assert {(one.before, one.after) for one in slipped.changes} == {(3, "threee"), (True, "yes")}
    put_back(rig, book, slipped)
    assert rig.values(rig.state(), "scene") == {"mesa.smooth": 3, "mesa.sharp": True}


def test_a_pipe_where_the_drivers_file_should_be_is_said_so(tmp_path: Path, hang: None) -> None:
    os.mkfifo(tmp_path / ".drirc")
    with pytest.raises(RigError, match="not a regular file"):
        LinuxRig(tmp_path / "state", tmp_path / ".drirc", tree(tmp_path / "root")).state()


def test_lists_of_cores_are_read_and_written_as_the_kernel_does() -> None:
    for text in ("0", "0-3", "0-1,6", "2,4,6-9"):
        cores = cores_in(text)
        assert cores is not None and as_list(cores) == text
    for text in ("", "a", "3-1", "0-", "-1", "0-99999999", "1,,2"):
        assert cores_in(text) is None


def test_this_machines_own_kernel_is_read_whole(tmp_path: Path) -> None:
    rig = LinuxRig(tmp_path / "state", tmp_path / ".drirc")
    rig.driver = NO_OPTIONS
    state = rig.state()
    assert all(isinstance(content, bytes) or content is None for content in state.values())
    assert rig.values(state, "rig") == {}
    for name, device in rig._kernel.devices.items():
        assert rig.facts()[f"{name}_mode"] == device.mode


def test_every_setting_is_on_a_linux_rig_or_the_reason_is_known(tmp_path: Path) -> None:
    bare = LinuxRig(tmp_path / "state", tmp_path / ".drirc", tmp_path / "root")
    bare.driver = NO_OPTIONS
    here = bare.catalog()
    assert [one.name for one in catalog() if one.name not in here and one.name not in here.absent] == []


def test_without_rights_the_rest_is_written_and_the_command_is_told(rig: LinuxRig, book: Logbook, tmp_path: Path,
                                                                    monkeypatch: pytest.MonkeyPatch) -> None:
    ours = os.access
    monkeypatch.setattr(os, "access", lambda path, mode: ours(path, mode) and not str(path).endswith("governor"))
    plan = preview(rig, book.commit("rig", {"cpu.governor": "brisk", "cpu.clock-least": 2000}))
    apply(rig, book, plan.version, plan)
    policy = tmp_path / "root/sys/devices/system/cpu/cpufreq/policy0"
    assert rig.values(rig.state(), "rig") == {"cpu.clock-least": 2000} and not plan.refused
    assert plan.without_rights == {"cpu.governor": "cpu.governor needs root; by hand: echo brisk | sudo tee "
                                                   f"{policy / 'scaling_governor'}"}


def test_the_resolvers_own_file_is_written_and_removed(rig: LinuxRig, book: Logbook, tmp_path: Path) -> None:
    assert "network.resolver" not in rig.catalog()
    (tmp_path / "root/run/systemd/resolve").mkdir(parents=True)
    rig = LinuxRig(rig.home, rig.config, tmp_path / "root")
    rig.driver = NO_OPTIONS
    before = rig.state()
    apply(rig, book, book.commit("rig", {"network.resolver": "192.0.2.1,2001:db8::1"}))
    (file,) = (tmp_path / "root/etc/systemd/resolved.conf.d").iterdir()
    assert "\nDNS=192.0.2.1 2001:db8::1\n" in file.read_text()
    refused = preview(rig, book.commit("rig", {"network.resolver": "192.0.2.1 DNSSEC=no"})).refused
    assert "is not a list of addresses" in refused["network.resolver"]
    undo(rig, book)
    assert rig.state() == before and not file.exists()


def test_what_is_not_written_is_put_on_a_sheet(rig: LinuxRig, book: Logbook, tmp_path: Path) -> None:
    assert asked_on(rig) == [setting.name for setting in rig.catalog() if setting.name in asked()]
    version = book.commit("rig", {"display.overdrive": "strong", "cpu.clock-least": 2000})
    policy = tmp_path / "root/sys/devices/system/cpu/cpufreq/policy0/scaling_min_freq"
    sheet = sheet_to_apply(rig, book, version)
    assert sheet is not None and [step.done for step in sheet.steps] == ["open", "written"]
    assert policy.read_text() == "2000000" and find_drift(rig, book) == ()
    tick(rig, book, 1)
    assert rig.values(rig.state(), "rig") == version.entries
    way_back = sheet_to_undo(rig, book)
    assert way_back is not None and policy.read_text() == "800000" and len(way_back.open) == 1
    tick(rig, book, 1)
    assert rig.values(rig.state(), "rig") == {} and sheet_to_apply(rig, book, book.commit("rig", {"cpu.boost": "off"})
                                                                   ) is None  # all of it can be written
    with pytest.raises(RefusedByRig, match="the scene has no menu"):
        apply(rig, book, book.commit("scene", {"game.quality": "low"}))


class Player:
    """Takes every step at once."""

    def __init__(self) -> None:
        self.took: list[tuple[str, Value | None]] = []

    def coming(self, run: ComingRun) -> None:
        raise AssertionError("programs play here")

    def play(self, run: ComingRun) -> Capture:
        raise AssertionError("programs play here")

    def change(self, steps: Sequence[SheetStep]) -> dict[tuple[str, str], Value]:
        self.took += [(step.key, step.after) for step in steps]
        return {}

    back = change


def test_a_study_switches_what_is_written_and_asks_for_the_rest(rig: LinuxRig, book: Logbook, tmp_path: Path,
                                                                monkeypatch: pytest.MonkeyPatch) -> None:
    pipeline = Standin(tmp_path / "standin").pipeline("brass-orbit")
    policy, clocks = tmp_path / "root/sys/devices/system/cpu/cpufreq/policy0/scaling_min_freq", []

    def play(game: str, seconds: float, seed: int) -> Capture:
        clocks.append(policy.read_text().strip())
        return simulate(pipeline, seconds, seed)

    monkeypatch.setattr(rig, "play", play)
    plain = book.commit("rig", {})
    changed = book.commit("rig", {"cpu.clock-least": 2000, "display.overdrive": "strong"}, parents=[plain])
    plan = TrialPlan(blocks=2, seconds=2, warm_up_s=0)
    with pytest.raises(UsageError, match="that you set: play it at a terminal"):
        run_trial(rig, plain, changed, plan, "scene")
    rig.hand = Player()
    run_trial(rig, plain, changed, plan, "scene")
    assert sorted(clocks) == ["2000000"] * 2 + ["800000"] * 2 and policy.read_text().strip() == "800000"
    assert {key for key, _ in rig.hand.took} == {"display.overdrive"} and rig.hand.took[-1][1] is None
    rig.hand.took.clear()
    run_trial(rig, plain, book.commit("rig", {"cpu.clock-least": 1600}, parents=[plain]), plan, "scene")
    assert rig.hand.took == [] and rig.values(rig.state(), "rig") == {}  # nothing but what programs write
