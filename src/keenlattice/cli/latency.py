"""`keen latency`: input latency from a sensor's log, a stereo recording, a camera's tally, events, or a capture."""

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from keenlattice.cli.fitting import only
from keenlattice.cli.options import REFERENCE, Book, Json, Rig

if TYPE_CHECKING:
    from keenlattice.measure.columns import Unit
    from keenlattice.measure.latency import Described, Latency

DOUBTS_SHOWN = 8


def latency(
    ctx: typer.Context,
    file: Annotated[Path, typer.Argument(help="A log or a tally as CSV, a stereo WAV, or a capture of "
                                         "ours (.parquet).")],
    camera: Annotated[float | None, typer.Option("--camera", metavar="FPS", help="A tally of a camera's frames, the "
                                                 "last column; and how many it takes a second.")] = None,
    time: Annotated[str, typer.Option("--time", metavar="COLUMN", help="Of a log: the column of times.")] = "",
    light: Annotated[str, typer.Option("--light", metavar="COLUMN", help="Of a log: the light.")] = "",
    button: Annotated[str, typer.Option("--button", metavar="COLUMN", help="Of a log: the button.")] = "",
    unit: Annotated[str, typer.Option("--unit", help="Of the times: s, ms, us or ns.")] = "ms",
    channel: Annotated[int, typer.Option("--light-channel", help="Of a WAV: 1 is left, 2 is right.")] = 2,
    press: Annotated[str, typer.Option("--press", metavar="COLUMN", help="Of events: when presses were.")] = "",
    answer: Annotated[str, typer.Option("--answer", metavar="COLUMN", help="Of events: when answers were.")] = "",
    stage: Annotated[list[str] | None, typer.Option("--stage", metavar="STAGE=COLUMN", help="Of events: how long each "
                                                    "press spent in a stage (device, system, game, queue, gpu or "
                                                    "display), as far as it is known.")] = None,
    figure: Annotated[Path | None, typer.Option("--figure", help="Draw the latency: .png or .svg.")] = None,
    reference: Annotated[str, typer.Option("--of", metavar="VERSION", help=f"What was played. {REFERENCE}")] = "",
    book: Book = None, rig: Rig = "standin", json: Json = False,
) -> None:
    """Measure input latency, from press to screen, in what a sensor, a camera or `keen measure` has recorded."""
    from keenlattice.cli.draw import run_of
    from keenlattice.cli.outfile import new_file
    from keenlattice.cli.session import begin
    from keenlattice.errors import UsageError
    from keenlattice.measure.latency import described, of_capture
    from keenlattice.measure.sensors import read_events, read_log, read_sound, read_tally

    _check_what_goes_together(ctx, file.suffix.lower(), camera is not None, bool(press or answer))
    figure = new_file(figure, ".png", ".svg")

    if unit not in ("s", "ms", "us", "ns"):
        raise UsageError(f"--unit {unit}: there are s, ms, us and ns")
    session = begin(book, rig)
    version = session.find(reference) if reference else None
    known: Unit = unit  # type: ignore[assignment]
    if camera is not None:
        found = read_tally(file, camera)
    elif press or answer:
        if not (press and answer):
            raise UsageError("events take both --press and --answer")
        found = read_events(file, press, answer, known, _stages(stage or []))
    elif file.suffix.lower() == ".parquet":
        found = of_capture(run_of(session, str(file))[1])
    elif file.suffix.lower() in (".wav", ".wave"):
        found = read_sound(file, channel)
    elif time and light and button:
        found = read_log(file, time, light, button, known)
    else:
        raise UsageError("it is none of our captures (.parquet); say what is in it: --camera FPS for a tally; --time, "
                         "--light and --button for a sensor's log; --press and --answer for events")
    numbers = described(found)
    kept = ""
    if version is not None:
        kept = session.book.keep_capture(found.to_capture(), session.rig_name, version.profile,
                                         version.id if version.time else "stock")
    if figure:
        _draw(found, file.name, figure)
    _tell(file, found, numbers, kept, json)


def _check_what_goes_together(ctx: typer.Context, suffix: str, camera: bool, events: bool) -> None:
    """Each kind of recording takes the options that say what is in it."""
    always = ("file", "figure", "reference")
    if camera:
        only(ctx, "--camera", *always, "camera")
    elif events:
        only(ctx, "--press and --answer", *always, "press", "answer", "unit", "stage")
    elif suffix in (".parquet", ".wav", ".wave"):
        only(ctx, f"a file that ends in {suffix}", *always, *(["channel"] if suffix != ".parquet" else []))
    else:
        only(ctx, "a sensor's log", *always, "time", "light", "button", "unit")


