"""What belongs to the player's desktop: what starts with it, which services run, keys and pointers; off, and back."""

import os
import shutil
import subprocess
import time
from collections.abc import Iterator
from pathlib import Path

import pytest

from conftest import Keen as Run
from keenlattice.errors import BadValue, RefusedByRig, RigError
from keenlattice.logbook.book import Logbook
from keenlattice.profile.matching import Game
from keenlattice.rig.applying import apply, find_drift, preview
from keenlattice.rig.gamelist import Listed, add_game
from keenlattice.rig.linux.driver import Driver
from keenlattice.rig.linux.machine import LinuxRig
from keenlattice.rig.linux.program import game_running
from keenlattice.rig.linux.x11.server import x_display
from keenlattice.rig.undoing import undo

ENTRY = "[Desktop Entry]\nType=Application\nName=Made-up {name}\n# keep me\nExec={name}\n\n[Other]\nHidden=true\n"
MANAGER = Path("/lib/systemd/systemd")


def rig_at(tmp_path: Path, root: Path = Path("/")) -> LinuxRig:
    rig = LinuxRig(tmp_path / "state", tmp_path / ".drirc", root)
    rig.driver = Driver("made-up", "Nobody", "A renderer", "<driinfo></driinfo>")
    return rig


def test_what_starts_with_the_desktop_is_hidden_and_shown_again(tmp_path: Path, book: Logbook) -> None:
    own, system = tmp_path / ".config/autostart", tmp_path / "root/etc/xdg/autostart"
    for folder, name in ((own, "chatter"), (system, "indexer"), (system, "tray")):
        folder.mkdir(parents=True, exist_ok=True)
        (folder / f"{name}.desktop").write_text(ENTRY.format(name=name))
    (own / "tray.desktop").write_text(ENTRY.format(name="tray").replace("# keep", "Hidden=true\n# keep"))
    (system / "tray.desktop").with_name("odd.desktop").write_text(ENTRY.format(name="odd"))
    odd = ENTRY.format(name="odd").encode().replace(b"keep me", b"\xe9")  # the player's own is not UTF-8
    (own / "odd.desktop").write_bytes(odd)
    (own / "broken.desktop").write_bytes(b"\xff\xfe no entry")
    rig = rig_at(tmp_path, tmp_path / "root")
    before, of_system = rig.state(), (system / "indexer.desktop").read_bytes()
    assert rig.facts()["startup_programs"] == 3 and "startup.broken" not in rig.catalog()
    assert "Made-up indexer" in rig.catalog()["startup.indexer"].title
    apply(rig, book, book.commit("rig", {"startup.chatter": False, "startup.indexer": False, "startup.tray": True}))
    assert rig.facts()["startup_programs"] == 2 and find_drift(rig, book) == ()
    assert (system / "indexer.desktop").read_bytes() == of_system  # the system's own is not touched
    hidden = (own / "chatter.desktop").read_text()
    assert hidden.replace("Hidden=true\n", "", 1) == ENTRY.format(name="chatter") and hidden.index(
        "Hidden") < hidden.index("[Other]")
    (own / "chatter.desktop").write_text(ENTRY.format(name="chatter"))  # an update of it writes its entry again
    assert [one.key for slipped in find_drift(rig, book) for one in slipped.changes] == ["startup.chatter"]
    apply(rig, book, book.commit("rig", {"startup.indexer": False}))
    assert rig.values(rig.state(), "rig") == {"startup.indexer": False}
    apply(rig, book, book.commit("rig", {"startup.odd": False}))
    apply(rig, book, book.commit("rig", {}))
    assert (own / "odd.desktop").read_bytes() == odd
    for _ in range(4):
        undo(rig, book)
    assert rig.state() == before and not (own / "indexer.desktop").exists()


