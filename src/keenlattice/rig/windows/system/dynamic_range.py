"""The dynamic range of the primary monitor, by the functions that configure displays; systems that have none say so."""

import ctypes
import sys

assert sys.platform == "win32"

from keenlattice.errors import RefusedByRig
from keenlattice.rig.windows.system.libraries import library, refusal

ACTIVE_PATHS = 2
GET_COLOUR, SET_COLOUR = 9, 10
SUPPORTED, ENABLED = 1, 2
PATH_BYTES, MODE_BYTES = 72, 64
TARGET_AT = 20
"""Where a path's target begins: the adapter's id of 8 bytes, and the target's of 4; the source takes 20 before it."""


class Header(ctypes.Structure):
    """What every request to a display begins with."""

    _fields_ = [("kind", ctypes.c_uint32), ("size", ctypes.c_uint32), ("adapter", ctypes.c_ubyte * 8),
                ("target", ctypes.c_uint32)]


class Colour(ctypes.Structure):
    """What a display says of its colours: flags, encoding and bits."""

    _fields_ = [("header", Header), ("flags", ctypes.c_uint32), ("encoding", ctypes.c_uint32),
                ("bits", ctypes.c_uint32)]


class Wanted(ctypes.Structure):
    """Whether the high range is to be on."""

    _fields_ = [("header", Header), ("on", ctypes.c_uint32)]


def high_range() -> bool | None:
    """Return whether the high dynamic range is on; None where the monitor or the system has none."""
    colour = Colour()
    target = _primary()
    if target is None:
        return None
    _fill(colour.header, GET_COLOUR, ctypes.sizeof(Colour), target)
    try:
        code = library("user32").DisplayConfigGetDeviceInfo(ctypes.byref(colour))
    except AttributeError:
        return None
    return None if code or not colour.flags & SUPPORTED else bool(colour.flags & ENABLED)


def set_high_range(on: bool) -> None:
    """Switch the high dynamic range.

    Raises:
        RefusedByRig: the system does not take it.
    """
    wanted, target = Wanted(), _primary()
    if target is None:
        raise RefusedByRig("display.hdr: there is no monitor in this session")
    _fill(wanted.header, SET_COLOUR, ctypes.sizeof(Wanted), target)
    wanted.on = int(on)
    if code := library("user32").DisplayConfigSetDeviceInfo(ctypes.byref(wanted)):
        raise refusal("the monitor's dynamic range", code & 0xFFFFFFFF)


def _fill(header: Header, kind: int, size: int, target: bytes) -> None:
    header.kind, header.size = kind, size
    header.adapter, header.target = (ctypes.c_ubyte * 8).from_buffer_copy(target[:8]), int.from_bytes(
        target[8:], "little")


def _primary() -> bytes | None:
    """The adapter and the target of the first active path, which is the primary monitor's."""
    paths, modes = ctypes.c_uint32(), ctypes.c_uint32()
    user = library("user32")
    try:
        if user.GetDisplayConfigBufferSizes(ACTIVE_PATHS, ctypes.byref(paths), ctypes.byref(modes)) or not paths.value:
            return None
        held, of_modes = ctypes.create_string_buffer(PATH_BYTES * paths.value), ctypes.create_string_buffer(
            MODE_BYTES * max(modes.value, 1))
        if user.QueryDisplayConfig(ACTIVE_PATHS, ctypes.byref(paths), held, ctypes.byref(modes), of_modes, None):
            return None
    except AttributeError:
        return None
    return held.raw[TARGET_AT:TARGET_AT + 12]
