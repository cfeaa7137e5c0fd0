"""Where a command writes what a player has asked for: never over what is there already."""

from pathlib import Path

from keenlattice._files import free_path
from keenlattice.cli.output import warn
from keenlattice.errors import UsageError


def new_figure(path: Path | None) -> Path | None:
    """As `new_file`, of a figure."""
    return new_file(path, ".png", ".svg")


def new_file(path: Path | None, *endings: str) -> Path | None:
    """The path to write to, asked before anything is played: the one that was named, or, if something is there, one
    with a number behind it, which is said.

    Raises:
        UsageError: its name has none of the endings, or there is no such folder.
    """
    if path is None:
        return None
    if path.suffix not in endings:
        raise UsageError(f"{path}: its name has to end in {' or '.join(endings)}")
    if not path.parent.is_dir():
        raise UsageError(f"{path}: there is no folder {path.parent}; make it first, or name another")
    free = free_path(path)
    if free != path:
        warn(f"{path} is there already and stays as it is: this is written to {free}")
    return free
