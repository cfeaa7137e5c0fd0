"""A Wayland desktop without a screen: programs that draw by it or by Xwayland, recorded by what the compositor says."""

import os
import re
import shutil
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from contextlib import suppress
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from keenlattice.errors import RefusedByRig, RigError
from keenlattice.logbook.book import Logbook
from keenlattice.profile.matching import Game
from keenlattice.rig.applying import apply, find_drift
from keenlattice.rig.gamelist import Listed, add_game, read_games
from keenlattice.rig.linux.machine import LinuxRig
from keenlattice.rig.linux.seen import ways
from keenlattice.rig.linux.wayland.clients import is_connected
from keenlattice.rig.undoing import undo
from test_linux import real_driver

pytest.importorskip("pywayland")
# A compositor does not run as root: it takes us for an ordinary user of its own namespace.
ORDINARY = ("unshare", "--user", "--map-user=1000", "--map-group=1000") if os.geteuid() == 0 else ()
CONFIGURATION = """
output HEADLESS-1 mode --custom 800x600@60Hz
for_window [title="toy"] fullscreen enable
exec echo $DISPLAY > {folder}/display
"""


def started(folder: Path, monkeypatch: pytest.MonkeyPatch, *command: str) -> "subprocess.Popen[bytes]":
    """A compositor without a screen; this process is then on its desktop."""
    if shutil.which(command[0]) is None or subprocess.run([*ORDINARY, "true"], stderr=subprocess.DEVNULL).returncode:
        pytest.skip(f"no compositor here: apt-get install {command[0]}; as root, namespaces of users too")
    headless = {"XDG_RUNTIME_DIR": str(folder), "WLR_BACKENDS": "headless", "WLR_RENDERER": "pixman",
                "WLR_LIBINPUT_NO_DEVICES": "1", "HOME": str(folder), "PATH": os.environ["PATH"]}
    with (folder / "log").open("wb") as log:
        running = subprocess.Popen([*ORDINARY, *command], env=headless, stdout=log, stderr=log)
    until = time.monotonic() + 20
    while not (found := [one for one in folder.glob("wayland-*") if one.suffix != ".lock"]):
        assert running.poll() is None and time.monotonic() < until, (folder / "log").read_text(errors="replace")
        time.sleep(0.05)
    monkeypatch.setenv("XDG_RUNTIME_DIR", str(folder))
    monkeypatch.setenv("WAYLAND_DISPLAY", found[0].name)
    monkeypatch.delenv("DISPLAY", raising=False)
    return running


@pytest.fixture
def desktop(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Path]:
    folder = tmp_path / "desktop"
    folder.mkdir()
    (folder / "config").write_text(CONFIGURATION.format(folder=folder))
    running = started(folder, monkeypatch, "sway", "-c", str(folder / "config"))
    yield folder
    running.terminate()
    running.wait()


def test_a_compositors_outputs_are_set_and_put_back(tmp_path: Path, desktop: Path, book: Logbook,
                                                    monkeypatch: pytest.MonkeyPatch) -> None:
    until = time.monotonic() + 20
    while not (sockets := list(desktop.glob("sway-ipc*.sock"))) and time.monotonic() < until:
        time.sleep(0.05)
    monkeypatch.setenv("SWAYSOCK", str(sockets[0]))
    rig = rig_with(tmp_path)
    before = rig.state()
    assert before["compositor/HEADLESS-1/render-time"] == b"off"
    apply(rig, book, book.commit("rig", {"compositor.render-time": 4}))
    again = rig_with(tmp_path)
    assert again.values(again.state(), "rig") == {"compositor.render-time": 4} and find_drift(again, book) == ()
    with pytest.raises(RigError, match="variable-refresh reads back"):  # accepted, and not kept: this screen has none
        apply(again, book, book.commit("rig", {"compositor.variable-refresh": True}))
    undo(again, book)
    assert rig.state() == before
    with pytest.raises(RefusedByRig, match="nothing that an output"):
        rig.put({"compositor/HEADLESS-1/render-time": b"4; exit"})
    monkeypatch.setenv("SWAYSOCK", str(desktop / "wayland-1"))  # a socket that speaks otherwise
    assert "compositor.render-time" not in rig_with(tmp_path).catalog()


def rig_with(tmp_path: Path, *command: str, executable: str = "no-such") -> LinuxRig:
    (tmp_path / "home").mkdir(exist_ok=True)
    add_game(tmp_path / "state", Listed(Game("game", "Game", (executable,)), command))
    return LinuxRig(tmp_path / "state", tmp_path / "home" / ".drirc")


