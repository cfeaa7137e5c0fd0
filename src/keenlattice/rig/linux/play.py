"""Plays a game on this machine for some seconds and records it from outside: our scene, or any window."""

import os
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from importlib.util import find_spec
from pathlib import Path
from typing import Any

import numpy as np

from keenlattice.errors import NeedsInstalling, RigError
from keenlattice.measure.capture import BY_SCREEN, Capture
from keenlattice.measure.telemetry import Watcher
from keenlattice.rig.gamelist import Listed
from keenlattice.rig.linux.children import start, stop, with_display
from keenlattice.rig.linux.launch import Start
from keenlattice.rig.linux.program import Running, game_running
from keenlattice.rig.linux.recorder import Live, Recorder, Spot
from keenlattice.rig.linux.scene import LAMP, SCENE
from keenlattice.rig.linux.seen import recorder_of
from keenlattice.rig.linux.settled import look, settled
from keenlattice.rig.linux.telemetry import taken_down
from keenlattice.rig.linux.vulkan import draws_by
from keenlattice.rig.linux.x11.server import x_display

WARM_UP_S = 0.6
WINDOW_WITHIN_S = 20.0
EXTRA = {"moderngl": "moderngl", "glfw": "glfw", "Xlib": "python-xlib"}  # module and package of the extra `linux`


def play_listed(listed: Listed, home: Path, seconds: float, seed: int, begin: Start,
                watcher: Watcher | None = None) -> Capture:
    """A game that the player has named, as it was found running, or started for this.

    Args:
        home: where the game looks for its user's configuration, if it is started.
        begin: how it is started; of one that runs already, its process is treated so meanwhile.
        watcher: learns how it goes.

    Raises:
        RigError: it cannot be started, shows no window, or goes away.
    """
    with (window_of(listed, home, begin) as (recorder, window, game, is_steady),
          taken_down(game.processes()) as telemetry):
        capture = recorder.record(window, seconds, seed, listed.answers_at, game.alive, listed.clicks_at,
                                  Live(watcher, telemetry.latest) if watcher else None)
        api = draws_by(game.processes())
        if game.commits is not None and capture.about.get("recorded_by") == BY_SCREEN:
            capture = game.commits.frames_of(capture)
    capture = telemetry.beside(capture)
    return replace(capture, about={**capture.about, "started": game.ours, "steady": is_steady,
                                   **({"api": api} if api else {})})


def find_spot(listed: Listed, home: Path, begin: Start) -> tuple[Spot, Spot]:
    """The pixel of a game's window that answers clicks, by a short look at what changes after some; and where it was
    clicked.

    Raises:
        RigError: as `play_listed`, or nothing answers.
    """
    with window_of(listed, home, begin) as (recorder, window, game, _):
        return look(recorder, window, game.alive)


@contextmanager
def window_of(listed: Listed, home: Path, begin: Start) -> Iterator[tuple[Recorder, Any, Running, bool]]:
    """A game's window, once it is there and has warmed up, and whether it has become steady; the game is then left, or
    ended, as the player has it."""
    with (x_display(private=False) as display,
          game_running(listed.game.name, listed.game.executables, listed.command, display, home,
                       replace(begin, folder=listed.folder), listed.leave_running) as game,
          recorder_of(game, display, os.environ.get("WAYLAND_DISPLAY", ""), WINDOW_WITHIN_S) as recorder):
        window, is_steady = settled(recorder, game, WINDOW_WITHIN_S)
        yield recorder, window, game, is_steady


def play_scene(home: Path, seconds: float, seed: int, begin: Start, watcher: Watcher | None = None) -> Capture:
    """Our scene, on the display at hand or on its own.

    Raises:
        RigError: it ends, or shows nothing.
    """
    from keenlattice.rig.linux.x11.probe import Probe

    with x_display() as display, tempfile.TemporaryDirectory(prefix="keen-") as folder:
        stamps = Path(folder) / "stamps"
        with scene_running(display, home, stamps, begin) as scene:
            probe = Probe(display)
            try:
                window = probe.find(lambda: {scene.pid}, WINDOW_WITHIN_S, lambda: scene.poll() is None)
                time.sleep(WARM_UP_S)
                with taken_down([scene.pid]) as telemetry:
                    capture = probe.record(window, seconds, seed, LAMP, lambda: scene.poll() is None, live=Live(
                        watcher, telemetry.latest) if watcher else None)
            finally:
                probe.close()
        capture = telemetry.beside(capture)
        return replace(capture, about={**capture.about, "scene_frame_ms_p50": _own_median(stamps, capture)})


@contextmanager
def scene_running(display: str, home: Path, stamps: Path,
                  begin: Start | None = None) -> Iterator["subprocess.Popen[bytes]"]:
    """Our scene program, running on a display; it has ended, and left its stamps, once this is over.

    The driver looks for its configuration in `HOME`, so that is where the scene learns that it is.
    """
    command = [sys.executable, "-P", "-m", "keenlattice.rig.linux.scene", "--name", SCENE.executables[0],
               "--stamps", str(stamps)]
    begin = begin or Start()
    # One thread for drawing in software, so that on two cores the one that measures is not kept waiting.
    environment = {"LP_NUM_THREADS": "1", **with_display(display), "HOME": str(home), **begin.environment}
    log = stamps.with_suffix(".log")
    with log.open("wb") as errors:
        scene = start(command, begin.before_it_runs, env=environment, stdout=errors, stderr=errors)
        try:
            yield scene
        except RigError as error:  # why the scene ended is more than that it is gone
            raise RigError(_last_words(scene.poll(), log) or str(error)) from None
        finally:
            ended_by_itself = scene.poll()
            stop(scene)
    if words := _last_words(ended_by_itself, log):
        raise RigError(words)


def _last_words(exit_code: int | None, log: Path) -> str:
    """What a scene that ended by itself said last; empty if it has not."""
    if not exit_code:
        return ""
    lines = log.read_text(errors="replace").strip().splitlines()
    return f"the scene ended with exit code {exit_code}: {lines[-1] if lines else 'it said nothing'}"


def _own_median(stamps: Path, capture: Capture) -> float:
    """The scene's own median frame time over the recorded stretch: what the recording is checked against."""
    own = np.loadtxt(stamps, ndmin=1)
    begin = capture.about["clock_start_s"]
    inside = own[(own >= begin) & (own <= begin + capture.seconds)]
    return float(np.median(np.diff(inside)) * 1000) if inside.size > 2 else float("nan")


def check_installed() -> None:
    """Whether this machine has what measuring takes.

    Raises:
        NeedsInstalling: it has not; the message names the command that installs it.
    """
    missing = [package for module, package in EXTRA.items() if find_spec(module) is None]
    if missing:
        raise NeedsInstalling(f"measuring on Linux needs its extra packages: pip install {' '.join(missing)}")
    if shutil.which("Xvfb") is None and not (os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY")):
        raise NeedsInstalling("there is no X display, and no Xvfb to make one; install it: apt-get install xvfb")
