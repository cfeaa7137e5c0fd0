"""Keys and pointers of an X display: by its keyboard extension, and its pointers' own properties.

The server forgets them when it ends. A pointer that is driven by libinput has a property for its acceleration; one that
is not goes by the server's pointer control, as it always did.
"""

import re
from functools import cached_property
from typing import Any

from keenlattice.catalog.load import catalog
from keenlattice.errors import RefusedByRig, RigError
from keenlattice.rig.linux.x11.server import connect
from keenlattice.rig.stored import StoredSetting, Texts, of_the_player

DELAY, INTERVAL, ACCEPTANCE, ACCELERATION = (f"input.{name}" for name in (
    "key-repeat-delay", "key-repeat-interval", "key-acceptance-delay", "pointer-acceleration"))
PREFIX = "input/"
REPEAT, SLOW, CORE, OF_DEVICE = "input/key-repeat", "input/slow-keys", "input/pointer", "input/pointer/"
PROFILE = "libinput Accel Profile Enabled"
ADAPTIVE, FLAT = "1 0", "0 1"
STOCK_CORE, NO_ACCELERATION = "2/1 4", "1/1 0"
WHOLE = re.compile(r"\d{1,5}(/\d{1,5})? \d{1,5}")
CORE_KEYBOARD, REPEAT_KEYS, SLOW_KEYS = 0x100, 1, 2
POINTER_OF_A_DEVICE, ALL_DEVICES, MOST_WORDS = 3, 0, 4


class Input:
    """What an X display holds of keys and pointers.

    Args:
        display: its name; empty for none.
    """

    def __init__(self, display: str) -> None:
        self._name = display

    @cached_property
    def _display(self) -> Any:
        """The connection; None where there is none."""
        try:
            return connect(self._name) if self._name else None
        except (ImportError, RigError):
            return None

    def owns(self, place: str) -> bool:
        """Return whether a place is one of these."""
        return place.startswith(PREFIX)

    def in_words(self, place: str) -> str:
        """Return what a place is."""
        if not self.owns(place):
            return ""
        titles = {REPEAT: "the X server's key repeat", SLOW: "the X server's slow keys"}
        return titles.get(place, "the X server's pointers")

    def read(self) -> Texts:
        """Return what the server and its pointers hold.

        Raises:
            RigError: the server does not say.
        """
        if self._display is None:
            return {}
        from Xlib import error

        try:
            result, control = dict[str, str](), self._display.get_pointer_control()
            if keys := _controls(self._display):
                result = {REPEAT: f"{keys.delay} {keys.interval}",
                          SLOW: f"{int(bool(keys.enabled & SLOW_KEYS))} {keys.slow_delay}"}
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

    def check(self, texts: Texts) -> None:
        """Everybody may set their own display."""

    def write(self, texts: Texts) -> None:
        """Set keys and pointers.

        Raises:
            RefusedByRig: the display is not there now, or a pointer is not.
            RigError: a text is nothing that they can be set to.
        """
        for place, text in texts.items():
            if self._display is None:
                raise RefusedByRig(f"there is no X display {self._name} now")
            if text is None or not WHOLE.fullmatch(text):
                raise RigError(f"{place}: {str(text)[:40]!r} is nothing that a key or a pointer can be set to")
            self._set(place, *text.split())

    def _set(self, place: str, first: str, second: str) -> None:
        from Xlib import X

        if place in (REPEAT, SLOW):
            _set_controls(self._display, place, int(first), int(second))
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


def keys_and_pointers(held: Texts) -> list[StoredSetting]:
    """The settings of keys and pointers, for what a display holds."""
    settings = list[StoredSetting]()
    if REPEAT in held:
        settings += [
            StoredSetting(DELAY, catalog()[DELAY], lambda held: _number(held, REPEAT, 0),
                          lambda value, held: {REPEAT: f"{value} {_number(held, REPEAT, 1)}"}, step=REPEAT),
            StoredSetting(INTERVAL, catalog()[INTERVAL], lambda held: _number(held, REPEAT, 1),
                          lambda value, held: {REPEAT: f"{_number(held, REPEAT, 0)} {value}"}, step=REPEAT)]
    if SLOW in held:
        settings.append(StoredSetting(
            ACCEPTANCE, catalog()[ACCEPTANCE], lambda held: _number(held, SLOW, 0) and _number(held, SLOW, 1),
            lambda value, held: {SLOW: f"1 {value}" if value else f"0 {_number(held, SLOW, 1)}"}))
    if any(place.startswith(CORE) for place in held):
        settings.append(StoredSetting(
            ACCELERATION, catalog()[ACCELERATION],
            lambda held: any(not _is_flat(held[place]) for place in _those(held)),
            lambda value, held: {place: _accelerated(place, bool(value)) for place in _those(held)}))
    return [of_the_player(setting, held) for setting in settings]


def _those(held: Texts) -> list[str]:
    """The places of pointers."""
    return [place for place in held if place.startswith(CORE)]


def _number(held: Texts, place: str, which: int) -> int | None:
    words = (held.get(place) or "").split()
    return int(words[which]) if len(words) == 2 and words[which].isdigit() else None


def _is_flat(text: str | None) -> bool:
    """Whether a pointer goes as far however fast it is moved."""
    first, _, second = (text or "").partition(" ")
    over, _, under = first.partition("/")
    return text == FLAT or (bool(under) and (over == under or second == "0"))


def _accelerated(place: str, accelerated: bool) -> str:
    if place == CORE:
        return STOCK_CORE if accelerated else NO_ACCELERATION
    return ADAPTIVE if accelerated else FLAT


def _keyboard(display: Any) -> int:
    """The number of the keyboard extension's requests, once its version is agreed on; 0 where there is none."""
    from keenlattice.rig.linux.x11.present import UseKeyboard

    extension = display.query_extension("XKEYBOARD")
    if not extension or not extension.present:
        return 0
    reply = UseKeyboard(display=display.display, opcode=extension.major_opcode, major=1, minor=0)
    return int(extension.major_opcode) if reply.supported else 0


def _controls(display: Any) -> Any:
    """How keys repeat and how long they have to be held, in ms; None if that cannot be asked."""
    from keenlattice.rig.linux.x11.present import KeyboardControls

    opcode = _keyboard(display)
    return KeyboardControls(display=display.display, opcode=opcode, device=CORE_KEYBOARD) if opcode else None


def _set_controls(display: Any, place: str, first: int, second: int) -> None:
    from keenlattice.rig.linux.x11.present import SetKeyboardControls

    repeat = place == REPEAT
    SetKeyboardControls(
        display=display.display, opcode=_keyboard(display), device=CORE_KEYBOARD,
        switched=0 if repeat else SLOW_KEYS, enabled=0 if repeat or not first else SLOW_KEYS,
        which=REPEAT_KEYS if repeat else SLOW_KEYS, delay=first if repeat else 0, interval=second if repeat else 0,
        slow_delay=0 if repeat else second)
