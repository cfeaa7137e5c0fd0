"""Games' own settings files as part of a rig: their values are settings of a profile, written in the same journal.

A game's file has no "unset". So the first time that a value is set, what was there is noted down beside it, with the
section and the key as they are written, and unsetting it puts that back. What has never been set through us belongs to
the game.
"""

import json
import re
import stat
from collections.abc import Mapping, Sequence
from dataclasses import replace
from pathlib import Path

from keenlattice.catalog.load import catalog
from keenlattice.catalog.model import Setting
from keenlattice.catalog.values import Value
from keenlattice.errors import BadValue, RefusedByRig, RigError
from keenlattice.files import read_bounded, replace_file
from keenlattice.quickly import dataclass
from keenlattice.rig.base import Edits, State
from keenlattice.rig.gamelist import Key, Listed
from keenlattice.rig.ini import MOST_BYTES, Ini
from keenlattice.rig.noted import told_apart
from keenlattice.rig.parts import Part
from keenlattice.rig.places import path_of, place_of
from keenlattice.safejson import parse_json

NOTED, LOCK_KEY = "games-before.json", "game.config-locked"
MODE = " (lock)"
"""What the place of a file's mode is called: the file's own, with this behind it. It holds the mode in octal digits."""
WRITABLE = 0o222
TRADES = "A value of the game's own settings file; what it trades is not written down here: measure it."


@dataclass(frozen=True)
class NotedKey:
    """What was there before a setting was first set through us: a text, or a mode; None if the key was not there.

    `games` are those whose profiles set it now: it is put back once the last of them lets go of it.
    """

    section: str
    key: str
    was: str | None
    games: tuple[str, ...]


