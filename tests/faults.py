"""What can go wrong on a stand-in, by name: it strikes at one write, which a seed draws or the test names."""

import errno
import random
from collections.abc import Mapping
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from keenlattice.catalog.values import Restart, Value
from keenlattice.errors import RefusedByRig
from keenlattice.rig.standin.games import with_driver_stock
from keenlattice.rig.standin.machine import Standin, as_text

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


@dataclass(frozen=True)
class Fault:
    """A fault: the write that it strikes at (counted from 1), its device, and whether it has struck."""

    name: str
    at: int
    device: str
    struck: bool = False

    def strikes(self, write: int) -> bool:
        return self.struck if self.struck and self.name in LASTING else not self.struck and write == self.at


def drawn(name: str, seed: int, devices: tuple[str, ...], at: int | None = None) -> Fault:
    """A fault of that name; when it strikes, and on what device, is drawn with the seed."""
    draw = random.Random(seed)
    write, device = draw.randint(1, LATEST_WRITE), draw.choice(devices)
    return Fault(name, at or write, device)


class Faulty(Standin):
    """A stand-in on which a fault can be switched on."""

    def __init__(self, home: Path, **more: Any) -> None:
        super().__init__(home, **more)
        self._fault: Fault | None = None
        self._writes = 0

    @property
    def fault(self) -> Fault | None:
        return self._fault

    @fault.setter
    def fault(self, fault: Fault | None) -> None:
        self._fault, self._writes = fault, 0

    def _has_struck(self, name: str) -> bool:
        return self._fault is not None and self._fault.name == name and self._fault.struck

    def devices(self) -> tuple[str, ...]:
        gone = self._fault.device if self._fault and self._has_struck("device-gone") else ""
        return tuple(device for device in super().devices() if device != gone)

    def _may_write(self) -> bool:
        return super()._may_write() and not self._has_struck("rights-missing")

    def restart(self, what: Restart) -> None:
        if self._fault is None or self._fault.name != "restart-not-done":
            super().restart(what)

    def _write(self, content: bytes | None) -> None:
        self._writes += 1
        if self._fault and self._fault.strikes(self._writes):
            content = self._struck(self._fault, content)
        super()._write(content)

    def _struck(self, fault: Fault, content: bytes | None) -> bytes | None:
        """What is really written when the fault strikes, if it lets anything be written."""
        self._fault = replace(fault, struck=True)
        before = self.state()
        now, then = self._parsed(before), self._parsed({**before, self.place: content})
        changed = _changed(now, then)
        if fault.name == "write-fails":
            raise OSError(errno.EIO, "the disk failed half-way")
        if fault.name == "disk-full" and len(content or b"") > len(before[self.place] or b""):
            raise OSError(errno.ENOSPC, "no space left on the disk")
        if fault.name == "rights-missing" and (closed := [key for key in changed if self.catalog()[key].rights]):
            raise RefusedByRig(f"writing {', '.join(closed)} needs an administrator's rights, which are missing")
        if fault.name == "device-gone" and any(
                key.endswith(f"@{fault.device}") and value is not None for key, value in changed.items()):
            raise RefusedByRig(f"the device {fault.device} is gone: nothing can be set on it")
        if fault.name == "clamped":
            return as_text(self._clamped(now, then))
        return as_text(with_driver_stock(then)) if fault.name == "driver-resets" else content

    def _clamped(self, now: Held, then: Held) -> dict[str, dict[str, Value]]:
        """Numbers only half as far as asked, from stock."""
        catalog, real = self.catalog(), {owner: dict(entries) for owner, entries in then.items()}
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
