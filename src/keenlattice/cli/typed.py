"""What a player types for several values at once: choices, limits, steps, words."""

import os
import re
import shlex
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

import typer

from keenlattice.errors import UsageError

if TYPE_CHECKING:
    from keenlattice.study.tune.plan import Limit
    from keenlattice.workspace.recording_results import LatencyResult
    from keenlattice.workspace.workspace import Workspace


def choices_of(texts: Sequence[str]) -> dict[str, list[str]]:
    """Settings and their values, from `SETTING=VALUE,VALUE`.

    Raises:
        UsageError: not of that form.
    """
    choices = {}
    for text in texts:
        key, equals, values = text.partition("=")
        listed = [value.strip() for value in values.split(",") if value.strip()]
        if not equals or len(listed) < 2:
            raise UsageError(f"--try {text!r}: write SETTING=VALUE,VALUE, two values at least")
        choices[key.strip()] = listed
    return choices


def limits_of(texts: Sequence[str]) -> "list[Limit]":
    """Bounds, from `METRIC<VALUE` and `METRIC>VALUE`.

    Raises:
        UsageError: not of that form.
    """
    return [_limit(text) for text in texts]


def _limit(text: str) -> "Limit":
    from keenlattice.study.tune.plan import Limit

    match = re.fullmatch(r"\s*([a-z0-9_%-]+)\s*([<>])\s*([0-9.]+)\s*", text)
    try:
        if match:
            return Limit(match[1], "below" if match[2] == "<" else "above", float(match[3]))
    except ValueError:
        pass
    raise UsageError(f"--keep {text!r}: write METRIC<VALUE or METRIC>VALUE, such as frame_ms_p99<8 or fps>100")


def step_of(text: str) -> tuple[str, float]:
    """A setting and how much a step adds, from `SETTING=BY`.

    Raises:
        UsageError: not of that form.
    """
    key, _, by = text.partition("=")
    try:
        return key.strip(), float(by)
    except ValueError:
        raise UsageError(f"--step {text!r}: write SETTING=BY, such as gpu.core-offset@gpu0=15") from None


def pairs_of(texts: Sequence[str], option: str, form: str) -> dict[str, str]:
    """Names and what belongs to each, from `NAME=TEXT`; `form` says so in the message.

    Raises:
        UsageError: not of that form, or a name twice.
    """
    result: dict[str, str] = {}
    for text in texts:
        name, equals, value = (part.strip() for part in text.partition("="))
        if not (name and equals and value) or name in result:
            raise UsageError(f"{option} {text!r}: write {form}, each name once")
        result[name] = value
    return result


def words_of(command: str) -> tuple[str, ...]:
    """The words of a command; on Windows a backslash is part of a path, and quotes go around what holds blanks.

    Raises:
        UsageError: a quote that is not closed.
    """
    try:
        if os.name != "posix":
            return tuple(word.strip("\"'") for word in shlex.split(command, posix=False))
        return tuple(shlex.split(command))
    except ValueError as error:
        raise UsageError(f"--command {command!r} cannot be cut into words: {error}; put the word with the quote into "
                         "quotes of the other kind") from None


def known_as(texts: Sequence[str]) -> dict[str, tuple[str, int]]:
    """What a game tells its driver that it is, from `application=NAME:VERSION` and `engine=NAME:VERSION`.

    Raises:
        UsageError: not of that form.
    """
    names = {}
    for key, value in pairs_of(texts, "--known-as", "application=NAME:VERSION").items():
        name, _, version = value.rpartition(":")
        if key not in ("application", "engine") or (name and not version.isdigit()):
            raise UsageError(f"--known-as {key}={value}: write application=NAME:VERSION or engine=NAME:VERSION")
        names[key] = (name, int(version)) if name else (value, 0)
    return names


def spot_of(text: str | None, option: str) -> tuple[int, int]:
    """A pixel, from `X,Y`.

    Raises:
        UsageError: not of that form.
    """
    match = re.fullmatch(r"([0-9]{1,5}),([0-9]{1,5})", (text or "").replace(" ", ""))
    if not match:
        raise UsageError(f"{option} {text!r}: write X,Y, counted in pixels from the window's upper left corner"
                         + (", or `look`" if option == "--answers-at" else ""))
    return int(match[1]), int(match[2])


