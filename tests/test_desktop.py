"""The monitor: its modes read, turned on, read back and put back, on an X server with a monitor that is made up."""

import os
import shutil
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path

import pytest

from conftest import Keen as Run
from conftest import as_json
from keenlattice.catalog.values import Value
from keenlattice.errors import RefusedByRig
from keenlattice.logbook.book import Logbook
from keenlattice.rig.applying import apply, find_drift, preview
from keenlattice.rig.linux.desktop import place_of, settings
from keenlattice.rig.linux.driver import Driver
from keenlattice.rig.linux.machine import LinuxRig
from keenlattice.rig.linux.monitor import Mode, Monitor
from keenlattice.rig.undoing import undo


@pytest.fixture
def screen(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[str]:
    server, driver = shutil.which("Xorg"), Path("/usr/lib/xorg/modules/drivers/dummy_drv.so")
    if server is None or not driver.exists() or os.geteuid():
        pytest.skip("no X server with a made-up monitor here: apt-get install xserver-xorg-core "
                    "xserver-xorg-video-dummy, and root")
    reading, writing = os.pipe()
    running = subprocess.Popen(
        [server, "-displayfd", str(writing), "-config", str(Path(__file__).with_name("xorg.conf")), "-logfile",
         str(tmp_path / "xorg.log"), "-noreset", "-nolisten", "tcp"], pass_fds=(writing,), stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL)
    os.close(writing)
    with os.fdopen(reading) as number:
        display = f":{number.readline().strip()}"
    monkeypatch.setenv("DISPLAY", display)
    monkeypatch.delenv("WAYLAND_DISPLAY", raising=False)
    yield display
    running.terminate()
    running.wait()


@pytest.fixture
def on_wayland(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[LinuxRig]:
    """A rig on a Wayland desktop whose monitor is made up."""
    pytest.importorskip("pywayland")
    path = tmp_path / "socket"
    running = subprocess.Popen([sys.executable, str(Path(__file__).with_name("made_up_compositor.py")), str(path)])
    until = time.monotonic() + 10
    while not path.exists() and time.monotonic() < until:
        time.sleep(0.02)
    monkeypatch.setenv("WAYLAND_DISPLAY", str(path))
    monkeypatch.delenv("DISPLAY", raising=False)
    rig = LinuxRig(tmp_path / "state", tmp_path / ".drirc")
    rig.driver = Driver("made-up", "Nobody", "A renderer", "<driinfo></driinfo>")
    yield rig
    running.kill()
    running.wait()


@pytest.fixture
def rig(screen: str, tmp_path: Path) -> LinuxRig:
    made = LinuxRig(tmp_path / "state", tmp_path / ".drirc")
    made.driver = Driver("made-up", "Nobody", "A renderer", "<driinfo></driinfo>")
    return made


def on_now(rig: LinuxRig) -> str:
    return next(content.decode() for place, content in rig.state().items() if place.startswith("display/") and content)


@pytest.mark.real
def test_a_better_mode_is_found_turned_on_and_put_back(rig: LinuxRig, book: Logbook) -> None:
    before, facts = rig.state(), rig.facts()
    assert (facts["refresh_hz"], facts["best_refresh_hz"], facts["resolution"]) == (60, 120, "1280x800")
    apply(rig, book, book.commit("rig", {"display.refresh": 120}))
    assert on_now(rig) == "1280x800@119.93" and rig.facts()["refresh_hz"] == 120
    assert rig.catalog()["display.refresh"].stock == 60
    apply(rig, book, book.commit("rig", {"display.refresh": 75, "display.resolution": "1024x768"}))
    assert on_now(rig).startswith("1024x768@7") and find_drift(rig, book) == ()
    refused = preview(rig, book.commit("rig", {"display.refresh": 144})).refused["display.refresh"]
    assert "has 60, 120 Hz" in refused
    undo(rig, book)
    assert on_now(rig) == "1280x800@119.93"
    apply(rig, book, book.commit("rig", {}))  # unset: as it was before anything was set
    assert rig.state() == before and not (rig.home / "display-before.json").exists()


def test_a_compositors_monitor_is_set_and_put_back(on_wayland: LinuxRig, book: Logbook) -> None:
    rig = on_wayland
    before, facts = rig.state(), rig.facts()
    assert (facts["panel"], facts["refresh_hz"], facts["best_refresh_hz"]) == ("PANEL-1", 60, 120)
    apply(rig, book, book.commit("rig", {"display.refresh": 120}))
    assert on_now(rig) == "1280x800@120.00" and find_drift(rig, book) == ()
    apply(rig, book, book.commit("rig", {"display.refresh": 75, "display.resolution": "1024x768"}))
    assert on_now(rig) == "1024x768@75.00"
    refused = preview(rig, book.commit("rig", {"display.refresh": 144})).refused["display.refresh"]
    assert "has 60, 120 Hz" in refused
    undo(rig, book)
    assert on_now(rig) == "1280x800@120.00"
    undo(rig, book)
    assert rig.state() == before and not (rig.home / "display-before.json").exists()


@pytest.mark.real
def test_somebody_who_turns_it_back_is_drift(rig: LinuxRig, book: Logbook) -> None:
    apply(rig, book, book.commit("rig", {"display.refresh": 120}))
    assert rig._modes._monitors is not None
    rig._modes._monitors.turn_on("1280x800@59.81")
    (slipped,) = find_drift(rig, book)
    assert [(one.before, one.after) for one in slipped.changes] == [(120, 60)]
    undo(rig, book)
    assert on_now(rig) == "1280x800@59.81"


@pytest.mark.real
def test_the_survey_asks_its_first_question(screen: str, keen: Run) -> None:
    told = as_json(keen("survey", "--rig", "here", "--json", DISPLAY=screen))
    assert told["facts"]["best_refresh_hz"] == 120
    assert [one["why"] for one in told["findings"] if one["check"] == "panel-below-best"] == [
        "the panel can do 120 Hz and runs at 60 Hz"]


def meant(panel: Monitor, on: Mode, wanted: dict[str, Value]) -> str:
    """The mode for what is wanted, while one is on."""
    held = {place_of(panel): on.text}
    for setting in settings(panel, held):
        held |= setting.texts(wanted[setting.key], held) if setting.key in wanted else {}
    return held[place_of(panel)]


def test_the_mode_that_is_meant() -> None:
    modes = tuple(Mode(*size, rate) for size, rate in (
        ((1920, 1080), 59.94), ((1920, 1080), 143.98), ((1280, 720), 60.0), ((1280, 720), 50.0)))
    panel = Monitor("x", modes[0], modes, "1920x1080", True)
    assert meant(panel, modes[0], {"display.refresh": 60}) == modes[0].text
    assert meant(panel, modes[0], {"display.refresh": 144}) == modes[1].text
    assert meant(panel, modes[1], {"display.resolution": "1280x720"}) == modes[2].text  # the nearest to what was on
    assert meant(panel, modes[2], {"display.resolution": "native", "display.refresh": 144}) == modes[1].text
    for wanted in ({"display.refresh": 100}, {"display.resolution": "800x600"},
                   {"display.resolution": "1280x720", "display.refresh": 144}):
        with pytest.raises(RefusedByRig):
            meant(panel, modes[0], wanted)
    several = Monitor("x", modes[0], modes, "1920x1080", False)
    with pytest.raises(RefusedByRig, match="several monitors are on"):
        meant(several, modes[0], {"display.resolution": "1280x720"})
