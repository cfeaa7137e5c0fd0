"""Waiting for games: each that starts has its version on while it runs."""

import time
from collections.abc import Callable
from typing import TYPE_CHECKING

from keenlattice.cli.output import say
from keenlattice.errors import KeenLatticeError, UsageError

if TYPE_CHECKING:
    from keenlattice.workspace.games import GamePlayed
    from keenlattice.workspace.workspace import Workspace

LOOKS_EVERY_S = 2.0


def keep_watching(ws: "Workspace", begun: "Callable[[GamePlayed], None]") -> None:
    """Wait for the games that are known until this is stopped.

    Raises:
        UsageError: no game is known that has a profile.
    """
    profiles = ws.book.profiles()
    if not (names := [name for name in ws.rig.games.names if name in profiles]):
        raise UsageError("there is no game here that has a profile: keen rig game NAME --executable FILE, then "
                         "keen edit NAME SETTING=VALUE")
    say(f"Waiting for {', '.join(names)}. Ctrl-C ends this.")
    failed = set[str]()
    while True:
        for name in names:
            if not ws.rig.games.runs(name):
                failed.discard(name)
            elif name not in failed:
                try:
                    played = ws.rig.games.play(name, begun=begun)
                    say(f"{name} has ended, after {played.length}. The rig is as it was before.")
                except KeenLatticeError as error:  # the next game may do better, and this one at its next start
                    say(f"! {name}: {error}")
                    failed.add(name)
        time.sleep(LOOKS_EVERY_S)
