"""What the views of all studies share."""

from typing import TYPE_CHECKING

from keenlattice.cli.output import say

if TYPE_CHECKING:
    from keenlattice.workspace.opened import VersionLike
    from keenlattice.workspace.played import Recomputed
    from keenlattice.workspace.workspace import Workspace


def show_excluded(excluded: tuple[str, ...]) -> None:
    """Names the runs that went wrong: they count in nothing."""
    for one in excluded:
        say(f"! {one}: it does not count, and was played again")


def show_recomputed(found: "Recomputed") -> None:
    """That a study came out as it was."""
    say(f"{found._caption()}.")


def told_matters(ws: "Workspace", matters: str, decides: str, before: "VersionLike", quiet: bool) -> str:
    """What a player wrote for the smallest difference that matters; an amount is said in per cent, too."""
    pct = ws.matters_pct(matters, decides, ws.find(before))
    if not quiet and matters.strip().endswith(("ms", "fps")):
        unit = "ms" if matters.strip().endswith("ms") else "fps"
        amount, value = float(matters.strip().removesuffix(unit)), ws.newest_value(decides, before)
        say(f"{amount:g} {unit} of the {value:.1f} {unit} of its newest run are {100 * amount / value:.2g} %.", "dim")
    return f"{pct}%"