def dropped_of(text: str) -> dict[str, str]:
    """Return how a column map marks a frame that was never shown, from `COLUMN=VALUE`; empty where nothing was typed.

    Raises:
        UsageError: it is written otherwise.
    """
    column, equals, value = text.partition("=")
    if text and not equals:
        raise UsageError(f"--dropped {text!r}: write COLUMN=VALUE")
    return {"dropped": column, "dropped_when": value} if text else {}


def measured(ws: "Workspace", file: Path, of: str, channel: int, stages: list[str], options: dict[str, Any]
             ) -> "LatencyResult":
    """What is in a file, by its kind and by what was said of its columns; or by the map that is kept for its header."""
    unit = options["unit"]
    if options["camera"] is not None:
        return ws.recordings.latency.of_camera(file, options["camera"], of)
    if options["press"] or options["answer"]:
        named = dict(stage.partition("=")[::2] for stage in stages)
        return ws.recordings.latency.of_events(file, options["press"], options["answer"], unit, named, of)
    if file.suffix.lower() == ".parquet":
        return ws.recordings.latency.measure(file, of)
    if file.suffix.lower() in (".wav", ".wave"):
        return ws.recordings.latency.of_sound(file, channel, of)
    columns = options["time"], options["light"], options["button"]
    if all(columns):
        return ws.recordings.latency.of_log(file, *columns, unit=unit, of=of)
    if not any(columns) and (kept := ws.recordings.latency.by_map(file, of)) is not None:
        return kept
    raise UsageError("it is neither a film nor one of our captures (.parquet); say what is in it: --camera FPS for a "
                     "tally; --time, --light and --button for a sensor's log; --press and --answer for events")


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

    for parameter in ctx.command.params:
        if parameter.name not in ("book", "rig", "json", *fitting) and _typed(ctx, parameter.name or ""):
            value = ctx.params.get(parameter.name or "", parameter.name)
            name = parameter.opts[0]
            word = name if name.startswith("-") else str(value[0] if isinstance(value, list) else value)
            raise UsageError(f"{word} does not go with {way}: leave one of them out")


def _typed(ctx: typer.Context, name: str) -> bool:
    source = ctx.get_parameter_source(name)
    return source is not None and source.name == "COMMANDLINE"


def tune_fits(ctx: typer.Context) -> None:
    """Whether what was typed behind `keen tune` goes together: it races, or it steps one setting up.

    Raises:
        UsageError: it does not; or something is missing.
    """
    from keenlattice.errors import UsageError

    options = ctx.params
    only(ctx, *(("--step", "step", "margin") if options["step"] else
                ("a race (which has no --step)", "vary", "keep", "rounds", "warm_up")), *TUNING)
    if options["step"] and not options["base"]:
        raise UsageError("stepping up takes a version to start from: keen tune rig --step SETTING=BY --game GAME")
    if not options["step"] and not (options["base"] and options["vary"]):
        raise UsageError("tuning takes a version and settings to vary: keen tune GAME --try SETTING=VALUE,VALUE")


def ingest_fits(ctx: typer.Context, film: bool) -> None:
    """Whether what was typed behind `keen ingest` goes together: a map that is known or a new one, a log or none.

    Args:
        film: whether the file is a film, which has no columns.

    Raises:
        UsageError: it does not.
    """
    from keenlattice.errors import UsageError

    options = ctx.params
    if film:
        only(ctx, "a film", "file", "reference", "name", "mask", "out", "figure", "every", "yes")
    elif options["mask"]:
        raise UsageError("--mask goes with a film of the screen")
    elif not options["time"]:
        only(ctx, "a map that is known already (a new one takes --time)",
             *(name for name in options if name not in OF_A_MAP))
    elif options["by"]:
        raise UsageError("--map names a map that is known, and --time gives a new one: leave one of them out")
    if options["said"] and not (options["time"] or options["log_time"]):
        raise UsageError("--said goes with a new map: --time COLUMN, or --log-time COLUMN for a log")
    if not options["log"] and any(_typed(ctx, name) for name in ("log_time", "log_unit", "log_starts")):
        raise UsageError("--log-time, --log-unit and --log-starts go with --log FILE")
