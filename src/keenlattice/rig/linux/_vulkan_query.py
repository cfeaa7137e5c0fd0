"""Asks the Vulkan loader which devices there are and which driver each has; run as a separate program, by `vulkan`.

It imports nothing of ours, so that it starts in no time. It prints a JSON list of device name, driver number (of the
open standard's list of drivers) and driver name. Exit code 3: there is no loader, or it finds no driver.
"""

import ctypes
import json
import sys

INSTANCE, PROPERTIES_2, DRIVER_PROPERTIES = 1, 1000059001, 1000196000
VERSION_1_2 = (1 << 22) | (2 << 12)
NAME_AT, NAME_LENGTH = 20, 256            # in the properties of a device
PROPERTIES_SIZE, DRIVER_NAME_LENGTH = 824, 256


class ApplicationInfo(ctypes.Structure):
    _fields_ = (("type", ctypes.c_uint32), ("next", ctypes.c_void_p), ("name", ctypes.c_char_p),
                ("version", ctypes.c_uint32), ("engine", ctypes.c_char_p), ("engine_version", ctypes.c_uint32),
                ("api", ctypes.c_uint32))


class InstanceInfo(ctypes.Structure):
    _fields_ = (("type", ctypes.c_uint32), ("next", ctypes.c_void_p), ("flags", ctypes.c_uint32),
                ("application", ctypes.POINTER(ApplicationInfo)), ("layers", ctypes.c_uint32),
                ("layer_names", ctypes.c_void_p), ("extensions", ctypes.c_uint32), ("extension_names", ctypes.c_void_p))


class DriverInfo(ctypes.Structure):
    _fields_ = (("type", ctypes.c_uint32), ("next", ctypes.c_void_p), ("number", ctypes.c_uint32),
                ("name", ctypes.c_char * DRIVER_NAME_LENGTH), ("info", ctypes.c_char * DRIVER_NAME_LENGTH),
                ("conformance", ctypes.c_uint8 * 4))


class DeviceInfo(ctypes.Structure):
    _fields_ = (("type", ctypes.c_uint32), ("next", ctypes.c_void_p), ("properties", ctypes.c_uint8 * PROPERTIES_SIZE))


def answer() -> list[tuple[str, int, str]]:
    vulkan = ctypes.CDLL("libvulkan.so.1")
    about = ApplicationInfo(0, None, b"keen", 1, b"", 0, VERSION_1_2)
    wanted = InstanceInfo(INSTANCE, None, 0, ctypes.pointer(about), 0, None, 0, None)
    instance, count = ctypes.c_void_p(), ctypes.c_uint32()
    if vulkan.vkCreateInstance(ctypes.byref(wanted), None, ctypes.byref(instance)):
        raise OSError("the Vulkan loader finds no driver")
    vulkan.vkEnumeratePhysicalDevices(instance, ctypes.byref(count), None)
    devices = (ctypes.c_void_p * count.value)()
    vulkan.vkEnumeratePhysicalDevices(instance, ctypes.byref(count), devices)
    drivers = []
    for device in devices[:count.value]:
        driver = DriverInfo(DRIVER_PROPERTIES, None)
        properties = DeviceInfo(PROPERTIES_2, ctypes.cast(ctypes.pointer(driver), ctypes.c_void_p))
        vulkan.vkGetPhysicalDeviceProperties2(ctypes.c_void_p(device), ctypes.byref(properties))
        name = bytes(properties.properties)[NAME_AT:NAME_AT + NAME_LENGTH].split(b"\0")[0]
        drivers.append((name.decode(errors="replace"), int(driver.number), driver.name.decode(errors="replace")))
    vulkan.vkDestroyInstance(instance, None)
    return drivers


if __name__ == "__main__":
    try:
        print(json.dumps(answer()))
    except (OSError, AttributeError) as error:
        print(error, file=sys.stderr)
        sys.exit(3)
