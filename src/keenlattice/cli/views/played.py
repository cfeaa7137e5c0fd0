"""A game that is played with a version on: what is on, how it ended, and waiting for the games that are known."""

import time
from typing import TYPE_CHECKING

from keenlattice.cli.output import hint, say, table
from keenlattice.errors import KeenLatticeError, UsageError

if TYPE_CHECKING:
    from keenlattice.workspace.games import GamePlayed, PlayedGames
    from keenlattice.workspace.workspace import Workspace

LOOKS_EVERY_S = 2.0


def show_on(playing: "GamePlayed") -> None:
    """What is on, and what is not."""
    for owner, keys in playing.put_on.items():
        if keys:
            say(f"On while {playing.game} runs, for {'the whole rig' if owner == 'rig' else owner}: {', '.join(keys)}.")
    for key, why in playing.left_out.items():
        say(f"! {key} is left out: {why.removeprefix(f'{key}: ')}")
    if not playing.settings:
        say(f"{playing.version or 'What is set'} changes nothing that can come on with the game.")


def show_end(played: "GamePlayed") -> None:
    """How a game ended, and how the rig stands after it."""
    if played.not_held:
        say(f"! {', '.join(played.not_held)} did not hold: the game's process lets nobody change it")
    code = "" if played.exit_code in (None, 0) else f" with exit code {played.exit_code}"
    say(f"{played.game} has ended{code}, after {played.length}. {_as_it_stands(played)}")
    if played.how_it_ran:
        say(f"Meanwhile: {played.how_it_ran}.", "dim")


def _as_it_stands(played: "GamePlayed") -> str:
    if not played.settings or not played.version:
        return "Nothing was changed."
    if not played.left:
        return "The rig is as it was before."
    return f"What was set is taken back; what something else has written in {', '.join(played.left)} meanwhile stays."


def show_listed(done: "PlayedGames") -> None:
    """What was played so far."""
    if not done.games:
        say("Nothing was played with a version on yet.")
        hint("keen play GAME -- COMMAND")
        return
    table(["when", "game", "what"],
          [[played.time[:16].replace("T", " "), played.profile, played.what] for played in done.games])
    say("\nWhat was played is described, and proves nothing: for that, keen trial.", "dim")


def keep_watching(ws: "Workspace") -> None:
    """Wait for the games that are known until this is stopped; each that starts has its version on while it runs.

    Raises:
        UsageError: no game is known that has a profile.
    """
    profiles = ws.book.profiles()
    if not (names := [name for name in ws.rig.games.names if name in profiles]):
        raise UsageError("no game here has a profile: keen rig game NAME --executable FILE, then "
                         "keen edit NAME SETTING=VALUE")
    say(f"Waiting for {', '.join(names)}. Ctrl-C ends this.")
    failed = set[str]()
    while True:
        for name in names:
            if not ws.rig.games.runs(name):
                failed.discard(name)
            elif name not in failed:
                try:
                    show_end(ws.rig.games.play(name, begun=show_on))
                except KeenLatticeError as error:  # the next game may do better, and this one at its next start
                    say(f"! {name}: {error}")
                    failed.add(name)
        time.sleep(LOOKS_EVERY_S)
