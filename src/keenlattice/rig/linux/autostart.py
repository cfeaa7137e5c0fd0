"""What starts with the player's desktop: the entries of XDG autostart, each of which can be hidden, and shown again.

An entry of the system is not touched: one of the same name in the player's own folder stands for it, and says that it
is hidden, as the desktops' standard has it.
"""

import os
from codecs import BOM_UTF8
from collections.abc import Mapping
from functools import cached_property
from pathlib import Path

from keenlattice.catalog.model import Setting
from keenlattice.errors import RigError
from keenlattice.files import read_bounded
from keenlattice.profile.version import WHOLE_RIG, Entries
from keenlattice.rig.base import Edits, FactValue, State
from keenlattice.rig.noted import Noted, as_setting
from keenlattice.rig.parts import Part
from keenlattice.rig.places import place_of, put_file

GROUP, HIDDEN = "[Desktop Entry]", "Hidden"
MOST_BYTES, MOST = 100_000, 200


def folders(config: Path, root: Path) -> tuple[Path, list[Path]]:
    """The player's folder of such entries, and the system's, the first to go before the others.

    Args:
        config: the player's folder of settings.
        root: where `etc` is.
    """
    folders_named = os.environ.get("XDG_CONFIG_DIRS", "") if root == Path("/") else ""
    return config / "autostart", [Path(folder) / "autostart" for folder in folders_named.split(":")
                                  if folder.startswith("/")] or [
        root / "etc/xdg/autostart"]


class Autostart(Part):
    """Programs that start with the desktop.

    Args:
        noted: where is noted down what the player's own entries held.
        home: the rig's folder.
        own: the player's folder of entries.
        system: the system's.
    """

    def __init__(self, noted: Noted, home: Path, own: Path, system: list[Path]) -> None:
        self._noted, self._home, self._own, self._system = noted, home, own, system

    @cached_property
    def _entries(self) -> Mapping[str, tuple[Path, str]]:
        """By setting: the player's file for an entry, and what the system's says; empty if there is none."""
        result: dict[str, tuple[Path, str]] = {}
        for folder in (self._own, *self._system):
            try:
                names = sorted(path.name for path in folder.iterdir() if path.suffix == ".desktop")[:MOST]
            except OSError:
                continue
            for name in names:
                text = _text(folder / name)
                if text is not None and GROUP in text:
                    key = as_setting("startup", name.removesuffix(".desktop"))
                    entry = result.get(key, (self._own / name, ""))
                    result[key] = (entry[0], entry[1] or (text if folder != self._own else ""))
        return result

    def settings(self) -> list[Setting]:
        return [Setting(
            name=key, title=f"{_title(_text(file) or text, file)}, started with the desktop", kind="switch",
            scope="rig", stock=not _is_hidden(text), restart="machine", moves={"frame-tail": "down"},
            sure="disputed", trades="Fewer programs leave more memory, and fewer bursts of work.",
            where=f"{file}, or your desktop's page of what starts with it.",
            check="Log out and in: it is not in the list of processes.",
            advice="Take the large ones first: memory and work show in the list of processes.")
            for key, (file, text) in sorted(self._entries.items())]

    def facts(self) -> dict[str, FactValue]:
        if not self._entries:
            return {}
        return {"startup_programs": sum(not _is_hidden(_text(file) or text) for file, text in self._entries.values())}

    def covers(self, owner: str, key: str) -> bool:
        return owner == WHOLE_RIG and key in self._entries

    def state(self) -> State:
        return {**self._noted.state(), **{place_of(file, self._home): read_bounded(file, MOST_BYTES)
                                          for file, _ in self._entries.values()}}

    def values(self, state: State, owner: str) -> Entries:
        if owner != WHOLE_RIG:
            return {}
        return {key: not _is_hidden(self._held(state, key)) for key in self._noted.read(state) if key in self._entries}

    def _held(self, state: State, key: str) -> str:
        """What counts for an entry: the player's file, else the system's."""
        file, of_system = self._entries[key]
        own = state.get(place_of(file, self._home))
        return of_system if own is None else own.decode("utf-8-sig", errors="replace")

    def changed(self, state: State, owner: str, changes: Edits) -> State:
        noted, then = self._noted.read(state), dict[str, bytes | None]()
        for key, value in changes.items():
            place = place_of(self._entries[key][0], self._home)
            was = state.get(place)
            if value is None:
                if key in noted:
                    before = noted.pop(key)
                    then[place] = None if before is None else before.encode(errors="surrogateescape")
                continue
            noted.setdefault(key, None if was is None else was.decode(errors="surrogateescape"))
            mark = BOM_UTF8 if was is not None and was.startswith(BOM_UTF8) else b""
            then[place] = mark + _with_hidden(self._held(state, key), not value).encode()
        return {**then, **self._noted.content(noted)}

    def put(self, state: State) -> None:
        self._noted.put(state)
        for file, _ in self._entries.values():
            if (place := place_of(file, self._home)) in state:
                try:
                    put_file(file, state[place])
                except OSError as error:
                    raise RigError(f"cannot write {file}: {error.strerror}") from None


def _text(file: Path) -> str | None:
    """What an entry holds; None of one that is not text, or too large to be one."""
    try:
        content = read_bounded(file, MOST_BYTES)
        return None if content is None or len(content) > MOST_BYTES else content.decode("utf-8-sig")
    except (OSError, UnicodeDecodeError):
        return None


def _lines_of_group(text: str) -> list[tuple[int, str, str]]:
    """The number, key and value of each line of an entry's own group."""
    result, inside = [], False
    for number, line in enumerate(text.splitlines()):
        if line.startswith("["):
            inside = line.strip() == GROUP
        elif inside and "=" in line and not line.startswith("#"):
            key, _, value = line.partition("=")
            result.append((number, key.strip(), value.strip()))
    return result


def _is_hidden(text: str) -> bool:
    return any(key == HIDDEN and value == "true" for _, key, value in _lines_of_group(text))


def _title(text: str, file: Path) -> str:
    name = next((value for _, key, value in _lines_of_group(text) if key == "Name"), "")
    plain = "".join(letter for letter in name if letter.isprintable()).strip()
    return plain[:60] or file.stem


def _with_hidden(text: str, hidden: bool) -> str:
    """An entry that is hidden, or is not; every other line stays as it is, with its end."""
    end = "\r\n" if "\r\n" in text else "\n"
    lines, word = text.splitlines(), f"{HIDDEN}={'true' if hidden else 'false'}"
    at = [number for number, key, _ in _lines_of_group(text) if key == HIDDEN]
    for number in at:
        lines[number] = word
    if not at:
        lines.insert(next((number for number, line in enumerate(lines) if line.strip() == GROUP), -1) + 1, word)
    return end.join(lines) + end
