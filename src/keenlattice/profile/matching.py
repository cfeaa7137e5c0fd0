"""Which game's profile an executable gets."""

from collections.abc import Iterable
from fnmatch import fnmatchcase
from pathlib import PurePosixPath, PureWindowsPath

from keenlattice.errors import UnknownName, UsageError
from keenlattice.quickly import dataclass


@dataclass(frozen=True)
class Game:
    """One game: the name of its profile, its title, and the executables that it runs as."""

    name: str
    title: str
    executables: tuple[str, ...] = ()


@dataclass(frozen=True)
class Match:
    """The game that an executable belongs to, the name or pattern that says so, and whether it is exact."""

    game: Game
    by: str
    exact: bool


def match(executable: str, games: Iterable[Game], *, case_matters: bool) -> Match:
    """The one game that an executable (a name, or a path) belongs to. An exact name goes before a pattern.

    Raises:
        UnknownName: none; the message offers the nearest names.
        UsageError: two games claim it equally; the message names both.
    """
    games = list(games)
    name = PureWindowsPath(PurePosixPath(executable).name).name
    program = name if case_matters else name.lower()
    matches = [Match(game, pattern, pattern == form) for game in games for pattern in game.executables
               for form in [program if case_matters else _in_case(pattern, program)]
               if pattern == form or fnmatchcase(program, pattern if case_matters else pattern.lower())]
    best = [match for match in matches if match.exact] or matches
    if not best:
        raise UnknownName("game with an executable", name,
                          [executable for game in games for executable in game.executables])
    if len({match.game.name for match in best}) > 1:
        claims = " and ".join(f"{match.game.name} (by {match.by})" for match in best)
        raise UsageError(f"{name} is claimed by {claims}: make one of them more exact")
    return best[0]


def _in_case(pattern: str, program: str) -> str:
    """`program` in the letter case of a pattern that is the same but for that."""
    return pattern if pattern.lower() == program else program
