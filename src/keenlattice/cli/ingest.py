"""`keen ingest`: a recording of any recorder's becomes a capture, by a column map that is given once."""

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from keenlattice.cli.fitting import only
from keenlattice.cli.options import REFERENCE, Book, Json, Rig, Yes

if TYPE_CHECKING:
    from keenlattice.cli.session import Session
    from keenlattice.measure.capture import Capture
    from keenlattice.measure.columns import ColumnMap
    from keenlattice.measure.ingest import Ingested

ROWS_SHOWN = 4


def ingest(
    ctx: typer.Context,
    file: Annotated[Path, typer.Argument(help="CSV, TSV, JSON Lines or Parquet; .gz, .bz2 or .xz, too.")],
    reference: Annotated[str, typer.Option("--of", metavar="VERSION", help=f"What was played. {REFERENCE}")] = "",
    by: Annotated[str, typer.Option("--map", help="A column map that you have named.")] = "",
    time: Annotated[str, typer.Option("--time", metavar="COLUMN", help="Gives a new map: the column of times.")] = "",
    means: Annotated[str, typer.Option("--means", help="stamps or intervals.")] = "stamps",
    unit: Annotated[str, typer.Option("--unit", help="s, ms, us, ns or ticks.")] = "ms",
    ticks: Annotated[float | None, typer.Option("--ticks-per-second", help="For the unit ticks.")] = None,
    cpu: Annotated[str, typer.Option("--cpu", metavar="COLUMN", help="CPU time of a frame.")] = "",
    gpu: Annotated[str, typer.Option("--gpu", metavar="COLUMN", help="GPU time of a frame.")] = "",
    stage_unit: Annotated[str, typer.Option("--stage-unit", help="Of CPU and GPU times.")] = "ms",
    dropped: Annotated[str, typer.Option("--dropped", metavar="COLUMN=VALUE", help="Marks a frame never shown.")] = "",
    program: Annotated[str, typer.Option("--program", metavar="COLUMN", help="Names the program of a row.")] = "",
    marker: Annotated[str, typer.Option("--marker", metavar="COLUMN", help="Names the segment of a row.")] = "",
    name: Annotated[str, typer.Option("--name", help="What to call the new map.")] = "",
    process: Annotated[str, typer.Option("--process", help="Whose rows, if there are several programs'.")] = "",
    in_pieces: Annotated[bool, typer.Option("--in-pieces", help="For a file too large for memory: its metrics alone, "
                                            "quantiles within 0.1 %.")] = False,
    repair: Annotated[bool, typer.Option("--repair", help="Leave out what is damaged, and count it.")] = False,
    out: Annotated[Path | None, typer.Option("--out", help="Write the capture there, too: .csv or .parquet.")] = None,
    figure: Annotated[Path | None, typer.Option("--figure", help="Draw the run: .png or .svg.")] = None,
    every: Annotated[bool, typer.Option("--all", help="Show every metric, not only the main ones.")] = False,
    yes: Yes = False, book: Book = None, rig: Rig = "standin", json: Json = False,
) -> None:
    """Read a recording of any recorder's. The column map is given once, and found again by the file's header."""
    from keenlattice.cli.outfile import new_file
    from keenlattice.cli.session import begin
    from keenlattice.errors import UsageError
    from keenlattice.measure.columns import column_map
    from keenlattice.measure.ingest import ingest as read
    from keenlattice.measure.rows import header_of

    of_a_map = ("means", "unit", "ticks", "cpu", "gpu", "stage_unit", "dropped", "program", "marker")
    if not time:
        only(ctx, "a map that is known already (a new one takes --time)",
             *(one.name for one in ctx.command.params if one.name and one.name not in of_a_map))
    elif by:
        raise UsageError("--map names a map that is known, and --time gives a new one: leave one of them out")
    session = begin(book, rig)
    out = new_file(out, ".csv", ".parquet")
    figure = new_file(figure, ".png", ".svg")
    version = session.find(reference) if reference else None
    header, rows = header_of(file)
    if time:
        columns = column_map(name=name or "unnamed", time=time, means=means, unit=unit, ticks_per_s=ticks,
                             cpu=cpu or None, gpu=gpu or None, stage_unit=stage_unit, **_dropped(dropped),
                             process=program or None, marker=marker or None)
    else:
        columns = known_map(session, by, header) or _proposed(header, rows, file, quiet=json)
        if columns.name == "proposed" and not _taken(header, rows, file, yes, quiet=json):
            return
        columns = columns.model_copy(update={"name": name or columns.name})
    if in_pieces:
        _tell_long(file, columns, process, every, json, refused=bool(repair or out or figure or version or marker))
        return
    found = read(file, columns, process=process or None, repair=repair)
    if time or name:
        session.book.keep_map(columns.name, header, columns.model_dump(exclude_none=True))
    kept = ""
    if version is not None:
        kept = session.book.keep_capture(found.capture, session.rig_name, version.profile, version.id if version.time
                                         else "stock")
    if out:
        _write(found, out)
    if figure:
        draw_capture(found.capture, f"{file.name}", figure)
    _tell(file, columns, found, kept, every, json)


