"""The state folder: what acts on this machine, and so belongs to this machine and user alone.

Journals, locks, restore points, the games that a player has named and the commands that start them lie here, and
never in a logbook: a logbook may come from a stranger.
"""

import os
from pathlib import Path

from keenlattice.errors import UsageError


def expanded(path: Path) -> Path:
    """Return a path with `~` written out.

    Raises:
        UsageError: it begins in the home of somebody who is not there.
    """
    try:
        return path.expanduser()
    except RuntimeError:
        raise UsageError(f"{path}: there is no such user, or they have no home") from None


def make_private(folder: Path) -> None:
    """Make a folder among the state, which nobody but its user can read or enter, and those above it.

    Raises:
        OSError: it cannot be made.
    """
    missing = [folder, *folder.parents]
    for missing_folder in reversed([path for path in missing if not path.exists()]):
        missing_folder.mkdir(mode=0o700, exist_ok=True)
    folder.mkdir(exist_ok=True)  # says so if a file is there


def state_folder() -> Path:
    """`KEEN_STATE`, else a folder among the user's state."""
    if chosen := os.environ.get("KEEN_STATE"):
        return expanded(Path(chosen)).absolute()
    from platformdirs import user_state_path

    return user_state_path("keen-lattice")