@real_driver
@pytest.mark.skipif(not shutil.which("vkcube-wayland"), reason="no vkcube-wayland here: apt-get install vulkan-tools")
def test_a_vulkan_program_on_wayland_is_recorded_as_it_hands_over_its_frames(tmp_path: Path, desktop: Path) -> None:
    log = tmp_path / "said"
    rig = rig_with(tmp_path, "sh", "-c", f"WAYLAND_DEBUG=client exec vkcube-wayland 2> {log}")
    run = rig.play("game", 4, 1)
    assert run.about["recorded_by"] == "screen copy" and run.about["others_shown"] is False
    assert run.about["api"] == "vulkan" and run.latency_ms.size == 0
    said = np.array([float(one) for one in re.findall(r"\[ *([\d.]+)\]  -> wl_surface@\d+\.commit", log.read_text())])
    own = np.diff(said)[-run.frame_ms.size:]
    handed_over = int((said > said[-1] - 1000 * run.seconds).sum())
    assert 1 - run.shown_ms.size / handed_over <= run.about["missed_share"] + 0.03  # what is said is a bound
    # Each frame that is missed makes one of two, so the mean is longer by the share that the run says it may lack.
    assert own.mean() * 0.97 <= run.frame_ms.mean() <= own.mean() * (1.03 + run.about["missed_share"])
    assert np.median(run.frame_ms) == pytest.approx(np.median(own), rel=0.03)


TOY = '''
import mmap, os, sys, time
from pywayland.client import Display
from pywayland.protocol.wayland import WlCompositor, WlSeat, WlShm
from pywayland.protocol.xdg_shell import XdgWmBase
WIDTH, HEIGHT, LAMP = 800, 600, 60
display, offered, state = Display(), {}, {"lit": False, "go": False}
display.connect()
registry = display.get_registry()
registry.dispatcher["global"] = lambda _, number, name, version: offered.__setitem__(name, number)
display.roundtrip()
bound = {one: registry.bind(offered[one.name], one, 1) for one in (WlCompositor, WlShm, WlSeat, XdgWmBase)}
def seated(seat, can):
    if can & 1 and "pointer" not in state:
        state["pointer"] = seat.get_pointer()
        state["pointer"].dispatcher["button"] = pressed
def pressed(_, serial, at, which, down):
    state["lit"] ^= down == 1
bound[WlSeat].dispatcher["capabilities"] = seated
surface = bound[WlCompositor].create_surface()
shell = bound[XdgWmBase].get_xdg_surface(surface)
def ready(_, serial):
    shell.ack_configure(serial)
    state.update(go=True)
shell.dispatcher["configure"] = ready
top = shell.get_toplevel()
top.set_title("toy")
surface.commit()
display.roundtrip()
file = os.memfd_create("toy")
os.ftruncate(file, WIDTH * HEIGHT * 4)
memory = mmap.mmap(file, WIDTH * HEIGHT * 4)
buffer = bound[WlShm].create_pool(file, WIDTH * HEIGHT * 4).create_buffer(0, WIDTH, HEIGHT, WIDTH * 4, 1)
def put(left, size, colour):
    for row in range(10, 10 + size):
        at = 4 * (row * WIDTH + left)
        memory[at:at + 4 * size] = colour.to_bytes(4, "little") * size
frame = 0
while True:
    display.dispatch()
    display.roundtrip()
    if not state["go"]:
        continue
    put(10, LAMP, 0xFFFFFF if state["lit"] else 0)
    put(200, LAMP, frame * 77777 & 0xFFFFFF)
    surface.attach(buffer, 0, 0)
    surface.damage(0, 0, WIDTH, HEIGHT)
    surface.commit()
    display.flush()
    frame += 1
    time.sleep(0.03)
'''


@real_driver
def test_what_a_game_that_we_start_hands_over_counts_and_what_was_missed_is_bounded(tmp_path: Path, desktop: Path
                                                                                   ) -> None:
    """The game's own log is an independent count of its frames, on a machine with nothing to spare."""
    busy = [subprocess.Popen([sys.executable, "-c", "while True: pass"]) for _ in range(4)]
    try:
        run = rig_with(tmp_path, sys.executable, "-c", TOY).play("game", 4, 1)
    finally:
        for one in busy:
            one.kill()
            one.wait()
    assert run.about["recorded_by"] == "commits" and 25 < np.median(run.frame_ms) < 60
    shown, handed_over = run.about["frames_on_screen"], run.shown_ms.size
    missed = max(0, handed_over - shown - 2) / handed_over  # a frame at either end may be on one side alone
    assert missed <= run.about["screen_missed_share"] + 0.02


