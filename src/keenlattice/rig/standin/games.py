"""The games of the stand-in, and what they ask of a machine. All made up."""

from dataclasses import dataclass

from keenlattice.profile.game import Game


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
