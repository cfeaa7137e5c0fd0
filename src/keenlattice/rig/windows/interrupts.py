"""How each device interrupts the CPU: values of its hardware key, which its driver reads when the device starts."""

import re
from collections.abc import Callable, Sequence

from keenlattice.catalog.load import catalog
from keenlattice.catalog.values import Value
from keenlattice.errors import RefusedByRig
from keenlattice.quickly import dataclass
from keenlattice.rig.base import FactValue
from keenlattice.rig.stored import StoredSetting, Texts
from keenlattice.rig.windows.values import BINARY, NUMBER, keys_of, number, place, read, written

MANAGEMENT = r"Device Parameters\Interrupt Management"
MESSAGES, POLICY = rf"{MANAGEMENT}\MessageSignaledInterruptProperties", rf"{MANAGEMENT}\Affinity Policy"
SUPPORTED, LIMIT = "MSISupported", "MessageNumberLimit"
PRIORITY, WHICH_CORES, CORES = "DevicePriority", "DevicePolicy", "AssignmentSetOverride"
NORMAL, HIGH, THESE_CORES = 2, 3, 4
MOST_CORES = 64
BY_LINE, BY_MESSAGE = 1, 6
"""Bits of what a device can do: interrupts on a line; message-signalled ones, of two kinds."""


@dataclass(frozen=True)
class PciDevice:
    """A device on the PCI bus.

    Args:
        name: as profiles have it: `gpu0`.
        title: as the system calls it.
        key: of the registry, below HKLM, which holds its parameters.
        can: bits of what interrupts it can raise; 0 if that is not known.
        messages: the most that it can raise; 0 if that is not known.
    """

    name: str
    title: str
    key: str
    can: int = 0
    messages: int = 0


def places(devices: Sequence[PciDevice]) -> list[str]:
    """The values of some devices, and the keys that may have to be made for them."""
    return list(dict.fromkeys(
        where for device in devices for folder, names in ((MESSAGES, (SUPPORTED, LIMIT)),
                                                         (POLICY, (PRIORITY, WHICH_CORES, CORES)))
        for where in [*_keys(device, folder), *(_place(device, folder, name) for name in names)]))


def settings(devices: Sequence[PciDevice], cores: int) -> list[StoredSetting]:
    """The settings of each device's interrupts.

    Args:
        cores: how many the machine has; the mask of a device's cores reaches 64.
    """
    return [made for device in devices for made in (
        _mode(device), _messages(device), _priority(device), _affinity(device, min(cores, MOST_CORES)))]


def facts(devices: Sequence[PciDevice]) -> dict[str, FactValue]:
    """What each device is, and whether it can raise message-signalled interrupts, where it says so."""
    names: dict[str, FactValue] = {"gpu" if device.name == "gpu0" else device.name: device.title for device in devices}
    return {**names, **{f"{device.name}_message": bool(device.can & BY_MESSAGE) for device in devices if device.can}}


def _place(device: PciDevice, folder: str, name: str) -> str:
    return place("HKLM", rf"{device.key}\{folder}", name)


def _keys(device: PciDevice, folder: str) -> list[str]:
    return keys_of("HKLM", rf"{device.key}\{folder}", rf"{device.key}\Device Parameters")


def _made(device: PciDevice, folder: str, **values: str) -> Texts:
    return {**{key: "key" for key in _keys(device, folder)},
            **{_place(device, folder, name): text for name, text in values.items()}}


def _stored(device: PciDevice, name: str, value: Callable[[Texts], Value | None],
            texts: Callable[[Value, Texts], Texts]) -> StoredSetting:
    return StoredSetting(f"{name}@{device.name}", catalog()[name], value, texts, kept_as=f"{name}@{device.key}")


def _mode(device: PciDevice) -> StoredSetting:
    where = _place(device, MESSAGES, SUPPORTED)

    def texts(value: Value, held: Texts) -> Texts:
        if value == "message" and device.can and not device.can & BY_MESSAGE:
            raise RefusedByRig(f"interrupt.mode@{device.name}: {device.title} says that it can raise no "
                               "message-signalled interrupts, and might not start")
        return _made(device, MESSAGES, **{SUPPORTED: written(NUMBER, int(value == "message"))})

    return _stored(device, "interrupt.mode", lambda texts: {
        None: None, 0: "line"}.get(number(texts.get(where)), "message"), texts)


def _messages(device: PciDevice) -> StoredSetting:
    where = _place(device, MESSAGES, LIMIT)

    def texts(value: Value, held: Texts) -> Texts:
        if device.messages and int(value) > device.messages:
            raise RefusedByRig(f"interrupt.messages@{device.name}: {device.title} says that it can raise "
                               f"{device.messages} at most")
        return _made(device, MESSAGES, **{LIMIT: written(NUMBER, int(value))})

    return _stored(device, "interrupt.messages", lambda texts: number(texts.get(where)), texts)


def _priority(device: PciDevice) -> StoredSetting:
    where = _place(device, POLICY, PRIORITY)
    return _stored(device, "interrupt.priority", lambda texts: {
        None: "normal", 0: "normal", NORMAL: "normal", HIGH: "high"}.get(number(texts.get(where))),
        lambda value, held: _made(device, POLICY, **{PRIORITY: written(NUMBER, HIGH if value == "high" else NORMAL)}))


def _affinity(device: PciDevice, cores: int) -> StoredSetting:
    policy, mask = _place(device, POLICY, WHICH_CORES), _place(device, POLICY, CORES)

    def value(texts: Texts) -> Value | None:
        held = read(texts.get(mask))
        if number(texts.get(policy)) != THESE_CORES:
            return "all" if texts.get(policy) is None else None
        return as_list(int.from_bytes(bytes.fromhex(held), "little")) if isinstance(held, str) else None

    def texts(value: Value, held: Texts) -> Texts:
        if value == "all":
            return {policy: None, mask: None}
        bits = as_mask(str(value))
        if not bits or bits >= 1 << cores:
            raise RefusedByRig(f"interrupt.affinity@{device.name}: {value} is not a list of this machine's cores; "
                               f"write 0-{cores - 1}, 2,4 or all")
        return _made(device, POLICY, **{WHICH_CORES: written(NUMBER, THESE_CORES),
                                        CORES: written(BINARY, bits.to_bytes(8, "little").hex())})

    return _stored(device, "interrupt.affinity", value, texts)


def as_mask(cores: str) -> int:
    """The bits of a list of cores; 0 if it is none.

    >>> as_mask("0-2,5"), as_mask("x")
    (39, 0)
    """
    bits = 0
    for part in cores.split(","):
        match = re.fullmatch(r"\s*(\d{1,2})(?:-(\d{1,2}))?\s*", part)
        if not match or not int(match[1]) <= int(match[2] or match[1]) < MOST_CORES:
            return 0
        for core in range(int(match[1]), int(match[2] or match[1]) + 1):
            bits |= 1 << core
    return bits


def as_list(mask: int) -> str:
    """A list of cores as players write it.

    >>> as_list(39)
    '0-2,5'
    """
    cores, runs = [core for core in range(MOST_CORES) if mask >> core & 1], list[list[int]]()
    for core in cores:
        if runs and runs[-1][-1] == core - 1:
            runs[-1].append(core)
        else:
            runs.append([core])
    return ",".join(str(run[0]) if len(run) == 1 else f"{run[0]}-{run[-1]}" for run in runs)
