"""Key repeat and pointer acceleration of an X display: by its keyboard extension, and its pointers' own properties.

The server forgets them when it ends. A pointer that is driven by libinput has a property for its acceleration; one that
is not goes by the server's pointer control, as it always did.
"""

import json
import re
from collections.abc import Mapping
from functools import cached_property
from typing import Any

from keenlattice.catalog.load import catalog
from keenlattice.catalog.model import Setting
from keenlattice.catalog.values import Value
from keenlattice.errors import RefusedByRig, RigError
from keenlattice.profile.version import WHOLE_RIG, Entries
from keenlattice.rig.base import Edits, State
from keenlattice.rig.linux.x11.server import connect
from keenlattice.rig.noted import Noted
from keenlattice.rig.parts import Part

DELAY, INTERVAL, ACCELERATION = "input.key-repeat-delay", "input.key-repeat-interval", "input.pointer-acceleration"
KEYS = (DELAY, INTERVAL, ACCELERATION)
REPEAT, CORE, OF_DEVICE = "input/key-repeat", "input/pointer", "input/pointer/"
PROFILE = "libinput Accel Profile Enabled"
ADAPTIVE, FLAT = "1 0", "0 1"
STOCK_CORE, NO_ACCELERATION = "2/1 4", "1/1 0"
WHOLE = re.compile(r"\d{1,5}(/\d{1,5})? \d{1,5}")
CORE_KEYBOARD, REPEAT_KEYS = 0x100, 1
POINTER_OF_A_DEVICE, ALL_DEVICES, MOST_WORDS = 3, 0, 4


class Input(Part):
    """Keys and pointers of an X display.

    Args:
        display: its name; empty for none.
        noted: where is noted down what was on before.
    """

    def __init__(self, display: str, noted: Noted) -> None:
        self._name, self._noted = display, noted

    @cached_property
    def _display(self) -> Any:
        """The connection; None where there is none."""
        try:
            return connect(self._name) if self._name else None
        except (ImportError, RigError):
            return None

    def settings(self) -> list[Setting]:
        held, own = self._held(), {"rights": False, "restart": "none"}
        if not held:
            return []
        stock = {**_values(held), **self._before()}
        return [catalog()[name].model_copy(update={**own, "stock": stock[name]})
                for name in KEYS if name in stock]

    def _before(self) -> dict[str, Value]:
        noted = self._noted.read(self._noted.state())
        held = {key: _values(_places(text or "")) for key, text in noted.items()}
        return {key: values[key] for key, values in held.items() if key in values}

    def in_words(self, place: str) -> str:
        titles = {True: "the X server's key repeat", False: "the X server's pointers"}
        return titles[place == REPEAT] if place.startswith("input/") else ""

    def covers(self, owner: str, key: str) -> bool:
        return owner == WHOLE_RIG and key in KEYS and self._display is not None

    def step_of(self, key: str) -> str:
        return key if key == ACCELERATION else REPEAT

    def state(self) -> State:
        return {**self._noted.state(), **{place: text.encode() for place, text in self._held().items()}}

    def _held(self) -> dict[str, str]:
        """What the display holds now, by place."""
        if self._display is None:
            return {}
        from Xlib import error

        try:
            result, control = {}, self._display.get_pointer_control()
            if keys := _repeat(self._display):
                result[REPEAT] = f"{keys[0]} {keys[1]}"
            pointers = {f"{OF_DEVICE}{name}": text for name, (_, text) in self._pointers().items()}
            return {**result, **(pointers or {CORE: f"{control.accel_num}/{control.accel_denom} {control.threshold}"})}
        except (error.XError, error.ConnectionClosedError, OSError) as wrong:
            raise RigError(f"the X display {self._name} does not say how keys and pointers are set: {wrong}") from None

    def _pointers(self) -> dict[str, tuple[int, str]]:
        """The pointers driven by libinput, by name: each one's number, and its profile."""
        from Xlib import X

        if not self._display.has_extension("XInputExtension"):
            return {}
        self._display.xinput_query_version()
        result, name = {}, self._display.intern_atom(PROFILE)
        for device in self._display.xinput_query_device(ALL_DEVICES).devices:
            if device.use == POINTER_OF_A_DEVICE:
                property_held = self._display.xinput_get_device_property(device.deviceid, name, X.AnyPropertyType, 0,
                                                                         MOST_WORDS)
                flags = bytes(property_held.value[1])[:2] if property_held.type else b""
                if len(flags) == 2:
                    result[str(device.name)] = (int(device.deviceid), f"{flags[0]} {flags[1]}")
        return result

    def values(self, state: State, owner: str) -> Entries:
        if owner != WHOLE_RIG:
            return {}
        held = _values({place: (content or b"").decode() for place, content in state.items()
                        if place.startswith("input/")})
        return {key: held[key] for key in self._noted.read(state) if key in held}

    def changed(self, state: State, owner: str, changes: Edits) -> State:
        noted = self._noted.read(state)
        then = {place: (content or b"").decode() for place, content in state.items() if place.startswith("input/")}
        for key, value in changes.items():
            own = {place: text for place, text in then.items() if (place == REPEAT) == (key != ACCELERATION)}
            if value is not None:
                noted.setdefault(key, json.dumps(own))
            before = _places(noted.pop(key, None) or "") if value is None else {}
            if key != ACCELERATION:
                now = _values(before).get(key, _values(then)[key]) if value is None else value
                then[REPEAT] = _with_repeat(then[REPEAT], key, now)
            elif value is None:
                then |= {place: text for place, text in before.items() if place in own}
            else:
                then |= {place: _accelerated(place, bool(value)) for place in own}
        return {**{place: text.encode() for place, text in then.items()}, **self._noted.content(noted)}

    def put(self, state: State) -> None:
        self._noted.put(state)
        for place, content in state.items():
            if place.startswith("input/") and content:
                if self._display is None:
                    raise RefusedByRig(f"there is no X display {self._name} now")
                self._turn(place, content.decode())

    def _turn(self, place: str, text: str) -> None:
        from Xlib import X

        if not WHOLE.fullmatch(text):
            raise RigError(f"{place}: {text[:40]!r} is nothing that a key or a pointer can be set to")
        first, second = text.split()
        if place == REPEAT:
            _set_repeat(self._display, int(first), int(second))
        elif place == CORE:
            over, _, under = first.partition("/")
            self._display.change_pointer_control((int(over), int(under or 1)), int(second))
        else:
            device_held = self._pointers().get(place.removeprefix(OF_DEVICE))
            if device_held is None:
                raise RefusedByRig(f"the pointer {place.removeprefix(OF_DEVICE)} is not there now")
            self._display.xinput_change_device_property(
                device_held[0], self._display.intern_atom(PROFILE), self._display.intern_atom("INTEGER"),
                X.PropModeReplace, (8, bytes((int(first), int(second)))))
        self._display.sync()