@real_driver
def test_clicks_on_wayland_are_answered_where_a_look_says(tmp_path: Path, desktop: Path,
                                                          monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("keenlattice.rig.linux.settled.CLICKS", 5)
    rig = rig_with(tmp_path, sys.executable, "-c", TOY)
    (x, y), clicked = rig.find_spot("game")
    assert 10 <= x < 70 and 10 <= y < 70 and clicked == (400, 300)
    add_game(rig.home, replace(read_games(rig.home)["game"], answers_at=(x, y), clicks_at=clicked))
    run = LinuxRig(rig.home, rig.config).play("game", 3, 1)
    assert run.latency_ms.size > 10 and 5 < np.median(run.latency_ms) < 90
    assert 25 < np.median(run.frame_ms) < 45


@real_driver
def test_a_program_on_xwayland_is_recorded_by_x11_and_one_beside_it_by_wayland(
        tmp_path: Path, desktop: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    until = time.monotonic() + 10
    while not (desktop / "display").exists() and time.monotonic() < until:
        time.sleep(0.1)
    if not (display := (desktop / "display").read_text().strip()):
        pytest.skip("the compositor starts no Xwayland: apt-get install xwayland")
    monkeypatch.setenv("DISPLAY", display)
    run = rig_with(tmp_path, "glxgears").play("game", 2, 1)
    assert run.about["recorded_by"] == "damage" and run.frame_ms.size > 60
    native = rig_with(tmp_path, sys.executable, "-c", TOY).play("game", 2, 1)
    assert native.about["recorded_by"] == "commits" and 40 < native.frame_ms.size < 80
    assert "of native Wayland programs" in ways() and "Xwayland" in ways()


@real_driver
def test_a_compositor_that_shows_nobody_its_frames_is_said_to_be_one(tmp_path: Path,
                                                                     monkeypatch: pytest.MonkeyPatch) -> None:
    folder = tmp_path / "desktop"
    folder.mkdir()
    running = started(folder, monkeypatch, "weston", "--backend=headless-backend.so", "--idle-time=0")
    try:
        with pytest.raises(RigError, match="lets no program copy its frames") as raised:
            rig_with(tmp_path, "weston-simple-shm").play("game", 1, 1)
        assert "\n" not in str(raised.value) and "lets no program copy" in ways()
    finally:
        running.terminate()
        running.wait()


@real_driver
def test_a_desktop_that_ends_or_shows_nothing_is_one_line(tmp_path: Path, desktop: Path,
                                                          monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("keenlattice.rig.linux.play.WINDOW_WITHIN_S", 1.0)
    monkeypatch.setattr("keenlattice.rig.linux.settled.LOADS_WITHIN_S", 2.0)
    with pytest.raises(RigError, match="shows no new frames"):
        rig_with(tmp_path, "sleep", "60").play("game", 1, 1)
    rig = rig_with(tmp_path, "sh", "-c", f"{sys.executable} -c '{TOY}' & sleep 4; pkill -f {desktop}/config; sleep 9")
    with pytest.raises(RigError, match=r"compositor went away|was turned off|ended while"):
        rig.play("game", 20, 1)
    monkeypatch.setenv("WAYLAND_DISPLAY", "no-such")
    with pytest.raises(RigError, match="no Wayland compositor answers at 'no-such'"):
        rig_with(tmp_path, "sleep", "60").play("game", 1, 1)


@pytest.mark.parametrize("answer", [b"", b"\xff" * 64, bytes(64)])
def test_a_compositor_that_does_not_answer_or_talks_nonsense_is_no_hang(tmp_path: Path, answer: bytes,
                                                                        monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("keenlattice.rig.linux.wayland.compositor.ANSWERS_WITHIN_S", 0.3)
    monkeypatch.setenv("WAYLAND_DISPLAY", str(tmp_path / "socket"))
    monkeypatch.delenv("DISPLAY", raising=False)
    kept = []
    with socket.socket(socket.AF_UNIX) as server:
        server.bind(str(tmp_path / "socket"))
        server.listen()

        def answer_all() -> None:
            with suppress(OSError):
                while True:
                    kept.append(server.accept()[0])
                    kept[-1].sendall(answer)

        threading.Thread(target=answer_all, daemon=True).start()
        assert re.search("not: .*(gave no answer|went away)", ways())
        assert "panel" not in LinuxRig(tmp_path / "state", tmp_path / ".drirc").facts()  # all else is given
        server.shutdown(socket.SHUT_RDWR)


def test_who_is_connected_is_known_by_the_socket(tmp_path: Path) -> None:
    with socket.socket(socket.AF_UNIX) as server, socket.socket(socket.AF_UNIX) as client:
        server.bind(str(tmp_path / "socket"))
        server.listen()
        assert not is_connected([os.getpid()], str(tmp_path / "socket"))
        client.connect(str(tmp_path / "socket"))
        accepted, _ = server.accept()
        assert is_connected([os.getpid()], str(tmp_path / "socket"))
        assert not is_connected([os.getppid()], str(tmp_path / "socket"))
        accepted.close()
