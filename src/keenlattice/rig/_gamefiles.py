"""Games' own settings files as part of a rig: their values are settings of a profile, written in the same journal.

A game's file has no "unset". So the first time that a value is set, what was there is noted down beside it, and
unsetting it puts that back. What has never been set through us belongs to the game.
"""

import json
import re
import stat
from collections.abc import Mapping
from pathlib import Path

from keenlattice._files import read_bounded, replace_file
from keenlattice._safejson import parse_json
from keenlattice.catalog.load import catalog
from keenlattice.catalog.model import Setting
from keenlattice.catalog.values import Value
from keenlattice.errors import BadValue, RefusedByRig, RigError
from keenlattice.rig._ini import MOST_BYTES, Ini
from keenlattice.rig._part import Part
from keenlattice.rig.base import Edits, State
from keenlattice.rig.gamelist import Key, Listed
from keenlattice.rig.places import path_of, place_of

NOTED, LOCK_KEY = "games-before.json", "game.config-locked"
LOCKED, OPEN = b"read-only", b"writable"
MODE = " (lock)"
"""What the place of a file's lock is called: the file's own, with this behind it."""
TRADES = "A value of the game's own settings file; what it trades is not written down here: measure it."


class GameFiles(Part):
    """The settings files of some games.

    Args:
        games: what is known of them, by name.
        home: where is noted down what was there before.
    """

    def __init__(self, games: Mapping[str, Listed], home: Path) -> None:
        self.games = {name: listed for name, listed in games.items() if listed.file}
        self._home, self._noted = home, NOTED
        self._place = {name: place_of(listed.file, home) for name, listed in self.games.items() if listed.file}
        self.trouble: dict[str, str] = {}

    def settings(self) -> list[Setting]:
        """Every key of the games' files that no setting of the catalog stands for, as settings of the domain `file`."""
        found: dict[str, Setting] = {}
        for listed in self.games.values():
            known = {(one.section, one.key) for one in listed.keys.values()}
            for section, key, value in self._entries(listed.game.name):
                name = setting_name(section, key)
                if (section, key) not in known and name not in found and value.isprintable():
                    found[name] = Setting(
                        name=name, title=f"{key} in [{section}] of the game's own file", kind="text", scope="game",
                        stock=value, restart="game", trades=TRADES, sure="disputed", moves={"frame-time": "either"},
                        advice="Nobody has collected what it does: measure it.")
        return list(found.values())

    def _entries(self, game: str) -> list[tuple[str, str, str]]:
        place = self._place[game]
        content = self._content(place)
        try:
            return Ini(content, str(path_of(place, self._home))).entries() if content is not None else []
        except RigError as error:
            self.trouble[place] = str(error)
            return []

    def state(self) -> State:
        """The files, whether they are locked, and what is noted down."""
        held: dict[str, bytes | None] = {}
        for place in self._place.values():
            held[place] = self._content(place)
            held[place + MODE] = None if held[place] is None else _lock(path_of(place, self._home))
        return {**held, self._noted: self._content(self._noted)} if self.games else {}

    def _content(self, place: str) -> bytes | None:
        """What a file holds; what cannot be read counts as not there, and is refused with the reason when it is set."""
        self.trouble.pop(place, None)
        path = path_of(place, self._home)
        try:
            content = read_bounded(path, MOST_BYTES)
        except OSError as error:
            self.trouble[place] = f"cannot read {path}: {error.strerror}; it is left as it is"
            return None
        if content is not None and len(content) > MOST_BYTES:
            self.trouble[place] = f"{path} is larger than {MOST_BYTES // 1_000_000} MB: not read; it is left as it is"
            return None
        return content

    def covers(self, owner: str, key: str) -> bool:
        """Whether a setting of a game is kept in its file."""
        listed = self.games.get(owner)
        return listed is not None and (key in listed.keys or key.startswith("file.") or key == LOCK_KEY)

    def values(self, state: State, owner: str) -> dict[str, Value]:
        """What has been set of a game's file, as it stands there now."""
        listed = self.games.get(owner)
        noted = self._read_noted(state).get(owner, {})
        if listed is None or not noted or state.get(self._place[owner]) is None:
            return {}
        ini = Ini(state[self._place[owner]] or b"", str(listed.file))
        found: dict[str, Value] = {}
        for key in noted:
            if key == LOCK_KEY:
                found[key] = state.get(self._place[owner] + MODE) == LOCKED
            elif (text := _held(ini, listed, key)) is not None:
                found[key] = _as_value(key, listed.keys.get(key), text)
        return found

    def before(self, state: State, owner: str) -> dict[str, Value]:
        """What a game's file held before anything was set through us, of the settings that are known to be in it."""
        listed = self.games.get(owner)
        if listed is None or state.get(self._place[owner]) is None:
            return {}
        ini, noted = Ini(state[self._place[owner]] or b"", str(listed.file)), self._read_noted(state).get(owner, {})
        keys = dict.fromkeys([*listed.keys, *(setting_name(section, key) for section, key, _ in ini.entries())])
        texts = {key: noted[key] if key in noted else _held(ini, listed, key) for key in keys}
        return {key: _as_value(key, listed.keys.get(key), text) for key, text in texts.items() if text is not None}

    def changed(self, state: State, owner: str, changes: Edits) -> State:
        """The places that change, after some changes.

        Raises:
            RefusedByRig: the file is not there, cannot be read, or does not take the value.
        """
        listed = self.games[owner]
        place, noted = self._place[owner], {name: dict(was) for name, was in self._read_noted(state).items()}
        mine = noted.setdefault(owner, {})
        if place in self.trouble:
            raise RefusedByRig(self.trouble[place])
        content = state.get(place)
        if content is None:
            raise RefusedByRig(f"{listed.file} is not there yet: start {listed.game.title} once, so that it makes it")
        ini, then = Ini(content, str(listed.file)), {**state}
        for key, value in changes.items():
            if key == LOCK_KEY:
                was = mine.setdefault(key, (state.get(place + MODE) or OPEN).decode())
                then[place + MODE] = str(was).encode() if value is None else LOCKED if value else OPEN
            else:
                _write(ini, listed, key, value, mine)
            if value is None:
                mine.pop(key, None)
        kept = {name: was for name, was in noted.items() if was}
        then[place], then[self._noted] = ini.content, json.dumps(kept, indent=1).encode() if kept else None
        return {one: text for one, text in then.items() if text != state.get(one)}

    def put(self, state: State) -> None:
        """Writes those of a state's places that are games' files; what is noted down first, so that it is never amiss.

        Raises:
            RigError: one cannot be written.
        """
        files = [f"{place}{what}" for place in self._place.values() for what in ("", MODE)]
        for place in (self._noted, *files):
            if place in state:
                self._put(place, state[place])

    def _put(self, place: str, content: bytes | None) -> None:
        path = path_of(place.removesuffix(MODE), self._home)
        try:
            if place.endswith(MODE):
                if content is not None:
                    mode = path.stat().st_mode
                    path.chmod(mode & ~0o222 if content == LOCKED else mode | stat.S_IWUSR)
            elif content is None:
                path.unlink(missing_ok=True)
            else:
                replace_file(path, content)
        except OSError as error:
            raise RigError(f"cannot write {path}: {error.strerror}") from None

    def _read_noted(self, state: State) -> Mapping[str, Mapping[str, str | None]]:
        try:
            noted = parse_json(state.get(self._noted) or b"{}")
            return {str(owner): dict(was) for owner, was in noted.items()}
        except (ValueError, TypeError, AttributeError):
            raise RigError(f"{self._home / self._noted} is damaged: move it away; what the games' files hold then "
                           "counts as theirs"
                           ) from None


