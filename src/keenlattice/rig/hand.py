"""The person who sits at a rig that is changed by hand, as far as a study asks them: to take steps, to play, to hand
over what was recorded. A terminal, a folder that is watched, files that were named, a script: each is a `Hand`.
"""

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Protocol

from keenlattice.catalog.values import Value
from keenlattice.errors import KeenLatticeError
from keenlattice.profile.sheet import SheetStep
from keenlattice.profile.version import Entries
from keenlattice.quickly import dataclass

if TYPE_CHECKING:
    from keenlattice.measure.capture import Capture

Noted = Mapping[tuple[str, str], Value]
"""Owner and setting to what was there before a step was taken, of those where nobody had told."""


@dataclass(frozen=True)
class ComingRun:
    """A run that is asked for.

    Args:
        place: which of the study's runs it is, counted from 0.
        arm: what it is of, in the study's own words.
        game: what is played.
        seconds: how long, the warm-up included.
        warm_up_s: how long that is.
        owner: whose settings the study changes.
        entries: what the rig is to hold for the owner.
        again: how often this run has gone wrong before.
    """

    place: int
    arm: str
    game: str
    seconds: float
    owner: str
    entries: Entries
    warm_up_s: float = 0.0
    again: int = 0


class Paused(KeenLatticeError):
    """The player goes on later; all that was handed over is kept, and the rig stays as they said that it is."""


class TakenBack(KeenLatticeError):
    """The player takes back the run that they handed over last."""


class Hand(Protocol):
    """The person who sits at a rig that is changed by hand.

    Whatever they are asked, they may raise `Paused` or `TakenBack`.
    """

    def coming(self, run: ComingRun) -> None:
        """Learns of every run before anything is asked."""

    def change(self, steps: Sequence[SheetStep]) -> Noted:
        """Asks for some steps, and returns once they were taken."""

    def play(self, run: ComingRun) -> "Capture":
        """Asks for a run, and returns what was recorded.

        Raises:
            CaptureError: it went wrong, and does not count; the message says how.
        """

    def back(self, steps: Sequence[SheetStep]) -> Noted:
        """Asks for the steps that take the rig back to what it was before the study."""
