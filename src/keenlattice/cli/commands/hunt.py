"""`keen hunt`: since which version a metric has changed, and because of which settings."""

from typing import Annotated

import typer

from keenlattice.cli.begin import begin
from keenlattice.cli.complete import games, references
from keenlattice.cli.options import (
    DECIDES,
    MOST_RUNS_OF_A_HUNT,
    Blocks,
    Book,
    Decides,
    Json,
    Matters,
    Played,
    Rig,
    Seconds,
    Seed,
    Sensor,
    Watch,
)
from keenlattice.cli.output import minutes, say
from keenlattice.cli.playing import playing
from keenlattice.cli.views.trial import show_played, tell_amounts
from keenlattice.errors import UsageError
from keenlattice.profile.version import stock


def hunt(
    profile: Annotated[str, typer.Argument(
        autocompletion=games, help="The profile whose history is gone through: a game's name, rig, or GAME+rig for "
                                   "both.")] = "",
    since: Annotated[str, typer.Option(
        "--since", autocompletion=references, metavar="VERSION",
        help="A version where it was still different.  [default: stock]")] = "",
    until: Annotated[str, typer.Option(
        "--until", autocompletion=references, metavar="VERSION",
        help="One where it is as it is now.  [default: the latest]")] = "",
    decides: Decides = DECIDES, matters: Matters = "1", blocks: Blocks = None,
    error: Annotated[float, typer.Option("--error", help="How likely it may name the wrong version.")] = 0.05,
    most: Annotated[int, typer.Option("--most", help="How many runs at most; 0 for as many as it takes. A change four "
                                      "times as large as runs vary takes about 100, one twice as large 270.")
                    ] = MOST_RUNS_OF_A_HUNT,
    game: Played = None,
    seconds: Seconds = 30.0, watch: Watch = None, sensor: Sensor = "", seed: Seed = None,
    book: Book = None, rig: Rig = "", json: Json = False,
) -> None:
    """Find the version at which a metric changed, and the least set of settings in it that did it.

    It begins with a trial of the oldest version against the newest. The rig is put back to what it was, whatever
    happens.
    """
    if not profile:
        raise UsageError("a hunt takes a profile: keen hunt GAME")
    ws = begin(book, rig)
    if not json:
        tell_amounts(ws, matters, decides, since or stock(profile).reference)
        if most:
            say(f"At most {most} runs, {minutes(most * seconds / 60)} of play; what is not told by then is said to be "
                "unsure.", "dim")
    with playing(ws, "the versions of a history", json, watch, sensor) as view:
        played = ws.hunt(
            profile, since=since, until=until, game=game, progress=view, blocks=blocks, seconds=seconds, seed=seed,
            decides=decides, matters=matters, error=error, most_runs=most)
    show_played(ws, played, json)
