"""Has what Wine lacks answered by libraries of our own: `use()` in a process, and in those that it starts."""

import os
from pathlib import Path

OURS = {"user32": "keen_parameters", "iphlpapi": "keen_resolvers"}


def use(folder: Path) -> None:
    """Keeps what the stand-ins are given in a folder, for this process and those that it starts."""
    from keenlattice.rig.windows.system import dynamic_range, libraries, network, parameters

    os.environ |= {"KEEN_POWER": str(folder / "power"), "KEEN_FILTER_KEYS": str(folder / "filter-keys"),
                   "KEEN_DYNAMIC_RANGE": str(folder / "dynamic-range"), "KEEN_RESOLVERS": str(folder / "resolvers")}
    opened = getattr(libraries.library, "__wrapped__", libraries.library)
    for module in (dynamic_range, network, parameters):
        module.library = lambda name: opened(OURS.get(name, name))  # type: ignore[attr-defined]
