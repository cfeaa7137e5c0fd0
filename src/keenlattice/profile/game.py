"""A game, as far as its profile is concerned."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Game:
    """One game: the name of its profile, its title, and the executables that it runs as."""

    name: str
    title: str
    executables: tuple[str, ...] = ()
