"""The games of a rig: told of, looked up, and matched with an executable."""

from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, ClassVar

from keenlattice._door import check_methods
from keenlattice._notebook import NOT_IN_JSON, Result, Rows
from keenlattice.errors import UnknownName, UsageError
from keenlattice.profile.matching import Game, match
from keenlattice.rig.gamelist import Listed, add_game, read_games
from keenlattice.rig.locks import locked
from keenlattice.workspace.opened import Opened

if TYPE_CHECKING:
    from keenlattice.rig.base import DriverOption


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


@dataclass(frozen=True, repr=False)
class MatchResult(Result):
    """Which game's profile an executable gets, and what the driver's own files set for it (None if it has none)."""

    SCHEMA: ClassVar[str] = "match"

    executable: str
    game: str | None
    by: str | None
    exact: bool
    case_matters: bool
    options: "tuple[DriverOption, ...] | None"
    unknown: tuple[str, ...] = field(default=(), metadata=NOT_IN_JSON)

    def _rows(self) -> Rows:
        return [{"option": option.option, "value": option.value, "file": option.file, "line": option.line}
                for option in self.options or ()]

    def _caption(self) -> str:
        return f"{self.executable} gets the profile of {self.game}" if self.game else f"{self.executable} gets none"


@check_methods
class Games:
    """The games of a rig."""

    def __init__(self, opened: Opened) -> None:
        self._opened = opened

    @property
    def names(self) -> list[str]:
        """Their names."""
        return self._opened.games

    def list(self) -> GamesResult:
        """The games of the rig."""
        return GamesResult(self._opened.rig_name, tuple(self._opened.rig.games()))

    def get(self, name: str) -> "Listed":
        """What is known of a game, as it was told.

        Args:
            name: of its profile.

        Raises:
            UsageError: the rig's games are its own.
        """
        from keenlattice.rig.base import TakesGames

        if not isinstance(self._opened.rig, TakesGames):
            raise UsageError(f"the games of the rig {self._opened.rig_name} are its own, and stay as they are; choose "
                             "another with --rig")
        known = next((game for game in self._opened.rig.games() if game.name == name), Game(name, name))
        return read_games(self._opened.rig.home).get(name) or Listed(known)

    def tell(self, told: "Listed", look: bool = False) -> "Listed":
        """Tells the rig of a game: what it runs as, how it is started, where it keeps its own settings.

        Args:
            told: all that is known of it.
            look: play it for a moment, click, and find the pixel of its window that answers.

        Raises:
            UsageError: a name that cannot be one; or the rig's games are its own, or show no window.
            RigError: it cannot be written, or nothing answers.
        """
        from keenlattice.rig.base import FindsSpot

        name = told.game.name
        self.get(name)
        add_game(self._opened.rig.home, told)
        self._opened.reopen()
        if look:
            if not isinstance(self._opened.rig, FindsSpot):
                raise UsageError(f"the rig {self._opened.rig_name} shows no window that could be looked at: "
                                 "--answers-at X,Y")
            with locked(self._opened.rig, f"looking at {name}"):
                answers_at, clicks_at = self._opened.rig.find_spot(name)
            told = replace(told, answers_at=answers_at, clicks_at=clicks_at)
            add_game(self._opened.rig.home, told)
            self._opened.reopen()
        return told

    def match(self, executable: str) -> MatchResult:
        """Which game's profile an executable would get, and which options the driver's own files set for it.

        Raises:
            UnknownName: none, on a rig without such files.
            UsageError: two games claim it.
        """
        from keenlattice.rig.base import TellsOptions

        rig = self._opened.rig
        case_matters, tells = bool(rig.facts().get("case_matters", True)), isinstance(rig, TellsOptions)
        options, unknown = rig.driver_options(executable) if isinstance(rig, TellsOptions) else ([], [])
        try:
            found = match(executable, rig.games(), case_matters=case_matters)
        except UnknownName:
            if not tells:
                raise
            found = None
        return MatchResult(executable, found.game.name if found else None, found.by if found else None,
                         bool(found and found.exact), case_matters, tuple(options) if tells else None, tuple(unknown))
