"""Values of the registry as texts: their type and content. A key is a place, too, so that one that we made goes again.

A value's place is `registry/HIVE/KEY/NAME`, a key's `registry/HIVE/KEY`; always of the 64-bit view, unless the key
names the other (`WOW6432Node`).
"""

import json
import sys
import winreg
from collections.abc import Callable, Iterable

assert sys.platform == "win32"

from keenlattice.rig.stored import Texts
from keenlattice.rig.windows import values
from keenlattice.rig.windows.system.libraries import refusal
from keenlattice.safejson import parse_json

HIVES = {"HKCU": winreg.HKEY_CURRENT_USER, "HKLM": winreg.HKEY_LOCAL_MACHINE}
VIEW = winreg.KEY_WOW64_64KEY
IS_BYTES = (bytes, bytearray)
AS_TEXT = (winreg.REG_SZ, winreg.REG_EXPAND_SZ, winreg.REG_MULTI_SZ, winreg.REG_DWORD, winreg.REG_QWORD)
THERE = "key"


class RegistryStore:
    """Some values of the registry, and their keys.

    Args:
        below: hives and keys that all of them are in, or below.
        places: which; asked each time.
    """

    def __init__(self, below: Iterable[tuple[str, str]], places: Callable[[], Iterable[str]]) -> None:
        self._below, self._places = tuple(values.place(*key) for key in below), places

    def owns(self, place: str) -> bool:
        """Return whether a place is one of these."""
        return place.startswith(self._below)

    def read(self) -> Texts:
        """Return every place and what it holds."""
        return {place: _held(place) for place in self._places()}

    def check(self, texts: Texts) -> None:
        """Check whether these could be written now."""
        for place in texts:
            hive, key, _ = _parts(place)
            while key and not _exists(hive, key):
                key = key.rpartition("\\")[0]
            try:
                winreg.OpenKey(HIVES[hive], key, 0, winreg.KEY_SET_VALUE | winreg.KEY_CREATE_SUB_KEY | VIEW).Close()
            except OSError as error:
                raise refusal(f"{hive}\\{key}", error.winerror) from None

    def write(self, texts: Texts) -> None:
        """Write keys before their values, and remove values before their keys; a key goes only when it is empty."""
        gone = [place for place in texts if texts[place] is None]
        for place in [*sorted(set(texts) - set(gone)), *sorted(gone, reverse=True)]:  # what holds others sorts first
            hive, key, name = _parts(place)
            try:
                _write(hive, key, name, texts[place])
            except OSError as error:
                raise refusal(f"{hive}\\{key}", error.winerror) from None

    def in_words(self, place: str) -> str:
        """Return what a place is."""
        return "\\".join(part for part in _parts(place) if part) if self.owns(place) else ""


def value_names(hive: str, key: str) -> list[str]:
    """Return the names of a key's values; none, if it is not there or cannot be read."""
    try:
        with winreg.OpenKey(HIVES[hive], key, 0, winreg.KEY_READ | VIEW) as opened:
            return [winreg.EnumValue(opened, number)[0] for number in range(winreg.QueryInfoKey(opened)[1])]
    except OSError:
        return []


def _parts(place: str) -> tuple[str, str, str]:
    """Hive, key and name of a place; no name, if it is a key."""
    _, hive, key, *name = place.split("/", 3)
    return hive, key, name[0] if name else ""


def _exists(hive: str, key: str) -> bool:
    try:
        winreg.OpenKey(HIVES[hive], key, 0, winreg.KEY_READ | VIEW).Close()
        return True
    except PermissionError:
        return True
    except OSError:
        return False


def _held(place: str) -> str | None:
    hive, key, name = _parts(place)
    if not name:
        return THERE if _exists(hive, key) else None
    try:
        with winreg.OpenKey(HIVES[hive], key, 0, winreg.KEY_READ | VIEW) as opened:
            content, kind = winreg.QueryValueEx(opened, name)
    except OSError:
        return None
    return json.dumps([kind, content.hex() if isinstance(content, IS_BYTES) else content])


def _write(hive: str, key: str, name: str, text: str | None) -> None:
    if not name and text is None:
        _remove_if_empty(hive, key)
    elif not name:
        winreg.CreateKeyEx(HIVES[hive], key, 0, winreg.KEY_READ | VIEW).Close()
    elif text is None:
        try:
            with winreg.OpenKey(HIVES[hive], key, 0, winreg.KEY_SET_VALUE | VIEW) as opened:
                winreg.DeleteValue(opened, name)
        except FileNotFoundError:
            return  # it is gone already, or its key is
    else:
        kind, content = parse_json(text)
        with winreg.OpenKey(HIVES[hive], key, 0, winreg.KEY_SET_VALUE | VIEW) as opened:
            winreg.SetValueEx(opened, name, 0, kind, content if kind in AS_TEXT or content is None
                              else bytes.fromhex(content))


def _remove_if_empty(hive: str, key: str) -> None:
    try:
        with winreg.OpenKey(HIVES[hive], key, 0, winreg.KEY_READ | VIEW) as opened:
            keys, values, _ = winreg.QueryInfoKey(opened)
        if not keys and not values:
            winreg.DeleteKeyEx(HIVES[hive], key, VIEW)
    except FileNotFoundError:
        return
