"""By which way frames and clicks can be recorded on this desktop, how exact that is, and what would be better."""

import os
import shutil

from keenlattice.errors import RigError

X11 = ("by the X server's word of what is drawn (DAMAGE) or presented (Present, where a GPU draws), to 0.2 ms on an "
       "idle machine; clicks by XTEST")
XWAYLAND = "of programs that draw by X11 (Xwayland), "
INSTEAD = "start a game with its X11 back end"


def ways() -> str:
    """In words, for a survey.

    >>> import os
    >>> os.environ |= {"DISPLAY": ":0", "WAYLAND_DISPLAY": ""}
    >>> ways() == X11
    True
    """
    at_hand, wayland = os.environ.get("DISPLAY"), os.environ.get("WAYLAND_DISPLAY")
    if wayland:
        return f"{XWAYLAND}{X11}; of native Wayland programs, {_by_wayland(wayland)}" if at_hand else _by_wayland(
            wayland)
    if at_hand:
        return X11
    if shutil.which("Xvfb"):
        return f"of the scene, on a private Xvfb, {X11}; there is no desktop here"
    return "not here: there is no X display"


def _by_wayland(name: str) -> str:
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