def _places(text: str) -> dict[str, str]:
    """What was noted down of a setting's places; nothing where that cannot be read."""
    try:
        places = json.loads(text)
        return {str(place): str(held) for place, held in places.items()}
    except (ValueError, AttributeError):
        return {}


def _values(held: Mapping[str, str]) -> dict[str, Value]:
    """The settings' values for what places hold."""
    result: dict[str, Value] = {}
    if len(words := held.get(REPEAT, "").split()) == 2 and all(word.isdigit() for word in words):
        result |= {DELAY: int(words[0]), INTERVAL: int(words[1])}
    pointers = [text for place, text in held.items() if place.startswith(CORE)]
    if pointers:
        result[ACCELERATION] = any(not _is_flat(text) for text in pointers)
    return result


def _is_flat(text: str) -> bool:
    """Whether a pointer goes as far however fast it is moved."""
    first, _, second = text.partition(" ")
    over, _, under = first.partition("/")
    return text == FLAT or (bool(under) and (over == under or second == "0"))


def _accelerated(place: str, accelerated: bool) -> str:
    if place == CORE:
        return STOCK_CORE if accelerated else NO_ACCELERATION
    return ADAPTIVE if accelerated else FLAT


def _with_repeat(text: str, key: str, value: object) -> str:
    delay, interval = text.split()
    return f"{value} {interval}" if key == DELAY else f"{delay} {value}"


def _keyboard(display: Any) -> int:
    """The number of the keyboard extension's requests, once its version is agreed on; 0 where there is none."""
    from keenlattice.rig.linux.x11.present import UseKeyboard

    extension = display.query_extension("XKEYBOARD")
    if not extension or not extension.present:
        return 0
    reply = UseKeyboard(display=display.display, opcode=extension.major_opcode, major=1, minor=0)
    return int(extension.major_opcode) if reply.supported else 0


def _repeat(display: Any) -> tuple[int, int] | None:
    """After how many ms a held key begins to repeat, and how many lie between; None if that cannot be asked."""
    from keenlattice.rig.linux.x11.present import KeyboardControls

    opcode = _keyboard(display)
    if not opcode:
        return None
    controls = KeyboardControls(display=display.display, opcode=opcode, device=CORE_KEYBOARD)
    return int(controls.delay), int(controls.interval)


def _set_repeat(display: Any, delay_ms: int, interval_ms: int) -> None:
    from keenlattice.rig.linux.x11.present import SetKeyboardControls

    SetKeyboardControls(display=display.display, opcode=_keyboard(display), device=CORE_KEYBOARD, which=REPEAT_KEYS,
                        delay=delay_ms, interval=interval_ms)