def say_kept(kept: str, picture: str = "") -> None:
    """Whether a recording is in the logbook now, and how it can be drawn."""
    from keenlattice.cli.output import hint, say

    say(f"Kept as {kept}." if kept else "Not kept: say what was played with --of GAME to keep it.", "dim")
    if kept:
        hint(" ".join(f"keen draw {kept} {picture} --out run.png".split()))


def _dropped(text: str) -> dict[str, str]:
    """What marks a frame that was never shown, as a column map has it."""
    from keenlattice.errors import UsageError

    column, equals, value = text.partition("=")
    if text and not equals:
        raise UsageError(f"--dropped {text!r}: write COLUMN=VALUE")
    return {"dropped": column, "dropped_when": value} if text else {}


def draw_capture(capture: "Capture", title: str, figure: Path) -> None:
    """Draws one run into a file."""
    from keenlattice.report.capture_figure import capture_figure
    from keenlattice.report.style import save

    save(capture_figure(capture, title), figure)


def known_map(session: "Session", by: str, header: Sequence[str]) -> "ColumnMap | None":
    """The column map of that name; without one, the map that is kept for the header, if one is.

    Raises:
        UnknownName: none has that name.
    """
    from keenlattice.errors import UnknownName
    from keenlattice.measure.columns import column_map

    maps = session.book.maps()
    if by:
        if by not in maps:
            raise UnknownName("column map", by, maps, f"there are {', '.join(maps) or 'none yet'}")
        return column_map(**maps[by][1])
    same = [fields for known, fields in maps.values() if known == list(header)]
    return column_map(**same[-1]) if same else None


def _proposed(header: Sequence[str], rows: Sequence[Sequence[str]], file: Path, quiet: bool) -> "ColumnMap":
    from keenlattice.cli.output import say
    from keenlattice.errors import UsageError
    from keenlattice.measure.layout import NUMBER
    from keenlattice.measure.proposal import propose

    commas = any("," in cell and NUMBER.match(cell) for row in rows for cell in row)
    proposal = propose(header, rows, "," if commas else ".")
    if proposal.found is None:
        either = f" ({'; '.join(proposal.why[:4])})" if proposal.why else ""
        raise UsageError(f"{file.name}: which column is the time cannot be told{either}; say so: --time COLUMN "
                         f"--means stamps|intervals --unit s|ms|us|ns; columns: {', '.join(header)}")
    if not quiet:
        say("No map for this header is known yet. By the data alone:", "bold")
        for reason in proposal.why:
            say(f"  {reason}")
    return proposal.found


def _taken(header: Sequence[str], rows: Sequence[Sequence[str]], file: Path, yes: bool, quiet: bool) -> bool:
    """Whether the player takes a proposal, seen with some rows."""
    from keenlattice.cli.output import confirmed, say, table

    if not quiet:
        table(header, [row for row in rows[:ROWS_SHOWN] if len(row) == len(header)])
        say()
    if confirmed(f"Read {file.name} like this?", yes):
        return True
    say("Nothing was read.")
    return False


