"""What a rig is: a few small things that it can do. Everything clever is outside it."""

from collections.abc import Mapping
from pathlib import Path
from typing import TYPE_CHECKING, Protocol

from keenlattice.catalog.model import Catalog, Restart
from keenlattice.catalog.values import Value
from keenlattice.errors import UnknownName
from keenlattice.profile.game import Game
from keenlattice.profile.version import Entries

if TYPE_CHECKING:
    from keenlattice.measure.capture import Capture

FactValue = str | int | float | bool
Facts = Mapping[str, FactValue]

State = Mapping[str, bytes | None]
"""All that a rig's settings are kept in, whole and untouched: place (a file, say) to content, None if not there."""

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
        """A folder of this rig's own, for the lock and the journal of changes under way."""

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

    def changed(self, state: State, owner: str, changes: Changes) -> State:
        """The state after some changes, with everything foreign in it kept; nothing is written.

        Raises:
            RigError: the state cannot be read, or the rig refuses a value.
        """

    def put(self, state: State) -> None:
        """Makes a state hold, each place whole or not at all.

        Raises:
            RefusedByRig: no rights.
            RigError: it could not be written.
        """

    def restart(self, what: Restart) -> None:
        """Restarts the game, the driver or the machine, so that what waits for it takes effect."""

    def pending(self) -> Mapping[str, Restart]:
        """Rig-wide settings that are written and not yet in effect, and the restart that each waits for."""

    def chores(self) -> Mapping[str, str]:
        """The chores that can be done on it: name to what it does."""

    def after_chore(self, state: State, chore: str) -> State:
        """The state after a chore; nothing is written."""

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