Notes = Mapping[str, Mapping[str, NotedKey]]
"""Place of a file to what is noted of its settings."""


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
        """Every key of the games' files that no setting of the catalog stands for, as settings of the domain `file`.

        A key that was set through us stays a setting when the game takes it out: else nobody could say that it slipped.
        """
        result: dict[str, Setting] = {}
        notes = self._read_noted({self._noted: self._content(self._noted)}) if self.games else {}
        for game, listed in self.games.items():
            mapped = {(entry.section, entry.key) for entry in listed.keys.values()}
            entries = self._entries(game)
            values = {(section, key): value for section, key, value in reversed(entries)}
            names = names_of(entries)
            gone = {name: (entry.section, entry.key) for name, entry in notes.get(self._place[game], {}).items()
                    if name.startswith("file.") and name not in names and (entry.section, entry.key) not in values}
            for name, (section, key) in {**names, **gone}.items():
                value = values.get((section, key), "")
                if (section, key) not in mapped and name not in result and value.isprintable():
                    result[name] = Setting(
                        name=name, title=f"{key} in [{section}] of the game's own file", kind="text", scope="game",
                        stock=value, restart="game", trades=TRADES, sure="disputed", moves={"frame-time": "either"},
                        advice="Nobody has collected what it does: measure it.")
        return list(result.values())

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
            held[place + MODE] = None if held[place] is None else _mode(path_of(place, self._home))
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
        noted = self._noted_of(state, owner)
        if listed is None or not noted or state.get(self._place[owner]) is None:
            return {}
        ini = Ini(state[self._place[owner]] or b"", str(listed.file))
        result: dict[str, Value] = {}
        for name, entry in noted.items():
            if name == LOCK_KEY:
                result[name] = _is_locked(state.get(self._place[owner] + MODE))
            elif (text := _held(ini, entry.section, entry.key)) is not None:
                result[name] = _as_value(name, listed.keys.get(name), text)
        return result

    def before(self, state: State, owner: str) -> dict[str, Value]:
        """What a game's file held before anything was set through us, of the settings that are known to be in it."""
        listed = self.games.get(owner)
        if listed is None or state.get(self._place[owner]) is None:
            return {}
        ini, noted = Ini(state[self._place[owner]] or b"", str(listed.file)), self._noted_of(state, owner)
        mapped = {name: (entry.section, entry.key) for name, entry in listed.keys.items()}
        places = {**names_of(ini.entries()), **mapped}
        texts = {name: noted[name].was if name in noted else _held(ini, *place) for name, place in places.items()}
        return {name: _as_value(name, listed.keys.get(name), text) for name, text in texts.items() if text is not None}

    def changed(self, state: State, owner: str, changes: Edits) -> State:
        """The places that change, after some changes.

        Raises:
            RefusedByRig: the file is not there, cannot be read, or does not take the value.
        """
        listed, place = self.games[owner], self._place[owner]
        notes = {entry: dict(noted) for entry, noted in self._read_noted(state).items()}
        noted = notes.setdefault(place, {})
        if place in self.trouble:
            raise RefusedByRig(self.trouble[place])
        content = state.get(place)
        if content is None:
            raise RefusedByRig(f"{listed.file} is not there: start {listed.game.title} once, so that it makes it")
        ini, then = Ini(content, str(listed.file)), {**state}
        for name, value in changes.items():
            if name == LOCK_KEY:
                then[place + MODE] = _changed_mode(state.get(place + MODE), value, noted, owner)
            else:
                _write(ini, listed, name, value, noted)
        kept = {entry: {name: note.__dict__ for name, note in notes_of.items()} for entry, notes_of in notes.items()
                if notes_of}
        then[place], then[self._noted] = ini.content, json.dumps(kept, indent=1).encode() if kept else None
        return {entry: text for entry, text in then.items() if text != state.get(entry)}

    def put(self, state: State) -> None:
        """Writes those of a state's places that are games' files; what is noted down first, so that it is never amiss.

        Raises:
            RigError: one cannot be written.
        """
        files = [f"{place}{suffix}" for place in self._place.values() for suffix in ("", MODE)]
        for place in (self._noted, *files):
            if place in state:
                self._put(place, state[place])

    def _put(self, place: str, content: bytes | None) -> None:
        path = path_of(place.removesuffix(MODE), self._home)
        try:
            if place.endswith(MODE):
                if content is not None and re.fullmatch(rb"[0-7]{4}", content):
                    path.chmod(int(content, 8))
            elif content is None:
                path.unlink(missing_ok=True)
            else:
                replace_file(path, content)
        except OSError as error:
            raise RigError(f"cannot write {path}: {error.strerror}") from None

    def _noted_of(self, state: State, owner: str) -> Mapping[str, NotedKey]:
        """What is noted of the settings that a game's profile sets."""
        noted = self._read_noted(state).get(self._place.get(owner, ""), {})
        return {name: entry for name, entry in noted.items() if owner in entry.games}

    def _read_noted(self, state: State) -> Notes:
        try:
            content = parse_json(state.get(self._noted) or b"{}")
            return {str(place): {str(name): _as_noted(entry) for name, entry in entries.items()}
                    for place, entries in content.items()}
        except (ValueError, TypeError, AttributeError, KeyError):
            raise RigError(f"{self._home / self._noted} is damaged: move it away; what the games' files hold then "
                           "counts as theirs"
                           ) from None


def _as_noted(result: Mapping[str, object]) -> NotedKey:
    was, games = result["was"], result["games"]
    if not (was is None or isinstance(was, str)) or not isinstance(games, list):
        raise ValueError
    return NotedKey(str(result["section"]), str(result["key"]), was, tuple(map(str, games)))


def names_of(entries: Sequence[tuple[str, str, str]]) -> dict[str, tuple[str, str]]:
    """What the keys of a file are called as settings (`file.graphics_shadow-detail`): name to section and key.

    Keys whose names would be one, since they differ in signs or letters that a name does not have, are distinguished by
    some digits of the hash of what is written in the file; these do not depend on where in the file a key stands.
    """
    places = {f"{section}\0{key}": (section, key) for section, key, _ in entries}
    named = told_apart({path: _plain_name(*place) for path, place in places.items()})
    return {name: places[path] for path, name in named.items()}


