"""The kernel's settings of this machine: interrupts and power, read always, written where the rights are there.

The kernel forgets them at a restart, and has no "unset": so the first time that a setting is written, what was there is
noted down (in the rig's home), and unsetting it writes that again. A device's are kept by its address on the bus; the
place `pci/ADDRESS/interrupt/2/cores` is the list of cores of its third interrupt, whatever number that has now.
"""

import json
import os
from collections.abc import Iterable, Mapping
from pathlib import Path

from keenlattice.catalog.load import catalog
from keenlattice.catalog.model import Setting
from keenlattice.catalog.values import Value
from keenlattice.errors import BY_HAND, NeedsRights, RefusedByRig, RigError
from keenlattice.files import read_bounded, remove_file, replace_file
from keenlattice.profile.version import WHOLE_RIG, Entries
from keenlattice.rig.base import Edits, FactValue, State
from keenlattice.rig.linux import bus, gpu, power
from keenlattice.rig.linux.interrupts import (
    IRQ,
    Device,
    affinity_file,
    as_list,
    by_kernel,
    cores_in,
    counts,
    devices,
    messages_off_at_boot,
)
from keenlattice.rig.linux.knobs import Knob, in_force, text_in
from keenlattice.rig.parts import Part
from keenlattice.safejson import parse_json

NOTED, MOST_BYTES = "kernel-before.json", 4_000_000
HIGHEST = ("scaling_max_freq", "/clock-highest", "max_perf_pct")
LIMITS = (("-least", "-highest"), ("minimum-", "maximum-"))
AT_BOOT = ("interrupt.mode", "interrupt.messages")
OF_DEVICES = (*AT_BOOT, "interrupt.affinity")


