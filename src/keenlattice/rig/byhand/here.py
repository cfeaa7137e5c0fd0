"""What this machine tells of itself, on any system: offered to whoever types facts in, and never assumed.

A rig changed by hand need not be the machine that Keen Lattice runs on.
"""

import platform
from typing import TYPE_CHECKING

from keenlattice.errors import NeedsInstalling

if TYPE_CHECKING:
    from keenlattice.rig.base import FactValue


def facts_here() -> "dict[str, FactValue]":
    """System, cores, threads and memory; what the system does not say is left out.

    Raises:
        NeedsInstalling: the package that asks the system is missing.
    """
    try:
        import psutil
    except ImportError:
        raise NeedsInstalling("what this machine tells is read by a package of its own: pip install psutil") from None
    told = {"os": " ".join((platform.system(), platform.release())).strip(), "cores": psutil.cpu_count(logical=False),
            "threads": psutil.cpu_count(), "ram_mib": psutil.virtual_memory().total // 2**20}
    return {name: value for name, value in told.items() if value}
