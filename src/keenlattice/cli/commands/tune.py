"""`keen tune`: the best of some combinations of settings for this rig; or how far a clock offset can be stepped up."""

from typing import Annotated, Any

import typer

from keenlattice.cli.begin import begin
from keenlattice.cli.complete import assignments, metrics, references
from keenlattice.cli.options import (
    DECIDES,
    REFERENCE,
    Book,
    Json,
    Matters,
    Played,
    Rig,
    Seconds,
    Seed,
    Sensor,
    WarmUp,
    Watch,
)
from keenlattice.cli.playing import playing
from keenlattice.cli.typed import choices_of, limits_of, step_of, tune_fits
from keenlattice.cli.views.trial import show_played, tell_amounts


def tune(
    ctx: typer.Context,
    base: Annotated[str, typer.Argument(autocompletion=references, help=f"Where to start from. {REFERENCE}")] = "",
    vary: Annotated[list[str] | None, typer.Option(
        "--try", autocompletion=assignments, metavar="SETTING=VALUE,VALUE", help="A setting and the "
                                                   "values to try, as frame.cap=off,120,160; once or more.")] = None,
    goal: Annotated[str, typer.Option(
        "--goal", autocompletion=metrics, help="What to make as good as possible: a metric, or several with commas "
        "between.")] = DECIDES,
    keep: Annotated[list[str] | None, typer.Option("--keep", metavar="METRIC<VALUE", help="A bound to keep, such as "
                                                   "'frame_ms_p99<8' or 'fps>100'; once or more.")] = None,
    step: Annotated[str, typer.Option("--step", metavar="SETTING=BY", help="Instead of a race: step a clock offset up "
                                      "until the rig is not stable, such as gpu.core-offset@gpu0=15.")] = "",
    margin: Annotated[float | None, typer.Option("--margin", help="How far to stay below the highest step that ran."
                                                 "  [default: two steps]")] = None,
    rounds: Annotated[int, typer.Option("--rounds", help="How many at most; each plays every combination once that "
                                        "is still in the race.")] = 30,
    matters: Matters = "1", warm_up: WarmUp = 0.0, game: Played = None,
    proof: Annotated[int, typer.Option("--proof", help="Blocks of the trial of the best against where it started; 0 "
                                       "for none.")] = 8,
    seconds: Seconds = 20.0, watch: Watch = None, sensor: Sensor = "", seed: Seed = None,
    book: Book = None, rig: Rig = "", json: Json = False,
) -> None:
    """Find the best combination of some values for this rig, and make a version of it.

    The rig is put back to what it was, whatever happens.
    """
    tune_fits(ctx)
    ws = begin(book, rig)
    if not json:
        tell_amounts(ws, matters, goal, base)
    with playing(ws, "combinations", json, watch, sensor) as view:
        played: Any  # of a ramp, or of a tuning
        if step:
            played = ws.studies.ramp(base, *step_of(step), game=game, progress=view, margin=margin, goal=goal,
                                     seconds=seconds, matters=matters, proof=proof, seed=seed)
        else:
            played = ws.tune(base, choices_of(vary or []), game=game, progress=view, goal=goal,
                             limits=limits_of(keep or []), rounds=rounds, seconds=seconds, matters=matters, proof=proof,
                             seed=seed, warm_up_s=warm_up)
    show_played(ws, played, json)
