"""The kernel's settings of this machine: interrupts and power, read always, written where the rights are there.

The kernel forgets them at a restart, and has no "unset": so the first time that a setting is written, what was there is
noted down (in the rig's home), and unsetting it writes that again.
"""

import json
import os
from collections.abc import Mapping
from pathlib import Path

from keenlattice._files import read_bounded, remove_file, replace_file
from keenlattice._safejson import parse_json
from keenlattice.catalog.load import catalog
from keenlattice.catalog.model import Setting
from keenlattice.catalog.values import Value
from keenlattice.errors import RefusedByRig, RigError
from keenlattice.rig.base import Edits, FactValue, State
from keenlattice.rig.linux.interrupts import Device, affinity_file, as_list, cores_in, counts, devices
from keenlattice.rig.linux.power import Knob, knobs
from keenlattice.rig.places import path_of

NOTED, MOST_BYTES = "kernel-before.json", 4_000_000
AT_BOOT = ("interrupt.mode", "interrupt.messages")


class Kernel:
    """Interrupts and power under a root (`/`, or a recorded tree).

    Args:
        root: where `proc` and `sys` are.
        home: where is noted down what was there before.
    """

    def __init__(self, root: Path, home: Path) -> None:
        self._root, self._home, self.noted = root, home, NOTED
        self.devices = {device.name: device for device in devices(root)}
        self._knobs: Mapping[str, Knob] = {knob.setting.name: knob for knob in knobs(root)}

    def settings(self) -> list[Setting]:
        known = ("interrupt.mode", "interrupt.messages", "interrupt.affinity") if self.devices else ()
        mine = [catalog()[name].model_copy(update={"restart": "machine" if name in AT_BOOT else "none"})
                for name in known]
        return [*mine, *(knob.setting for knob in self._knobs.values())]

    def facts(self) -> dict[str, FactValue]:
        found: dict[str, FactValue] = {}
        raised = counts(self._root)
        for name, device in self.devices.items():
            found |= {f"{name}_message": bool(device.can), f"{name}_shares_line": device.shares,
                      f"{name}_mode": device.mode, f"{name}_messages": len(device.interrupts) if device.message else 0,
                      f"{name}_interrupts": sum(raised.get(one, 0) for one in device.interrupts),
                      f"{name}_cores": self._cores(device) or "unknown"}
        for name, knob in self._knobs.items():
            text = _read(knob.files[0])
            if text is not None and (value := _value(knob, text)) is not None:
                found[name.removeprefix("cpu.").replace("-", "_")] = value
        return found

    def _cores(self, device: Device) -> str:
        texts = {_read(affinity_file(self._root, one)) or "" for one in device.interrupts}
        return " and ".join(sorted(texts))

    def state(self) -> State:
        """What the settings are kept in: the kernel's files, and what is noted down."""
        held = {str(file): None if (text := _read(file)) is None else text.encode() for file in self._files()}
        return {**held, self.noted: read_bounded(self._home / self.noted, MOST_BYTES)}

    def _files(self) -> list[Path]:
        return [*(file for knob in self._knobs.values() for file in knob.files),
                *(affinity_file(self._root, one) for device in self.devices.values() for one in device.interrupts)]

    def covers(self, key: str) -> bool:
        name = key.partition("@")[0]
        return name in self._knobs or (name.startswith("interrupt.") and bool(self.devices))

    def values(self, state: State) -> dict[str, Value]:
        """What has been set of them, as it stands."""
        found = {}
        for key in self._noted(state):
            value = self._held(state, key)
            if value is not None:
                found[key] = value
        return found

    def _held(self, state: State, key: str) -> Value | None:
        name = key.partition("@")[0]
        if name == "interrupt.mode":
            return self._device(key).mode
        if name == "interrupt.messages":
            return len(self._device(key).interrupts)
        texts = {(state.get(place) or b"").decode() for place in self._places(key)}
        if len(texts) != 1:
            return None
        text = texts.pop()
        if name == "interrupt.affinity":
            return _as_value(text, self._all_cores())
        return _value(self._knobs[name], text)

    def changed(self, state: State, changes: Edits) -> State:
        """The state after some changes.

        Raises:
            RefusedByRig: no rights, or it takes another start of the kernel: the message has the step to take by hand.
        """
        noted = {key: dict(was) for key, was in self._noted(state).items()}
        then: dict[str, bytes | None] = {}
        for key, value in changes.items():
            if value is None:
                then |= {place: text.encode() for place, text in noted.pop(key, {}).items()}
                continue
            if key.partition("@")[0] in AT_BOOT:
                self._refuse_unless_so(key, value)
                noted[key] = {}
                continue
            texts = {place: self._text(key, value) for place in self._places(key)}
            self._check_rights(key, texts)
            noted.setdefault(key, {place: (state.get(place) or b"").decode() for place in texts})
            then |= {place: text.encode() for place, text in texts.items()}
        then[self.noted] = json.dumps(noted, indent=1).encode() if noted else None
        return {place: content for place, content in then.items() if content != state.get(place)}

    def put(self, place: str, content: bytes | None) -> None:
        """Writes one of the kernel's files as the kernel wants it: in place, in one go.

        Raises:
            RefusedByRig: no rights.
            RigError: the kernel does not take it.
        """
        path = path_of(place, self._home)
        try:
            if content is None:
                remove_file(path)
            elif place == self.noted or self._root != Path("/"):  # a recorded tree has plain files
                replace_file(path, content)
            else:
                with path.open("wb", buffering=0) as file:
                    file.write(content + b"\n")
        except PermissionError:
            raise RefusedByRig(f"writing {place} needs root") from None
        except OSError as error:
            raise RigError(f"the kernel does not take {(content or b'').decode()!r} in {place}: {error.strerror}"
                           ) from None

    def owns(self, place: str) -> bool:
        """Whether a place is one of these."""
        return place == self.noted or place in {str(file) for file in self._files()}

    def _noted(self, state: State) -> Mapping[str, Mapping[str, str]]:
        try:
            noted: dict[str, dict[str, str]] = parse_json(state.get(self.noted) or b"{}")
            return {str(key): dict(was) for key, was in noted.items()}
        except (ValueError, TypeError, AttributeError):
            raise RigError(f"{self._home / self.noted} is damaged: move it away; what the kernel holds then counts "
                           "as its own"
                           ) from None

    def _device(self, key: str) -> Device:
        name = key.partition("@")[2]
        if name not in self.devices:
            raise RefusedByRig(f"{key}: there is no device {name} here; there are {', '.join(self.devices)}")
        return self.devices[name]

    def _places(self, key: str) -> list[str]:
        name = key.partition("@")[0]
        if name == "interrupt.affinity":
            return [str(affinity_file(self._root, one)) for one in self._device(key).interrupts]
        return [str(file) for file in self._knobs[name].files]

    def _text(self, key: str, value: Value) -> str:
        if key.startswith("interrupt.affinity@"):
            cores = self._all_cores() if value == "all" else cores_in(str(value))
            if not cores or not cores <= self._all_cores():
                raise RefusedByRig(f"{key}: {value} is no list of this machine's cores; write 0-3,6, or all")
            return as_list(cores)
        knob = self._knobs[key.partition("@")[0]]
        if knob.texts is not None:
            return knob.texts[value if isinstance(value, bool) else str(value)]
        return str(int(value) * knob.times) if isinstance(value, int) else str(value)

    def _all_cores(self) -> frozenset[int]:
        listed = cores_in(_read(self._root / "sys/devices/system/cpu/online") or "")
        return listed or frozenset(range(os.cpu_count() or 1))

    def _check_rights(self, key: str, texts: Mapping[str, str]) -> None:
        if not texts:
            raise RefusedByRig(f"{key}: this device has no interrupt")
        closed = next((place for place in texts if not os.access(place, os.W_OK)), None)
        if closed:
            raise RefusedByRig(f"{key} needs root; by hand: echo {texts[closed]} | sudo tee {closed}")

    def _refuse_unless_so(self, key: str, value: Value) -> None:
        """What is decided when the kernel or the device's driver starts can only be confirmed, or done by hand."""
        device = self._device(key)
        module = device.module or "DRIVER"
        if self._held({}, key) == value:
            return
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


def _read(file: Path) -> str | None:
    try:
        return file.read_text(errors="replace").strip()
    except OSError:
        return None


def _as_value(text: str, every: frozenset[int]) -> str | None:
    cores = cores_in(text)
    return None if cores is None else "all" if cores == every else as_list(cores)


def _value(knob: Knob, text: str) -> Value | None:
    if knob.texts is not None:
        return next((value for value, known in knob.texts.items() if known == text), None)
    if knob.setting.kind == "whole":
        return int(text) // knob.times if text.isdigit() else None
    return text