@pytest.fixture
def manager(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Path]:
    """A manager of the player's services, with two services that are made up."""
    private = ["unshare", "--mount", "sh", "-c", "mount -t tmpfs none /run/systemd && mkdir /run/systemd/system && "
                                                 'exec "$0" --user', str(MANAGER)]
    if not MANAGER.exists() or os.geteuid() or subprocess.run(
            ["unshare", "--mount", "mount", "-t", "tmpfs", "none", "/tmp"], capture_output=True).returncode:
        pytest.skip("no manager of services can be started here: it takes systemd, and root")
    Path("/run/systemd").mkdir(exist_ok=True)
    units, runtime = tmp_path / ".config/systemd/user", tmp_path / "run"
    units.mkdir(parents=True)
    runtime.mkdir()
    for name in ("made-up-indexer", "made-up-session"):
        (units / f"{name}.service").write_text("[Service]\nExecStart=/bin/sleep 600\n")
    monkeypatch.setenv("XDG_RUNTIME_DIR", str(runtime))
    monkeypatch.setenv("HOME", str(tmp_path))
    monkeypatch.delenv("DBUS_SESSION_BUS_ADDRESS", raising=False)
    running = subprocess.Popen(private, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    until = time.monotonic() + 20
    while subprocess.run(["systemctl", "--user", "start", "made-up-indexer", "made-up-session"],
                         capture_output=True).returncode and time.monotonic() < until:
        time.sleep(0.1)
    yield runtime
    running.terminate()
    running.wait()


def test_a_game_runs_in_a_group_of_its_weight(tmp_path: Path, manager: Path, book: Logbook) -> None:
    told = tmp_path / "told"
    command = ("sh", "-c", f"cat /proc/self/cgroup > {told}; exec sleep 60")
    add_game(tmp_path / "state", Listed(Game("teller", "Teller", ("no-such",)), command))
    rig = rig_at(tmp_path)
    apply(rig, book, book.commit("teller", {"process.weight": 300}))
    start = rig._starter.start_of("teller")
    assert start.command(("no-such-program",)) == ["no-such-program"]  # whose own message says what is missing
    listed = rig_at(tmp_path)._listed["teller"]
    with game_running("teller", listed.game.executables, listed.command, ":0", tmp_path, start):
        until = time.monotonic() + 20
        while not (told.exists() and told.read_text()) and time.monotonic() < until:
            time.sleep(0.02)
        unit = told.read_text().split()[-1].rpartition("/")[2]
        said = subprocess.run(["systemctl", "--user", "show", "--property=CPUWeight", "--value", unit],
                              capture_output=True, text=True, check=True).stdout
    assert unit.endswith(".scope") and said.strip() == "300"
    undo(rig, book)
    assert not rig._starter.start_of("teller").weight


def test_a_service_of_the_players_is_stopped_and_started_again(tmp_path: Path, manager: Path, book: Logbook) -> None:
    def is_active() -> bool:
        return not subprocess.run(["systemctl", "--user", "--quiet", "is-active", "made-up-indexer"]).returncode

    rig = rig_at(tmp_path)
    assert is_active() and "service.made-up-session" not in rig.catalog()  # the desktop itself is not offered
    count = rig.facts()["own_services"]
    apply(rig, book, book.commit("rig", {"service.made-up-indexer": False}))
    assert not is_active() and rig_at(tmp_path).facts()["own_services"] == int(count) - 1
    again = rig_at(tmp_path)  # it is still known, though it does not run
    assert again.values(again.state(), "rig") == {"service.made-up-indexer": False} and find_drift(again, book) == ()
    undo(again, book)
    assert is_active() and rig_at(tmp_path).values(rig.state(), "rig") == {}
    version = book.commit("rig", {"service.made-up-indexer": False})
    rig = rig_at(tmp_path)
    rig.catalog()
    (tmp_path / ".config/systemd/user/made-up-indexer.service").write_text(
        "[Unit]\nRefuseManualStop=yes\n[Service]\nExecStart=/bin/sleep 600\n")
    subprocess.run(["systemctl", "--user", "daemon-reload"], check=True)
    with pytest.raises(RefusedByRig, match="cannot be made stopped"):
        apply(rig, book, version)
    assert is_active()


@pytest.fixture
def display(monkeypatch: pytest.MonkeyPatch) -> Iterator[str]:
    if shutil.which("Xvfb") is None:
        pytest.skip("no X server here: apt-get install xvfb")
    pytest.importorskip("Xlib")
    monkeypatch.delenv("DISPLAY", raising=False)
    monkeypatch.delenv("WAYLAND_DISPLAY", raising=False)
    with x_display() as name:
        monkeypatch.setenv("DISPLAY", name)
        yield name


def told(rig: LinuxRig) -> dict[str, str]:
    return {place: content.decode() for place, content in rig.state().items() if place.startswith("input/") and content}


def test_key_repeat_and_acceleration_are_set_and_put_back(tmp_path: Path, display: str, book: Logbook) -> None:
    rig = rig_at(tmp_path)
    before = told(rig)
    assert set(before) == {"input/key-repeat", "input/slow-keys", "input/pointer"}
    stock = {key: rig.catalog()[key].stock for key in ("input.key-repeat-delay", "input.pointer-acceleration")}
    apply(rig, book, book.commit("rig", {"input.key-repeat-delay": 250, "input.pointer-acceleration": False,
                                         "input.key-acceptance-delay": 120}))
    assert told(rig_at(tmp_path)) == {"input/key-repeat": f"250 {before['input/key-repeat'].split()[1]}",
                                      "input/slow-keys": "1 120", "input/pointer": "1/1 0"}
    assert find_drift(rig, book) == () and {key: rig_at(tmp_path).catalog()[key].stock for key in stock} == stock
    apply(rig, book, book.commit("rig", {"input.key-repeat-interval": 20}))  # the others are unset
    assert told(rig) == {**before, "input/key-repeat": f"{before['input/key-repeat'].split()[0]} 20"}
    undo(rig, book)
    undo(rig, book)
    assert told(rig) == before and not (rig.home / "input-before.json").exists()
    with pytest.raises(RigError, match="nothing that a key or a pointer can be set to"):
        rig.put({"input/key-repeat": b"0; 1"})
    apply(rig, book, book.commit("rig", {"input.key-repeat-delay": 300}))
    (rig.home / "input-before.json").write_text('{"input.key-repeat-delay": "what?"}')  # spoilt by somebody
    apply(rig, book, book.commit("rig", {}))
    assert told(rig)["input/key-repeat"].startswith("300 ")


def test_a_pointer_that_libinput_drives_goes_by_its_profile(tmp_path: Path, display: str, book: Logbook) -> None:
    from Xlib import X
    from Xlib import display as xdisplay

    server = xdisplay.Display(display)
    server.xinput_query_version()
    number = next(one.deviceid for one in server.xinput_query_device(0).devices if one.use == 3)
    server.xinput_change_device_property(number, server.intern_atom("libinput Accel Profile Enabled"),
                                         server.intern_atom("INTEGER"), X.PropModeReplace, (8, b"\1\0"))
    server.sync()
    rig = rig_at(tmp_path)
    assert [text for place, text in told(rig).items() if "pointer" in place] == ["1 0"]
    apply(rig, book, book.commit("rig", {"input.pointer-acceleration": False}))
    assert [text for place, text in told(rig_at(tmp_path)).items() if "pointer" in place] == ["0 1"]
    undo(rig, book)
    assert [text for place, text in told(rig).items() if "pointer" in place] == ["1 0"]
    server.close()


def test_how_a_picture_fits_its_panel_is_set_and_put_back(tmp_path: Path, display: str, book: Logbook) -> None:
    from Xlib import display as xdisplay
    from Xlib.ext import randr

    server = xdisplay.Display(display)
    output = server.screen().root.xrandr_get_screen_resources_current().outputs[0]
    for name, words, held in (("scaling mode", ("None", "Full", "Center", "Full aspect"), "None"),
                              ("Broadcast RGB", ("Automatic", "Full", "Limited 16:235"), "Automatic")):
        atoms = {word: server.intern_atom(word) for word in (name, *words)}
        randr.ConfigureOutputProperty(display=server.display, opcode=server.display.get_extension_major("RANDR"),
                                      output=output, property=atoms[name], pending=False, range=False,
                                      valid_values=[atoms[word] for word in words])
        server.xrandr_change_output_property(output, atoms[name], 4, 0, (32, [atoms[held]]))
    server.xrandr_change_output_property(output, server.intern_atom("CTM"), 19, 0, (32, [
        0, 1, 0, 0, 0, 0, 0, 0, 0, 1, 0, 0, 0, 0, 0, 0, 0, 1]))
    server.sync()

    def words(rig: LinuxRig) -> list[str]:
        return sorted(text.decode() for place, text in rig.state().items()
                      if place.startswith("picture/") and text and "CTM" not in place)

    rig = rig_at(tmp_path)
    assert words(rig) == ["Automatic", "None"] and rig.catalog()["display.scaler"].stock == "panel"
    apply(rig, book, book.commit("rig", {"display.fit": "stretch", "display.scaler": "gpu",
                                         "display.colour-range": "limited", "display.saturation": 40}))
    matrix = rig.state()["picture/screen/CTM"]
    assert matrix is not None and matrix.split()[1] == b"1" and int(matrix.split()[0]) == round(0.4 * 0.7874 * 2**32)
    assert int(matrix.split()[3]) == 1 << 31  # green takes from red
    assert rig.values(rig.state(), "rig")["display.saturation"] == 40
    assert words(rig) == ["Full", "Limited 16:235"] and find_drift(rig, book) == ()
    apply(rig, book, book.commit("rig", {"display.fit": "stretch"}))
    assert words(rig) == ["Automatic", "Full"]
    wrong = book.commit("rig", {"display.fit": "stretch", "display.scaler": "panel"})
    assert "together with display.fit=stretch" in str(preview(rig, wrong).refused)
    apply(rig, book, book.commit("rig", {"display.scaler": "gpu"}))
    assert words(rig) == ["Automatic", "Full"]  # the panel's own way to fit it is none of the GPU's
    for _ in range(3):
        undo(rig, book)
    assert words(rig) == ["Automatic", "None"] and not (rig.home / "picture-before.json").exists()
    server.close()


def test_a_desktops_preferences_are_set_and_put_back(tmp_path: Path, book: Logbook, monkeypatch: pytest.MonkeyPatch
                                                       ) -> None:
    for name, text in (("XDG_CURRENT_DESKTOP", "made-up:GNOME"), ("GSETTINGS_BACKEND", "keyfile"),
                       ("XDG_CONFIG_HOME", str(tmp_path)), ("WAYLAND_DISPLAY", ""), ("DISPLAY", "")):
        monkeypatch.setenv(name, text)
    if shutil.which("gsettings") is None or not rig_at(tmp_path)._parts.covers("rig", "background.telemetry"):
        pytest.skip("no such desktop's preferences here: apt-get install libglib2.0-bin gsettings-desktop-schemas")
    before = rig_at(tmp_path).state()
    wanted = {"background.visual-effects": False, "background.telemetry": True, "input.key-repeat-delay": 250,
              "input.key-repeat-interval": 20, "input.key-acceptance-delay": 120, "input.pointer-acceleration": False}
    rig = rig_at(tmp_path)
    apply(rig, book, book.commit("rig", {**wanted}))
    assert rig_at(tmp_path).values(rig_at(tmp_path).state(), "rig") == wanted
    kept = (tmp_path / "glib-2.0/settings/keyfile").read_text()
    assert "enable-animations=false" in kept and "accel-profile='flat'" in kept and "slowkeys-delay=120" in kept
    assert "delay=250" in kept
    undo(rig_at(tmp_path), book)
    assert rig_at(tmp_path).state() == before
    with pytest.raises(RefusedByRig, match="nothing that a desktop"):
        rig.put({"preferences/org.gnome.desktop.interface/enable-animations": b"--help"})


def test_the_sound_servers_buffer_is_set_and_put_back(tmp_path: Path, book: Logbook, monkeypatch: pytest.MonkeyPatch
                                                      ) -> None:
    """On a real server, which runs without a sound card."""
    runtime = tmp_path / "run"
    runtime.mkdir(mode=0o700)
    monkeypatch.setenv("XDG_RUNTIME_DIR", str(runtime))
    assert "sound.buffer" not in rig_at(tmp_path).catalog()  # no server, no setting
    with subprocess.Popen(["pipewire"], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL) as server:
        try:
            until = time.monotonic() + 20
            while "sound.buffer" not in rig_at(tmp_path).catalog() and time.monotonic() < until:
                time.sleep(0.1)
            rig, before = rig_at(tmp_path), rig_at(tmp_path).state()
            apply(rig, book, book.commit("rig", {"sound.buffer": 256}))
            assert rig_at(tmp_path).values(rig_at(tmp_path).state(), "rig") == {"sound.buffer": 256}
            with pytest.raises(BadValue, match="16 to"):
                rig.catalog()["sound.buffer"].checked(2)
            undo(rig_at(tmp_path), book)
            assert rig_at(tmp_path).state() == before and before["sound/buffer"] == b"0"
        finally:
            server.terminate()
    with pytest.raises(RefusedByRig, match="does not answer"):
        rig.put({"sound/buffer": b"256"})


def test_installed_games_are_listed_and_told_of_by_their_name(tmp_path: Path, keen: Run) -> None:
    applications = tmp_path / ".local" / "share" / "applications"
    applications.mkdir(parents=True)
    for name, text in {
            "org.made-up.Orbit": "Name=Brass Orbit\nName[de]=X\nExec=/opt/orbit/orbit --window %u\nPath=/opt/orbit\n"
                                "Categories=Game;",
            "hidden": "Name=Hidden\nExec=hidden\nCategories=Game;\nNoDisplay=true", "tool": "Name=Tool\nExec=tool",
            "started": "Name=Started\nExec=env A=1 started\nCategories=Game;", "broken": "Exec='\nCategories=Game;",
            "none": "Name=None\nCategories=Game;"}.items():
        (applications / f"{name}.desktop").write_text(f"[Desktop Entry]\n{text}\n[Desktop Action New]\nExec=else\n")
    (applications / "binary.desktop").write_bytes(b"\xff\xfe[Desktop Entry]")
    home = {"HOME": str(tmp_path), "XDG_DATA_DIRS": "/nowhere", "KEEN_RIG": "here"}
    listed = keen("rig", "game", **home).stdout
    assert "/opt/orbit/orbit --window" in listed and "env A=1 started" in listed
    assert not any(word in listed for word in ("hidden", "tool", "broken", "none", "%u"))
    told = keen("rig", "game", "orbit", **home).stdout
    assert all(part in " ".join(told.split()) for part in (
        "runs as orbit", "in the folder /opt/orbit", "started by /opt/orbit/orbit --window"))
    assert "runs as nothing that was told" in keen("rig", "game", "started", **home).stdout
    assert "Installed" not in keen("rig", "game", **home).stdout


def test_the_command_line_lists_what_starts_and_hides_it(tmp_path: Path, keen: Run) -> None:
    folder = tmp_path / "home/.config/autostart"
    folder.mkdir(parents=True)
    (folder / "chatter.desktop").write_text(ENTRY.format(name="chatter"))
    home = {"HOME": str(tmp_path / "home"), "XDG_CONFIG_HOME": ""}
    rig = rig_at(tmp_path)
    assert [rig.place_in_words(one) for one in (
        "display/PANEL-1/mode", "input/key-repeat", "input/pointer/x", "service/a.service", "pci/0000:01:00.0/cap",
        "/proc/x", "kernel-before.json")] == ["the monitor PANEL-1", "the X server's key repeat",
                                              "the X server's pointers", "the service a.service",
                                              "the device 0000:01:00.0", "", ""]
    assert "startup.chatter" in keen("catalog", "startup", "--rig", "here", **home).stdout
    keen("edit", "rig", "startup.chatter=off", "--rig", "here", **home)
    assert keen("apply", "rig", "--yes", "--rig", "here", **home).returncode == 0
    assert "Hidden=true" in (folder / "chatter.desktop").read_text().partition("[Other]")[0]
    assert keen("undo", "--rig", "here", **home).returncode == 0
    assert (folder / "chatter.desktop").read_text() == ENTRY.format(name="chatter")
