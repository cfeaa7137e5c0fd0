"""The workspace: a logbook and a rig, opened together. Everything that a command does is a method of it."""

import warnings
from pathlib import Path
from typing import TYPE_CHECKING

from keenlattice.workspace._reporting import Reporting
from keenlattice.workspace.blinding import Blinding
from keenlattice.workspace.latencies import Latencies
from keenlattice.workspace.looking import Looking
from keenlattice.workspace.pooling import Pooling
from keenlattice.workspace.sheets import Sheets
from keenlattice.workspace.telling import Telling
from keenlattice.workspace.upkeep import Upkeep

if TYPE_CHECKING:
    from keenlattice.rig.base import Rig


class Workspace(Looking, Telling, Upkeep, Sheets, Latencies, Blinding, Pooling, Reporting):
    """A logbook and a rig, opened together.

    Args:
        book: the logbook; or its folder, None for the player's own.
        rig: the kind of rig ("standin", "linux", "byhand", or one that is installed), or a rig itself.

    >>> import tempfile
    >>> ws = Workspace(tempfile.mkdtemp())
    >>> quick = ws.edit("brass-orbit", {"frame.queue-depth": 1}, note="flippers sooner")
    >>> trial = ws.trial("brass-orbit@stock", quick, blocks=4, seconds=20, seed=1, decides="latency_ms_median",
    ...                  matters="3%")
    >>> trial.result.deciding.verdict
    'better'
    """


def open(folder: Path | str | None = None, rig: "str | Rig" = "standin") -> Workspace:
    """Opens a logbook and a rig together, and first puts right what a process that was killed left behind.

    Args:
        folder: of the logbook, made where there is none; None for the player's own.
        rig: the kind of rig ("standin", "linux", "byhand", or one that is installed), or a rig itself.

    Raises:
        UnknownName: no such kind of rig.
        BookError: the folder holds something else, is damaged, or cannot be written.
    """
    workspace = Workspace(folder, rig)
    if workspace.book.elsewhere:
        warnings.warn(f"the logbook {workspace.book.folder} was made elsewhere: it is open for reading alone "
                      "(keenlattice.take_over)", stacklevel=2)
    for said in workspace.settle():
        warnings.warn(said, stacklevel=2)
    return workspace
