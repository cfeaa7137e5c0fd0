"""What can go wrong on the stand-in, by name: switched on, it strikes at one write, which a seed draws or one names.

The stand-in's place for settings is one file, so "held" below is what it holds: owner to setting key to value.
"""

import errno
import json
import random
from collections.abc import Mapping
from dataclasses import asdict, dataclass, replace
from pathlib import Path

from keenlattice._files import remove_file, replace_file
from keenlattice._safejson import parse_json
from keenlattice.catalog.model import Catalog
from keenlattice.catalog.values import Value
from keenlattice.errors import RefusedByRig, RigError, UnknownName

Held = Mapping[str, Mapping[str, Value]]

FAULTS = {
    "rights-missing": "from one write on, nothing can be written that needs an administrator's rights",
    "write-fails": "one write fails half-way",
    "disk-full": "from one write on, nothing can be written that is longer than what is there",
    "clamped": "one write silently sets its numbers only half as far as asked",
    "driver-resets": "right after one write the driver updates itself, and puts what is its own back to stock",
    "restart-not-done": "a restart does not happen, although it is said to",
    "device-gone": "from one write on, one device is no longer there",
}
LASTING = ("rights-missing", "disk-full", "device-gone")
LATEST_WRITE = 10
FILE = "fault.json"


@dataclass(frozen=True)
class Fault:
    """A fault that is switched on: its name, the seed that it was drawn with, the write that it strikes at (counted
    from 1 in each process), the device that it is about, and whether it has struck."""

    name: str
    seed: int
    at: int
    device: str
    struck: bool = False

    def strikes(self, write: int) -> bool:
        """Whether it does so at this write."""
        return self.struck if self.struck and self.name in LASTING else not self.struck and write == self.at

    def before(self, now: Held, then: Held, grows: bool, catalog: Catalog) -> None:
        """Refuses the write, if that is what this fault does.

        Raises:
            OSError: as the disk would.
            RefusedByRig: as the machine would.
        """
        if self.name == "write-fails":
            raise OSError(errno.EIO, "the disk failed half-way")
        if self.name == "disk-full" and grows:
            raise OSError(errno.ENOSPC, "no space left on the disk")
        changed = _changed(now, then)
        if self.name == "rights-missing" and (closed := [key for key in changed if catalog[key].rights]):
            raise RefusedByRig(f"writing {', '.join(closed)} needs an administrator's rights, which are missing")
        if self.name == "device-gone" and any(
                key.endswith(f"@{self.device}") and value is not None for key, value in changed.items()):
            raise RefusedByRig(f"the device {self.device} is gone: nothing can be set on it")

    def clamped(self, now: Held, then: Held, catalog: Catalog) -> dict[str, dict[str, Value]]:
        """What is really written: numbers only half as far as asked, from stock."""
        real = {owner: dict(entries) for owner, entries in then.items()}
        for owner, entries in real.items():
            for key, value in entries.items():
                if value != now.get(owner, {}).get(key) and key in catalog and catalog[key].is_number:
                    real[owner][key] = _half_way(catalog[key].stock, value)
        return real


def _half_way(stock: Value, value: Value) -> Value:
    if isinstance(value, str):
        return value
    begin = stock if not isinstance(stock, str) else 0
    half = (begin + value) / 2
    return half if isinstance(value, float) else int(half)


def _changed(now: Held, then: Held) -> dict[str, Value | None]:
    return {key: then.get(owner, {}).get(key) for owner in {*now, *then} if owner != "machine"
            for key in {*now.get(owner, {}), *then.get(owner, {})}
            if now.get(owner, {}).get(key) != then.get(owner, {}).get(key)}


def read_fault(home: Path) -> Fault | None:
    """The fault that is switched on.

    Raises:
        RigError: its file is damaged.
    """
    path = home / FILE
    if not path.exists():
        return None
    try:
        fault = Fault(**parse_json(path.read_bytes()))
        if fault.name not in FAULTS or not isinstance(fault.at, int) or not isinstance(fault.device, str):
            raise ValueError
        return fault
    except (OSError, ValueError, TypeError):
        raise RigError(f"{path} is damaged: remove it, and no fault is on") from None


def keep_fault(home: Path, fault: Fault | None) -> None:
    """Switches a fault on, or what is on off."""
    if fault is None:
        remove_file(home / FILE)
    else:
        replace_file(home / FILE, json.dumps(asdict(fault)).encode())


def drawn(name: str, seed: int, devices: tuple[str, ...], at: int | None = None) -> Fault:
    """A fault of that name; when it strikes, and on what device, is drawn with the seed.

    Raises:
        UnknownName: there is no such fault.
    """
    if name not in FAULTS:
        raise UnknownName("fault", name, FAULTS, f"there are {', '.join(FAULTS)}")
    draw = random.Random(seed)
    write, device = draw.randint(1, LATEST_WRITE), draw.choice(devices)
    return Fault(name, seed, at or write, device)


def has_struck(fault: Fault) -> Fault:
    return replace(fault, struck=True)
