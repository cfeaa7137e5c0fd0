"""Power schemes: which is on, and the processor's values of each, on mains power."""

import ctypes
import sys
import uuid
from collections.abc import Iterator

assert sys.platform == "win32"

from keenlattice.rig.stored import Texts
from keenlattice.rig.windows.processor import ACTIVE, PROCESSOR, VALUES, value_place
from keenlattice.rig.windows.system.libraries import library, refusal

PREFIX = "power/"
SCHEMES_ONLY = 16
OF_MAINS_VALUES, OF_THE_ACTIVE_SCHEME, TO_WRITE = 0, 19, 0x20006
MOST_SCHEMES = 64


class Guid(ctypes.Structure):
    """A scheme's, a subgroup's or a value's id."""

    _fields_ = [("data", ctypes.c_ubyte * 16)]


def _guid(text: str) -> Guid:
    return Guid.from_buffer_copy(uuid.UUID(text).bytes_le)


class PowerStore:
    """The power schemes of this machine."""

    def owns(self, place: str) -> bool:
        """Return whether a place is one of these."""
        return place.startswith(PREFIX)

    def read(self) -> Texts:
        """Return which scheme is on, and the processor's values of all; nothing, where the functions are missing."""
        active = _active()
        if active is None:
            return {}
        values = {value_place(scheme, name): _value(scheme, VALUES[name]) for scheme in {active, *_schemes()}
                  for name in VALUES}
        return {ACTIVE: active, **{place: text for place, text in values.items() if text is not None}}

    def check(self, texts: Texts) -> None:
        """Check whether the system's policy and our rights let us write these."""
        for place in texts:
            setting, of = (OF_THE_ACTIVE_SCHEME, texts[place] or "") if place == ACTIVE else (
                OF_MAINS_VALUES, place.split("/")[2])
            _checked(place, _powrprof().PowerSettingAccessCheckEx(setting, ctypes.byref(_guid(of)), TO_WRITE))

    def write(self, texts: Texts) -> None:
        """Write values, then make the scheme that is to be on the active one, which brings them into effect."""
        active = texts.get(ACTIVE) or _active()
        for place, text in texts.items():
            if place == ACTIVE or text is None:
                continue
            _, scheme, value = place.split("/")
            _checked(place, _powrprof().PowerWriteACValueIndex(None, ctypes.byref(_guid(scheme)), ctypes.byref(
                _guid(PROCESSOR)), ctypes.byref(_guid(value)), ctypes.c_uint32(int(text))))
        if active is not None:
            _checked(ACTIVE, _powrprof().PowerSetActiveScheme(None, ctypes.byref(_guid(active))))

    def in_words(self, place: str) -> str:
        """Return what a place is."""
        if not place.startswith(PREFIX):
            return ""
        names = {value: name for name, value in VALUES.items()}
        return "the power plan that is on" if place == ACTIVE else (
            f"{names[place.split('/')[2]]} of the power plan {place.split('/')[1][:8]}")


def _powrprof() -> ctypes.WinDLL:
    return library("powrprof")


def _active() -> str | None:
    scheme = ctypes.POINTER(Guid)()
    try:
        if _powrprof().PowerGetActiveScheme(None, ctypes.byref(scheme)):
            return None
    except (OSError, AttributeError):  # a system without these functions
        return None
    text = str(uuid.UUID(bytes_le=bytes(scheme.contents.data)))
    library("kernel32").LocalFree(ctypes.cast(scheme, ctypes.c_void_p))
    return text


def _schemes() -> Iterator[str]:
    for number in range(MOST_SCHEMES):
        scheme, size = Guid(), ctypes.c_uint32(ctypes.sizeof(Guid))
        if _powrprof().PowerEnumerate(None, None, None, SCHEMES_ONLY, number, ctypes.byref(scheme), ctypes.byref(size)):
            return
        yield str(uuid.UUID(bytes_le=bytes(scheme.data)))


def _value(scheme: str, value: str) -> str | None:
    held = ctypes.c_uint32()
    code = _powrprof().PowerReadACValueIndex(None, ctypes.byref(_guid(scheme)), ctypes.byref(_guid(PROCESSOR)),
                                             ctypes.byref(_guid(value)), ctypes.byref(held))
    return None if code else str(held.value)


def _checked(place: str, code: int) -> None:
    if code:
        raise refusal(PowerStore().in_words(place), code)
