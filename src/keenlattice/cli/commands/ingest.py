"""`keen ingest`: a recording of any recorder's, or a film of the screen, becomes a capture."""

from functools import partial
from pathlib import Path
from typing import Annotated

import typer

from keenlattice import column_map, log_map
from keenlattice.cli.begin import begin
from keenlattice.cli.options import Book, Every, Figure, Json, Of, Rig, Yes
from keenlattice.cli.output import emit, new_figure, new_file, say
from keenlattice.cli.typed import dropped_of, ingest_fits, pairs_of
from keenlattice.cli.views.film import is_film, of_screen
from keenlattice.cli.views.runs import show_recording, take_map


def ingest(
    ctx: typer.Context,
    file: Annotated[Path, typer.Argument(help="CSV, TSV, JSON Lines or Parquet; .gz, .bz2 or .xz, too. "
                                         "Or a film of the screen.")],
    reference: Of = "",
    by: Annotated[str, typer.Option("--map", help="A column map that you have named.")] = "",
    time: Annotated[str, typer.Option("--time", metavar="COLUMN", help="Gives a new map: the column of times.")] = "",
    means: Annotated[str, typer.Option("--means", help="stamps or intervals.")] = "stamps",
    unit: Annotated[str, typer.Option("--unit", help="s, ms, us, ns or ticks.")] = "ms",
    ticks: Annotated[float | None, typer.Option("--ticks-per-second", help="For the unit ticks.")] = None,
    cpu: Annotated[str, typer.Option("--cpu", metavar="COLUMN", help="CPU time of a frame.")] = "",
    gpu: Annotated[str, typer.Option("--gpu", metavar="COLUMN", help="GPU time of a frame.")] = "",
    stage_unit: Annotated[str, typer.Option("--stage-unit", help="Unit of CPU and GPU times.")] = "ms",
    dropped: Annotated[str, typer.Option("--dropped", metavar="COLUMN=VALUE", help="Marks a frame never shown.")] = "",
    program: Annotated[str, typer.Option("--program", metavar="COLUMN", help="Names the program of a row.")] = "",
    marker: Annotated[str, typer.Option("--marker", metavar="COLUMN", help="Names the segment of a row.")] = "",
    said: Annotated[list[str] | None, typer.Option("--said", metavar="SERIES=COLUMN", help="What the machine said "
                                                   "beside a frame, or in --log: gpu0.temperature=COLUMN.")] = None,
    log: Annotated[Path | None, typer.Option("--log", help="A log of the machine, kept during the run.")] = None,
    log_time: Annotated[str, typer.Option("--log-time", metavar="COLUMN", help="The log's column of times.")] = "",
    log_unit: Annotated[str, typer.Option("--log-unit", help="s, ms, us or ns.")] = "s",
    log_starts: Annotated[float | None, typer.Option("--log-starts", help="Its start, in s after the run's.")] = None,
    name: Annotated[str, typer.Option("--name", help="What to call the new map.")] = "",
    mask: Annotated[list[str] | None, typer.Option("--mask", metavar="X,Y,WIDTH,HEIGHT", help="Of a film: an area "
                                                   "that moves by itself, and does not count.")] = None,
    process: Annotated[str, typer.Option("--process", help="Take the rows of this program alone.")] = "",
    repair: Annotated[bool, typer.Option("--repair", help="Leave out what is damaged, and count it.")] = False,
    out: Annotated[Path | None, typer.Option("--out", help="Write the capture there, too: .csv or .parquet.")] = None,
    figure: Figure = None, every: Every = False,
    yes: Yes = False, book: Book = None, rig: Rig = "", json: Json = False,
) -> None:
    """Read a recording of any recorder's, or a film of the screen. A column map is given once, and found again."""
    ingest_fits(ctx, is_film(file))
    ws, out, figure = begin(book, rig), new_file(out, ".csv", ".parquet"), new_figure(figure)
    series_columns = pairs_of(said or [], "--said", "NAME=COLUMN")
    columns = column_map(name=name or "unnamed", time=time, means=means, unit=unit, ticks_per_s=ticks, cpu=cpu or None,
                         gpu=gpu or None, stage_unit=stage_unit, process=program or None, marker=marker or None,
                         said={} if log_time else series_columns, **dropped_of(dropped)) if time else by or None
    log_columns = log_map(name=f"{name or 'unnamed'}-log", time=log_time, unit=log_unit, said=series_columns
                          ) if log_time else None
    take = partial(take_map, file.name, yes, json)
    if is_film(file):
        recording = of_screen(ws, file, name, mask or [], reference, json)
    else:
        recording = ws.recordings.ingest(file, columns, of=reference, name=name, process=process, repair=repair,
                                         take=take,
                                         log=log, log_columns=log_columns, log_starts_s=log_starts)
    if recording is None:
        say("Nothing was read.")
        return
    if out:
        recording.save(out)
    if figure:
        recording.figure().save(figure)
    emit(recording) if json else show_recording(recording, every)
