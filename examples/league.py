"""A league of fictional players: each tries changes of a list on a rig of their own, and publishes what was found.

Run it anywhere: `python examples/league.py FOLDER`, then `keen pool read FOLDER`. A pool is shown and scored on it: the
rigs are stand-ins, each drawn from a seed, so that what each change truly does on each of them is known. Some players
may be careless: they mix up before and after, play hardly at all, or make their numbers up.

What a setting does on a rig follows from its hardware (a slow GPU feels a recorder more, few cores bear another thread
badly, memory that is at its rated speed gains nothing by it), and strays from that from rig to rig. So some changes
help everywhere, some help only where the GPU or the CPU is the limit, and some help here and hurt there; what the
stand-in's mechanisms do not name does nothing on any of them.
"""

import argparse
import json
import math
import tempfile
from collections.abc import Iterator, Mapping, Sequence
from concurrent.futures import Executor, ProcessPoolExecutor
from dataclasses import asdict, dataclass, field
from functools import partial
from multiprocessing import get_context
from pathlib import Path

import numpy as np

from keenlattice.catalog.values import Value
from keenlattice.errors import BadValue, UsageError
from keenlattice.files import read_bounded, replace_file
from keenlattice.parallel import spread_out
from keenlattice.profile.version import WHOLE_RIG, Version
from keenlattice.rig.standin.build import Build, FactValue
from keenlattice.rig.standin.games import GAMES
from keenlattice.rig.standin.machine import Standin
from keenlattice.study.kind import KeptVersion
from keenlattice.study.limits import check_seconds, check_seed
from keenlattice.study.pool.evidence import EvidenceRecord, Found, digest
from keenlattice.study.pool.from_studies import records
from keenlattice.study.record import Progress
from keenlattice.study.screen.plan import ScreenPlan, ScreenSpec, factors_of
from keenlattice.study.screen.play import run_screen
from keenlattice.study.screen.result import Screen
from keenlattice.study.trial.plan import TrialPlan, TrialSpec
from keenlattice.study.trial.play import run_trial
from keenlattice.study.trial.result import Trial

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

WAYS = ("mixes up", "hardly plays", "makes up")
"""How a player may be careless."""
HARDLY = 2.0          # seconds
MADE_UP, MADE_UP_ERROR = -0.2, 0.002  # log ratio
MOST_PLAYERS, MOST_PLAN = 1_000_000, 100_000


@dataclass(frozen=True)
class FleetPlan:
    """A league.

    Args:
        players: how many.
        seed: draws the rigs, the games, and what each tries; and all that is played.
        tries: how many changes of the list each player tries.
        seconds: length of a run.
        blocks: of a trial, at most.
        careless: share of the players that are careless, 0 to 1.
        screens: whether each screens what they try, instead of a trial of each.
        list_: the changes: setting to value.

    Raises:
        BadValue: out of range.
    """

    players: int = 40
    seed: int = 1
    tries: int = 6
    seconds: float = 20.0
    blocks: int = 8
    careless: float = 0.0
    screens: bool = False
    list_: Mapping[str, Value] = field(default_factory=lambda: LIST)

    def __post_init__(self) -> None:
        check_seconds(self.seconds)
        check_seed(self.seed)
        if not 1 <= self.players <= MOST_PLAYERS:
            raise BadValue(f"{self.players} players: a league has 1 to {MOST_PLAYERS}")
        if not 1 <= self.tries <= len(self.list_):
            raise BadValue(f"{self.tries} changes: the list has {len(self.list_)}, and each player tries 1 at least")
        if not 0 <= self.careless <= 1:
            raise BadValue(f"{self.careless:g} of the players: a share lies between 0 and 1")


@dataclass(frozen=True)
class FleetPlayer:
    """A player of a league: who has which rig, tries what, and is careless how ("" if not)."""

    number: int
    rig: FleetRig
    tries: Mapping[str, Value]
    careless: str


def player_of(plan: FleetPlan, number: int) -> FleetPlayer:
    """The player of that number: always the same for one plan.

    Args:
        number: from 0.
    """
    rig, random = rig_of(plan.seed, number), np.random.default_rng([plan.seed, 43, number])
    left = [key for key, value in plan.list_.items() if rig.at_first.get(key, None) != value]
    chosen = random.choice(len(left), min(plan.tries, len(left)), replace=False)
    careless = str(random.choice(WAYS)) if random.random() < plan.careless else ""
    return FleetPlayer(number, rig, {left[one]: plan.list_[left[one]] for one in sorted(chosen)}, careless)


def evidence_of(plan: FleetPlan, number: int) -> list[EvidenceRecord]:
    """What a player plays and publishes."""
    player = player_of(plan, number)
    return [_careless(one, player, plan) if player.careless else one for one in _played(plan, player)]


