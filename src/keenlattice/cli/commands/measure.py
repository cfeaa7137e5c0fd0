"""`keen measure`: runs of a game as the rig stands, and their numbers."""

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from keenlattice.cli.begin import begin
from keenlattice.cli.complete import games
from keenlattice.cli.options import Book, Every, Figure, Json, Rig, Seconds, Seed, Sensor, Watch
from keenlattice.cli.output import emit, hint, new_figure, say, shown_path
from keenlattice.cli.playing import playing
from keenlattice.cli.typed import only
from keenlattice.cli.views.blocks import show_telling
from keenlattice.cli.views.runs import LiveView

if TYPE_CHECKING:
    from keenlattice.workspace.recording_results import MeasureResult
    from keenlattice.workspace.workspace import Workspace


def measure(
    ctx: typer.Context,
    game: Annotated[str, typer.Argument(autocompletion=games, help="The game to play.")],
    seconds: Seconds = 10.0,
    runs: Annotated[int, typer.Option("--runs", min=1, max=1000, help="How many runs.")] = 3,
    figure: Figure = None, every: Every = False,
    take: Annotated[list[Path] | None, typer.Option("--take", help="By hand: the recording of a run, then that of its "
                                                    "sensor, if there is one; once or more.")] = None,
    watch: Watch = None, sensor: Sensor = "", seed: Seed = None,
    live: Annotated[bool, typer.Option("--live", help="Show how a run goes while it is recorded.")] = False,
    book: Book = None, rig: Rig = "", json: Json = False,
) -> None:
    """Play a game on the rig as it stands, and say how it runs. To compare two versions, use `keen trial`."""
    figure = new_figure(figure)
    ws = begin(book, rig)
    if take:
        only(ctx, "--take", "game", "take", "figure", "every")
        result = ws.studies.by_hand.measure(game, take)
    else:
        with playing(ws, f"playing {game}", json or live, watch, sensor) as view:
            result = ws.measure(game, runs, seconds, seed, view, LiveView() if live else None)
    if figure:
        result.figure().save(figure)
    if json:
        emit(result)
        return
    show_telling(result.telling(every))
    _say_more(ws, result)


def _say_more(ws: "Workspace", result: "MeasureResult") -> None:
    """What was not measured and why, where the runs are, and what comes next."""
    from keenlattice.rig.base import FindsSpot

    game = result.game
    if result.clicks and not result.answered:
        say(f"! none of {result.clicks} clicks was answered by the pixel that was looked at; another one can be named "
            f"with keen rig game {game} --answers-at X,Y, or found by --answers-at look")
    elif not result.clicks and isinstance(ws.rig.machine, FindsSpot):
        say(f"Latency was not measured: which pixel answers a click is not known. keen rig game {game} --answers-at "
            f"look --rig {ws.rig.kind} finds out by clicking into the game", "dim")
    if result.last.about.get("composed"):
        say("! a compositor draws this screen: what is timed is when the game handed a frame over, not when it was "
            "seen")
    say(f"\nKept in {shown_path(ws.book.folder / 'captures')}.", "dim")
    say("These numbers describe; they prove no difference.", "dim")
    hint(f"keen trial {game}@stock {game}, which does; or keen draw, for a picture of a run")
