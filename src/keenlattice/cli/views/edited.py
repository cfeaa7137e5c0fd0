"""Two ways to edit without typing settings: the editor, and what a screen found to help."""

from typing import TYPE_CHECKING

from keenlattice.cli.output import hint, say
from keenlattice.cli.terminal import at_a_terminal
from keenlattice.errors import UsageError

if TYPE_CHECKING:
    from keenlattice.workspace.profile_results import EditResult
    from keenlattice.workspace.workspace import Workspace


def open_editor(ws: "Workspace", reference: str, json: bool) -> None:
    """Open the editor at a terminal.

    Raises:
        UsageError: nobody sits at one, or the editor is not installed.
    """
    typed = f"keen edit {reference} SETTING=VALUE; keen catalog lists the settings"
    if not at_a_terminal(json):
        raise UsageError(f"say what is to change: {typed}")
    try:
        from keenlattice.cli.editor import Editor
    except ImportError:
        raise UsageError(f"the editor is a separate package: pip install textual. Without it: {typed}") from None
    saved = Editor(ws, reference).run() or []
    say(f"Saved: {', '.join(saved)}. Nothing is on the rig yet." if saved else "Nothing was saved.")
    if saved:
        profile = ws.profiles.find(saved[-1]).profile
        hint(f"keen trial {profile}@stock {saved[-1]}{ws.opened.for_game(profile)}, to see what that does")


def from_screen_of(ws: "Workspace", reference: str, settings: list[str] | None, number: int, note: str
                   ) -> "tuple[EditResult, str]":
    """Make a version of what helps by a screen; return it, and the version that the screen began with.

    Raises:
        UsageError: settings were given, too; or the screen is of another profile.
    """
    if settings:
        raise UsageError("--from-screen keeps what the screen found: give no settings beside it")
    return ws.studies.screens.keep(number, reference, note)
