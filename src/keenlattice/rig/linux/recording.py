"""By which way frames and clicks can be recorded on this desktop, how exact that is, and what would be better."""

import os
import shutil

X11 = "by the X server's DAMAGE events, to 0.2 ms on an idle machine; clicks by XTEST"


def ways() -> str:
    """In words, for a survey.

    >>> import os
    >>> os.environ |= {"DISPLAY": ":0", "WAYLAND_DISPLAY": ""}
    >>> ways()
    "by the X server's DAMAGE events, to 0.2 ms on an idle machine; clicks by XTEST"
    """
    at_hand, wayland = os.environ.get("DISPLAY"), os.environ.get("WAYLAND_DISPLAY")
    if at_hand and wayland:
        return f"of programs that draw by X11 (Xwayland), {X11}; of native Wayland programs not yet: start the game " \
               "with its X11 back end"
    if at_hand:
        return X11
    if wayland:
        return "not on this desktop: it offers programs no X display; an X11 session, or Xwayland, would do"
    if shutil.which("Xvfb"):
        return f"of the scene, on a private Xvfb, {X11}; there is no desktop here"
    return "not here: there is no X display"
