"""Which game's profile an executable gets."""

from collections.abc import Iterable
from dataclasses import dataclass
from fnmatch import fnmatchcase
from pathlib import PurePosixPath, PureWindowsPath

from keenlattice.errors import UnknownName, UsageError


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
    said = name if case_matters else name.lower()
    found = [Match(game, pattern, pattern == known) for game in games for pattern in game.executables
             for known in [said if case_matters else _in_case(pattern, said)]
             if pattern == known or fnmatchcase(said, pattern if case_matters else pattern.lower())]
    best = [one for one in found if one.exact] or found
    if not best:
        raise UnknownName("game with an executable", name, [one for game in games for one in game.executables])
    if len({one.game.name for one in best}) > 1:
        claims = " and ".join(f"{one.game.name} (by {one.by})" for one in best)
        raise UsageError(f"{name} is claimed by {claims}: make one of them more exact")
    return best[0]


def _in_case(pattern: str, said: str) -> str:
    """`said` in the letter case of a pattern that is the same but for that."""
    return pattern if pattern.lower() == said else said
