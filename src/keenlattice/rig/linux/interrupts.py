"""How the devices of this machine call the CPU: by line or by message, which interrupts, how often, on which cores.

Read from `/sys/bus/pci/devices`, `/proc/interrupts` and `/proc/irq`. A device is named for its PCI class (gpu0, net0,
usb0, sound0, disk0), in the order of addresses; never for its maker. Whether a device could do message-signalled
interrupts is in its PCI capabilities (5 is MSI, 17 is MSI-X), which only root may read in full; whether it has a pin
for a line, everybody may read. An interrupt's number is the kernel's of the moment, and may be another device's once
drivers are loaded again: it is kept nowhere, and looked up by the device's address whenever it is needed.
"""

import errno
from collections.abc import Mapping, Set
from pathlib import Path

from keenlattice.quickly import dataclass
from keenlattice.rig.linux.knobs import number_in, text_in

CLASSES = {"0x03": "gpu", "0x02": "net", "0x0c03": "usb", "0x0401": "sound", "0x0403": "sound", "0x01": "disk"}
PCI, IRQ, COUNTS = "sys/bus/pci/devices", "proc/irq", "proc/interrupts"
COMMAND_LINE = "proc/cmdline"
MSI, MSI_X = 5, 17
STATUS, HAS_CAPABILITIES, FIRST_CAPABILITY, PIN = 6, 0x10, 0x34, 0x3D


@dataclass(frozen=True)
class Device:
    """A device and its interrupts.

    Args:
        name: for its class, `gpu0`.
        address: on the PCI bus.
        mode: "message" or "line"; "none" if it uses no interrupt: no driver drives it, or it has no pin.
        can: whether it can do messages at all; None if that cannot be read.
        interrupts: their numbers at this moment: of the messages, or of the line.
        shares: whether another device that is in use is on the same line.
        module: the driver that drives it; empty for none.
    """

    name: str
    address: str
    mode: str
    can: bool | None
    interrupts: tuple[int, ...]
    shares: bool
    module: str

    @property
    def message(self) -> bool:
        return self.mode == "message"


def devices(root: Path) -> list[Device]:
    """The devices of the classes that matter here, by address; those without any interrupt included."""
    folder = root / PCI
    result: list[Device] = []
    asked_for = set(counts(root))
    lines = _lines(folder, asked_for)
    for path in sorted(folder.iterdir()) if folder.is_dir() else []:
        kind = next((kind for code, kind in CLASSES.items() if _text(path / "class").startswith(code)), "")
        if not kind:
            continue
        number = sum(device.name.rstrip("0123456789") == kind for device in result)
        messages, line = _messages(path), _line(path, asked_for)
        result.append(Device(
            f"{kind}{number}", path.name, "message" if messages else "line" if line else "none",
            True if messages else _can_do_messages(path), messages or ((line,) if line else ()),
            not messages and lines.count(line) > 1, _driver(path)))
    return result


def _lines(folder: Path, asked_for: Set[int]) -> list[int]:
    """The line of every device that uses one, whatever its class."""
    return [line for path in (folder.iterdir() if folder.is_dir() else ()) if (line := _line(path, asked_for))]


def _line(device: Path, asked_for: Set[int]) -> int:
    """The line that a device uses; 0 for none. The number is there for every device: it is used by those that have a
    pin, and a driver, and no messages; and if it is asked for at all."""
    if not _driver(device) or _messages(device) or _configuration(device)[PIN:PIN + 1] == b"\0":
        return 0
    line = _number(device / "irq")
    return line if line in asked_for else 0


def _driver(device: Path) -> str:
    return (device / "driver").resolve().name if (device / "driver").exists() else ""


def _messages(device: Path) -> tuple[int, ...]:
    folder = device / "msi_irqs"
    return tuple(sorted(int(path.name) for path in folder.iterdir() if path.name.isdigit())) if folder.is_dir() else ()


def _can_do_messages(device: Path) -> bool | None:
    """By its capabilities; None where they cannot be read (without root, the first 64 bytes are all there is)."""
    config = _configuration(device)
    if len(config) <= 64:
        return None
    at, seen = config[FIRST_CAPABILITY] if config[STATUS] & HAS_CAPABILITIES else 0, set[int]()
    while 64 <= at < len(config) - 1 and at not in seen:
        if config[at] in (MSI, MSI_X):
            return True
        seen.add(at)
        at = config[at + 1]
    return False


def _configuration(device: Path) -> bytes:
    try:
        return (device / "config").read_bytes()
    except OSError:
        return b""


def messages_off_at_boot(root: Path) -> bool:
    """Whether the kernel was started with message-signalled interrupts off for all devices (`pci=nomsi`)."""
    return any(word.startswith("pci=") and "nomsi" in word[4:].split(",")
               for word in _text(root / COMMAND_LINE).split())


def by_kernel(file: Path) -> bool:
    """Whether the kernel manages which cores serve an interrupt, and takes no other choice; asked where one may write.

    Newer kernels say so by the file's rights. Older ones only when something is written: they look at this before they
    look at what it is, so what is not a list of cores is refused either way, and the reason tells.
    """
    try:
        if not file.stat().st_mode & 0o200:
            return True
        with file.open("wb", buffering=0) as asked:
            asked.write(b"which?\n")
    except OSError as error:
        return error.errno in (errno.EIO, errno.EPERM)
    return False


def counts(root: Path) -> Mapping[int, int]:
    """How often each interrupt has been raised since the machine was started, over all cores."""
    totals = {}
    for line in _text(root / COUNTS).splitlines()[1:]:
        number, _, rest = line.partition(":")
        if number.strip().isdigit():
            per_core = []
            for word in rest.split():
                if not word.isdigit():
                    break
                per_core.append(int(word))
            totals[int(number)] = sum(per_core)
    return totals


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
    return text_in(path) or ""


def _number(path: Path) -> int:
    return number_in(path) or 0
