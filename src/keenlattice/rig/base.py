"""What a rig is: a few small things that it can do, its capabilities. Everything clever is outside it.

Every rig can be looked at and written (`Rig`). The rest it has or lacks, and anyone who needs it asks for that, never
for the rig's name: `isinstance(rig, Playable)`.
"""

from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Protocol, runtime_checkable

from keenlattice.catalog.model import Catalog
from keenlattice.catalog.values import RESTARTS, Restart, Value
from keenlattice.errors import RigError, UnknownName, way
from keenlattice.profile.compare import Change
from keenlattice.profile.matching import Game
from keenlattice.profile.version import WHOLE_RIG, Entries
from keenlattice.quickly import dataclass

if TYPE_CHECKING:
    from contextlib import AbstractContextManager

    from keenlattice.measure.capture import Capture
    from keenlattice.measure.telemetry import Watcher
    from keenlattice.rig.hand import ComingRun, Hand

FactValue = str | int | float | bool
Facts = Mapping[str, FactValue]

State = Mapping[str, bytes | None]
"""All that a rig's settings are kept in, whole and untouched: place to content, None if not there. A place is a file's
path: relative to the rig's home if it lies there, else whole (`places.place_of`)."""

Edits = Mapping[str, Value | None]
"""Setting key to the value that it shall have; None unsets."""


@dataclass(frozen=True)
class Chore:
    """A chore of a rig's: what it does, and whether it takes rights, and whether it can be undone."""

    name: str
    what: str
    rights: bool = False
    undoable: bool = True


@dataclass(frozen=True)
class Outcome:
    """What a chore would do on the rig as it stands.

    Args:
        then: the state after it.
        says: what there is to say of it, a line each.
        act: does the part of it that no restore point brings back; None if there is no such part.
    """

    then: State
    says: tuple[str, ...]
    act: Callable[[], None] | None = None


class Rig(Protocol):
    """A PC whose settings can be read and written: what every rig can do.

    `owner` is whom a value is set for: "rig" for the whole rig, else a game's name.
    """

    @property
    def name(self) -> str:
        """What the rig is called in the logbook."""

    @property
    def home(self) -> Path:
        """A folder of this rig's own among the user's state, for the lock and the journal of changes under way."""

    def facts(self) -> Facts:
        """What the rig says of itself; units are in the names."""

    def devices(self) -> tuple[str, ...]:
        """The devices that a device's setting can be addressed to."""

    def games(self) -> tuple[Game, ...]:
        """The games that it has."""

    def catalog(self) -> Catalog:
        """The settings that can be set on it."""

    def state(self) -> State:
        """What its settings are kept in, as it stands."""

    def values(self, state: State, owner: str) -> Entries:
        """What a state sets for an owner; what is inherited is not in it.

        Raises:
            RigError: the state cannot be read.
        """

    def steps(self, owner: str, changes: Sequence[Change]) -> Sequence[Sequence[Change]]:
        """The writes that changes are made in, in their order; each is written whole or not at all."""

    def changed(self, state: State, owner: str, changes: Edits) -> State:
        """The state after some changes, with everything foreign in it kept; nothing is written.

        Raises:
            RigError: the state cannot be read.
            RefusedByRig: the rig does not take a value, or rights for it are missing.
        """

    def put(self, state: State) -> None:
        """Makes some places of the state hold this, each whole or not at all; the others stay.

        Raises:
            RefusedByRig: no rights.
            RigError: it could not be written.
        """


@runtime_checkable
class Restartable(Protocol):
    """A rig whose game, driver or machine can be restarted from here."""

    def restart(self, part: Restart) -> None:
        """Restarts the game, the driver or the machine, so that what waits for it takes effect."""

    def pending(self) -> Mapping[str, Restart]:
        """Rig-wide settings that are written and not yet in effect, and the restart that each waits for."""


@runtime_checkable
class Clamps(Protocol):
    """A rig with places that may read differently from what was written to them holds: a limit beyond another one,
    which is shown cut off. On the way back such a place is written whatever it reads."""

    def may_read_otherwise(self, place: str) -> bool:
        """Whether a place is one of these."""


