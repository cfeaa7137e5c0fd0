"""`keen rig facts`: what a rig is, for formulas and checks; of a rig changed by hand, typed in."""

from pathlib import Path
from typing import Annotated

import typer

from keenlattice.cli.begin import begin
from keenlattice.cli.options import Book, Json, Rig
from keenlattice.cli.output import emit, hint, say, table
from keenlattice.cli.typed import only
from keenlattice.cli.views.rig import asked, parsed


def facts(
    ctx: typer.Context,
    given: Annotated[list[str] | None, typer.Argument(metavar="[NAME=VALUE]...", help="A fact; NAME= takes it out.")
                     ] = None,
    file: Annotated[Path | None, typer.Option("--from", help="A TOML file with a table `facts`, and a list `devices`.")
                    ] = None,
    devices: Annotated[str | None, typer.Option("--devices", metavar="NAME,...", help="All devices that can be set: "
                                                "gpu0,net0.")] = None,
    here: Annotated[bool, typer.Option("--here", help="Take what this machine tells: system, cores, threads, memory.")
                    ] = False,
    names: Annotated[bool, typer.Option("--list", help="List the facts that there are.")] = False,
    ask: Annotated[bool, typer.Option("--ask", help="Be asked for them one by one.")] = False,
    book: Book = None, rig: Rig = "", json: Json = False,
) -> None:
    """Show the facts of a rig; type in those of one that is changed by hand (--rig byhand)."""
    from keenlattice.rig.base import TakesFacts

    if names:
        only(ctx, "--list", "names")
    ws = begin(book, rig)
    if names:
        there_are = ws.rig.facts.names()
        emit(there_are) if json else table(["fact", "what it is"], list(map(list, there_are.names.items())))
        return
    if given or file or here or ask or devices is not None:
        all_of = None if devices is None else [device.strip() for device in devices.split(",") if device.strip()]
        result = ws.rig.facts.tell({**(ws.rig.facts.here() if here else {}), **parsed(given or [])}, file, all_of)
        result = asked(ws) if ask else result
    else:
        result = ws.rig.facts.list()
    if json:
        emit(result)
        return
    table(["fact", "value"], [[name, str(value)] for name, value in result.facts.items()])
    if result.devices:
        say(f"devices: {', '.join(result.devices)}")
    if isinstance(ws.rig.machine, TakesFacts) and len(result.facts) < 3:
        hint("keen rig facts --rig byhand --here --ask, or keen rig facts refresh_hz=165 --rig byhand")