def _stages(told: list[str]) -> dict[str, str]:
    """Stage to column, as the player has written it."""
    from keenlattice.errors import UsageError
    from keenlattice.measure.capture import STAGES

    pairs = [one.partition("=")[::2] for one in told]
    for name, column in pairs:
        if name not in STAGES or not column:
            raise UsageError(f"--stage {name}={column}: write STAGE=COLUMN; the stages are {', '.join(STAGES)}")
    return dict(pairs)


def _draw(found: "Latency", title: str, figure: Path) -> None:
    from keenlattice.report.latency import latency_histogram, stage_budget
    from keenlattice.report.style import headed, save

    picture = headed(title, "These presses describe this recording; another one may differ by more.")
    grid = picture.add_gridspec(1, 2, left=0.06, right=0.965, top=0.84, bottom=0.09, wspace=0.22)
    capture = found.to_capture()
    latency_histogram(picture.add_subplot(grid[0, 0]), capture)
    stage_budget(picture.add_subplot(grid[0, 1]), {"": capture})
    save(picture, figure)


def _emit(file: Path, found: "Latency", numbers: "Described", kept: str) -> None:
    from keenlattice.cli.output import emit_json
    from keenlattice.measure.latency import stage_means

    emit_json("latency", {
        "file": file.name, "presses": int(found.press_ms.size), "answered": numbers.answered,
        "misses": found.misses, "unasked": found.unasked, "mean_ms": numbers.mean,
        "mean_low_ms": numbers.mean_low, "mean_high_ms": numbers.mean_high, "spread_ms": numbers.spread,
        "percentiles": {f"p{share}": list(values) for share, values in numbers.percentiles.items()},
        "stages": {name: list(values) for name, values in stage_means(found).items()},
        "grid_ms": numbers.grid_ms, "about": found.about, "capture": kept or None,
        "doubts": [{"at_ms": one.at_ms, "what": one.what} for one in found.doubts]})


def _tell(file: Path, found: "Latency", numbers: "Described", kept: str, json: bool) -> None:
    from keenlattice.cli.ingest import say_kept
    from keenlattice.cli.output import say, table
    from keenlattice.measure.capture import STAGES
    from keenlattice.measure.latency import stage_means

    if json:
        _emit(file, found, numbers, kept)
        return
    say(f"{file.name}: {found.press_ms.size} presses, {numbers.answered} answered", "bold")
    if found.misses:
        say(f"{found.misses} without an answer within half a second; they count in no number below")
    if found.unasked:
        say(f"{found.unasked} changes of the screen that no press had asked for")
    if found.unasked > found.press_ms.size:
        say("! the light changes far more often than a press was made: it may flicker faster than it was sampled. Do "
            "not trust these numbers; sample faster, or switch the flicker off")
    for name, text in _how(found):
        say(f"{name}: {text}")
    middle = (numbers.mean_high - numbers.mean_low) / 2
    rows = [["mean", f"{numbers.mean:.1f}", f"{numbers.mean - middle:.1f} to {numbers.mean + middle:.1f}"]]
    rows += [[f"p{share}", f"{value:.1f}", f"{low:.1f} to {high:.1f}"]
             for share, (value, low, high) in numbers.percentiles.items()]
    table(["press to screen", "ms", "95 % interval"], [*rows, ["spread", f"{numbers.spread:.1f}", ""]], right=(1,))
    if stages := stage_means(found):
        say()
        table(["stage, on average", "ms", "95 % interval", ""], [
            [name, f"{mean:.1f}", f"{low:.1f} to {high:.1f}", STAGES[name]]
            for name, (mean, low, high) in stages.items()], right=(1,))
    if numbers.grid_ms:
        say(f"the waits come in steps of about {numbers.grid_ms:.1f} ms ({1000 / numbers.grid_ms:.0f} Hz): a polling "
            "rate or a refresh. A change smaller than a step shows in the mean of many presses alone")
    for one in found.doubts[:DOUBTS_SHOWN]:
        say(f"! the press at {one.at_ms / 1000:.2f} s: {one.what}")
    if len(found.doubts) > DOUBTS_SHOWN:
        say(f"! and {len(found.doubts) - DOUBTS_SHOWN} more like these (--json lists all)")
    say("\nThese intervals describe this recording. To compare two versions, record each several times, in turn.",
        "dim")
    say_kept(kept, "--what latency")


def _how(found: "Latency") -> list[tuple[str, str]]:
    """How it was measured, as far as that was found out from the signal."""
    told = []
    if "polarity" in found.about:
        told.append(("answer", f"the screen {found.about['polarity']}; timed {found.about['threshold']}"))
    if found.about.get("strobe_hz"):
        hz = found.about["strobe_hz"]
        told.append(("backlight", f"strobed at {hz:.0f} Hz: a single answer is sure to half of {1000 / hz:.1f} ms"))
    if found.half_width_ms:
        told.append(("camera", f"each count stands for anything within {found.half_width_ms:.1f} ms of it; the "
                               "spread is without what that adds"))
    return told