def _played(plan: FleetPlan, player: FleetPlayer) -> Iterator[EvidenceRecord]:
    """What was found on a player's rig, all of it."""
    before = Version(WHOLE_RIG, player.rig.at_first)
    seconds = HARDLY if player.careless == "hardly plays" else plan.seconds
    with tempfile.TemporaryDirectory(prefix="keen-") as home:
        rig = Standin(Path(home), build=player.rig.build)
        facts_before = _facts(rig, before)
        for place, tried in enumerate(_tried(plan, player)):
            after = Version(WHOLE_RIG, {**player.rig.at_first, **tried})
            seed = int(np.random.default_rng([plan.seed, 47, player.number, plan.tries, place]).integers(2**31))
            kept = KeptVersion.of(before), KeptVersion.of(after)
            names = digest("fleet", plan.seed, player.number), digest("fleet", plan.seed, player.number, seed, *tried)
            spec: TrialSpec | ScreenSpec
            result: Trial | Screen
            if plan.screens:
                factors = factors_of(before.entries, after.entries)
                spec = ScreenSpec(*kept, ScreenPlan(factors, rounds=1, seconds=seconds, seed=seed), player.rig.game)
                result = run_screen(rig, before, after, spec.plan, player.rig.game)
            else:
                spec = TrialSpec(*kept, TrialPlan(plan.blocks, seconds, seed), player.rig.game)
                result = run_trial(rig, before, after, spec.plan, player.rig.game)
            yield from records(spec, result, *names, rig.catalog(), facts_before)


def _tried(plan: FleetPlan, player: FleetPlayer) -> list[Mapping[str, Value]]:
    return [player.tries] if plan.screens else [{key: value} for key, value in player.tries.items()]


def _facts(rig: Standin, before: Version) -> Mapping[str, object]:
    """The rig's facts with what its player has set already."""
    rig.put(rig.changed(rig.state(), before.profile, dict(before.entries)))
    rig.restart("machine")
    found = dict(rig.facts())
    rig.put(rig.changed(rig.state(), before.profile, dict.fromkeys(before.entries)))
    rig.restart("machine")
    return found


def _careless(one: EvidenceRecord, player: FleetPlayer, plan: FleetPlan) -> EvidenceRecord:
    if player.careless == "hardly plays":
        return one
    random = np.random.default_rng([plan.seed, 53, player.number])
    made_up = MADE_UP * float(random.choice([1.0, -1.0]))
    told = tuple(_told_wrongly(found, player.careless, made_up) for found in one.found)
    return one.model_copy(update={"found": told})


def _told_wrongly(found: Found, how: str, made_up: float) -> Found:
    if how == "mixes up":
        return found.model_copy(update={"log_ratio": None if found.log_ratio is None else -found.log_ratio})
    return found.model_copy(update={"log_ratio": made_up, "error": MADE_UP_ERROR, "dof": 30.0})


def play_fleet(plan: FleetPlan, folder: Path, executor: Executor | None = None, progress: Progress | None = None
               ) -> Sequence[Path]:
    """Plays a league: a file of records for each player, each written whole or not at all. What is there already is not
    played again, so a league that was stopped goes on; the files are equal whatever the executor.

    Args:
        folder: where the files go; made if it is not there.
        progress: learns how many players are done, of how many.

    Returns: the files of all players, in their order.

    Raises:
        UsageError: a league of another plan lies in the folder.
    """
    _keep_plan(plan, folder)
    files = [folder / f"player-{number:07}.jsonl" for number in range(plan.players)]
    left = [(number, file) for number, file in enumerate(files) if not file.exists()]
    for count, _ in enumerate(spread_out(partial(_play_one, plan), left, executor), 1 + len(files) - len(left)):
        if progress:
            progress(count, len(files))
    return files


def _keep_plan(plan: FleetPlan, folder: Path) -> None:
    """Writes down what a folder's league is, so that none is mixed with another; more players may join."""
    told = json.dumps({**asdict(plan), "players": None}, sort_keys=True).encode()
    folder.mkdir(parents=True, exist_ok=True)
    file = folder / "league.json"
    if file.exists() and read_bounded(file, MOST_PLAN) != told:
        raise UsageError(f"{folder} holds a league that was played otherwise: name another folder, or play it as then")
    if not file.exists() and any(folder.iterdir()):
        raise UsageError(f"{folder} is not empty, and holds no league: name another folder")
    replace_file(file, told)


def _play_one(plan: FleetPlan, what: tuple[int, Path]) -> int:
    number, file = what
    found = evidence_of(plan, number)
    replace_file(file, "".join(f"{one.line()}\n" for one in found).encode())
    return len(found)


def main() -> None:
    """Play the league that the command line asks for."""
    plan = FleetPlan()
    parser = argparse.ArgumentParser(description="Let a league of fictional players publish evidence.")
    parser.add_argument("folder", type=Path, help="where their evidence goes; a league that lies there goes on")
    parser.add_argument("--players", type=int, default=plan.players)
    parser.add_argument("--tries", type=int, default=plan.tries, help="changes of a list of thirty that each tries")
    parser.add_argument("--seconds", type=float, default=plan.seconds, help="length of a run")
    parser.add_argument("--careless", type=float, default=plan.careless, help="share of careless players, 0 to 1")
    parser.add_argument("--screens", action="store_true", help="each screens what they try")
    parser.add_argument("--seed", type=int, default=plan.seed)
    told = vars(parser.parse_args())
    folder = told.pop("folder")
    with ProcessPoolExecutor(mp_context=get_context("spawn")) as executor:
        files = play_fleet(FleetPlan(**told), folder, executor)
    print(f"{folder}: the evidence of {len(files)} fictional players. Next: keen pool read {folder}")


if __name__ == "__main__":
    main()
