"""The one place that opens the system's libraries."""

import ctypes
import sys
from functools import cache

assert sys.platform == "win32"

from keenlattice.errors import NeedsRights, RefusedByRig

DENIED, BY_POLICY = 5, 1260
FROM_SYSTEM_FOLDER_ONLY = 0x800  # so that no library that was planted beside the program is taken


@cache
def library(name: str) -> ctypes.WinDLL:
    """Return a library of the system's.

    Raises:
        OSError: there is none of that name.
    """
    return ctypes.WinDLL(f"{name}.dll", winmode=FROM_SYSTEM_FOLDER_ONLY, use_last_error=True)


def refusal(place: str, code: int | None) -> RefusedByRig:
    """Return the error of something that the system does not let us change.

    Args:
        place: the place, in words.
        code: the system's error code.
    """
    if code == DENIED:
        return NeedsRights(f"{place}: changing it needs an administrator's rights")
    if code == BY_POLICY:
        return RefusedByRig(f"{place}: a policy of this machine's decides it")
    words = ctypes.FormatError(code or 0).strip().rstrip(".")
    return RefusedByRig(f"{place}: the system does not take it: {words} (error {code})")
