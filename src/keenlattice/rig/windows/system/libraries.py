"""The one place that opens the system's libraries."""

import ctypes
import sys
from functools import cache

assert sys.platform == "win32"

FROM_SYSTEM_FOLDER_ONLY = 0x800  # so that no library that was planted beside the program is taken


@cache
def library(name: str) -> ctypes.WinDLL:
    """Return a library of the system's.

    Raises:
        OSError: there is none of that name.
    """
    return ctypes.WinDLL(f"{name}.dll", winmode=FROM_SYSTEM_FOLDER_ONLY)


def reason(code: int) -> str:
    """Return what the system says of an error code, with its number."""
    return f"{ctypes.FormatError(code).strip().rstrip('.')} (error {code})"
