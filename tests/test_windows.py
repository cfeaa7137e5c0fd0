"""Windows' own functions, on Wine and on libraries of our own: written, read by another process, refused, undone."""

import json
import re
import subprocess
import sys
import tomllib
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from pathlib import Path
from typing import Any

import pytest

import keenlattice
from keenlattice.catalog.values import Value
from keenlattice.errors import NeedsRights, RefusedByRig, RigError
from keenlattice.logbook.book import Logbook
from keenlattice.measure.columns import column_map
from keenlattice.profile.matching import Game
from keenlattice.profile.version import WHOLE_RIG
from keenlattice.rig.applying import apply, find_drift, preview
from keenlattice.rig.gamelist import Listed
from keenlattice.rig.standin.player import SimulatedPlayer
from keenlattice.rig.undoing import undo
from keenlattice.workspace.next_run import NextRun, Waiting

if sys.platform != "win32":
    pytest.skip("of Windows alone", allow_module_level=True)

sys.path.insert(0, str(Path(__file__).with_name("windows")))
import pywintypes
import stand_ins

from keenlattice.rig.windows import background, interrupts, memory
from keenlattice.rig.windows.machine import this_pc
from keenlattice.rig.windows.system.devices import devices
from keenlattice.rig.windows.system.parameters import ParameterStore
from keenlattice.rig.windows.system.registry import RegistryStore
from keenlattice.rig.windows.values import place, written

RUN_PLACE = place("HKCU", background.RUN, "Made-up tool")
GPU = "gpu0"
WANTED: dict[str, Value] = {
    "background.telemetry": False, "background.visual-effects": False, "background.search-index": False,
    "service.keen-made-up": "manual", "startup.made-up-tool": False,
    "cpu.power-plan": "high", "cpu.core-parking": False, "cpu.minimum-state": 80, "cpu.maximum-state": 99,
    "cpu.boost": "eager", "cpu.frequency-scaling": "by-system", "cpu.energy-preference": 10,
    "display.hdr": True, "network.resolver": "192.0.2.1,192.0.2.2",
    "input.key-repeat-delay": 300, "input.key-repeat-interval": 20,
    "input.key-acceptance-delay": 40, "input.pointer-acceleration": False,
    f"interrupt.mode@{GPU}": "message", f"interrupt.messages@{GPU}": 2, f"interrupt.priority@{GPU}": "high",
    f"interrupt.affinity@{GPU}": "1", "memory.page-file-low": 4096, "memory.page-file-high": 8192}
MODES: dict[str, Value] = {"display.resolution": "1024x768", "display.refresh": 75}
SETTINGS_WRITTEN = [name for group in tomllib.loads(
    (Path(__file__).parents[1] / "docs" / "site" / "windows.toml").read_text("utf-8")).values()
    if group["how"] == "written" for name in group["settings"]]
WINES_OWN = re.compile(r"Software\\Wine|Temporary System Parameters|Explorer|\\Video\\|Hardware Profiles|Fonts|"
                       r"Control\\Class|Time Zone|CurrentControlSet\\Enum\\(?!PCI)", re.IGNORECASE)


