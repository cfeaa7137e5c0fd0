"""The state folder: what acts on this machine, and so belongs to this machine and user alone.

Journals, locks, restore points, the games that a player has told of and the commands that start them lie here, and
never in a logbook: a logbook may come from a stranger.
"""

import os
from pathlib import Path


def state_folder() -> Path:
    """`KEEN_STATE`, else a folder among the user's state."""
    if chosen := os.environ.get("KEEN_STATE"):
        return Path(chosen).expanduser().absolute()
    from platformdirs import user_state_path

    return user_state_path("keen-lattice")
