"""What a rig is: a few small things that it can do. Everything clever is outside it."""

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Protocol

from keenlattice.catalog.model import RESTARTS, Catalog, Restart
from keenlattice.catalog.values import Value
from keenlattice.errors import UnknownName
from keenlattice.profile.compare import Change
from keenlattice.profile.game import Game
from keenlattice.profile.version import Entries

if TYPE_CHECKING:
    from keenlattice.measure.capture import Capture
    from keenlattice.rig.chores import Chore, Outcome

FactValue = str | int | float | bool
Facts = Mapping[str, FactValue]

State = Mapping[str, bytes | None]
"""All that a rig's settings are kept in, whole and untouched: place to content, None if not there. A place is a file's
path: relative to the rig's home if it lies there, else whole (`places.place_of`)."""

Changes = Mapping[str, Value | None]
"""Setting key to the value that it shall have; None unsets."""


class Rig(Protocol):
    """A PC whose settings can be read and written.

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

    def changed(self, state: State, owner: str, changes: Changes) -> State:
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

    def restart(self, what: Restart) -> None:
        """Restarts the game, the driver or the machine, so that what waits for it takes effect."""

    def pending(self) -> Mapping[str, Restart]:
        """Rig-wide settings that are written and not yet in effect, and the restart that each waits for."""

    def chores(self) -> Sequence["Chore"]:
        """The chores that can be done on it."""

    def after_chore(self, state: State, chore: str) -> "Outcome":
        """What a chore would do; nothing is done yet."""

    def play(self, game: str, seconds: float, seed: int) -> "Capture":
        """Plays a game for some seconds and records it.

        Raises:
            RigError: the game does not start, or nothing can be recorded.
        """


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
    return [[one] for one in sorted(changes, key=lambda one: RESTARTS.index(catalog[one.key].restart))]
