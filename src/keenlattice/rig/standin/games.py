"""The games of the stand-in, and what they ask of a machine. All made up."""

import shutil
import tempfile
from dataclasses import dataclass
from pathlib import Path

from keenlattice.profile.matching import Game
from keenlattice.rig.gamelist import Key, Listed


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
    "; Brass Orbit keeps its settings here, and writes them anew when it ends.\r\n"
    "[Picture]\r\nOverall = 2\r\nTextures = 2\r\nShadows = 2 ; of the flippers, too\r\nMotionBlur = yes\r\n"
    "\r\n[Pace]\r\nFrameCap = 0\r\n\r\n[Table]\r\nNudgeStrength = 0.7\r\nPlayerName = Ada \u2605\r\n"
).encode("utf-16")


def listed_games(home: Path) -> dict[str, Listed]:
    """The games as a rig lists them; Brass Orbit keeps settings in a file of its own, which it has made by now."""
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
    known = {"brass-orbit": (file, ORBIT_KEYS)}
    return {name: Listed(game, (), *known.get(name, (None, {}))) for name, (game, _) in GAMES.items()}
