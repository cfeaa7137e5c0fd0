"""The processes that run, each with its parent and the name of its executable, as one snapshot of the system's."""

import ctypes
import sys
from typing import NamedTuple

assert sys.platform == "win32"

from keenlattice.rig.windows.system.libraries import library

OF_PROCESSES, INVALID = 0x2, ctypes.c_void_p(-1).value
MOST = 100_000


class ListedProcess(NamedTuple):
    """A process, the one that started it, and its executable's name."""

    pid: int
    parent: int
    executable: str


class ProcessEntry(ctypes.Structure):
    """A process in a snapshot."""

    _fields_ = [("size", ctypes.c_uint32), ("usage", ctypes.c_uint32), ("pid", ctypes.c_uint32),
                ("heap", ctypes.c_void_p), ("module", ctypes.c_uint32), ("threads", ctypes.c_uint32),
                ("parent", ctypes.c_uint32), ("base", ctypes.c_int32), ("flags", ctypes.c_uint32),
                ("executable", ctypes.c_wchar * 260)]


def processes() -> list[ListedProcess]:
    """The processes that run now."""
    kernel = library("kernel32")
    kernel.CreateToolhelp32Snapshot.restype = ctypes.c_void_p
    snapshot = ctypes.c_void_p(kernel.CreateToolhelp32Snapshot(OF_PROCESSES, 0))
    if snapshot.value in (None, INVALID):
        return []
    entry, result = ProcessEntry(ctypes.sizeof(ProcessEntry)), list[ListedProcess]()
    try:
        more = kernel.Process32FirstW(snapshot, ctypes.byref(entry))
        while more and len(result) < MOST:
            result.append(ListedProcess(entry.pid, entry.parent, entry.executable))
            more = kernel.Process32NextW(snapshot, ctypes.byref(entry))
    finally:
        kernel.CloseHandle(snapshot)
    return result