def _plain_name(section: str, key: str) -> str:
    parts = (re.sub(r"[^a-z0-9]+", "-", part.lower()).strip("-") for part in (section, key))
    return "file." + "_".join(part or "x" for part in parts)[:63]


def _where(listed: Listed, ini: Ini, name: str, noted: Mapping[str, NotedKey]) -> tuple[str, str]:
    """Section and key of a setting.

    Raises:
        RefusedByRig: the file has nothing of that name, or several keys that it could be.
    """
    if mapped := listed.keys.get(name):
        return mapped.section, mapped.key
    if name in noted:
        return noted[name].section, noted[name].key
    names = names_of(ini.entries())
    if name in names:
        return names[name]
    alike = [f"{full} ({key} in [{section}])" for full, (section, key) in names.items()
             if _plain_name(section, key) == name]
    if alike:
        raise RefusedByRig(f"{name} could be {len(alike)} keys of {listed.file}: write {' or '.join(alike[:4])}")
    raise RefusedByRig(f"{listed.file} has nothing that {name} stands for")


def _held(ini: Ini, section: str, key: str) -> str | None:
    """What the file holds for a setting; None if the game has taken it out, or has it twice now."""
    try:
        return ini.value(section, key)
    except RefusedByRig:
        return None


def _write(ini: Ini, listed: Listed, name: str, value: Value | None, noted: dict[str, NotedKey]) -> None:
    """Write a value, or what was there before; `noted` learns of it."""
    section, key = _where(listed, ini, name, noted)
    owner = listed.game.name
    if value is not None:
        text = _as_text(listed.keys.get(name), value)
        noted[name] = _noted_for(noted.get(name) or NotedKey(section, key, ini.value(section, key), ()), owner)
        ini.set(section, key, text)
    elif (last := _let_go(noted, name, owner)) is not None:
        ini.remove(section, key) if last.was is None else ini.set(section, key, last.was)


def _changed_mode(mode: bytes | None, value: Value | None, noted: dict[str, NotedKey], owner: str) -> bytes:
    """The mode of a file once it is locked, unlocked, or as it was before; `noted` learns of it."""
    held = mode or b"0644"
    if value is not None:
        noted[LOCK_KEY] = _noted_for(noted.get(LOCK_KEY) or NotedKey("", "", held.decode(), ()), owner)
        bits = int(held, 8)
        return _octal(bits & ~WRITABLE if value else bits | stat.S_IWUSR)
    last = _let_go(noted, LOCK_KEY, owner)
    return held if last is None or last.was is None else last.was.encode()


def _noted_for(note: NotedKey, owner: str) -> NotedKey:
    return replace(note, games=tuple(dict.fromkeys([*note.games, owner])))


def _let_go(noted: dict[str, NotedKey], name: str, owner: str) -> NotedKey | None:
    """A game no longer sets a setting; returns what was noted of it if no other game does."""
    note = noted.get(name)
    if note is None:
        return None
    rest = tuple(game for game in note.games if game != owner)
    if rest:
        noted[name] = replace(note, games=rest)
        return None
    return noted.pop(name)


def _as_text(mapped: Key | None, value: Value) -> str:
    word = {True: "on", False: "off"}[value] if isinstance(value, bool) else str(value)
    texts = mapped.texts if mapped else {}
    if texts and word not in texts and not isinstance(value, int | float):
        raise RefusedByRig(f"how the game's file writes {word!r} is not known; it knows {', '.join(texts)}")
    return texts.get(word, word)


def _as_value(key: str, mapped: Key | None, text: str) -> Value:
    """What a text in the file means; the text itself where it means nothing that the setting takes."""
    if mapped is None or key not in catalog():
        return text
    word = next((word for word, written in mapped.texts.items() if written == text), text)
    try:
        return catalog()[key].parsed(word)
    except BadValue:
        return text


def _mode(path: Path) -> bytes:
    return _octal(stat.S_IMODE(path.stat().st_mode))


def _octal(mode: int) -> bytes:
    return f"{mode:04o}".encode()


def _is_locked(mode: bytes | None) -> bool:
    return mode is not None and not int(mode, 8) & stat.S_IWUSR
