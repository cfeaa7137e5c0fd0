"""A population of stand-ins: rigs of many players, each drawn from a seed, each with its own truth for every setting.

What a setting does on a rig follows from its hardware (a slow GPU feels a recorder more, few cores bear another thread
badly, memory that is at its rated speed gains nothing by it), and strays from that from rig to rig. So some changes
help everywhere, some help only where the GPU or the CPU is the limit, and some help here and hurt there; what
`mechanisms` does not name does nothing on any of them.
"""

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from keenlattice.catalog.values import Value
from keenlattice.rig.standin.build import Build, FactValue
from keenlattice.rig.standin.games import GAMES

TIERS = ("entry", "middle", "high")
SHARE_OF_TIERS = (0.35, 0.45, 0.20)
LAPTOPS, RATED_ALREADY, REFRESH_SET, COOL_WARMING, HOT_WARMING = 0.3, 0.4, 0.6, 0.02, 0.12
GPU = {"entry": ("Basalt 40", 4096, 1.9), "middle": ("Basalt 70", 8192, 1.0), "high": ("Basalt 90", 16384, 0.55)}
CORES = {"entry": (4, 6), "middle": (6, 8), "high": (8, 12)}
SLOWNESS = {4: 1.7, 6: 1.25, 8: 1.0, 12: 0.85}
PANELS = {60: "Heron 22-inch", 75: "Heron 24-inch", 144: "Heron 25-inch", 165: "Heron 27-inch", 240: "Heron 24-inch S"}
PANELS_OF = {"entry": (60, 75, 144), "middle": (75, 144, 165), "high": (144, 165, 240)}
MEMORY_MIB = {"entry": (8192, 16384), "middle": (16384, 32768), "high": (16384, 32768)}


@dataclass(frozen=True)
class FleetRig:
    """A rig of the population, with who plays on it.

    Args:
        build: what it is made of.
        game: that its player plays.
        at_first: what its player has set already, beside stock.
    """

    build: Build
    game: str
    at_first: Mapping[str, Value]


def rig_of(seed: int, number: int) -> FleetRig:
    """The rig of that number in the population of that seed: always the same.

    Args:
        seed: of the population.
        number: of the rig, from 0.
    """
    random = np.random.default_rng([seed, 41, number])
    tier = str(random.choice(TIERS, p=SHARE_OF_TIERS))
    laptop, rated = bool(random.random() < LAPTOPS), bool(random.random() < RATED_ALREADY)
    cores, ram = (int(random.choice(table[tier])) for table in (CORES, MEMORY_MIB))
    best = int(random.choice(PANELS_OF[tier]))
    gpu, vram, gpu_share = GPU[tier]
    hardware: dict[str, FactValue] = {
        "cpu": f"Quill {cores}-core", "cores": cores, "threads": 2 * cores, "ram_mib": ram, "memory_rated_mts": 3600,
        "gpu": f"{gpu}{' M' * laptop}", "other_gpu": "Basalt Mini (integrated)", "vram_mib": vram,
        "panel": PANELS[best], "panel_on_integrated": laptop}
    build = Build(
        f"fleet-{seed}-{number}", hardware, best,
        cpu_share=SLOWNESS[cores] * (1.12 if laptop else 1.0) * _stray(random, 0.08),
        gpu_share=gpu_share * (1.2 if laptop else 1.0) * _stray(random, 0.08),
        warming=(HOT_WARMING if laptop else COOL_WARMING) * _stray(random, 0.3),
        copy_ms=0.5 * _stray(random, 0.3) if laptop else 0.0,
        responds=_responds(random, tier, cores, laptop, rated))
    at_first: dict[str, Value] = {"memory.rated-speed": True} if rated else {}
    if best > 60 and random.random() < REFRESH_SET:
        at_first["display.refresh"] = best
    return FleetRig(build, str(random.choice([*GAMES])), at_first)


def _responds(random: np.random.Generator, tier: str, cores: int, laptop: bool, rated: bool) -> dict[str, float]:
    """How far each setting acts on such a rig, and how this one strays from its like."""
    slow = {"entry": 1.8, "middle": 1.0, "high": 0.4}[tier]
    return {
        "driver.threaded-submission": random.normal({4: -0.9, 6: 0.5, 8: 1.2, 12: 1.4}[cores], 0.3),
        "cpu.power-plan": (2.2 if laptop else 0.6) * _stray(random, 0.3),
        "gpu.clock-policy": (1.6 if laptop else 0.8) * _stray(random, 0.3),
        "scheduling.gpu": random.normal({"entry": -4.0, "middle": 1.0, "high": 4.0}[tier], 1.5),
        "background.recorder": slow * _stray(random, 0.25),
        "background.overlay": slow * _stray(random, 0.5),
        "memory.rated-speed": 0.0 if rated else _stray(random, 0.3),
        "cpu.core-parking": (3.0 if laptop else 0.5) * _stray(random, 0.3),
        "process.priority": (1.4 if cores <= 6 else 0.5) * _stray(random, 0.3),
        "shader.cache-size": _stray(random, 0.4),
        "texture.filter-quality": _stray(random, 0.6),
        "interrupt.mode": _stray(random, 0.7)}


def _stray(random: np.random.Generator, by: float) -> float:
    """A factor around 1."""
    return math.exp(random.normal(0.0, by))


LIST: Mapping[str, Value] = {
    "antialias.gamma": False, "background.overlay": False, "background.recorder": False,
    "background.services": "needed-only", "background.telemetry": False, "background.visual-effects": False,
    "cpu.core-parking": False, "cpu.power-plan": "high", "display.overdrive": "strong", "driver.error-checking": False,
    "driver.threaded-submission": True, "frame.queue-depth": 1, "frame.submission": "just-in-time",
    "gpu.clock-policy": "hold-high", "input.pointer-acceleration": False, "input.polling-rate": 1000,
    "interrupt.mode@usb0": "message", "memory.rated-speed": True, "network.packet-coalescing": False,
    "process.io-priority": "high", "process.priority": "high", "scheduling.game-mode": False,
    "scheduling.gpu": "by-hardware", "shader.cache-size": 8192, "sync.triple-buffering": True, "sync.vertical": "off",
    "texture.filter-quality": "fast", "texture.bias-below-zero": "ignored", "timer.resolution": 0.5,
    "window.high-dpi": "by-game"}
"""Thirty changes as a list of tips has them: a few that help nearly everywhere, some that help here and hurt there, and
many that do nothing on any rig of the population."""
PLACEBOS = frozenset({
    "antialias.gamma", "background.services", "background.telemetry", "background.visual-effects",
    "driver.error-checking", "input.pointer-acceleration", "network.packet-coalescing", "process.io-priority",
    "scheduling.game-mode", "texture.bias-below-zero", "window.high-dpi"})
"""Those of them that nothing depends on."""
