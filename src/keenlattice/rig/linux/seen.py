"""How a game is recorded here: by X11 if it has a window, else by the Wayland compositor; and how exact that is."""

import os
import shutil
import time
from collections.abc import Iterator
from contextlib import contextmanager
from typing import TYPE_CHECKING

from keenlattice.errors import NeedsInstalling, RigError
from keenlattice.rig.linux.program import Running
from keenlattice.rig.linux.recorder import Recorder
from keenlattice.rig.linux.wayland.clients import is_connected

if TYPE_CHECKING:
    from keenlattice.rig.linux.wayland.probe import WaylandProbe

NATIVE_AFTER_S = 2.0  # a program connected to the compositor for so long, without a window on X11, draws by Wayland


@contextmanager
def recorder_of(game: Running, display: str, compositor: str, patience_s: float) -> Iterator[Recorder]:
    """What records a game; its connection is ended when this is over.

    Args:
        display: the X display's name; empty for none.
        compositor: the Wayland compositor's socket; empty for none.
        patience_s: how long is waited for the game to be seen on either.

    Raises:
        RigError: neither can be recorded, or what it takes is not installed.
    """
    recorder = _chosen(game, display, compositor, patience_s)
    try:
        yield recorder
    finally:
        recorder.close()


def _chosen(game: Running, display: str, compositor: str, patience_s: float) -> Recorder:
    from keenlattice.rig.linux.x11.probe import Probe  # needs a package that setting and looking do not

    if not compositor:
        return Probe(display)
    if not display:
        return _by_wayland(compositor)
    try:
        x11 = Probe(display)
    except RigError:  # a display that is not there, or not ours, is not a reason while there is another way
        return _by_wayland(compositor)
    until, connected_s = time.perf_counter() + patience_s, 0.0
    while time.perf_counter() < until and game.alive():
        processes = game.processes()
        if x11.shows(processes):
            return x11
        if is_connected(processes, compositor):
            connected_s = connected_s or time.perf_counter()
            if time.perf_counter() - connected_s > NATIVE_AFTER_S:
                x11.close()
                return _by_wayland(compositor)
        time.sleep(0.05)
    return x11


def _by_wayland(compositor: str) -> "WaylandProbe":
    try:
        from keenlattice.rig.linux.wayland.probe import WaylandProbe
    except ImportError:
        raise NeedsInstalling("this game draws by Wayland, and recording it takes a package more: pip install "
                              "pywayland") from None
    return WaylandProbe(compositor)


X11 = ("by the X server's word of what is drawn (DAMAGE) or presented (Present, where a GPU draws), to 0.2 ms on an "
       "idle machine; clicks by XTEST")
XWAYLAND = "of programs that draw by X11 (Xwayland), "
INSTEAD = "start a game with its X11 back end"


def ways() -> str:
    """In words, for a survey.

    >>> from unittest.mock import patch
    >>> with patch.dict(os.environ, {"DISPLAY": ":0", "WAYLAND_DISPLAY": ""}):
    ...     ways() == X11
    True
    """
    at_hand, wayland = os.environ.get("DISPLAY"), os.environ.get("WAYLAND_DISPLAY")
    if wayland:
        return f"{XWAYLAND}{X11}; of native Wayland programs, {_wayland_way(wayland)}" if at_hand else _wayland_way(
            wayland)
    if at_hand:
        return X11
    if shutil.which("Xvfb"):
        return f"of the scene, on a private Xvfb, {X11}; there is no desktop here"
    return "not here: there is no X display"


def _wayland_way(name: str) -> str:
    try:
        from keenlattice.rig.linux.wayland.compositor import Compositor
        from keenlattice.rig.linux.wayland.protocol import Pointers, Screencopy
    except ImportError:
        return f"not yet, for a package is missing: pip install pywayland; or {INSTEAD}"
    try:
        compositor = Compositor(name)
    except RigError as error:
        return f"not: {error}"
    try:
        if not compositor.offers(Screencopy):
            return f"not: this compositor lets no program copy its frames; {INSTEAD}, or take an X11 session"
        rates = ", ".join(f"{round(output.refresh_hz)}" for output in compositor.outputs if output.refresh_hz)
        return ("by copies of the frames that the compositor shows, at its own time of each: no more than the screen's "
                f"{rates or 'own'} a second, and the game alone on its screen; " + (
                    "clicks by a virtual pointer" if compositor.offers(Pointers) else "no clicks, so no latency") +
                f"; to see every frame, {INSTEAD}")
    finally:
        compositor.close()
