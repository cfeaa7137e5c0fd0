"""The devices on the PCI bus that are present, by SetupAPI: name, hardware key, and what interrupts each can raise."""

import ctypes
import sys
import uuid
from collections import Counter
from collections.abc import Iterator

assert sys.platform == "win32"

from keenlattice.rig.windows.interrupts import PciDevice
from keenlattice.rig.windows.system.libraries import library

ALL_CLASSES, PRESENT = 0x4, 0x2
DESCRIPTION, FRIENDLY_NAME = 0x0, 0xC
CLASS_NAME = 0x7
INVALID = ctypes.c_void_p(-1).value
ENUMERATED = r"SYSTEM\CurrentControlSet\Enum"
OF_PCI = "3ab22e31-8264-4b4e-9af5-a8d2d8e33e62"
CAN_INTERRUPT, MOST_MESSAGES = 14, 15
NAMES = {"Display": "gpu", "Net": "net", "HDC": "disk", "SCSIAdapter": "disk", "USB": "usb", "MEDIA": "sound"}
"""The system's class of a device to what ours are called; any other is a `device`."""
MOST = 200


class DeviceRecord(ctypes.Structure):
    """A device in a list of SetupAPI's."""

    _fields_ = [("size", ctypes.c_uint32), ("of_class", ctypes.c_ubyte * 16), ("number", ctypes.c_uint32),
                ("reserved", ctypes.c_void_p)]


class PropertyKey(ctypes.Structure):
    """The key of a device's property."""

    _fields_ = [("of", ctypes.c_ubyte * 16), ("number", ctypes.c_uint32)]


def devices() -> list[PciDevice]:
    """The devices that are present, each named after its class and counted: `gpu0`, `net0`."""
    setup = library("setupapi")
    setup.SetupDiGetClassDevsW.restype = ctypes.c_void_p
    listed = ctypes.c_void_p(setup.SetupDiGetClassDevsW(None, "PCI", None, ALL_CLASSES | PRESENT))
    if listed.value in (None, INVALID):
        return []
    counts: Counter[str] = Counter()
    try:
        return [_device(listed, info, counts) for info in _listed(listed)]
    finally:
        setup.SetupDiDestroyDeviceInfoList(listed)


def _listed(listed: ctypes.c_void_p) -> Iterator[DeviceRecord]:
    for number in range(MOST):
        info = DeviceRecord(ctypes.sizeof(DeviceRecord))
        if not library("setupapi").SetupDiEnumDeviceInfo(listed, number, ctypes.byref(info)):
            return
        yield info


def _device(listed: ctypes.c_void_p, info: DeviceRecord, counts: "Counter[str]") -> PciDevice:
    kind = NAMES.get(_text(listed, info, CLASS_NAME), "device")
    name = f"{kind}{counts[kind]}"
    counts[kind] += 1
    title = _text(listed, info, FRIENDLY_NAME) or _text(listed, info, DESCRIPTION).rpartition(";")[2] or name
    return PciDevice(name, title, rf"{ENUMERATED}\{_instance(listed, info)}", _property(listed, info, CAN_INTERRUPT),
                     _property(listed, info, MOST_MESSAGES))


def _instance(listed: ctypes.c_void_p, info: DeviceRecord) -> str:
    buffer = ctypes.create_unicode_buffer(400)
    done = library("setupapi").SetupDiGetDeviceInstanceIdW(listed, ctypes.byref(info), buffer, len(buffer), None)
    return buffer.value if done else ""


def _text(listed: ctypes.c_void_p, info: DeviceRecord, which: int) -> str:
    buffer = ctypes.create_unicode_buffer(512)
    done = library("setupapi").SetupDiGetDeviceRegistryPropertyW(
        listed, ctypes.byref(info), which, None, buffer, ctypes.sizeof(buffer), None)
    return buffer.value if done else ""


def _property(listed: ctypes.c_void_p, info: DeviceRecord, number: int) -> int:
    """A number that the bus gives for a device; 0 if it does not."""
    key = PropertyKey.from_buffer_copy(uuid.UUID(OF_PCI).bytes_le + number.to_bytes(4, "little"))
    held, kind = ctypes.c_uint32(), ctypes.c_uint32()
    done = library("setupapi").SetupDiGetDevicePropertyW(
        listed, ctypes.byref(info), ctypes.byref(key), ctypes.byref(kind), ctypes.byref(held), 4, None, 0)
    return held.value if done else 0
