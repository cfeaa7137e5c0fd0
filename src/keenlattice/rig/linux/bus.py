"""How the kernel lets links, devices and disks save power and take turns: a device that sleeps takes time to wake."""

from collections.abc import Iterable, Iterator, Mapping
from pathlib import Path

from keenlattice.catalog.values import Value
from keenlattice.rig.linux.interrupts import PCI
from keenlattice.rig.linux.knobs import Knob, choices_in, from_catalog, setting, text_in
from keenlattice.rig.noted import as_setting

LINKS = "sys/module/pcie_aspm/parameters/policy"
USB, BLOCK, MOUNTS = "sys/bus/usb/devices", "sys/block", "proc/self/mounts"
NO_DISKS = ("loop", "ram", "zram", "dm-", "md", "sr")
MEASURE = {"sure": "disputed", "advice": "Measure it: on most machines nothing in a frame waits for it."}
SLEEPS: Mapping[Value, str] = {True: "auto", False: "on"}
MOST, MOST_LETTERS = 60, 200
MICE = "sys/module/usbhid/parameters/mousepoll"
POLLED: Mapping[Value, str] = {125: "8", 250: "4", 500: "2", 1000: "1"}
"""Hz, and how many milliseconds lie between; 0 leaves it to the device."""


def knobs(root: Path) -> list[Knob]:
    """What this kernel has of links, USB devices and disks."""
    return [*_links(root), *_mice(root), *list(_usb(root))[:MOST], *list(_disks(root))[:MOST]]


def mount_of(root: Path, folder: Path) -> str:
    """How the file system that holds a folder is mounted: `ext4: rw,relatime`; "" if the kernel does not tell."""
    mounts = [line.split(" ") for line in (text_in(root / MOUNTS) or "").splitlines()]
    holding = [words for words in mounts if len(words) > 3 and folder.is_relative_to(words[1].replace("\\040", " "))]
    if not holding:
        return ""
    _, _, kind, options, *_ = max(reversed(holding), key=lambda words: len(words[1]))  # of two on one point, the later
    return f"{kind}: {options}"[:MOST_LETTERS]


def device_knobs(root: Path, devices: Iterable[tuple[str, str]]) -> dict[str, Knob]:
    """Whether each device on the PCI bus may sleep while the machine runs, by setting and device.

    Args:
        devices: the name and address of each.
    """
    knobs = {}
    for name, address in devices:
        if (file := root / PCI / address / "power" / "control").is_file():
            knobs[f"bus.sleep@{name}"] = Knob(
                setting("bus.sleep", "The device may sleep when it is idle", "switch", text_in(file) == "auto",
                        scope="device", **MEASURE,
                        trades="A device that sleeps saves power, and takes up to some milliseconds to wake."),
                (file,), SLEEPS, places={file: f"pci/{address}/sleep"})
    return knobs


def _links(root: Path) -> Iterator[Knob]:
    if choices_here := choices_in(text_in(root / LINKS)):
        choices, stock = choices_here
        yield Knob(setting("bus.link-power", "Power saving of PCI Express links", "choice", stock, choices=choices,
                           **MEASURE, trades="A link that sleeps saves a little power, and wakes in microseconds."),
                   (root / LINKS,))


def _mice(root: Path) -> Iterator[Knob]:
    file = root / MICE
    if file.is_file():
        polling = from_catalog("input.polling-rate")
        yield Knob(from_catalog("input.polling-rate", low=125.0, high=1000.0,
                         trades=f"{polling.trades} In force for a mouse once it is plugged in again."), (file,), POLLED)


def _usb(root: Path) -> Iterator[Knob]:
    for product in sorted((root / USB).glob("*/product")):
        file, title = product.with_name("power") / "control", text_in(product) or ""
        if file.is_file() and title.isprintable() and title:
            yield Knob(setting(as_setting("usb", f"sleep {title} {product.parent.name}"),
                               f"{title[:60]} may sleep when it is idle", "switch", text_in(file) == "auto", **MEASURE,
                               trades="A mouse or controller that sleeps answers its first movement late."),
                       (file,), SLEEPS)


def _disks(root: Path) -> Iterator[Knob]:
    for file in sorted((root / BLOCK).glob("*/queue/scheduler")):
        disk = file.parts[-3]
        if not disk.startswith(NO_DISKS) and (choices_here := choices_in(text_in(file))):
            choices, stock = choices_here
            yield Knob(setting(as_setting("disk", f"turns {disk}"), f"Who goes first on the disk {disk}", "choice",
                               stock, choices=choices, **MEASURE,
                               trades="Felt while a game loads from a busy disk, if at all."), (file,))