class Kernel(Part):
    """Interrupts and power under a root (`/`, or a recorded tree).

    Args:
        root: where `proc` and `sys` are.
        home: where is noted down what was there before.
    """

    def __init__(self, root: Path, home: Path) -> None:
        self._root, self._home, self.noted = root, home, NOTED
        self.devices = self._look()
        gpus = [(name, device.address) for name, device in self.devices.items() if name.startswith("gpu")]
        self._knobs: Mapping[str, Knob] = {
            **{knob.setting.name: knob for knobs in (power.knobs, power.memory_knobs, power.scheduler_knobs, bus.knobs)
               for knob in knobs(root)},
            **bus.device_knobs(root, [(name, device.address) for name, device in self.devices.items()]),
            **gpu.knobs(root, gpus)}
        self._known = {name.partition("@")[0] for name in self._knobs}
        self._cut_off = {knob.place(file) for knob in self._knobs.values() if knob.together for file in knob.files}
        self._names = tuple(self.devices)  # a device may go away while we run; that it can be named stays

    def _look(self) -> dict[str, Device]:
        """The devices by name, as they are now; looked at again whenever facts or the state are read, or written."""
        self.devices = {device.name: device for device in devices(self._root)}
        return self.devices

    def settings(self) -> list[Setting]:
        names = OF_DEVICES if self._names else ()
        mine = [catalog()[name].adapted(restart="machine" if name in AT_BOOT else "none")
                for name in names]
        return [*mine, *_widest(knob.setting for knob in self._knobs.values())]

    def facts(self) -> dict[str, FactValue]:
        result: dict[str, FactValue] = {}
        raised, at_boot = counts(self._root), messages_off_at_boot(self._root)
        if size := power.page_files(self._root):
            result["page_file_mib"] = size
        if mounted := bus.mount_of(self._root, self._home):
            result["home_mount"] = mounted
        if at_boot:
            result["messages_off_at_boot"] = True
        for name, device in self._look().items():
            result |= {f"{name}_message": bool(device.can), f"{name}_shares_line": device.shares,
                      f"{name}_mode": device.mode, f"{name}_messages": len(device.interrupts) if device.message else 0,
                      f"{name}_interrupts": sum(raised.get(interrupt, 0) for interrupt in device.interrupts),
                      f"{name}_cores": self._cores(device) or "unknown"}
            if device.shares and device.can:
                result[f"{name}_line_by_driver"] = True
        for name, knob in self._knobs.items():
            held = {file: text for file in knob.files if (text := text_in(file)) is not None}
            if (value := knob.value(held)) is not None:
                fact_name, _, device_name = name.partition(".")[2].replace("-", "_").partition("@")
                result[f"{device_name}_{fact_name}" if device_name else fact_name] = value
        return result

    def _cores(self, device: Device) -> str:
        texts = {text_in(affinity_file(self._root, interrupt)) or "" for interrupt in device.interrupts}
        return " and ".join(sorted(texts))

    def state(self) -> State:
        """What the settings are kept in: the kernel's files, and what is noted down."""
        self._look()
        texts = {place: in_force(text_in(file)) for place, file in self._files().items()}
        held = {place: None if text is None else text.encode() for place, text in texts.items()}
        return {**held, self.noted: read_bounded(self._home / self.noted, MOST_BYTES)}

    def _files(self) -> dict[str, Path]:
        """Every place, and the file that it is at this moment."""
        return {**{knob.place(file): file for knob in self._knobs.values() for file in knob.files},
                **{place: file for device in self.devices.values() for place, file in self._of_device(device).items()}}

    def _of_device(self, device: Device) -> dict[str, Path]:
        """The places of a device's interrupts; one that its driver has not asked for has no file."""
        files = [affinity_file(self._root, interrupt) for interrupt in device.interrupts]
        return {f"pci/{device.address}/interrupt/{number}/cores": file for number, file in enumerate(files)
                if file.exists()}

    def in_words(self, place: str) -> str:
        return f"the device {place.split('/')[1]}" if place.startswith("pci/") else ""

    def covers(self, owner: str, key: str) -> bool:
        name = key.partition("@")[0]
        return name in self._known or (name in OF_DEVICES and bool(self._names))

    def step_of(self, key: str) -> str:
        """Settings of the same step are written together."""
        knob = self._knobs.get(key)
        return knob.together if knob and knob.together else key

    def may_read_clamped(self, place: str) -> bool:
        """Whether a place may read differently from what was written to it holds: the kernel keeps a limit that is
        beyond another, and shows it cut off for as long as that stands."""
        return place in self._cut_off

    def values(self, state: State, owner: str) -> Entries:
        if owner != WHOLE_RIG:
            return {}
        result, devices = {}, self.devices
        names = {device.address: device.name for device in devices.values()}
        for key in self._noted(state):
            name, at, address = key.partition("@")
            if at and address not in names:
                continue  # the device is not there now
            now = f"{name}@{names[address]}" if at else key
            value = self._held(state, now)
            if value is not None:
                result[now] = value
        return result

    def before(self, state: State, owner: str) -> Entries:
        if owner != WHOLE_RIG:
            return {}
        noted = {place: text.encode() for was in self._noted(state).values() for place, text in was.items()}
        first = {**state, **noted}
        keys = [*self._knobs, *(f"{name}@{device}" for name in OF_DEVICES for device in self.devices)]
        held = {key: self._held(first, key) for key in keys}
        return {key: value for key, value in held.items() if value is not None}

    def _held(self, state: State, key: str) -> Value | None:
        name = key.partition("@")[0]
        if knob := self._knobs.get(key):
            return knob.value({file: (state.get(knob.place(file)) or b"").decode() for file in knob.files})
        if not name.startswith("interrupt."):
            return None  # of a device that no longer has it
        device = self._device(key)
        if name == "interrupt.mode":
            return device.mode
        if name == "interrupt.messages":
            return len(device.interrupts) if device.message else 0
        texts = {(state.get(place) or b"").decode() for place in self._of_device(device)}
        return _as_value(texts.pop(), self._all_cores()) if len(texts) == 1 else None

    def changed(self, state: State, owner: str, changes: Edits) -> State:
        """The state after some changes.

        Raises:
            RefusedByRig: no rights, or it takes another start of the kernel: the message has the step to take by hand.
        """
        noted = {key: dict(was) for key, was in self._noted(state).items()}
        then: dict[str, bytes | None] = {}
        for key, value in changes.items():
            kept = self._kept_as(key)
            if value is None:
                then |= {place: text.encode() for place, text in noted.pop(kept, {}).items()}
                continue
            if key.partition("@")[0] in AT_BOOT:
                self._refuse_unless_so(key, value)
                noted[kept] = {}
                continue
            texts = self._texts(key, value)
            self._check_rights(key, texts)
            noted.setdefault(kept, {place: (state.get(place) or b"").decode() for place in texts})
            then |= {place: text.encode() for place, text in texts.items()}
        self._check_limits({**state, **then}, then)
        then[self.noted] = json.dumps(noted, indent=1).encode() if noted else None
        return {place: content for place, content in then.items() if content != state.get(place)}

    def _kept_as(self, key: str) -> str:
        """A key with the device's address for its name."""
        name, at, device = key.partition("@")
        devices = self.devices
        return f"{name}@{devices[device].address}" if at and device in devices else key

    def _check_limits(self, state: State, written: State) -> None:
        """Check that the lower limits are at most as high as the upper ones.

        Raises:
            RefusedByRig: one is: the kernel would take it, and show another.
        """
        pairs = [(name, name.replace(low, high)) for low, high in LIMITS for name in self._knobs if low in name]
        for names in pairs:
            if names[1] not in self._knobs:
                continue
            least, highest = (self._knobs[name] for name in names)
            for low, high in zip(map(least.place, least.files), map(highest.place, highest.files), strict=True):
                texts = [(state.get(place) or b"").decode() for place in (low, high)]
                if {low, high} & set(written) and all(map(str.isdigit, texts)) and int(texts[0]) > int(texts[1]):
                    would, limit = (f"{int(text) // knob.times} {knob.setting.unit}"
                                    for text, knob in zip(texts, (least, highest), strict=True))
                    raise RefusedByRig(f"{names[0]} would be {would}, above {names[1]}, {limit}: change both")

    def put(self, state: State) -> None:
        """Writes what of a state is the kernel's.

        Raises:
            RefusedByRig: no rights; or a device has gone away.
            RigError: the kernel does not take it.
        """
        self._look()
        files = self._files()
        for place in sorted(state, key=lambda place: self._turn(place, state, files)):
            if place == self.noted:
                self._write(place, self._home / place, state[place])
            elif place in files:
                self._write(place, files[place], state[place])
            elif place.startswith("pci/"):
                raise RefusedByRig(f"{place}: this device is not there now, or no longer has that")

    @staticmethod
    def _turn(place: str, state: State, files: Mapping[str, Path]) -> int:
        """Clocks that go up begin with the higher limit, and clocks that go down with the lower: a kernel may refuse
        what is the wrong way round even for a moment."""
        if place not in files or not place.endswith(HIGHEST):
            return 1
        before, after = text_in(files[place]) or "", (state[place] or b"").decode()
        return 0 if before.isdigit() and after.isdigit() and int(after) >= int(before) else 2

    def _write(self, place: str, path: Path, content: bytes | None) -> None:
        """Writes one of the kernel's files as the kernel wants it: in place, in one go."""
        try:
            if content is None:
                remove_file(path)
            elif place == self.noted or self._root != Path("/"):  # a recorded tree has plain files
                replace_file(path, content)
            else:
                with path.open("wb", buffering=0) as file:
                    file.write(content + b"\n")
        except PermissionError:
            raise RefusedByRig(f"writing {path} needs root") from None
        except OSError as error:
            raise RigError(f"the kernel does not take {(content or b'').decode()!r} in {path}: {error.strerror}"
                           ) from None

    def owns(self, place: str) -> bool:
        """Whether a place is one of these."""
        return place == self.noted or place.startswith("pci/") or place in self._files()

    def _noted(self, state: State) -> Mapping[str, Mapping[str, str]]:
        """What was there before, by setting, a device's with its address."""
        try:
            noted: dict[str, dict[str, str]] = parse_json(state.get(self.noted) or b"{}")
            return {self._kept_as(str(key)): {place: str(text) for place, text in was.items() if IRQ not in place}
                    for key, was in noted.items()}  # once, places were the interrupts' numbers: whose they are is lost
        except (ValueError, TypeError, AttributeError):
            raise RigError(f"{self._home / self.noted} is damaged: move it away; what the kernel holds then counts "
                           "as its own"
                           ) from None

    def _device(self, key: str) -> Device:
        name, devices = key.partition("@")[2], self.devices
        if name not in devices:
            raise RefusedByRig(f"{key}: there is no device {name} here; there are {', '.join(devices)}")
        return devices[name]

    def _texts(self, key: str, value: Value) -> dict[str, str]:
        """What a setting's places are to hold."""
        if not key.startswith("interrupt.affinity@"):
            if (knob := self._knobs.get(key)) is None:
                raise RefusedByRig(f"{key}: there is no such device here, or its driver offers no such setting")
            return {knob.place(file): knob.text(value, file) for file in knob.files}
        cores = self._all_cores() if value == "all" else cores_in(str(value))
        if not cores or not cores <= self._all_cores():
            raise RefusedByRig(f"{key}: {value} is not a list of this machine's cores; write 0-3,6, or all")
        return {place: as_list(cores) for place in self._of_device(self._device(key))}

    def _all_cores(self) -> frozenset[int]:
        listed = cores_in(text_in(self._root / "sys/devices/system/cpu/online") or "")
        return listed or frozenset(range(os.cpu_count() or 1))

    def _check_rights(self, key: str, texts: Mapping[str, str]) -> None:
        if not texts:
            raise RefusedByRig(f"{key}: this device has no interrupt in use now")
        files = self._files()
        closed = next((place for place in texts if not os.access(files[place], os.W_OK)), None)
        if closed:
            raise NeedsRights(f"{key} needs root; {BY_HAND}echo {texts[closed]} | sudo tee {files[closed]}")
        managed = [place for place in texts if place.endswith("/cores") and self._managed(files[place])]
        if managed:
            raise RefusedByRig(f"{key}: the kernel itself spreads {len(managed)} of this device's {len(texts)} "
                               "interrupts over the cores, and takes no other choice; leave it as it is")

    def _managed(self, file: Path) -> bool:
        if self._root != Path("/"):  # a recorded tree can only tell by the file's rights
            return not file.stat().st_mode & 0o200
        return by_kernel(file)

    def _refuse_unless_so(self, key: str, value: Value) -> None:
        """What is decided when the kernel or the device's driver starts can only be confirmed, or done by hand."""
        device = self._device(key)
        module = device.module or "DRIVER"
        if self._held({}, key) == value:
            return
        if device.mode == "none":
            raise RefusedByRig(f"{key}: no driver drives this device, so it has no interrupt; leave it as it is")
        if key.startswith("interrupt.messages@"):
            raise RefusedByRig(f"{key}: the driver of {device.name} ({device.module or 'none'}) asks for its messages "
                               f"when it starts; by hand: modinfo -p {module} lists what it can be "
                               "told, /etc/modprobe.d/ is where, then restart the machine")
        if value == "message" and device.can is False:
            raise RefusedByRig(f"{key}: this device has no message-signalled interrupts; leave it at line")
        if value == "line":
            raise RefusedByRig(f"{key}: decided when the kernel starts; by hand: add pci=nomsi to the kernel's command "
                               "line (it holds for all devices), then restart the machine")
        raise RefusedByRig(f"{key}: decided when the kernel starts; by hand: see that /proc/cmdline has no pci=nomsi, "
                           f"and what modinfo -p {module} lists of messages; then restart the machine")


def _widest(settings: Iterable[Setting]) -> list[Setting]:
    """Each setting once: what several devices have takes what any of them takes."""
    result: dict[str, Setting] = {}
    for setting in settings:
        kept = result.setdefault(setting.name, setting)
        if setting.low is not None and kept.low is not None and setting.high is not None and kept.high is not None:
            result[setting.name] = kept.adapted(low=min(kept.low, setting.low),
                                                high=max(kept.high, setting.high))
    return list(result.values())


def _as_value(text: str, every: frozenset[int]) -> str | None:
    cores = cores_in(text)
    return None if cores is None else "all" if cores == every else as_list(cores)