@runtime_checkable
class Playable(Protocol):
    """A rig on which games can be played and recorded."""

    def play(self, game: str, seconds: float, seed: int) -> "Capture":
        """Plays a game for some seconds and records it.

        Raises:
            RigError: the game does not start, or nothing can be recorded.
        """


@runtime_checkable
class NamesPlaces(Protocol):
    """A rig that keeps settings in places that are not files."""

    def place_in_words(self, place: str) -> str:
        """What such a place is, as `the monitor PANEL-1`; empty for a file."""


@runtime_checkable
class Watchable(Protocol):
    """A rig that tells how a run goes while it is recorded, in the game's own time."""

    watcher: "Watcher | None"


@runtime_checkable
class DoesChores(Protocol):
    """A rig with chores."""

    def chores(self) -> Sequence[Chore]:
        """The chores that can be done on it."""

    def after_chore(self, state: State, chore: str) -> Outcome:
        """What a chore would do; nothing is done yet."""


@runtime_checkable
class Asks(Rig, Protocol):
    """A rig of which a person sets something: it is written on a sheet (`sheets`).

    `place` is where it keeps what was said to be set, `sheet` where the open sheet lies, `hand` who is asked when a
    study changes it; None while nobody is there.
    """

    place: str
    sheet: str
    hand: "Hand | None"

    def written_here(self, owner: str, key: str) -> bool:
        """Whether a setting is kept in a file that can be written from here, so that nobody is asked to change it."""

    def seen_before(self, *owners: str) -> Entries:
        """What its player has seen of some owners' settings before anything was set; the last one's last."""


@runtime_checkable
class ByHand(Asks, Protocol):
    """A rig that a person plays, too."""

    def coming(self, run: "ComingRun") -> None:
        """Tells the person who sits there of a run, before anything is asked."""


@runtime_checkable
class TakesFacts(Protocol):
    """A rig whose facts are typed in."""

    def questions(self) -> Mapping[str, str]:
        """The facts that are asked for, and how."""

    def told_facts(self) -> tuple[Facts, tuple[str, ...]]:
        """What was typed in so far: facts, and devices."""

    def keep_facts(self, facts: Facts, devices: Sequence[str]) -> None:
        """Keeps what was typed in, instead of what was there before."""


@runtime_checkable
class TakesGames(Protocol):
    """A rig that learns of its games, in the file `gamelist.FILE` of its home."""

    told_of_games: bool


@runtime_checkable
class FindsSpot(Protocol):
    """A rig that can find out which pixel of a game's window answers a click."""

    def find_spot(self, game: str) -> tuple[tuple[int, int], tuple[int, int]]:
        """That pixel, by a short look, and the one that was clicked.

        Raises:
            RigError: there is no window, or nothing answers.
        """


@dataclass(frozen=True)
class OptionSource:
    """An entry of a driver's configuration file."""

    entry: str
    file: str
    line: int


@dataclass(frozen=True)
class DriverOption:
    """An option that a driver's configuration files set for a program: the entry that has the last word, and those that
    it overrules."""

    option: str
    value: str
    entry: str
    file: str
    line: int
    overrules: tuple[OptionSource, ...]


@runtime_checkable
class TellsOptions(Protocol):
    """A rig whose driver has configuration files that can be read."""

    def driver_options(self, executable: str) -> tuple[list[DriverOption], list[str]]:
        """The options that apply to a program, by name; and entries, in words, of which it is not known whether they
        do."""


@runtime_checkable
class TellsInert(Protocol):
    """A rig that knows of a game why some settings do nothing there."""

    def inert(self, game: str, keys: Sequence[str]) -> Mapping[str, str]:
        """Of some settings that are set for a game, those that do nothing, each with why."""