def _tell_course(capture: "Capture") -> None:
    """What is plain in the course of the run: a warm-up, hitches that come again and again."""
    from keenlattice.cli.output import say
    from keenlattice.measure.course import periodic_hitches, warm_up_ms

    if warm := warm_up_ms(capture):
        say(f"the first {warm / 1000:.1f} s run otherwise than the rest: a warm-up, perhaps")
    if hitches := periodic_hitches(capture):
        say(f"a hitch of about {hitches.extra_ms:.0f} ms comes every {hitches.period_s:.2g} s")


def _write(found: "Ingested", out: Path) -> None:
    from keenlattice.measure.parquet import write_capture
    from keenlattice.measure.text import write_text

    (write_text if out.suffix == ".csv" else write_capture)(found.capture, out)


def _tell_long(file: Path, columns: "ColumnMap", process: str, every: bool, json: bool, refused: bool) -> None:
    """The metrics of a file that is not taken whole."""
    from keenlattice.cli.output import emit_json, say
    from keenlattice.errors import UsageError
    from keenlattice.measure.pieces import measure_in_pieces

    if refused:
        raise UsageError("--in-pieces tells metrics alone: it goes with none of --of, --out, --figure, --marker and "
                         "--repair")
    found = measure_in_pieces(file, columns, process=process or None)
    if json:
        emit_json("ingest-in-pieces", {
            "file": file.name, "columns": columns.model_dump(exclude_none=True), "frames": found.frames,
            "seconds": found.seconds, "dropped_frames": found.dropped_frames, "metrics": found.metrics,
            "quantile_error": found.quantile_error})
        return
    say(f"{file.name}: {found.frames} frames in {found.seconds:.1f} s, by the map {columns.name}, in pieces", "bold")
    if found.dropped_frames:
        say(f"{found.dropped_frames} frames are marked as never shown; they count as no frames")
    _tell_metrics(found.metrics, every)
    say(f"\nPercentiles and lows are within {100 * found.quantile_error:g} % of their value. Nothing was kept.", "dim")


def _tell_metrics(numbers: "dict[str, float]", every: bool) -> None:
    from keenlattice.cli.output import table
    from keenlattice.measure.metrics import METRICS, TRIAL_METRICS
    from keenlattice.report.words import TITLES

    table(["", ""], [[f"{TITLES[name]}, {metric.unit}", f"{numbers[name]:.1f}"] for name, metric in METRICS.items()
                     if numbers[name] == numbers[name] and (every or name in TRIAL_METRICS)], right=(1,))


def _tell(file: Path, columns: "ColumnMap", found: "Ingested", kept: str, every: bool,
          json: bool) -> None:
    from keenlattice.cli.output import emit_json, say
    from keenlattice.measure.metrics import metrics_of

    numbers = metrics_of(found.capture)
    if json:
        emit_json("ingest", {
            "file": file.name, "columns": columns.model_dump(exclude_none=True), "frames": found.capture.frame_ms.size,
            "seconds": found.capture.seconds, "dropped_frames": found.dropped_frames, "capture": kept or None,
            "damage": [one.__dict__ for one in found.damage], "metrics": numbers,
            "segments": {name: list(span) for name, span in found.segments.items()}})
        return
    frames, seconds = found.capture.frame_ms.size, found.capture.seconds
    say(f"{file.name}: {frames} frames in {seconds:.1f} s, by the map {columns.name}", "bold")
    for one in found.damage:
        say(f"! left out, line {one.line}: {one.what}" + f" ({one.count} such)" * (one.count > 1))
    if found.dropped_frames:
        say(f"{found.dropped_frames} frames are marked as never shown; they count as no frames")
    _tell_metrics(numbers, every)
    _tell_course(found.capture)
    for name, (start, end) in found.segments.items():
        say(f"segment {name}: {start / 1000:.1f} to {end / 1000:.1f} s")
    say()
    say_kept(kept)
