"""The games that are installed, as the desktop's own entries of applications list them."""

import os
import re
import shlex
from pathlib import Path

from keenlattice.files import read_bounded
from keenlattice.profile.matching import Game
from keenlattice.rig.gamelist import Listed

MOST_BYTES, MOST = 100_000, 2_000
FIELD_CODE = re.compile(r"^%[a-zA-Z]$")
STARTERS = ("env", "sh", "bash")
"""What starts something else: the game's process has another name, which the entry does not tell."""


def installed(data_folders: list[Path]) -> list[Listed]:
    """Return the games that the desktop knows, by name, each with its command.

    Args:
        data_folders: that applications leave their entries in, the player's own first.
    """
    games: dict[str, Listed] = {}
    for folder in data_folders:
        try:
            files = sorted((folder / "applications").glob("*.desktop"))[:MOST]
        except OSError:
            continue
        for file in files:
            if (game := _game_in(file)) is not None:
                games.setdefault(game.game.name, game)
    return sorted(games.values(), key=lambda listed: listed.game.name)


def data_folders() -> list[Path]:
    """Return the folders that the desktop's standard names, the player's own first."""
    own = os.environ.get("XDG_DATA_HOME") or str(Path.home() / ".local" / "share")
    shared = os.environ.get("XDG_DATA_DIRS") or "/usr/local/share:/usr/share"
    return [Path(folder) for folder in [own, *shared.split(":")] if folder.startswith("/")]


def _game_in(file: Path) -> Listed | None:
    """The game of an entry; None of one that is of something else, hidden, or cannot be read."""
    try:
        content = read_bounded(file, MOST_BYTES)
        text = "" if content is None or len(content) > MOST_BYTES else content.decode("utf-8")
    except (OSError, UnicodeDecodeError):
        return None
    fields = _fields(text)
    name = re.sub(r"[^a-z0-9]+", "-", file.stem.rpartition(".")[2].lower()).strip("-")
    if "Game" not in fields.get("Categories", "").split(";") or fields.get("NoDisplay") == "true" or not name:
        return None
    try:
        command = [word for word in shlex.split(fields.get("Exec", "")) if not FIELD_CODE.match(word)]
    except ValueError:
        return None
    title = "".join(letter for letter in fields.get("Name", "") if letter.isprintable())[:60] or name
    program = Path(command[0]).name if command else ""
    executables = (program,) if program and program not in STARTERS else ()
    folder = Path(fields["Path"]) if fields.get("Path", "").startswith("/") else None
    return Listed(Game(name, title, executables), tuple(command), folder=folder) if command else None


def _fields(text: str) -> dict[str, str]:
    """The keys of an entry's own group, without those for other languages."""
    group = text.partition("[Desktop Entry]")[2].partition("\n[")[0]
    pairs = (line.partition("=") for line in group.splitlines() if "=" in line and not line.startswith("#"))
    return {key.strip(): value.strip() for key, _, value in pairs}
