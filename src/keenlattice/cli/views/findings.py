"""How what the checks found is shown."""

from collections.abc import Sequence
from typing import TYPE_CHECKING

from keenlattice.cli.output import say

if TYPE_CHECKING:
    from keenlattice.profile.checks import Finding


def show_findings(found: "Sequence[Finding]") -> None:
    """What the checks found, the plainly wrong first, each with what to do."""
    wrong = [one for one in found if one.kind == "wrong"]
    unknown = [one for one in found if one.kind == "not known"]
    other = [one for one in found if one.kind not in ("wrong", "not known")]
    if not found:
        say("Nothing is plainly wrong.")
    for title, some in (("Plainly wrong", wrong), ("Worth a look", other)):
        if some:
            say(f"{title} ({len(some)})", "bold")
        for one in some:
            kind = "" if one.kind == "wrong" else f"{one.kind}: "
            say(f"! {kind}{', '.join(one.settings)}: {one.why}")
            say(f"  to mend it: {one.what_to_do}", "dim")
    if unknown:
        say(f"Not known, to be looked at ({len(unknown)})", "bold")
    for one in unknown:
        say(f"? {one.why}")
        say(f"  if it is so: {one.what_to_do}", "dim")
