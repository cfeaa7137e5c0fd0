"""What a player tells of a rig: its facts and its games; and what is known of both."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, ClassVar

from keenlattice._notebook import Result, Rows
from keenlattice.profile.matching import Game
from keenlattice.workspace.opened import Opened

if TYPE_CHECKING:
    from keenlattice.rig.base import FactValue
    from keenlattice.rig.gamelist import Listed


@dataclass(frozen=True, repr=False)
class FactsResult(Result):
    """What the rig says of itself."""

    SCHEMA: ClassVar[str] = "facts"

    rig: str
    facts: "Mapping[str, FactValue]"
    devices: tuple[str, ...]

    def _rows(self) -> Rows:
        return [{"fact": name, "value": value} for name, value in self.facts.items()]

    def _caption(self) -> str:
        return f"{self.rig}: {len(self.facts)} facts"


@dataclass(frozen=True, repr=False)
class FactNames(Result):
    """The facts that there are, and what each is."""

    SCHEMA: ClassVar[str] = "fact-names"

    names: Mapping[str, str]

    def _rows(self) -> Rows:
        return [{"fact": name, "what it is": what} for name, what in self.names.items()]

    def _caption(self) -> str:
        return f"{len(self.names)} facts"


@dataclass(frozen=True, repr=False)
class GamesResult(Result):
    """The games of the rig."""

    SCHEMA: ClassVar[str] = "games"

    rig: str
    games: tuple[Game, ...]

    def _rows(self) -> Rows:
        return [{"name": one.name, "title": one.title, "executables": ", ".join(one.executables)} for one in self.games]

    def _caption(self) -> str:
        return f"{len(self.games)} games on {self.rig}"


class Telling(Opened):
    """What takes what a player tells of the rig."""

    def facts(self) -> FactsResult:
        """What the rig says of itself; units are in the names."""
        return FactsResult(self.rig_name, dict(self.rig.facts()), self.rig.devices())

    def fact_names(self) -> FactNames:
        """The facts that there are, and what each is; those of a device are named after it."""
        from keenlattice.rig._factnames import FACTS, OF_A_DEVICE

        each = [(f"{device}_{name}", what) for device in self.rig.devices() for name, what in OF_A_DEVICE.items()]
        return FactNames({name: f"{what} ({kind})" for name, (kind, what) in [*FACTS.items(), *each]})

    def facts_here(self) -> "dict[str, FactValue]":
        """What this machine tells of itself: system, cores, threads, memory. For `tell_facts`, if this is the rig.

        Raises:
            UsageError: the rig tells its facts itself.
            NeedsInstalling: the package that asks the system is missing.
        """
        from keenlattice.rig.byhand.here import facts_here

        self.fact_questions()
        return facts_here()

    def fact_questions(self) -> Mapping[str, str]:
        """The facts that are asked for, of a rig whose facts are typed in, and how.

        Raises:
            UsageError: the rig tells its facts itself.
        """
        from keenlattice.errors import UsageError
        from keenlattice.rig.base import TakesFacts

        if not isinstance(self.rig, TakesFacts):
            raise UsageError("this rig tells its facts itself; only those of --rig byhand are typed in")
        return self.rig.questions()

    def tell_facts(self, facts: "Mapping[str, FactValue | None]", file: Path | str | None = None,
                   devices: Sequence[str] | None = None) -> FactsResult:
        """Keeps what a player knows of a rig whose facts are typed in.

        Args:
            facts: by name, as in `fact_names`; None takes one out.
            file: a TOML file with a table `facts`, and a list `devices`, instead of what was kept before.
            devices: all devices that settings can be addressed to; those that are known, if not given.

        Raises:
            UnknownName: no such fact.
            UsageError: the rig tells its facts itself; or what is no such fact or device, or no such file.
            RigError: the file cannot be read.
        """
        from keenlattice.errors import UsageError
        from keenlattice.rig._factnames import device_names, named
        from keenlattice.rig.base import TakesFacts
        from keenlattice.rig.byhand.machine import read_about

        self.fact_questions()
        assert isinstance(self.rig, TakesFacts)
        if file and not Path(file).is_file():
            raise UsageError(f"there is no file {file}")
        known, before = read_about(Path(file)) if file else self.rig.told_facts()
        has = device_names(before if devices is None else devices)
        told = {**(named(known, has) if file else known), **named(facts, has, list(known))}
        self.rig.keep_facts({name: value for name, value in told.items() if value is not None}, has)
        return self.facts()

    def list_games(self) -> GamesResult:
        """The games of the rig."""
        return GamesResult(self.rig_name, tuple(self.rig.games()))

    def game(self, name: str) -> "Listed":
        """What is known of a game, as it was told.

        Args:
            name: of its profile.

        Raises:
            UsageError: the rig's games are its own.
        """
        from keenlattice.errors import UsageError
        from keenlattice.rig.base import TakesGames
        from keenlattice.rig.gamelist import Listed, read_games

        if not isinstance(self.rig, TakesGames):
            raise UsageError(f"the games of the rig {self.rig_name} are its own, and stay as they are; choose another "
                             "with --rig")
        known = next((one for one in self.rig.games() if one.name == name), Game(name, name))
        return read_games(self.rig.home).get(name) or Listed(known)

    def tell_game(self, told: "Listed", look: bool = False) -> "Listed":
        """Tells the rig of a game: what it runs as, how it is started, where it keeps its own settings.

        Args:
            told: all that is known of it.
            look: play it for a moment, click, and find the pixel of its window that answers.

        Raises:
            UsageError: a name that cannot be one; or the rig's games are its own, or show no window.
            RigError: it cannot be written, or nothing answers.
        """
        from dataclasses import replace

        from keenlattice.errors import UsageError
        from keenlattice.rig._lock import locked
        from keenlattice.rig.base import FindsSpot
        from keenlattice.rig.gamelist import add_game

        name = told.game.name
        self.game(name)
        add_game(self.rig.home, told)
        self._reopen()
        if look:
            if not isinstance(self.rig, FindsSpot):
                raise UsageError(f"the rig {self.rig_name} shows no window that could be looked at: --answers-at X,Y")
            with locked(self.rig, f"looking at {name}"):
                answers_at, clicks_at = self.rig.find_spot(name)
            told = replace(told, answers_at=answers_at, clicks_at=clicks_at)
            add_game(self.rig.home, told)
            self._reopen()
        return told
