"""The games of a rig: named, looked up, and matched with an executable."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import field, replace
from typing import TYPE_CHECKING, ClassVar

from keenlattice._door import check_methods
from keenlattice.errors import UnknownName, UsageError, counted
from keenlattice.profile.matching import Game, match
from keenlattice.profile.version import WHOLE_RIG, Version, parted
from keenlattice.quickly import dataclass
from keenlattice.rig.gamelist import KnowsInstalled, Listed, add_game, read_games
from keenlattice.rig.locks import locked
from keenlattice.rig.under_way import STRETCH_S
from keenlattice.workspace.opened import Opened, VersionLike
from keenlattice.workspace.result import NOT_IN_JSON, Result, Rows

if TYPE_CHECKING:
    from keenlattice.logbook.applies import Apply
    from keenlattice.rig.base import DriverOption


DESCRIBED = ("cpu.load", "cpu.clock", "cpu.temperature", "gpu0.load", "gpu0.clock", "gpu0.temperature",
             "system.memory")
"""What the logbook keeps of the machine while a game was played."""


@dataclass(frozen=True, repr=False)
class GamesResult(Result):
    """The games of the rig."""

    SCHEMA: ClassVar[str] = "games"

    rig: str
    games: tuple[Game, ...]

    def _rows(self) -> Rows:
        return [{"name": game.name, "title": game.title, "executables": ", ".join(game.executables)}
                for game in self.games]

    def _caption(self) -> str:
        return f"{counted(len(self.games), 'game')} on {self.rig}"


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


@dataclass(frozen=True, repr=False)
class GamePlayed(Result):
    """A game that was played with a version on, or is under way.

    Args:
        version: what was put on; empty if nothing was.
        put_on: owner to the settings that are on for it.
        left_out: setting to why it is not.
        exit_code: of what was started; None if the game was found running.
        not_held: settings that its process did not hold, since it lets nobody change it.
        machine: what the machine said of itself meanwhile: mean and highest of each series, in its own unit.
        frames: the metrics of each stretch of frames that was recorded meanwhile.
        left: places that something else, the game perhaps, has written meanwhile: there the values alone went back.
    """

    SCHEMA: ClassVar[str] = "game-played"

    game: str
    rig: str
    version: str
    put_on: Mapping[str, tuple[str, ...]]
    left_out: Mapping[str, str]
    seconds: float
    exit_code: int | None
    not_held: tuple[str, ...] = ()
    machine: Mapping[str, tuple[float, float]] = field(default_factory=dict)
    frames: tuple[Mapping[str, float], ...] = ()
    left: tuple[str, ...] = ()

    @property
    def length(self) -> str:
        """How long it was played, in words."""
        return f"{self.seconds / 60:.0f} min" if self.seconds >= 120 else f"{self.seconds:.0f} s"

    @property
    def settings(self) -> int:
        """How many settings were on."""
        return sum(map(len, self.put_on.values()))

    @property
    def how_it_ran(self) -> str:
        """The frames that were recorded meanwhile, and what the machine said of itself, in words; empty if neither."""
        from keenlattice.measure.series import kind_of
        from keenlattice.report.said import series_title

        readings = [f"{series_title(name)} {mean:.0f} {kind_of(name).unit} (at most {highest:.0f})"
                    for name, (mean, highest) in self.machine.items() if name in DESCRIBED]
        return ", ".join([*self._frames_in_words(), *readings])

    def _frames_in_words(self) -> list[str]:
        if not self.frames:
            return []
        count, slowest = len(self.frames), [metrics["frame_ms_p99"] for metrics in self.frames]
        rate = sum(1000 / metrics["frame_ms_mean"] for metrics in self.frames) / count
        return [f"{rate:.0f} frames a second in {count} stretch{'es' * (count > 1)} of {STRETCH_S:.0f} s, "
                f"p99 frame time {sum(slowest) / count:.1f} ms" + f" (at most {max(slowest):.1f})" * (count > 1)]

    def _rows(self) -> Rows:
        return [{"owner": owner, "setting": key} for owner, keys in self.put_on.items() for key in keys]

    def _caption(self) -> str:
        return f"{self.game} was played for {self.length} with {self.version or 'nothing'} on"


@dataclass(frozen=True, repr=False)
class PlayedGames(Result):
    """What was played on a rig with a version on, the newest first."""

    SCHEMA: ClassVar[str] = "games-played"

    rig: str
    games: "tuple[Apply, ...]"

    def _rows(self) -> Rows:
        return [{"time": game.time, "game": game.profile, "what": game.what} for game in self.games]

    def _caption(self) -> str:
        return f"Played {counted(len(self.games), 'time')} on {self.rig}"


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
        """What is known of a game: as it was told, else as the system lists it.

        Args:
            name: of its profile.

        Raises:
            UsageError: the rig's games are its own.
        """
        from keenlattice.rig.base import TakesGames

        if not isinstance(self._opened.rig, TakesGames):
            raise UsageError(f"the games of the rig {self._opened.rig_name} are its own, and stay as they are; choose "
                             "another with --rig")
        game_known = next((game for game in self._opened.rig.games() if game.name == name), Game(name, name))
        listed = {game.game.name: game for game in self.installed()}
        return read_games(self._opened.rig.home).get(name) or listed.get(name) or Listed(game_known)

    def installed(self) -> Sequence[Listed]:
        """The games that the system lists as installed and that the rig does not know; none on other systems."""
        rig = self._opened.rig
        names = {game.name for game in rig.games()}
        return tuple(game for game in rig.installed() if game.game.name not in names) if isinstance(
            rig, KnowsInstalled) else ()

    def tell(self, listed: "Listed", look: bool = False) -> "Listed":
        """Tells the rig of a game: what it runs as, how it is started, where it keeps its own settings.

        Args:
            listed: all that is known of it.
            look: play it for a moment, click, and find the pixel of its window that answers.

        Raises:
            UsageError: a name that cannot be one; or the rig's games are its own, or show no window.
            RigError: it cannot be written, or nothing answers.
        """
        from keenlattice.rig.base import FindsSpot

        name = listed.game.name
        self.get(name)
        add_game(self._opened.rig.home, listed)
        self._opened.reopen()
        if look:
            if not isinstance(self._opened.rig, FindsSpot):
                raise UsageError(f"the rig {self._opened.rig_name} shows no window that could be looked at: "
                                 "--answers-at X,Y")
            with locked(self._opened.rig, f"looking at {name}"):
                answers_at, clicks_at = self._opened.rig.find_spot(name)
            listed = replace(listed, answers_at=answers_at, clicks_at=clicks_at)
            add_game(self._opened.rig.home, listed)
            self._opened.reopen()
        return listed

    def play(self, game: str, which: VersionLike | None = None, command: Sequence[str] = (),
             begun: "Callable[[GamePlayed], None] | None" = None, *, as_set: bool = False) -> "GamePlayed":
        """Put a version on, have the game be played, and take the version back once the game has ended.

        If this process is killed meanwhile, whatever opens the logbook next takes it back.

        Args:
            game: its name.
            which: the version; if not given, the latest of the game together with the latest of the whole rig.
            command: what starts it; if not given, the game that runs is taken, else it is started as `tell` was told.
            begun: is called once the game is under way.
            as_set: put nothing on: only have the game hold what is set of its process, for a run of a study, say.

        Raises:
            UnknownName: no such game or version.
            RigError: games are not started on this rig, or this one cannot be; or a version was not taken. The rig is
                as it was before.
        """
        from keenlattice.rig.base import game_of
        from keenlattice.rig.playing_on import play_as_set, play_with

        rig, book = self._opened.rig, self._opened.book
        book.check_writable()
        latest = self._latest(game_of(rig, game).name)
        version = None if as_set else self._opened.find(latest if which is None else which, both=True)
        played = GamePlayed(game, rig.name, version.reference if version else "", {}, {}, 0.0, None)

        def under_way(put_on: Mapping[str, tuple[str, ...]], left_out: Mapping[str, str]) -> None:
            if begun is not None:
                begun(replace(played, put_on=put_on, left_out=left_out))

        if version is None:
            return replace(played, **play_as_set(rig, game, command, under_way).__dict__)
        versions = [Version(owner, entries, note=version.note)
                    for owner, entries in parted(version.profile, version.entries).items()]  # the rig's come first
        result = replace(played, **play_with(rig, game, versions, command, under_way).__dict__)
        count = counted(result.settings, "setting")
        book.add_apply(rig.name, kind="played", profile=game, version="",
                       summary="; ".join(filter(None, (f"{version.reference}, {result.length}, {count} on",
                                                       result.how_it_ran))))
        return result

    def runs(self, game: str) -> bool:
        """Return whether a game runs now.

        Raises:
            UnknownName: no such game.
            RigError: games are not started on this rig.
        """
        from keenlattice.rig.base import game_of
        from keenlattice.rig.playing_on import check_starts_games

        return check_starts_games(self._opened.rig).runs(game_of(self._opened.rig, game).name)

    def played(self) -> "PlayedGames":
        """What was played on this rig with a version on, the newest first: described, and no proof of anything."""
        return PlayedGames(self._opened.rig_name, tuple(self._opened.book.played(self._opened.rig_name)))

    def _latest(self, game: str) -> str:
        """The latest versions of the game and of the whole rig, as a player writes them."""
        names = self._opened.book.profiles()
        parts = [name for name in (game, WHOLE_RIG) if name in names]
        return "+".join(parts) or f"{game}@stock"

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
            match_found = match(executable, rig.games(), case_matters=case_matters)
        except UnknownName:
            if not tells:
                raise
            match_found = None
        return MatchResult(executable, match_found.game.name if match_found else None, match_found.by
                           if match_found else None,
                           bool(match_found and match_found.exact), case_matters, tuple(options) if tells else None,
                           tuple(unknown))
