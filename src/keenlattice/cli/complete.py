"""What the shell offers while a command is typed: games, versions, settings, metrics. It reads, and makes nothing."""

import contextlib
import io
import os
import shlex
import sys
from collections.abc import Callable, Iterable, Iterator
from pathlib import Path
from typing import TYPE_CHECKING

import typer

if TYPE_CHECKING:
    from keenlattice.logbook.book import Logbook

BREAKS = "@="
"""Letters at which bash, unlike other shells, begins a new word: there it wants only what comes after them."""


def games(ctx: typer.Context, incomplete: str) -> list[str]:
    """Games of the rig, those of which there are versions, and `rig`."""
    return _that_begin(incomplete, _profiles(ctx))


def references(ctx: typer.Context, incomplete: str) -> list[str]:
    """Games; after an @ their labels and newest versions; after a + the rig-wide ones."""
    first, plus, incomplete = incomplete.rpartition("+")
    if plus:
        return [f"{first}+{word}" for word in references(ctx, incomplete) if word.partition("@")[0] == "rig"]
    profile, at, _ = incomplete.partition("@")
    if not at:
        return games(ctx, incomplete)
    with _book(ctx) as book:
        versions = [] if book is None else [
            *(label for value in book.labels(profile).values() for label in value),
            *(version.id[:8] for version in book.history(profile, 20))]
    return _that_begin(incomplete, [f"{profile}@{which}" for which in ("stock", "applied", "now", *versions)])


class Instead(str):
    """A word that takes the place of what was typed: the parser drops what does not begin so, and asks the word itself.

    Bash puts it in; other shells ask again.
    """

    def startswith(self, *_: object) -> bool:
        return True


def settings(ctx: typer.Context, incomplete: str) -> list[str]:
    """Names of settings; where none begins so, of those that players call so: `vsy` is `sync.vertical`."""
    from keenlattice.catalog.load import catalog
    from keenlattice.catalog.search import called_like

    names = _that_begin(incomplete, [setting.name for setting in catalog()])
    return names or [Instead(setting.name) for setting in called_like(catalog(), incomplete)]


def assignments(ctx: typer.Context, incomplete: str) -> list[str]:
    """Settings with what they can be set to, where that can be listed."""
    from keenlattice.catalog.load import catalog
    from keenlattice.errors import UnknownName

    key, equals, _ = incomplete.partition("=")
    if not equals:
        return [type(name)(f"{name}=") for name in settings(ctx, incomplete)]
    try:
        setting = catalog()[key]
    except UnknownName:
        return []
    words = ["on", "off"] if setting.kind == "switch" else [*setting.choices, *setting.words]
    return _that_begin(incomplete, [f"{key}={word}" for word in words])


def metrics(ctx: typer.Context, incomplete: str) -> list[str]:
    """Metrics that can decide."""
    from keenlattice.measure.metrics import METRICS
    from keenlattice.measure.names import SHORT_NAMES

    return _that_begin(incomplete, [*SHORT_NAMES, *METRICS])


def rigs(ctx: typer.Context, incomplete: str) -> list[str]:
    """Kinds of rig."""
    from keenlattice.rig.find import kinds

    return _that_begin(incomplete, kinds())


def _that_begin(incomplete: str, words: Iterable[str]) -> list[str]:
    return [word for word in words if word.startswith(incomplete)]


def _profiles(ctx: typer.Context) -> list[str]:
    from keenlattice.rig.find import chosen_for, home_of
    from keenlattice.rig.gamelist import read_games
    from keenlattice.rig.standin.games import GAMES

    with _book(ctx) as book:
        rig = str(ctx.params.get("rig") or chosen_for(book.state if book else Path()) or "here")
        kept = [] if book is None else book.profiles()
        games = GAMES if rig == "standin" else read_games(home_of(rig, book.state if book else Path()))
    return list(dict.fromkeys([*games, *kept, "rig"]))


def _folder(ctx: typer.Context) -> Path:
    from keenlattice._state_folder import expanded
    from keenlattice.logbook.file import default_folder

    return expanded(Path(ctx.params.get("book") or default_folder()))


@contextlib.contextmanager
def _book(ctx: typer.Context) -> "Iterator[Logbook | None]":
    """The logbook, if there is one."""
    from keenlattice.logbook.book import Logbook
    from keenlattice.logbook.schema import FILE

    folder = _folder(ctx)
    if not (folder / FILE).exists():
        yield None
        return
    with Logbook(folder) as book:
        yield book


def completing(run: Callable[[], int | None]) -> int | None:
    """Runs the program; to complete a word in bash, with what that shell makes of words put right before and after."""
    if os.environ.get("_KEEN_COMPLETE") != "complete_bash":
        return run()
    try:
        words, current = _joined(shlex.split(os.environ.get("COMP_WORDS", "")), int(os.environ.get("COMP_CWORD", "0")))
    except ValueError:  # a quote that is still open: nothing is known of it yet
        return 0
    os.environ.update(COMP_WORDS=shlex.join(words), COMP_CWORD=str(current))
    word = words[current] if current < len(words) else ""
    begun = max((word.rfind(letter) for letter in BREAKS), default=-1) + 1
    offered = io.StringIO()
    try:
        with contextlib.redirect_stdout(offered):
            return run()
    finally:
        for line in offered.getvalue().splitlines():
            print(line[begun:], file=sys.stdout)


def _joined(words: list[str], current: int) -> tuple[list[str], int]:
    """The words as they were typed, before bash broke them up, and which of them is being completed."""
    joined: list[str] = []
    at = current
    for place, word in enumerate(words):
        if joined and (word in BREAKS or joined[-1][-1:] in tuple(BREAKS)):
            joined[-1] += word
            at -= place <= current
        else:
            joined.append(word)
    if current >= len(words) and joined and joined[-1][-1:] in tuple(BREAKS):
        at -= 1  # nothing is typed yet after the letter
    return joined, at
