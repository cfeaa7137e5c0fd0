"""The games of a rig, as a player has told it: executables, how they are started, and their own settings files."""

import tomllib
from codecs import BOM_UTF8
from collections.abc import Sequence
from dataclasses import field
from pathlib import Path
from typing import TYPE_CHECKING, Protocol, runtime_checkable

from keenlattice._state_folder import make_private
from keenlattice.errors import RigError, UsageError
from keenlattice.files import read_bounded, replace_file
from keenlattice.profile.matching import Game
from keenlattice.quickly import dataclass

if TYPE_CHECKING:
    from tomlkit.items import Table

FILE = "games.toml"
MOST_BYTES = 256 * 1024
APIS = ("opengl", "vulkan")


@dataclass(frozen=True)
class Key:
    """Where a setting is in a game's file, and how its values are written there; as they are called, if not said."""

    section: str
    key: str
    texts: dict[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class Listed:
    """A game that a player has named.

    Args:
        command: what starts it.
        file: the file that it keeps its settings in.
        keys: where in that file settings are.
        answers_at: the pixel of its window that answers a click, counted from the upper left corner.
        clicks_at: the pixel that is clicked; the same, if it is not said.
        leave_running: whether it is left running after it was started to be measured.
        api: by which of APIS it draws, empty if that is not said.
        application: what it tells a Vulkan driver that it is, with a version.
        engine: what it tells a Vulkan driver of its engine, with a version.
        folder: where its command is started; where we are, if it is not said.
    """

    game: Game
    command: tuple[str, ...] = ()
    file: Path | None = None
    keys: dict[str, Key] = field(default_factory=dict)
    answers_at: tuple[int, int] | None = None
    clicks_at: tuple[int, int] | None = None
    leave_running: bool = False
    api: str = ""
    application: tuple[str, int] | None = None
    engine: tuple[str, int] | None = None
    folder: Path | None = None


@runtime_checkable
class KnowsInstalled(Protocol):
    """A rig whose system keeps a documented list of the games that are installed."""

    def installed(self) -> Sequence[Listed]:
        """Return them by name, each with its command and, where that is given, its executable."""


def read_games(home: Path) -> dict[str, Listed]:
    """The games of a rig, by name.

    Raises:
        RigError: the file cannot be read, or is not as it should be; the message names the game and the key.
    """
    path = home / FILE
    if not path.exists():
        return {}
    try:
        content = read_bounded(path, MOST_BYTES) or b""
        if len(content) > MOST_BYTES:
            raise ValueError(f"larger than {MOST_BYTES // 1024} kB")
        tables = tomllib.loads(content.decode("utf-8-sig"))
        return {name: _listed(name, table) for name, table in tables.items()}
    except (OSError, ValueError, RecursionError) as error:
        raise RigError(f"{path} cannot be understood: {error}; fix it, or move it away") from None


def _listed(name: str, table: object) -> Listed:
    if not isinstance(table, dict):
        raise ValueError(f"{name}: a game is a table: [{name}]")
    unknown = set(table) - {"title", "executables", "command", "file", "keys", "answers_at", "clicks_at",
                            "leave_running", "api", "application", "engine", "folder"}
    if unknown:
        raise ValueError(f"{name}: no such key: {', '.join(sorted(unknown))}")
    entries, file, folder = table.get("keys", {}), table.get("file", ""), table.get("folder", "")
    if not isinstance(entries, dict) or not isinstance(file, str) or not isinstance(folder, str):
        raise ValueError(f"{name}: file and folder are paths, and keys a table")
    keys = {setting: _key(name, setting, entry) for setting, entry in entries.items()}
    executables, command = table.get("executables", []), table.get("command", [])
    if not all(isinstance(words, list) and all(isinstance(word, str) for word in words)
               for words in (executables, command)):
        raise ValueError(f"{name}: executables and command are lists of words")
    return Listed(Game(name, str(table.get("title", name)), tuple(executables)), tuple(command),
                  _path(name, file), keys,
                  _spot(name, "answers_at", table.get("answers_at")), _spot(name, "clicks_at", table.get("clicks_at")),
                  table.get("leave_running") is True, _api(name, table.get("api", "")),
                  _known_as(name, "application", table.get("application")),
                  _known_as(name, "engine", table.get("engine")), _path(name, folder))


def _path(name: str, file: str) -> Path | None:
    try:
        return Path(file).expanduser() if file else None
    except RuntimeError:
        raise ValueError(f"{name}: {file} is in nobody's home") from None


def _key(name: str, setting: str, content: object) -> Key:
    if not isinstance(content, dict) or not {"section", "key"} <= set(content) or not isinstance(
            content.get("values", {}), dict):
        raise ValueError(f"{name}: {setting} takes a section and a key of its file, and values as a table")
    return Key(str(content["section"]), str(content["key"]),
               {str(value): str(text) for value, text in content.get("values", {}).items()})


def _api(name: str, content: object) -> str:
    if content not in ("", *APIS):
        raise ValueError(f"{name}: api is one of {', '.join(APIS)}")
    return str(content)


def _known_as(name: str, key: str, content: object) -> tuple[str, int] | None:
    if content is None:
        return None
    if isinstance(content, list) and len(content) == 2 and isinstance(content[0], str) and isinstance(content[1], int):
        return content[0], content[1]
    raise ValueError(f"{name}: {key} is a name and a version: [\"NAME\", 1]")


def _spot(name: str, key: str, content: object) -> tuple[int, int] | None:
    if content is None:
        return None
    if isinstance(content, list) and len(content) == 2 and all(isinstance(number, int) and 0 <= number < 32_768
                                                               for number in content):
        return content[0], content[1]
    raise ValueError(f"{name}: {key} is a pixel of its window: [x, y]")


def add_game(home: Path, listed: Listed) -> None:
    """Adds a game, or replaces what was said of it; where its settings are in its file (`keys`) stays as it is, if that
    is not told again, and so does everything else in ours.

    Raises:
        UsageError: a name that cannot be one, an API that is not known, or bytes that are not text.
        RigError: the file cannot be read or written.
    """
    import re

    import tomlkit

    name = listed.game.name
    if not re.fullmatch(r"[a-z][a-z0-9-]{0,59}", name) or name in ("rig", "machine"):
        raise UsageError(f"{name!r} cannot be a game's name: take small letters, digits and dashes, and not `rig`")
    if listed.api not in ("", *APIS):
        raise UsageError(f"{name}: {listed.api[:40]!r} is not an API that is known here: write {' or '.join(APIS)}")
    read_games(home)
    path = home / FILE
    try:
        content = path.read_bytes() if path.exists() else b""
        mark, content = (BOM_UTF8, content[3:]) if content.startswith(BOM_UTF8) else (b"", content)
        complete = content if not content or content.endswith(b"\n") else content + b"\n"
        document = tomlkit.parse(complete.decode("utf-8"))
        table = document.get(name) or tomlkit.table()
        _fill(table, listed)
        document[name] = table
        text = mark + tomlkit.dumps(document).encode()
        tomllib.loads(text.decode("utf-8-sig"))
        make_private(home)
        replace_file(path, text)
    except UnicodeError:
        raise UsageError(f"{name}: a title, command or path holds bytes that are not UTF-8: rename it") from None
    except ValueError as error:
        raise RigError(f"{path} cannot be added to as it is written ({error}): write each game as its own table, "
                       f"[{name}]") from None
    except OSError as error:
        raise RigError(f"cannot write {path}: {error.strerror}") from None


def _fill(table: "Table", listed: Listed) -> None:
    """Write what is known of a game into its table; what is not known goes."""
    table["title"], table["executables"] = listed.game.title, list(listed.game.executables)
    values = {"command": list(listed.command), "folder": str(listed.folder or ""), "file": str(listed.file or ""),
              "answers_at": list(listed.answers_at or ()), "clicks_at": list(listed.clicks_at or ()),
              "api": listed.api, "application": list(listed.application or ()), "engine": list(listed.engine or ())}
    for key, value in values.items():
        if value:
            table[key] = value
        else:
            table.pop(key, None)
    table["leave_running"] = listed.leave_running
    if listed.keys:
        table["keys"] = {setting: {"section": key.section, "key": key.key, **(
            {"values": key.texts} if key.texts else {})} for setting, key in listed.keys.items()}
