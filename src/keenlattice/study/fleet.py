"""A league of made-up players: each tries changes of a list on a rig of their own, and publishes what was found.

It is what a pool is shown and scored on: the rigs are stand-ins, so that what each change truly does on each of them is
known. Some players may be careless: they mix up before and after, play hardly at all, or make their numbers up.
"""

import json
import tempfile
from collections.abc import Iterator, Mapping, Sequence
from concurrent.futures import Executor
from dataclasses import asdict, dataclass, field
from functools import partial
from pathlib import Path

import numpy as np

from keenlattice._files import read_bounded, replace_file
from keenlattice._parallel import spread_out
from keenlattice.catalog.values import Value
from keenlattice.errors import BadValue, UsageError
from keenlattice.profile.version import WHOLE_RIG, Version
from keenlattice.rig.standin.machine import Standin
from keenlattice.rig.standin.population import LIST as LIST  # who plays a league wants it, too
from keenlattice.rig.standin.population import FleetRig, rig_of
from keenlattice.study._limits import check_seconds, check_seed
from keenlattice.study.kind import KeptVersion
from keenlattice.study.pool.evidence import EvidenceRecord, Found, digest
from keenlattice.study.pool.from_studies import records
from keenlattice.study.record import Progress
from keenlattice.study.screen.plan import ScreenPlan, ScreenSpec, factors_of
from keenlattice.study.screen.play import run_screen
from keenlattice.study.screen.result import Screen
from keenlattice.study.trial.plan import TrialPlan
from keenlattice.study.trial.play import run_trial
from keenlattice.study.trial.result import Trial
from keenlattice.study.trial.spec import TrialSpec

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
        progress: is told how many players are done, of how many.

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
