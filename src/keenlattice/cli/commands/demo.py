"""`keen demo`: the whole story, once, on fictional or on real ground."""

import sys
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from keenlattice.cli.begin import begin
from keenlattice.errors import UnknownName, UsageError
from keenlattice.rig.find import kinds

if TYPE_CHECKING:
    from keenlattice.workspace.workspace import Workspace


def demo(
    rig: Annotated[str, typer.Option("--rig", help="standin, here for this PC, or byhand for one "
                                        "that a player changes.")] = "standin",
    out: Annotated[Path | None, typer.Option("--out", help="Folder for what it leaves.  [default: ./keen-demo]"
                                             )] = None,
) -> None:
    """Tell the whole story: survey, baseline, one edit, apply, a measured verdict, undo."""
    from keenlattice.cli.views.story import STORIES, HandTelling, StoryText

    if rig not in kinds():  # an unknown rig is said before a folder is made
        raise UnknownName("rig", rig, kinds(), f"there are {', '.join(kinds())}")
    if rig == "byhand":
        folder = _new_folder(out)
        HandTelling(_begun(folder, rig), folder).tell()
        return
    if rig not in STORIES:
        raise UsageError(f"there is no story of the rig {rig}; choose --rig standin, byhand or here")
    if rig == "here":
        if not sys.platform.startswith("linux"):
            raise UsageError("the story of this PC plays a scene that only Linux has; choose --rig standin or byhand")
        from keenlattice.rig.linux.play import check_installed

        check_installed()
    folder = _new_folder(out)
    StoryText(_begun(folder, rig), STORIES[rig], folder).tell()


def _begun(folder: Path, rig: str) -> "Workspace":
    """The logbook of the story, which is for this rig from then on."""
    ws = begin(folder / "logbook", rig, author="demo")
    ws.use_rig(rig)
    return ws


def _new_folder(out: Path | None) -> Path:
    if out is not None:
        if out.exists() and (not out.is_dir() or any(out.iterdir())):
            raise UsageError(f"{out} is there already and not empty; name another folder with --out")
        return out
    number = 1
    while (folder := Path(f"keen-demo{f'-{number}' if number > 1 else ''}")).exists():
        number += 1
    return folder
