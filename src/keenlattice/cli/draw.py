"""`keen draw`: pictures of runs: of one, or of one over another."""

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from keenlattice.cli.complete import references
from keenlattice.cli.options import REFERENCE, Book, Rig

if TYPE_CHECKING:
    from matplotlib.figure import Figure

    from keenlattice.cli.session import Session
    from keenlattice.measure.capture import Capture

MOST_RUNS = 6


def draw(
    runs: Annotated[list[str], typer.Argument(
        autocompletion=references, help="A capture's file (.parquet, .csv), or a version, whose newest "
                                                   f"run is taken. {REFERENCE}")],
    out: Annotated[Path, typer.Option("--out", help="The file to write: .png or .svg.")],
    what: Annotated[str, typer.Option("--what", help="One picture alone: course, slowest, recurring, latency or "
                                                     "stages.")] = "",
    book: Book = None, rig: Rig = "standin",
) -> None:
    """Draw one run, or several, the first over the last."""
    from keenlattice.cli.outfile import new_file
    from keenlattice.cli.output import say
    from keenlattice.cli.session import begin
    from keenlattice.errors import UsageError
    from keenlattice.report.capture_figure import capture_figure
    from keenlattice.report.compare_figure import compare_figure
    from keenlattice.report.style import save

    free = new_file(out, ".png", ".svg") or out
    if len(runs) > MOST_RUNS:
        raise UsageError(f"{len(runs)} runs: up to {MOST_RUNS} can be told apart in one picture")
    session = begin(book, rig)
    captures: dict[str, Capture] = {}
    for told in runs:
        name, capture = run_of(session, told)
        captures[name if name not in captures else f"{name} ({len(captures) + 1})"] = capture
        say(f"{told}: {capture.frame_ms.size} frames, {capture.click_ms.size} clicks", "dim")
    bare = [name for name, capture in captures.items() if capture.frame_ms.size < 4]
    if bare and what not in ("latency", "stages"):
        raise UsageError(f"{bare[0]} holds no frames: draw its --what latency or --what stages")
    title = " over ".join(captures) if len(captures) < 3 else f"{len(captures)} runs"
    if what:
        figure = _single(captures, what, title)
    else:
        figure = capture_figure(captures[title], title) if len(captures) == 1 else compare_figure(captures, title)
    save(figure, free)
    say(f"drawn: {free}")


def run_of(session: "Session", told: str) -> "tuple[str, Capture]":
    """A run by its file, by its name in the logbook, or the newest of a version; with what to call it."""
    from keenlattice.errors import UsageError
    from keenlattice.measure.parquet import read_capture
    from keenlattice.measure.text import read_text

    path = Path(told)
    if path.suffix == ".csv":
        return path.stem, read_text(path)
    if path.suffix == ".parquet":
        return path.stem, read_capture(path) if path.exists() else session.book.capture(path.name)
    version = session.find(told)
    kept = session.book.captures_of(session.rig_name, version.profile, version.id if version.time else "stock")
    if not kept:
        raise UsageError(f"no run of {told} on {session.rig_name} is kept: keen measure or keen trial records some")
    return told, session.book.capture(kept[0])


def _single(captures: "dict[str, Capture]", what: str, title: str) -> "Figure":
    from keenlattice.errors import UnknownName
    from keenlattice.report import frames, latency
    from keenlattice.report.style import headed

    first = next(iter(captures.values()))
    pictures = {
        "course": lambda axes: frames.stutters_marked(axes, first),
        "recurring": lambda axes: frames.recurring(axes, first),
        "slowest": lambda axes: frames.quantile_curves(axes, captures),
        "latency": lambda axes: latency.latency_histogram(axes, first),
        "stages": lambda axes: latency.stage_budget(axes, captures)}
    if what not in pictures:
        raise UnknownName("picture", what, pictures, f"there are {', '.join(pictures)}")
    figure = headed(title, "One run describes; it proves nothing.")
    pictures[what](figure.add_axes((0.09, 0.09, 0.78, 0.77)))
    return figure
