"""What goes together: an option that a way of running a command does not look at is refused, never ignored."""

import typer

HANDS = ("watch", "sensor")
TUNING = ("base", "goal", "matters", "game", "proof", "seconds", "seed", *HANDS)
OF_A_MAP = ("means", "unit", "ticks", "cpu", "gpu", "stage_unit", "dropped", "program", "marker")


def only(ctx: typer.Context, way: str, *fitting: str) -> None:
    """Refuses whatever was typed that does not go with a way of running a command.

    Args:
        way: as the player has typed it, `--pilot`; for the message.
        fitting: the names of the parameters that do go with it, beside the logbook, the rig and `--json`.

    Raises:
        UsageError: something else was typed.
    """
    from keenlattice.errors import UsageError

    for one in ctx.command.params:
        if one.name not in ("book", "rig", "json", *fitting) and _typed(ctx, one.name or ""):
            value = ctx.params.get(one.name or "", one.name)
            said = one.opts[0] if one.opts[0].startswith("-") else str(value[0] if isinstance(value, list) else value)
            raise UsageError(f"{said} does not go with {way}: leave one of them out")


def _typed(ctx: typer.Context, name: str) -> bool:
    source = ctx.get_parameter_source(name)
    return source is not None and source.name == "COMMANDLINE"


def tune_fits(ctx: typer.Context) -> None:
    """Whether what was typed behind `keen tune` goes together: it races, or it steps one setting up.

    Raises:
        UsageError: it does not; or something is missing.
    """
    from keenlattice.errors import UsageError

    said = ctx.params
    only(ctx, *(("--step", "step", "margin") if said["step"] else
                ("a race (which has no --step)", "vary", "keep", "rounds", "warm_up")), *TUNING)
    if said["step"] and not said["base"]:
        raise UsageError("stepping up takes a version to start from: keen tune rig --step SETTING=BY --game GAME")
    if not said["step"] and not (said["base"] and said["vary"]):
        raise UsageError("tuning takes a version and settings to vary: keen tune GAME --try SETTING=VALUE,VALUE")


def ingest_fits(ctx: typer.Context) -> None:
    """Whether what was typed behind `keen ingest` goes together: a map that is known or a new one, a log or none.

    Raises:
        UsageError: it does not.
    """
    from keenlattice.errors import UsageError

    said = ctx.params
    if not said["time"]:
        only(ctx, "a map that is known already (a new one takes --time)",
             *(one for one in said if one not in OF_A_MAP))
    elif said["by"]:
        raise UsageError("--map names a map that is known, and --time gives a new one: leave one of them out")
    if said["said"] and not (said["time"] or said["log_time"]):
        raise UsageError("--said goes with a new map: --time COLUMN, or --log-time COLUMN for a log")
    if not said["log"] and any(_typed(ctx, one) for one in ("log_time", "log_unit", "log_starts")):
        raise UsageError("--log-time, --log-unit and --log-starts go with --log FILE")
