"""How the devices of this machine call the CPU: by line or by message, which interrupts, how often, on which cores.

Read from `/sys/bus/pci/devices`, `/proc/interrupts` and `/proc/irq`. A device is named for its PCI class (gpu0, net0,
usb0, sound0, disk0), in the order of addresses; never for its maker. Whether a device could do message-signalled
interrupts is in its PCI capabilities (5 is MSI, 17 is MSI-X), which only root may read in full.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path

CLASSES = {"0x03": "gpu", "0x02": "net", "0x0c03": "usb", "0x0401": "sound", "0x0403": "sound", "0x01": "disk"}
PCI, IRQ, COUNTS = "sys/bus/pci/devices", "proc/irq", "proc/interrupts"
MSI, MSI_X = 5, 17
STATUS, HAS_CAPABILITIES, FIRST_CAPABILITY = 6, 0x10, 0x34


@dataclass(frozen=True)
class Device:
    """A device and its interrupts.

    Args:
        name: for its class, `gpu0`.
        address: on the PCI bus.
        message: whether it uses message-signalled interrupts now.
        can: whether it can at all; None if that cannot be read.
        interrupts: their numbers: of the messages, or of the line.
        shares: whether another device is on the same line.
        module: the driver that drives it; empty for none.
    """

    name: str
    address: str
    message: bool
    can: bool | None
    interrupts: tuple[int, ...]
    shares: bool
    module: str

    @property
    def mode(self) -> str:
        return "message" if self.message else "line"


def devices(root: Path) -> list[Device]:
    """The devices of the classes that matter here, by address; those without any interrupt included."""
    folder = root / PCI
    found: list[Device] = []
    lines = _lines(folder)
    for path in sorted(folder.iterdir()) if folder.is_dir() else []:
        kind = next((kind for code, kind in CLASSES.items() if _text(path / "class").startswith(code)), "")
        if not kind:
            continue
        number = sum(device.name.rstrip("0123456789") == kind for device in found)
        messages = _messages(path)
        line = _number(path / "irq")
        found.append(Device(
            f"{kind}{number}", path.name, bool(messages), True if messages else _can_do_messages(path),
            messages or ((line,) if line else ()), not messages and lines.count(line) > 1,
            (path / "driver").resolve().name if (path / "driver").exists() else ""))
    return found


def _lines(folder: Path) -> list[int]:
    """The line of every device that uses one, whatever its class."""
    return [line for path in (folder.iterdir() if folder.is_dir() else ())
            if not _messages(path) and (line := _number(path / "irq"))]


def _messages(device: Path) -> tuple[int, ...]:
    folder = device / "msi_irqs"
    return tuple(sorted(int(path.name) for path in folder.iterdir() if path.name.isdigit())) if folder.is_dir() else ()


def _can_do_messages(device: Path) -> bool | None:
    """By its capabilities; None where they cannot be read (without root, the first 64 bytes are all there is)."""
    try:
        config = (device / "config").read_bytes()
    except OSError:
        return None
    if len(config) <= 64:
        return None
    at, seen = config[FIRST_CAPABILITY] if config[STATUS] & HAS_CAPABILITIES else 0, set[int]()
    while 64 <= at < len(config) - 1 and at not in seen:
        if config[at] in (MSI, MSI_X):
            return True
        seen.add(at)
        at = config[at + 1]
    return False


def counts(root: Path) -> Mapping[int, int]:
    """How often each interrupt has been raised since the machine was started, over all cores."""
    found = {}
    for line in _text(root / COUNTS).splitlines()[1:]:
        number, _, rest = line.partition(":")
        if number.strip().isdigit():
            per_core = []
            for word in rest.split():
                if not word.isdigit():
                    break
                per_core.append(int(word))
            found[int(number)] = sum(per_core)
    return found


def affinity_file(root: Path, interrupt: int) -> Path:
    """Where the cores of an interrupt are read and written, as a list such as 0-3,6."""
    return root / IRQ / str(interrupt) / "smp_affinity_list"


def cores_in(text: str) -> frozenset[int] | None:
    """The cores in such a list; None if it is none."""
    cores: set[int] = set()
    for part in text.strip().split(","):
        low, dash, high = part.partition("-")
        if not low.isdigit() or (dash and not high.isdigit()) or len(part) > 11 or (dash and int(low) > int(high)):
            return None
        if int(high or low) > 4095:
            return None
        cores |= set(range(int(low), int(high or low) + 1))
    return frozenset(cores)


def as_list(cores: frozenset[int]) -> str:
    """Cores as the kernel writes them: 0-3,6."""
    parts: list[list[int]] = []
    for core in sorted(cores):
        if parts and core == parts[-1][-1] + 1:
            parts[-1][1:] = [core]
        else:
            parts.append([core])
    return ",".join("-".join(str(core) for core in part) for part in parts)


def _text(path: Path) -> str:
    try:
        return path.read_text(errors="replace").strip()
    except OSError:
        return ""


def _number(path: Path) -> int:
    text = _text(path)
    return int(text) if text.isdigit() else 0
