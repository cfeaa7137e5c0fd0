"""The primary monitor's modes, as the system lists and sets them."""

import sys
from functools import cached_property
from itertools import takewhile
from typing import Any

import pywintypes
import win32api
import win32con

assert sys.platform == "win32"

from keenlattice.errors import RefusedByRig
from keenlattice.rig.stored import Texts
from keenlattice.rig.windows.monitor import FIT, MODE, RANGE
from keenlattice.rig.windows.system.dynamic_range import high_range, set_high_range

PREFIX = "display/"
WIDTH, HEIGHT, RATE, FIXED = (win32con.DM_PELSWIDTH, win32con.DM_PELSHEIGHT, win32con.DM_DISPLAYFREQUENCY,
                              win32con.DM_DISPLAYFIXEDOUTPUT)
CURRENT = win32con.ENUM_CURRENT_SETTINGS
DONE, AFTER_RESTART = win32con.DISP_CHANGE_SUCCESSFUL, win32con.DISP_CHANGE_RESTART
LEAST_HZ = 24
MOST_MODES = 2000
WHY = {win32con.DISP_CHANGE_BADMODE: "it does not do that", win32con.DISP_CHANGE_FAILED: "its driver failed",
       AFTER_RESTART: "it would take a restart of the machine"}


class DisplayStore:
    """The primary monitor."""

    def owns(self, place: str) -> bool:
        """Return whether a place is one of these."""
        return place.startswith(PREFIX)

    def read(self) -> Texts:
        """Return what is on, and how other resolutions fit; nothing in a session without a monitor."""
        now = _mode(CURRENT)
        if now is None:
            return {}
        fit = {FIT: str(now.DisplayFixedOutput)} if now.Fields & FIXED else {}
        high = high_range()
        return {MODE: _text(now), **fit, **({RANGE: str(int(high))} if high is not None else {})}

    @cached_property
    def modes(self) -> list[str]:
        """All modes that the monitor has, as `1920x1080@60`."""
        listed = takewhile(bool, map(_mode, range(MOST_MODES)))
        return list(dict.fromkeys(map(_text, listed)))

    def check(self, texts: Texts) -> None:
        """Ask the system whether it would take a mode, without setting it."""
        if MODE in texts or FIT in texts:
            _change(_wanted(texts), win32con.CDS_TEST)

    def write(self, texts: Texts) -> None:
        """Set a mode, after a test of it, and the dynamic range; a mode is kept for later sessions."""
        if (high := texts.get(RANGE)) is not None:
            set_high_range(high == "1")
        if wanted := {place: text for place, text in texts.items() if place != RANGE and text is not None}:
            mode = _wanted(wanted)
            _change(mode, win32con.CDS_TEST)
            _change(mode, win32con.CDS_UPDATEREGISTRY)

    def in_words(self, place: str) -> str:
        """Return what a place is."""
        return "the primary monitor" if place.startswith(PREFIX) else ""


def _mode(number: int) -> Any:
    """A mode of the primary monitor; None if there is none of that number."""
    try:
        return win32api.EnumDisplaySettings(None, number)
    except pywintypes.error:
        return None


def _text(mode: Any) -> str:
    rate = mode.DisplayFrequency if mode.DisplayFrequency >= LEAST_HZ else 0
    return f"{mode.PelsWidth}x{mode.PelsHeight}" + (f"@{rate}" if rate else "")


def _wanted(texts: Texts) -> Any:
    """The mode that some places ask for; what they do not name stays."""
    mode = win32api.EnumDisplaySettings(None, CURRENT)
    mode.Fields = 0
    if text := texts.get(MODE):
        size, _, rate = text.partition("@")
        mode.PelsWidth, mode.PelsHeight = (int(part) for part in size.split("x"))
        mode.Fields |= WIDTH | HEIGHT
        if rate:
            mode.DisplayFrequency, mode.Fields = int(rate), mode.Fields | RATE
    if fit := texts.get(FIT):
        mode.DisplayFixedOutput, mode.Fields = int(fit), mode.Fields | FIXED
    return mode


def _change(mode: Any, how: int) -> None:
    code = win32api.ChangeDisplaySettings(mode, how)
    if code != DONE:
        raise RefusedByRig("the primary monitor cannot be set so: "
                           f"{WHY.get(code, f'the system answers {code}')}; nothing else was changed")
