"""The games of the stand-in and what they ask of a machine, and its chores. All made up."""

import json
import shutil
import tempfile
from collections.abc import Mapping
from pathlib import Path

from keenlattice.catalog.values import Value
from keenlattice.errors import RigError
from keenlattice.files import replace_file
from keenlattice.profile.matching import Game
from keenlattice.quickly import dataclass
from keenlattice.rig.base import Chore
from keenlattice.rig.gamelist import Key, Listed
from keenlattice.safejson import parse_json


@dataclass(frozen=True)
class Load:
    """What a game asks of the stand-in's hardware at stock settings.

    Args:
        cpu_ms, gpu_ms: typical time of a frame on either.
        uneven: how far single frames stray from it (standard deviation of the logarithm).
        scenes: how far whole scenes do.
        compiles_per_min: shaders that are compiled in mid-game with an empty cache.
        queue: how many frames the game itself prepares ahead, where it decides.
        sync: whether the game itself asks for vertical sync, where it decides.
    """

    cpu_ms: float
    gpu_ms: float
    uneven: float
    scenes: float
    compiles_per_min: float
    queue: int
    sync: bool = False


GAMES: dict[str, tuple[Game, Load]] = {game.name: (game, load) for game, load in (
    (Game("brass-orbit", "Brass Orbit", ("brass-orbit", "brass-orbit-*")),
     Load(cpu_ms=2.5, gpu_ms=3.6, uneven=0.10, scenes=0.06, compiles_per_min=4, queue=3)),
    (Game("tidewater-rally", "Tidewater Rally", ("tidewater", "tidewater-server")),
     Load(cpu_ms=5.2, gpu_ms=10.5, uneven=0.12, scenes=0.12, compiles_per_min=9, queue=3)),
    (Game("moth-and-lantern", "Moth and Lantern", ("moth-and-lantern",)),
     Load(cpu_ms=7.4, gpu_ms=3.1, uneven=0.16, scenes=0.10, compiles_per_min=6, queue=2, sync=True)),
)}


ORBIT_KEYS = {
    "game.quality": Key("Picture", "Overall", {"low": "0", "medium": "1", "high": "2", "highest": "3"}),
    "game.textures": Key("Picture", "Textures", {"low": "0", "medium": "1", "high": "2", "highest": "3"}),
    "game.shadows": Key("Picture", "Shadows", {"low": "0", "medium": "1", "high": "2", "highest": "3"}),
    "game.motion-blur": Key("Picture", "MotionBlur", {"on": "yes", "off": "no"}),
    "game.frame-cap": Key("Pace", "FrameCap", {"off": "0"}),
}

ORBIT_FILE = (
    "; Brass Orbit keeps its settings here, and rewrites them when it ends.\r\n"
    "[Picture]\r\nOverall = 2\r\nTextures = 2\r\nShadows = 2 ; of the flippers, too\r\nMotionBlur = yes\r\n"
    "\r\n[Pace]\r\nFrameCap = 0\r\n\r\n[Table]\r\nNudgeStrength = 0.7\r\nPlayerName = Ada \u2605\r\n"
).encode("utf-16")


def listed_games(home: Path) -> dict[str, Listed]:
    """The games as a rig lists them; Brass Orbit keeps settings in its own file, which it has made by now."""
    file = home / "games" / "brass-orbit" / "settings.ini"
    if not file.parent.exists():
        made = Path(tempfile.mkdtemp(dir=home, prefix="games-"))
        (made / file.name).write_bytes(ORBIT_FILE)
        try:
            file.parent.parent.mkdir(exist_ok=True)
            made.rename(file.parent)  # whole, or not at all: another process may be making it at the same time
        except OSError:
            shutil.rmtree(made, ignore_errors=True)
            if not file.parent.exists():
                raise
    keys_of = {"brass-orbit": (file, ORBIT_KEYS)}
    return {name: Listed(game, (), *keys_of.get(name, (None, {}))) for name, (game, _) in GAMES.items()}


MACHINE = "machine"
"""The owner of what belongs to no profile: the driver's number, and what lies about on the disk."""

AT_FIRST: Mapping[str, int] = {"driver": 31, "shader_cache_mib": 1840, "temporary_mib": 3270}
FOR_GOOD = "machine.json"
FOR_GOOD_AT_FIRST = {"standby_mib": 5120, "damaged_files": 2}
DRIVERS_OWN = ("frame.", "sync.", "texture.", "antialias.", "scaling.", "shader.", "driver.", "gpu.")

CHORES = (
    Chore("update-driver", "Installs the next driver, which puts what belongs to the driver back to stock, for the "
                           "whole rig and for every game.", rights=True),
    Chore("clear-shader-cache", "Sets the compiled shaders aside; games compile them again. For when they are damaged: "
                                "it does not make anything faster."),
    Chore("clear-temporary-files", "Sets the temporary files aside. It makes room, and nothing faster."),
    Chore("purge-standby-memory", "Drops what the system keeps in memory in case it is needed again; it is read again "
                                  "from the disk then.", rights=True, undoable=False),
    Chore("verify-game-files", "Compares the games' files with what was published, and fetches those that are damaged.",
          undoable=False),
)


def with_driver_stock(held: Mapping[str, Mapping[str, Value]]) -> dict[str, dict[str, Value]]:
    """What is held after a driver update: the next driver, and none of the values that are the driver's own."""
    then = {owner: {key: value for key, value in entries.items() if not key.startswith(DRIVERS_OWN)}
            for owner, entries in held.items()}
    then[MACHINE] = {**then.get(MACHINE, {}), "driver": machine(held, "driver") + 1}
    return then


def machine(held: Mapping[str, Mapping[str, Value]], counter: str) -> int:
    """A number of the machine's own."""
    return int(held.get(MACHINE, {}).get(counter, AT_FIRST[counter]))


def emptied(held: Mapping[str, Mapping[str, Value]], counter: str) -> tuple[dict[str, Mapping[str, Value]], str]:
    """What is held once something is cleared, and what is said of it."""
    mib = machine(held, counter)
    where = {"shader_cache_mib": "the shader cache", "temporary_mib": "the temporary files"}[counter]
    message = f"{mib} MiB of {where} are set aside; undo brings them back" if mib else f"there is nothing in {where}"
    return {**held, MACHINE: {**held.get(MACHINE, {}), counter: 0}}, message


def for_good(home: Path) -> dict[str, int]:
    """What no restore point brings back: memory, and the games' own files."""
    path = home / FOR_GOOD
    try:
        counts = {**FOR_GOOD_AT_FIRST, **(parse_json(path.read_bytes()) if path.exists() else {})}
        return {name: int(counts[name]) for name in FOR_GOOD_AT_FIRST}
    except (OSError, ValueError, TypeError):
        raise RigError(f"{path} is damaged: remove it, and the machine is as it was at first") from None


def settle_for_good(home: Path, counter: str) -> None:
    """Makes one of these nothing."""
    replace_file(home / FOR_GOOD, json.dumps({**for_good(home), counter: 0}).encode())
