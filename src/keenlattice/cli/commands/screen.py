"""`keen screen`: which of many changes matter, with far fewer runs than a trial of each."""

from typing import Annotated, Any

import typer

from keenlattice.cli.begin import begin
from keenlattice.cli.complete import references
from keenlattice.cli.options import (
    DECIDES,
    EITHER,
    Book,
    Decides,
    Figure,
    Json,
    Matters,
    Played,
    Repeats,
    Rig,
    Seconds,
    Seed,
    Sensor,
    SwitchMinutes,
    WarmUp,
    Watch,
)
from keenlattice.cli.output import emit, new_figure
from keenlattice.cli.playing import playing
from keenlattice.cli.views.trial import show_played, show_screen_cost, tell_amounts
from keenlattice.errors import UsageError


def screen(
    before: Annotated[str, typer.Argument(autocompletion=references, help=EITHER)] = "",
    after: Annotated[str, typer.Argument(
        autocompletion=references, help="The version whose changes are to be distinguished, or a pack (.toml) on "
                                              "top of the first one.")] = "",
    together: Annotated[list[str] | None, typer.Option(
        "--together", metavar="SETTING,SETTING", help="Settings that are switched as one; once or more. `checks`: "
                                                      "those that depend on each other.")] = None,
    rounds: Annotated[int | None, typer.Option("--rounds", help="How many at most, and what is settled stays off; if "
                                               "not given, the first says how many.")] = None,
    repeats: Repeats = None, switch_minutes: SwitchMinutes = None, seconds: Seconds = 30.0, decides: Decides = DECIDES,
    short: Annotated[bool, typer.Option("--short", help="About half the runs; what two changes do together can then "
                                        "pass for the work of a third.")] = False,
    matters: Matters = "1", game: Played = None, warm_up: WarmUp = 0.0, figure: Figure = None,
    plan_only: Annotated[bool, typer.Option("--plan", help="Say what would be played, and how long it takes.")] = False,
    watch: Watch = None, sensor: Sensor = "", seed: Seed = None, book: Book = None, rig: Rig = "",
    json: Json = False,
) -> None:
    """Find out which of the changes between two versions matter, all at once.

    Every run switches about half of them on. The rig is put back to what it was, whatever happens.
    """
    if not (before and after):
        raise UsageError("a screen takes two versions, or a version and a pack: keen screen brass-orbit@stock "
                         "brass-orbit")
    if plan_only and figure:
        raise UsageError("--figure does not go with --plan: nothing is played that could be drawn")
    ws, figure = begin(book, rig), new_figure(figure)
    groups = [tuple(part.strip() for part in group.split(",")) for group in together or []]
    if not json:
        tell_amounts(ws, matters, decides, before)
    options: dict[str, Any] = {
        "together": groups, "rounds": rounds, "seconds": seconds, "decides": decides, "matters": matters, "seed": seed,
        "warm_up_s": warm_up, "repeats": repeats, "switch_minutes": switch_minutes, "folded": not short}
    if plan_only or (ws.rig.by_hand and not json):
        *_, plan = ws.studies.screens.plan(before, after, **options)
        cost = ws.studies.screens.cost(plan, switch_minutes)
        emit(cost) if json else show_screen_cost(cost)
    if plan_only:
        return
    with playing(ws, "changes at once", json, watch, sensor) as view:
        played = ws.screen(before, after, game=game, progress=view, **options)
    show_played(ws, played, json, figure)
