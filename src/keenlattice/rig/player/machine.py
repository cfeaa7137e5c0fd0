"""A rig with a player: what they have said of it, set on it, and seen there before."""

import platform
import tomllib
from collections.abc import Callable, Iterable, Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from keenlattice._state_folder import make_private
from keenlattice.catalog.load import catalog
from keenlattice.catalog.model import Catalog, Setting
from keenlattice.catalog.values import RESTARTS, Value
from keenlattice.errors import NeedsInstalling, RigError, UsageError, way
from keenlattice.files import read_bounded, replace_file
from keenlattice.profile.compare import Change
from keenlattice.profile.matching import Game
from keenlattice.profile.sheet import Sheet, SheetStep
from keenlattice.profile.version import Entries
from keenlattice.rig.base import Asks, Edits, Facts, FactValue, State, game_of, one_by_one
from keenlattice.rig.factnames import FACTS
from keenlattice.rig.gamefiles import GameFiles
from keenlattice.rig.gamelist import read_games
from keenlattice.rig.hand import ComingRun
from keenlattice.rig.held import under_way
from keenlattice.rig.notes import read_notes
from keenlattice.rig.parts import Part, Parts
from keenlattice.rig.player import SHEET
from keenlattice.rig.player.part import SAID, PlayerPart
from keenlattice.safejson import parse_json

if TYPE_CHECKING:
    from contextlib import AbstractContextManager

    from keenlattice.measure.capture import Capture
    from keenlattice.rig.base import FactValue, UnderWay
    from keenlattice.rig.hand import Hand
    from keenlattice.rig.held import Starter

ABOUT = "rig.toml"
MOST_BYTES, MOST_STATE_BYTES = 256 * 1024, 4_000_000
ASKED = ("os", "cpu", "cores", "threads", "ram_mib", "gpu", "vram_mib", "driver_version", "panel", "refresh_hz",
         "best_refresh_hz")
"""The facts that are asked for; the others may be given, too."""


class ByHandRig:
    """A rig of which the player changes and plays what no other part of it writes.

    Args:
        home: the folder that it is kept in.
        more: settings beside the catalog's.
        name: what it is called in the logbook.
        parts: what is written from here, beside the games' own files; None of it by default.
        devices: of the machine, beside those that were typed in.
        own_facts: what the machine itself says; facts that were typed in go before it.
        absent: settings of the catalog that it does not have, and why.
        starter: starts its games; None of a machine that is not this one.

    Raises:
        RigError: what was typed in of it cannot be read.
    """

    told_of_games = True

    def __init__(self, home: Path, more: Sequence[Setting] = (), *, name: str = "byhand", parts: Sequence[Part] = (),
                 devices: Sequence[str] = (), own_facts: Callable[[], Facts] = dict,
                 absent: Mapping[str, str] | None = None, starter: "Starter | None" = None) -> None:
        self.home, self.name = home, name
        self.place, self.sheet = SAID, SHEET
        self._starter, held = starter, [starter.part] if starter else []
        self._parts = Parts([GameFiles(read_games(home), home), *parts, *held, PlayerPart(home)])
        more = [*self._parts.settings(), *more]
        settings = catalog()
        if absent:
            settings = Catalog((setting for setting in settings if setting.name not in absent), absent)
        self._catalog = settings.with_more(more) if more else settings
        self._facts, self._devices = read_about(home / ABOUT)
        self._own_facts, self._own_devices = own_facts, tuple(devices)
        self.hand: Hand | None = None
        self._asked: ComingRun | None = None

    def facts(self) -> Facts:
        return {"case_matters": False, **self._own_facts(), **self._parts.facts(), **self._facts}

    def devices(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys([*self._own_devices, *self._devices]))

    def games(self) -> tuple[Game, ...]:
        return tuple(listed.game for listed in read_games(self.home).values())

    def catalog(self) -> Catalog:
        return self._catalog

    def state(self) -> State:
        return self._parts.state()

    def values(self, state: State, owner: str) -> Entries:
        return self._parts.values(state, owner)

    def written_here(self, owner: str, key: str) -> bool:
        return self._parts.written(owner, key)

    def seen_before(self, *owners: str) -> Entries:
        return self._parts.before(self.state(), *owners)

    def steps(self, owner: str, changes: Sequence[Change]) -> Sequence[Sequence[Change]]:
        """What is written from here goes first; what is asked comes in the order of the restarts that it takes."""
        return self._parts.steps(owner, [change for step in one_by_one(self._catalog, changes) for change in step])

    def changed(self, state: State, owner: str, changes: Edits) -> State:
        return self._parts.changed(state, owner, changes)

    def put(self, state: State) -> None:
        self._parts.put(state)

    def held_at_start(self, keys: Sequence[str]) -> list[str]:
        return [key for key in keys if self._starter and self._starter.part.covers("", key)]

    def under_way(self, game: str, command: Sequence[str]) -> "AbstractContextManager[UnderWay]":
        return under_way(self._start(), game_of(self, game), read_games(self.home).get(game), command)

    def runs(self, game: str) -> bool:
        return self._start().runs(game_of(self, game).executables)

    def _start(self) -> "Starter":
        if self._starter is None:
            raise UsageError(f"the rig {self.name} is another machine: its games are started there")
        return self._starter

    def place_in_words(self, place: str) -> str:
        return self._parts.place_in_words(place)

    def coming(self, run: "ComingRun") -> None:
        """The person who sits there learns of a run before anything is asked."""
        self._asked = run
        self._hands().coming(run)

    def play(self, game: str, seconds: float, seed: int) -> "Capture":
        """The person who sits there plays, and hands over what was recorded; what goes on after `seconds` is cut
        off."""
        from keenlattice.measure.course import cut

        run = self._asked or ComingRun(0, "", game, seconds, game, self.values(self.state(), game))
        self._asked = None
        capture = self._hands().play(run)
        return cut(capture, 0.0, 1000 * seconds) if capture.seconds > seconds else capture

    def _hands(self) -> "Hand":
        if self.hand is None:
            raise RigError(f"nobody is there to play on the rig {self.name}: do it at a terminal, or hand the "
                           "recordings over: "
                           f"{way('keen measure GAME --take FRAMES', 'ws.studies.by_hand.measure(GAME, FILES)')}")
        return self.hand

    def questions(self) -> Mapping[str, str]:
        return {name: FACTS[name][1] for name in ASKED}

    def told_facts(self) -> tuple[Facts, tuple[str, ...]]:
        return self._facts, self._devices

    def keep_facts(self, facts: Facts, devices: Sequence[str]) -> None:
        keep_about(self.home, facts, devices)
        self._facts, self._devices = read_about(self.home / ABOUT)