class UnderWay(Protocol):
    """A game that a player plays. `untreated` is how many of its processes let nobody change them."""

    untreated: int

    @property
    def machine(self) -> "Mapping[str, tuple[float, float]]":
        """What the machine has said of itself meanwhile: mean and highest of each series; empty if it says nothing."""

    @property
    def frames(self) -> "tuple[Mapping[str, float], ...]":
        """The metrics of each stretch of frames that was recorded meanwhile; empty where none can be."""

    def wait(self) -> int | None:
        """Wait until it has ended; return the exit code of what was started, None if it was found running."""


@runtime_checkable
class StartsGames(Protocol):
    """A rig on which a game can be started for its player, with what is held for its process."""

    def under_way(self, game: str, command: Sequence[str]) -> "AbstractContextManager[UnderWay]":
        """Start a game by a command; without one take the game that runs, else start it by the one that was told.

        Raises:
            RigError: it cannot be started, or how is not known and it does not run.
        """

    def runs(self, game: str) -> bool:
        """Return whether a game runs now."""


@runtime_checkable
class HoldsAtStart(Protocol):
    """A rig of which some settings are written nowhere: they hold while Keen Lattice itself starts the game."""

    def held_at_start(self, keys: Sequence[str]) -> list[str]:
        """Of some settings, those that hold only so."""


def reads_true(rig: "Rig", place: str) -> bool:
    """Whether a place of a rig holds what it reads; see `Clamps`."""
    return not (isinstance(rig, Clamps) and rig.may_read_otherwise(place))


def pending_on(rig: "Rig") -> Mapping[str, Restart]:
    """What waits for a restart on a rig, and for which."""
    return rig.pending() if isinstance(rig, Restartable) else {}


def play_on(rig: "Rig", game: str, seconds: float, seed: int) -> "Capture":
    """Plays a game on a rig, as `Playable.play`.

    Raises:
        RigError: nothing can be played there from here, or as `Playable.play`.
    """
    if not isinstance(rig, Playable):
        raise RigError(f"{game} cannot be played on the rig {rig.name} from here; record it there, and hand the "
                       f"recording over: {way('keen trial --from-files', 'ws.studies.trials.of_files(FILES)')}, "
                       f"{way('keen ingest', 'ws.recordings.ingest(FILE)')}")
    return rig.play(game, seconds, seed)


def game_of(rig: Rig, name: str) -> Game:
    """The game of that name.

    Raises:
        UnknownName: the rig has none.
    """
    games = {game.name: game for game in rig.games()}
    if name not in games:
        raise UnknownName("game", name, games, f"the rig {rig.name} has {', '.join(games)}")
    return games[name]


def one_by_one(catalog: Catalog, changes: Sequence[Change]) -> list[list[Change]]:
    """A step for each setting; what takes effect at once first, and what waits for the machine last, so that all
    restarts come together at the end."""
    return [[change] for change in sorted(changes, key=lambda change: RESTARTS.index(catalog[change.key].restart))]


def seen_on(rig: Rig, owner: str) -> Entries:
    """Return what a player has seen of a game's and the rig's settings before anything was set; {} on other rigs."""
    return rig.seen_before(WHOLE_RIG, owner) if isinstance(rig, Asks) else {}


def asked_on(rig: Rig) -> list[str]:
    """Return the settings that a rig's player is asked to change, by name; none where there is no player."""
    if not isinstance(rig, Asks):
        return []
    owners, devices = (WHOLE_RIG, *(game.name for game in rig.games())), rig.devices()
    return [setting.name for setting in rig.catalog() if not any(
        rig.written_here(owner, key) for owner in owners
        for key in (setting.name, *(f"{setting.name}@{device}" for device in devices)))]


def unknown_on(rig: Rig) -> frozenset[str]:
    """Return the settings, by name, that nobody but a rig's player can look at while nothing sets them."""
    return frozenset(setting.name for setting in rig.catalog()) if isinstance(rig, ByHand) else frozenset(asked_on(rig))


def when_stopped(rig: Rig) -> str:
    """Return how a rig stands when its session is stopped: "it was", or "you left it"."""
    return "you left it" if isinstance(rig, ByHand) else "it was"