@pytest.fixture(autouse=True)
def stand_in(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    for name in ("KEEN_POWER", "KEEN_FILTER_KEYS", "KEEN_DYNAMIC_RANGE", "KEEN_RESOLVERS"):
        monkeypatch.setenv(name, "")
    stand_ins.use(tmp_path)


@pytest.fixture
def pc(tmp_path: Path, stand_in: None) -> Iterator[Any]:
    """This PC with a program that starts with it and two services, all made up."""
    import win32service

    ParameterStore().write({"parameter/key-delay": "1", "parameter/key-speed": "31", "parameter/pointer": "6 10 1",
                        "parameter/interface-effects": "1", "parameter/client-animation": "1"})
    registry = RegistryStore([], list)
    registry.write(dict.fromkeys([*interrupts.places(devices()), *background.telemetry_places()]))
    registry.write({memory.FILES: written(1, r"C:\pagefile.sys 27 77"), place("HKCU", background.RUN): "key",
                    RUN_PLACE: written(1, "made-up.exe --quiet")})
    manager = win32service.OpenSCManager(None, None, win32service.SC_MANAGER_ALL_ACCESS)
    made = [win32service.CreateService(manager, name, name, win32service.SERVICE_ALL_ACCESS, 16, 2, 1, "made-up.exe",
                                       None, 0, None, None, None) for name in ("keen-made-up", "WSearch")]
    yield this_pc(tmp_path / "rig")
    for service in made:
        win32service.DeleteService(service)
        win32service.CloseServiceHandle(service)
    registry.write({RUN_PLACE: None})


def hives(folder: Path) -> dict[str, list[str]]:
    """What the registry holds, by key, but for what Wine keeps of its own."""
    result: dict[str, list[str]] = {}
    for hive in ("HKCU", "HKLM\\Software\\Policies", "HKLM\\System"):
        file = folder / "export.reg"
        subprocess.run(["reg", "export", hive, str(file), "/y"], check=True, capture_output=True)
        key = ""
        for line in file.read_text("utf-16").splitlines():
            if line.startswith("["):
                key = line
                result[key] = []
            elif line and key:
                result[key].append(line)
    return {key: lines for key, lines in result.items() if not WINES_OWN.search(key)}


def elsewhere(folder: Path, home: Path) -> dict[str, Value]:
    """What another process reads of the rig."""
    words = ("import json, sys; from pathlib import Path\n"
             f"sys.path.insert(0, {str(Path(stand_ins.__file__).parent)!r})\n"
             f"import stand_ins; stand_ins.use(Path({str(folder)!r}))\n"
             "from keenlattice.rig.windows.machine import this_pc\n"
             f"rig = this_pc(Path({str(home)!r})); print(json.dumps(dict(rig.values(rig.state(), 'rig'))))")
    done = subprocess.run([sys.executable, "-c", words], capture_output=True, text=True, check=True)
    found: dict[str, Value] = json.loads(done.stdout)
    return found


def set_all(pc: Any, book: Logbook, wanted: dict[str, Value] = WANTED) -> None:
    apply(pc, book, book.commit(WHOLE_RIG, wanted))


def test_all_is_written_read_by_another_process_and_undone_byte_for_byte(pc: Any, book: Logbook, tmp_path: Path
                                                                         ) -> None:
    at_first, modes = hives(tmp_path), "display.refresh" in pc.catalog() and pc.written_here("rig", "display.refresh")
    wanted = {**WANTED, **(MODES if modes else {})}
    assert all(pc.written_here(WHOLE_RIG, key) for key in wanted)
    set_all(pc, book, wanted)
    assert elsewhere(tmp_path, pc.home) == wanted
    changed = hives(tmp_path)
    assert changed != at_first and not find_drift(pc, book)
    assert sum(key.partition("@")[0] in pc.catalog() for key in wanted) == len(wanted)
    assert undo(pc, book).exactly
    assert hives(tmp_path) == at_first and elsewhere(tmp_path, pc.home) == {}


def test_a_value_that_somebody_changes_meanwhile_is_drift_and_stays_at_the_undo(pc: Any, book: Logbook) -> None:
    set_all(pc, book, {"service.keen-made-up": "manual", "input.pointer-acceleration": False})
    pc.put({"service/keen-made-up": b"4"})
    assert [one.key for drift in find_drift(pc, book) for one in drift.changes] == ["service.keen-made-up"]
    undone = undo(pc, book)
    assert not undone.exactly and pc.state()["service/keen-made-up"] == b"2"
    assert pc.state()["parameter/pointer"] == b"6 10 1"


def test_a_service_starts_after_the_others_where_the_system_can_delay_it(
        pc: Any, book: Logbook, monkeypatch: pytest.MonkeyPatch) -> None:
    """Wine refuses to delay one; a manager that can is made up of the two functions, as they are documented."""
    import win32service

    with pytest.raises(RefusedByRig, match="service keen-made-up"):
        set_all(pc, book, {"service.keen-made-up": "automatic-delayed"})
    assert pc.state()["service/keen-made-up"] == b"2"
    delayed = [True]
    monkeypatch.setattr(win32service, "QueryServiceConfig2", lambda *_: delayed[0])
    monkeypatch.setattr(win32service, "ChangeServiceConfig2", lambda *words: delayed.__setitem__(0, words[2]))
    assert pc.state()["service/keen-made-up"] == b"2 delayed"
    for before, way in ((True, "automatic"), (True, "manual"), (True, "disabled"), (False, "automatic-delayed")):
        delayed[0] = before
        held = pc.state()
        set_all(pc, book, {"service.keen-made-up": way})
        assert pc.values(pc.state(), "rig") == {"service.keen-made-up": way}
        undo(pc, book)
        assert delayed == [before] and pc.state() == held
    delayed[0] = True
    set_all(pc, book, {"background.search-index": True})  # which is on, and goes on to wait
    assert pc.state()["service/WSearch"] == b"2 delayed"


@pytest.mark.parametrize(("code", "error", "says"), [(5, NeedsRights, "administrator's rights"),
                                                     (1260, RefusedByRig, "a policy of this machine's decides it")])
def test_power_that_is_refused_says_why(pc: Any, book: Logbook, monkeypatch: pytest.MonkeyPatch, code: int,
                                        error: type[Exception], says: str) -> None:
    monkeypatch.setenv("KEEN_POWER_REFUSES", str(code))
    for key in [key for key in WANTED if key.startswith("cpu.")]:
        with pytest.raises(error, match=says):
            pc.changed(pc.state(), WHOLE_RIG, {key: WANTED[key]})
    shown = preview(pc, book.commit(WHOLE_RIG, {"cpu.boost": "off", "input.pointer-acceleration": False}))
    assert bool(shown.without_rights) == (code == 5) and bool(shown.refused) == (code == 1260)


@pytest.mark.parametrize(("code", "error", "says"), [(5, NeedsRights, "administrator's rights"),
                                                     (1168, RefusedByRig, "error 1168")])
def test_a_resolver_that_is_refused_is_said_and_the_rest_is_taken_back(
        pc: Any, book: Logbook, monkeypatch: pytest.MonkeyPatch, code: int, error: type[Exception], says: str) -> None:
    before = pc.state()
    monkeypatch.setenv("KEEN_RESOLVERS_REFUSES", str(code))
    with pytest.raises(error, match=rf"{says}.*; the rig is as it was before"):
        set_all(pc, book, {"network.resolver": "192.0.2.9", "input.pointer-acceleration": False})
    assert pc.state() == before


def test_what_is_accepted_and_not_kept_is_found_and_taken_back(pc: Any, book: Logbook, monkeypatch: pytest.MonkeyPatch
                                                               ) -> None:
    monkeypatch.setenv("KEEN_PARAMETERS_KEEP_NOTHING", "1")
    before = pc.state()
    for key in [key for key in WANTED if key.startswith(("input.", "display.", "background.visual"))]:
        with pytest.raises(RigError, match=r"reads back .* not .*; the rig is as it was before"):
            set_all(pc, book, {"background.telemetry": False, key: WANTED[key]})
        assert pc.state() == before


@contextmanager
def only_read(hive: int, key: str) -> Iterator[None]:
    """An access list without the right to write, which refuses an administrator, too."""
    import win32api
    import win32con
    import win32security

    opened = win32api.RegOpenKeyEx(hive, key, 0, win32con.KEY_ALL_ACCESS)
    before = win32api.RegGetKeySecurity(opened, win32security.DACL_SECURITY_INFORMATION)
    reading, closed = win32security.ACL(), win32security.SECURITY_DESCRIPTOR()
    reading.AddAccessAllowedAce(win32security.ACL_REVISION, win32con.KEY_READ,
                                win32security.CreateWellKnownSid(win32security.WinWorldSid, None))
    closed.SetSecurityDescriptorDacl(True, reading, False)
    win32api.RegSetKeySecurity(opened, win32security.DACL_SECURITY_INFORMATION, closed)
    try:
        yield
    finally:
        win32api.RegSetKeySecurity(opened, win32security.DACL_SECURITY_INFORMATION, before)


@contextmanager
def refused_by_the_system(key: str) -> Iterator[None]:
    """Has the system refuse what one setting writes: really, where Wine or a library of ours can."""
    import win32api
    import win32con
    import win32service

    machine, device = win32con.HKEY_LOCAL_MACHINE, rf"{devices()[0].key}\Device Parameters"
    keys = {"interrupt": (machine, device), "memory": (machine, memory.KEY),
            "startup": (win32con.HKEY_CURRENT_USER, background.RUN),
            "background.telemetry": (machine, background.POLICIES)}
    with pytest.MonkeyPatch.context() as patch, ExitStack() as closed:
        for begins, where in keys.items():
            if key.startswith(begins):
                closed.enter_context(only_read(*where))
        patch.setenv("KEEN_POWER_REFUSES", "5")
        patch.setenv("KEEN_RESOLVERS_REFUSES", "5")
        patch.setenv("KEEN_PARAMETERS_REFUSE", "5")
        patch.setattr(win32api, "ChangeDisplaySettings", lambda *_: win32con.DISP_CHANGE_BADMODE)
        opened = win32service.OpenService

        def opens_to_look(manager: object, name: str, access: int) -> object:
            if access & win32service.SERVICE_CHANGE_CONFIG:
                raise pywintypes.error(5, "OpenService", "")
            return opened(manager, name, access)

        patch.setattr(win32service, "OpenService", opens_to_look)
        yield


def test_each_setting_that_is_written_is_refused_once_and_said(pc: Any, book: Logbook) -> None:
    wanted = {**WANTED, **{key: value for key, value in MODES.items() if pc.written_here(WHOLE_RIG, key)}}
    for key, value in wanted.items():
        before, version = pc.state(), book.commit(WHOLE_RIG, {key: value})
        with refused_by_the_system(key):
            shown = preview(pc, version)
            said = shown.without_rights.get(key, "")
            if said:  # the rest of a version goes on
                more = preview(pc, book.commit(WHOLE_RIG, {key: value, "input.pointer-acceleration": False}))
                assert set(more.without_rights) == {key}
                assert [change.key for change in more.changes] == ["input.pointer-acceleration"]
            else:
                with pytest.raises((NeedsRights, RefusedByRig)) as error:
                    apply(pc, book, version)
                said = str(error.value)
        assert re.search("administrator's rights|does not do", said), (key, said)
        assert pc.state() == before, key
    written = {name for name in SETTINGS_WRITTEN if pc.written_here(WHOLE_RIG, name)}
    assert written <= {key.partition("@")[0] for key in wanted}


def test_a_guided_trial_switches_what_it_writes_and_asks_only_for_the_rest(pc: Any, tmp_path: Path) -> None:
    at_first, held, asked, starts = hives(tmp_path), set[tuple[Value, bytes | None]](), set[str](), set[str]()
    player = SimulatedPlayer(tmp_path / "juniper", tmp_path / "recordings", 7)
    with keenlattice.open(tmp_path / "book", rig=pc) as ws:
        ws.rig.games.tell(Listed(Game("brass-orbit", "Brass Orbit", ("brass-orbit",))))
        frames, light = player.record("brass-orbit", 5)
        ws.recordings.ingest(frames, column_map(name="mine", time="t [us]", means="stamps", unit="us",
                                                process="program"), name="mine")
        ws.recordings.latency.keep_map(light, "light", time="micros", unit="us", light="photo", button="switch")
        ws.edit("brass-orbit", {"frame.queue-depth": 1, "process.priority": "high"})
        ws.edit("rig", {"cpu.core-parking": False, "input.pointer-acceleration": False})
        with pytest.raises(Waiting):
            ws.trial("brass-orbit@stock+rig@stock", "brass-orbit+rig", blocks=6, seconds=20, seed=1, repeats=1)
        found: Any = ws.studies.by_hand.next_run()
        while isinstance(found, NextRun):
            asked |= {step.key for step in found.steps}
            starts.add(found.start)
            player.take(found.steps)
            held.add((player.sees("brass-orbit", "frame.queue-depth"), this_pc(pc.home).state()["parameter/pointer"]))
            found = ws.studies.by_hand.hand_over(player.record("brass-orbit", 21))
        assert asked == {"frame.queue-depth"}
        assert len(held) == 2 and (1, b"6 10 0") in held  # what is written is on when the player has taken their steps
        assert starts == {"", "keen play brass-orbit --as-set"}
        assert found.result["latency_ms_median"].verdict == "better"
    assert hives(tmp_path) == at_first


def test_a_game_holds_its_priority_and_cores_and_so_does_what_it_starts(pc: Any, tmp_path: Path) -> None:
    """The class that is given to a process at its start is not taken by Wine, so that it is set after the start."""
    import psutil

    told, inner = tmp_path / "told.json", ("import json, os, psutil, sys, time; time.sleep(2); me = psutil.Process(); "
                                           "open(sys.argv[1], 'w').write(json.dumps([me.nice(), me.cpu_affinity(), "
                                           "sys.argv[2:], os.environ.get('SILVER')]))")
    outer = f"import subprocess, sys; subprocess.run([sys.executable, '-c', {inner!r}, *sys.argv[1:]])"
    with keenlattice.open(tmp_path / "book", rig=pc) as ws:
        ws.rig.games.tell(Listed(Game("brass-orbit", "Brass Orbit", ("orbit.exe",))))
        ws.edit("brass-orbit", {"process.priority": "high", "process.affinity": "1", "game.launch-options": "--calm",
                                "game.environment": "SILVER=ball",
                                "frame.queue-depth": 1})
        ws.edit("rig", {"input.pointer-acceleration": False})
        during = list[bytes | None]()
        done = ws.rig.games.play("brass-orbit", command=[sys.executable, "-c", outer, str(told)], begun=lambda _: (
            during.append(this_pc(pc.home).state()["parameter/pointer"])))
        assert json.loads(told.read_text()) == [int(psutil.HIGH_PRIORITY_CLASS), [1], ["--calm"], "ball"]
        assert during == [b"6 10 0"] and pc.state()["parameter/pointer"] == b"6 10 1"
        assert set(done.left_out) == {"frame.queue-depth"} and done.exit_code == 0
        assert [one.kind for one in ws.rig.games.played().games] == ["played"] and not ws.rig.restore_points().points


def test_an_apply_that_is_killed_at_any_write_is_put_back(pc: Any, book: Logbook, tmp_path: Path) -> None:
    """The process dies before the nth write to any store, for every n that there is. Another one puts it right: this
    one has the parameters as they were when it first asked, which is a trait of Wine's."""
    at_first, version, number, kills = hives(tmp_path), book.commit(WHOLE_RIG, WANTED), 0, 0
    words = [sys.executable, str(Path(stand_ins.__file__).with_name("killed.py")), str(tmp_path), str(pc.home),
             str(book.folder), version.id]
    while True:
        number += 1
        done = subprocess.run([*words, str(number)], capture_output=True, text=True)
        if done.returncode != 9:
            assert done.returncode == 0, done.stderr
            break
        kills += 1
        subprocess.run([*words, "0"], check=True, capture_output=True)
        now = hives(tmp_path)
        differs = {key: set(lines) ^ set(at_first.get(key, [])) for key, lines in now.items()
                   if lines != at_first.get(key)}
        assert not differs and set(now) == set(at_first), f"killed at write {number}"
    assert kills > 7
    subprocess.run([*words, "-1"], check=True, capture_output=True)
    assert hives(tmp_path) == at_first


def test_ten_thousand_services_are_looked_at_in_a_moment(pc: Any, monkeypatch: pytest.MonkeyPatch) -> None:
    import win32service

    one = win32service.EnumServicesStatus
    monkeypatch.setattr(win32service, "EnumServicesStatus", lambda *words: [
        (f"{name}{number}", title, status) for number in range(1000) for name, title, status in one(*words)][:10_000])
    assert sum(setting.name.startswith("service.") for setting in this_pc(pc.home).catalog()) <= background.MOST