def read_about(path: Path) -> tuple[dict[str, FactValue], tuple[str, ...]]:
    """What was typed in of a rig: its facts, and its devices. Nothing, if nobody has.

    Raises:
        RigError: the file cannot be read, or holds something else.
    """
    if not path.exists():
        return {}, ()
    try:
        content = read_bounded(path, MOST_BYTES) or b""
        if len(content) > MOST_BYTES:
            raise ValueError(f"larger than {MOST_BYTES // 1024} kB")
        table = tomllib.loads(content.decode("utf-8-sig"))
        unknown = set(table) - {"facts", "devices"}
        if unknown:
            raise ValueError(f"it holds {', '.join(sorted(unknown))}; facts and devices are all it may")
        facts, devices = table.get("facts", {}), table.get("devices", [])
        if not isinstance(facts, dict) or not isinstance(devices, list):
            raise ValueError("facts is a table, and devices a list")
        return {name: _fact(name, value) for name, value in facts.items()}, tuple(map(str, devices))
    except (OSError, ValueError, RecursionError) as error:
        raise RigError(f"{path} does not describe a rig: {error}; it is TOML with a table [facts]") from None


def _fact(name: str, value: object) -> FactValue:
    if isinstance(value, str | int | float) and name.isidentifier():
        return value
    raise ValueError(f"{name}: a fact is a text, a number, or true or false, and named in letters, digits and _")


def keep_about(home: Path, facts: Mapping[str, FactValue], devices: Sequence[str]) -> None:
    """Writes down what was typed in of a rig.

    Raises:
        UsageError: something that is not a fact.
        RigError: it cannot be written.
    """
    import tomlkit

    try:
        held = {name: _fact(name, value) for name, value in facts.items()}
    except ValueError as error:
        raise UsageError(str(error)) from None
    try:
        make_private(home)
        replace_file(home / ABOUT, tomlkit.dumps({"devices": list(devices), "facts": held}).encode())
    except OSError as error:
        raise RigError(f"cannot write {home / ABOUT}: {error.strerror}") from None


def facts_here() -> "dict[str, FactValue]":
    """System, cores, threads and memory; what the system does not say is left out.

    Raises:
        NeedsInstalling: the package that asks the system is missing.
    """
    try:
        import psutil
    except ImportError:
        raise NeedsInstalling("what this machine tells is read by a separate package: pip install psutil") from None
    facts = {"os": " ".join((platform.system(), platform.release())).strip(), "cores": psutil.cpu_count(logical=False),
             "threads": psutil.cpu_count(), "ram_mib": psutil.virtual_memory().total // 2**20}
    return {name: value for name, value in facts.items() if value}


def steps_of(rig: Asks, changes: Iterable[tuple[str, Change]], why: str) -> list[SheetStep]:
    """The steps of some changes, each with the owner whom it is made for, numbered from 1: what the player is asked
    for in the order of the restarts that it needs, then what is written from here.

    Args:
        why: what they are for; what each trades, if that is empty.
    """
    notes, pairs = read_notes(rig), sorted(changes, key=lambda pair: (
        rig.written_here(pair[0], pair[1].key), RESTARTS.index(rig.catalog()[pair[1].key].restart)))
    seen = {owner: rig.seen_before(owner) for owner in dict.fromkeys(owner for owner, _ in pairs)}
    return [_step_of(rig.catalog()[change.key], number, owner, change, why, notes, seen[owner].get(change.key))
            for number, (owner, change) in enumerate(pairs, 1)]


def _step_of(setting: Setting, number: int, owner: str, change: Change, why: str, notes: Mapping[str, str],
             was: Value | None) -> SheetStep:
    where = setting.where or "Where this setting is made."
    if setting.name in notes:
        where += f" You noted: {notes[setting.name]}"
    return SheetStep(number, owner, change.key, setting.title, setting.unit, change.before, change.after,
                     why or setting.trades, where, setting.check or "Look there again.", setting.rights,
                     setting.restart, was=was)


def open_sheet(rig: Asks) -> Sheet | None:
    """The sheet that is being worked through, if there is one with steps that are open.

    Raises:
        RigError: it is damaged.
    """
    sheet = written_sheet(rig)
    return sheet if sheet is not None and sheet.open else None


def written_sheet(rig: Asks) -> Sheet | None:
    """The sheet as it lies there, with or without a step that is open.

    Raises:
        RigError: it is damaged.
    """
    path = rig.home / rig.sheet
    try:
        content = read_bounded(path, MOST_STATE_BYTES)
        return None if content is None else Sheet.from_json(parse_json(content))
    except (OSError, ValueError):
        raise RigError(f"the run sheet {path} is damaged: move it away, and apply or undo again") from None
