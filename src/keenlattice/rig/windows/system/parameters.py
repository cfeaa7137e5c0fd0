"""The system's parameters for keys, the pointer and effects (SystemParametersInfo), each as numbers in a text."""

import ctypes
import sys
from collections.abc import Mapping

from keenlattice.quickly import dataclass

assert sys.platform == "win32"

from keenlattice.rig.stored import Texts
from keenlattice.rig.windows.system.libraries import library, refusal

PREFIX = "parameter/"
KEEP_AND_TELL = 3
"""Write it to the player's own settings, and tell all programs."""


class FilterKeys(ctypes.Structure):
    """The filter keys: flags, and times in ms."""

    _fields_ = [("size", ctypes.c_uint32), ("flags", ctypes.c_uint32), ("wait", ctypes.c_uint32),
                ("delay", ctypes.c_uint32), ("repeat", ctypes.c_uint32), ("bounce", ctypes.c_uint32)]


@dataclass(frozen=True)
class Parameter:
    """One of the system's parameters.

    Args:
        get, set: the numbers of the actions that read and write it.
        kind: "switch" or "number" in the second argument or the third; "three" numbers; or "filter".
        in_third: whether a switch is written in the third argument, as pointer-sized.
    """

    get: int
    set: int
    kind: str
    in_third: bool = False


PARAMETERS: Mapping[str, Parameter] = {
    "parameter/key-delay": Parameter(0x0016, 0x0017, "number"),
    "parameter/key-speed": Parameter(0x000A, 0x000B, "number"),
    "parameter/pointer": Parameter(0x0003, 0x0004, "three"),
    "parameter/filter-keys": Parameter(0x0032, 0x0033, "filter"),
    "parameter/interface-effects": Parameter(0x103E, 0x103F, "number", in_third=True),
    "parameter/client-animation": Parameter(0x1042, 0x1043, "number", in_third=True),
    "parameter/menu-animation": Parameter(0x1002, 0x1003, "number", in_third=True),
    "parameter/combo-animation": Parameter(0x1004, 0x1005, "number", in_third=True),
    "parameter/list-scrolling": Parameter(0x1006, 0x1007, "number", in_third=True),
    "parameter/drop-shadow": Parameter(0x1024, 0x1025, "number", in_third=True),
    "parameter/whole-windows": Parameter(0x0026, 0x0025, "number")}


class ParameterStore:
    """Those of PARAMETERS that this system tells."""

    def owns(self, place: str) -> bool:
        """Return whether a place is one of these."""
        return place.startswith(PREFIX)

    def read(self) -> Texts:
        """Return the numbers of each."""
        return {place: text for place in PARAMETERS if (text := _read(PARAMETERS[place])) is not None}

    def check(self, texts: Texts) -> None:
        """Everybody may set their own."""

    def write(self, texts: Texts) -> None:
        """Set some parameters, for now and for later sessions."""
        for place, text in texts.items():
            if text is not None and not _write(PARAMETERS[place], [int(part) for part in text.split()]):
                raise refusal(f"{self.in_words(place)} at {text}", ctypes.get_last_error())

    def in_words(self, place: str) -> str:
        """Return what a place is."""
        name = place.removeprefix(PREFIX).replace("-", " ")
        return f"the system's parameter {name}" if place.startswith(PREFIX) else ""


def _call(action: int, second: int, third: object, keep: int) -> bool:
    return bool(library("user32").SystemParametersInfoW(action, second, third, keep))


def _read(parameter: Parameter) -> str | None:
    if parameter.kind == "filter":
        keys = FilterKeys(ctypes.sizeof(FilterKeys))
        done = _call(parameter.get, keys.size, ctypes.byref(keys), 0)
        return f"{keys.flags} {keys.wait} {keys.delay} {keys.repeat} {keys.bounce}" if done else None
    numbers = (ctypes.c_int * (3 if parameter.kind == "three" else 1))()
    return " ".join(map(str, numbers)) if _call(parameter.get, 0, numbers, 0) else None


def _write(parameter: Parameter, numbers: list[int]) -> bool:
    if parameter.kind == "filter":
        keys = FilterKeys(ctypes.sizeof(FilterKeys), *numbers)
        return _call(parameter.set, keys.size, ctypes.byref(keys), KEEP_AND_TELL)
    if parameter.kind == "three":
        return _call(parameter.set, 0, (ctypes.c_int * 3)(*numbers), KEEP_AND_TELL)
    if parameter.in_third:
        return _call(parameter.set, 0, ctypes.c_void_p(numbers[0]), KEEP_AND_TELL)
    return _call(parameter.set, numbers[0], None, KEEP_AND_TELL)
