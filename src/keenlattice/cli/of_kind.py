"""The command of a kind of study that lacks its own: made from how it is planned."""

import inspect
import re
from typing import Annotated, Any

import typer

from keenlattice.cli.begin import begin
from keenlattice.cli.complete import games, metrics, references, settings
from keenlattice.cli.options import Book, Json, Rig, Sensor, Watch
from keenlattice.cli.playing import playing
from keenlattice.cli.views.trial import show_played

COMPLETED = {"base": references, "before": references, "after": references, "game": games, "decides": metrics,
             "setting": settings}
"""What the shell offers for a parameter of this name."""


def command_of(kind: str, plan: Any) -> Any:
    """Return the command that plays a kind of study.

    Args:
        kind: its name.
        plan: see `study.kind.Kind`: its parameters become arguments, and those with a keyword options; the help comes
            from its docstring.
    """
    def command(book: Book = None, rig: Rig = "", json: Json = False, watch: Watch = None, sensor: Sensor = "",
                **given: Any) -> None:
        ws = begin(book, rig)
        arguments = [given.pop(name) for name, param in own.items() if param.kind is not param.KEYWORD_ONLY]
        with playing(ws, f"a {kind}", json, watch, sensor) as view:
            played = ws.studies.play(kind, *arguments, progress=view, **given)
        show_played(ws, played, json)

    _, *planned = inspect.signature(plan, eval_str=True).parameters.values()
    own, helps = {param.name: param for param in planned}, _helps(plan)
    *shared, _ = inspect.signature(command).parameters.values()
    parameters = [param.replace(kind=param.KEYWORD_ONLY, annotation=_annotated(param, helps.get(param.name, "")))
                  for param in planned] + [param.replace(kind=param.KEYWORD_ONLY) for param in shared]
    command.__signature__ = inspect.Signature(parameters)  # type: ignore[attr-defined]
    command.__annotations__ = {param.name: param.annotation for param in parameters}
    command.__doc__ = inspect.getdoc(plan).partition("\n\nArgs:")[0]  # type: ignore[union-attr]
    app = typer.Typer(rich_markup_mode=None, add_completion=False)
    app.command(kind)(command)
    return typer.main.get_command(app)


def _annotated(param: inspect.Parameter, text: str) -> Any:
    completed = COMPLETED.get(param.name)
    if param.kind is param.KEYWORD_ONLY:
        return Annotated[param.annotation, typer.Option(f"--{param.name.replace('_', '-')}", help=text,
                                                        autocompletion=completed)]
    return Annotated[param.annotation, typer.Argument(help=text, autocompletion=completed)]


def _helps(plan: Any) -> dict[str, str]:
    """Return what the docstring of a function says of each parameter."""
    arguments = (inspect.getdoc(plan) or "").partition("Args:\n")[2].partition("\n\n")[0]
    lines = re.findall(r"^    (\w+): (.*(?:\n {8,}.*)*)", arguments, re.M)
    return {name: " ".join(text.split()).capitalize() for name, text in lines}
