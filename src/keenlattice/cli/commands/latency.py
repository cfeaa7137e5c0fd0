"""`keen latency`: input latency from a film, a sensor's log, a stereo recording, a camera's tally, or a capture."""

from pathlib import Path
from typing import Annotated, Any

import typer

from keenlattice.cli.begin import begin
from keenlattice.cli.options import Book, Figure, Json, Of, Rig
from keenlattice.cli.output import emit, new_figure, say
from keenlattice.cli.typed import measured, only
from keenlattice.cli.views.film import is_film, of_film
from keenlattice.cli.views.runs import show_latency


def latency(
    ctx: typer.Context,
    file: Annotated[Path, typer.Argument(help="A film, a log or a tally as CSV, a stereo WAV, or a "
                                         "capture of ours (.parquet).")],
    shot_at: Annotated[float | None, typer.Option("--shot-at", metavar="RATE", help="Of a film: how many pictures a "
                                                  "second the camera took, where the file claims fewer.")] = None,
    readout: Annotated[float | None, typer.Option("--readout", metavar="MS", help="Of a film: how long the camera "
                                                  "takes to read one picture.")] = None,
    camera: Annotated[float | None, typer.Option("--camera", metavar="FPS", help="A tally of a camera's frames, the "
                                                 "last column; and how many it takes a second.")] = None,
    time: Annotated[str, typer.Option("--time", metavar="COLUMN", help="Of a log: the column of times.")] = "",
    light: Annotated[str, typer.Option("--light", metavar="COLUMN", help="Of a log: the light.")] = "",
    button: Annotated[str, typer.Option("--button", metavar="COLUMN", help="Of a log: the button.")] = "",
    unit: Annotated[str, typer.Option("--unit", help="Of the times: s, ms, us or ns.")] = "ms",
    channel: Annotated[int, typer.Option("--light-channel", help="Of a WAV: 1 is left, 2 is right.")] = 2,
    press: Annotated[str, typer.Option("--press", metavar="COLUMN", help="Of events: when presses were. Of a film: "
                                       "where they show, as X,Y,WIDTH,HEIGHT.")] = "",
    answer: Annotated[str, typer.Option("--answer", metavar="COLUMN", help="Of events: when answers were. Of a film: "
                                        "where they show.")] = "",
    stage: Annotated[list[str] | None, typer.Option("--stage", metavar="STAGE=COLUMN", help="Of events: how long each "
                                                    "press spent in a stage (device, system, game, queue, gpu or "
                                                    "display), as far as it is known.")] = None,
    name: Annotated[str, typer.Option("--name", help="Keep what was said of its columns under this name, for other "
                                      "files with that header, and other films of that size and rate.")] = "",
    figure: Figure = None, reference: Of = "",
    book: Book = None, rig: Rig = "", json: Json = False,
) -> None:
    """Measure input latency, from press to screen, in what a phone, a sensor or `keen measure` has recorded."""
    _check_what_goes_together(ctx, file, camera is not None, bool(press or answer))
    figure = new_figure(figure)
    ws = begin(book, rig)
    given: dict[str, Any] = {"camera": shot_at or camera, "time": time, "light": light, "button": button,
                             "press": press,
                             "answer": answer, "unit": unit, "readout_ms": readout}
    latencies = of_film(ws, file, reference, given, figure, json) if is_film(file) else measured(
        ws, file, reference, channel, stage or [], given)
    if name:
        ws.recordings.latency.keep_map(file, name, **given)
    if figure:
        latencies.figure().save(figure)
    if json:
        emit(latencies)
        return
    show_latency(latencies)
    if name:
        files = "Films of this size and rate" if is_film(file) else "Files with this header"
        say(f"{files} are read like this from now on, by the map {name}.", "dim")


def _check_what_goes_together(ctx: typer.Context, file: Path, camera: bool, events: bool) -> None:
    """Each kind of recording takes the options that say what is in it."""
    always, suffix = ("file", "figure", "reference"), file.suffix.lower()
    if is_film(file):
        only(ctx, "a film", *always, "shot_at", "readout", "press", "answer", "name")
    elif camera:
        only(ctx, "--camera", *always, "camera", "name")
    elif events:
        only(ctx, "--press and --answer", *always, "press", "answer", "unit", "stage", "name")
    elif suffix in (".parquet", ".wav", ".wave"):
        only(ctx, f"a file that ends in {suffix}", *always, *(["channel"] if suffix != ".parquet" else []))
    else:
        only(ctx, "a sensor's log", *always, "time", "light", "button", "unit", "name")
