"""`keen measure`: runs of a game as the rig stands, and their numbers."""

from pathlib import Path
from typing import Annotated

import typer

from keenlattice.cli.complete import games
from keenlattice.cli.options import Book, Json, Rig, Seconds, Seed


def measure(
    game: Annotated[str, typer.Argument(autocompletion=games, help="The game to play.")],
    seconds: Seconds = 10.0,
    runs: Annotated[int, typer.Option("--runs", min=1, max=1000, help="How many runs.")] = 3,
    figure: Annotated[Path | None, typer.Option("--figure", help="Draw the last run: .png or .svg.")] = None,
    every: Annotated[bool, typer.Option("--all", help="Show every metric, not only the main ones.")] = False,
    seed: Seed = None, book: Book = None, rig: Rig = "standin", json: Json = False,
) -> None:
    """Play a game on the rig as it stands, and say how it runs. To compare two versions, use `keen trial`."""
    from keenlattice.cli.ingest import draw_capture
    from keenlattice.cli.outfile import new_file
    from keenlattice.cli.output import emit_json, hint, say, shown_path, table
    from keenlattice.cli.progress import steps
    from keenlattice.cli.session import begin
    from keenlattice.measure.metrics import METRICS, TRIAL_METRICS, metrics_of
    from keenlattice.report.words import TITLES
    from keenlattice.rig.base import game_of
    from keenlattice.rig.lock import locked
    from keenlattice.trial.plan import check_seconds, check_seed, fresh_seed

    check_seconds(seconds)
    check_seed(seed or 0)
    figure = new_file(figure, ".png", ".svg")
    session = begin(book, rig)
    session.book.collect_strays()
    game_of(session.rig, game)
    seed = fresh_seed() if seed is None else seed
    applied = session.book.last_apply(session.rig.name, game)
    rows, files, clicks, answered = [], [], 0, 0
    with locked(session.rig, f"measuring {game}"), steps(f"playing {game}", runs, quiet=json) as advance:
        for run in range(runs):
            capture = session.rig.play(game, seconds, seed + run)
            rows.append(metrics_of(capture))
            clicks, answered = clicks + capture.click_ms.size, answered + capture.latency_ms.size
            files.append(session.book.keep_capture(capture, session.rig.name, game,
                                                   applied.version if applied else "stock"))
            advance()
    if figure:
        draw_capture(capture, f"{game} on {session.rig.name}, seed {seed + runs - 1}", figure)
    if json:
        emit_json("measure", {"rig": session.rig.name, "game": game, "seconds": seconds, "seed": seed,
                              "captures": files, "runs": rows})
        return
    say(f"{game} on {session.rig.name}, {runs} run{'s' if runs > 1 else ''} of {seconds:g} s, seed {seed}", "bold")
    table(["", "middle run", "all runs"], [
        [f"{TITLES[name]}, {metric.unit}", *_middle_and_range([row[name] for row in rows])]
        for name, metric in METRICS.items() if every or name in TRIAL_METRICS], right=(1, 2))
    if clicks and not answered:
        say(f"! none of {clicks} clicks was answered by the pixel that was looked at; another one can be named with "
            f"keen game {game} --answers-at X,Y, or found by --answers-at look")
    elif not clicks and session.rig_name == "linux":
        say(f"Latency was not measured: which pixel answers a click is not known. keen game {game} --answers-at look "
            "--rig linux finds out by clicking into the game", "dim")
    if capture.about.get("composed"):
        say("! a compositor draws this screen: what is timed is when the game handed a frame over, not when it was "
            "seen")
    say(f"\nKept in {shown_path(session.book.folder / 'captures')}.", "dim")
    say("These numbers describe; they prove no difference.", "dim")
    hint("keen trial BEFORE AFTER, which does; or keen draw, for a picture of a run")


def _middle_and_range(values: list[float]) -> tuple[str, str]:
    import math
    from statistics import median

    known = [value for value in values if math.isfinite(value)]
    if not known:
        return "-", "too little to tell"
    return f"{median(known):.1f}", f"{min(known):.1f} to {max(known):.1f}"