def setting_name(section: str, key: str) -> str:
    """What a key of a game's file is called as a setting: `file.graphics_shadow-detail`."""
    parts = (re.sub(r"[^a-z0-9]+", "-", part.lower()).strip("-") for part in (section, key))
    return "file." + "_".join(part or "x" for part in parts)[:70]


def _where(listed: Listed, ini: Ini, key: str) -> tuple[str, str]:
    known = listed.keys.get(key)
    if known:
        return known.section, known.key
    for section, name, _ in ini.entries():
        if setting_name(section, name) == key:
            return section, name
    raise RefusedByRig(f"{listed.file} has nothing that {key} stands for")


def _held(ini: Ini, listed: Listed, key: str) -> str | None:
    """What the file holds for a setting; None if the game has taken it out, or has it twice now."""
    try:
        return ini.value(*_where(listed, ini, key))
    except RefusedByRig:
        return None


def _write(ini: Ini, listed: Listed, key: str, value: Value | None, noted: dict[str, str | None]) -> None:
    section, name = _where(listed, ini, key)
    if value is None:
        was = noted.get(key)
        ini.remove(section, name) if was is None else ini.set(section, name, was)
        return
    noted.setdefault(key, ini.value(section, name))
    ini.set(section, name, _as_text(listed.keys.get(key), value))


def _as_text(known: Key | None, value: Value) -> str:
    said = {True: "on", False: "off"}[value] if isinstance(value, bool) else str(value)
    texts = known.texts if known else {}
    if texts and said not in texts and not isinstance(value, int | float):
        raise RefusedByRig(f"how the game's file writes {said!r} is not known; it knows {', '.join(texts)}")
    return texts.get(said, said)


def _as_value(key: str, known: Key | None, text: str) -> Value:
    """What a text in the file means; the text itself where it means nothing that the setting takes."""
    if known is None or key not in catalog():
        return text
    said = next((said for said, written in known.texts.items() if written == text), text)
    try:
        return catalog()[key].parsed(said)
    except BadValue:
        return text


def _lock(path: Path) -> bytes:
    return OPEN if path.stat().st_mode & stat.S_IWUSR else LOCKED
