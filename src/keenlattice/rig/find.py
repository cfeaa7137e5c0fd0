"""The rigs that can be had, by name."""

import sys
from pathlib import Path
from typing import TYPE_CHECKING

from keenlattice.errors import RigError, UnknownName
from keenlattice.logbook.book import Logbook
from keenlattice.state_folder import state_folder

if TYPE_CHECKING:
    from keenlattice.rig.base import Rig

KINDS = {"standin": "juniper", "linux": "linux", "byhand": "byhand"}
"""Kind of rig to the name that it has in the logbook."""


def home_of(kind: str, state: Path) -> Path:
    """Where a rig of this kind keeps what acts on it: with the user, for a logbook each or for the whole machine.

    Args:
        state: the folder among the user's state that belongs to the logbook.

    Raises:
        UnknownName: no such kind of rig.
    """
    if kind in ("standin", "byhand"):
        return state / KINDS[kind]
    if kind == "linux":
        return state_folder() / "linux"
    raise UnknownName("rig", kind, KINDS, f"there are {', '.join(KINDS)}")


def open_rig(kind: str, where: "Logbook | Path") -> "Rig":
    """The rig of this kind, made if it is the stand-in and not there yet.

    Args:
        kind: "standin", "linux" or "byhand".
        where: the logbook that it goes with; or a folder of the stand-in's or the rig by hand's own.

    >>> import tempfile
    >>> rig = open_rig("standin", Path(tempfile.mkdtemp()))
    >>> rig.facts()["panel"], rig.games()[0].name
    ('Heron 27-inch', 'brass-orbit')

    Raises:
        UnknownName: no such kind of rig.
        RigError: this machine does not run Linux.
        BookError: the logbook has a link where its catalog files should be.
    """
    home = home_of(kind, where.state if isinstance(where, Logbook) else where)
    if kind == "linux":
        if not sys.platform.startswith("linux"):
            raise RigError(f"the rig linux is a machine that runs Linux, and this one runs {sys.platform}: --rig "
                           "byhand is for it, or --rig standin to look around")
        from keenlattice.rig.linux.machine import LinuxRig

        return LinuxRig(home)
    from keenlattice.catalog.load import own_settings
    from keenlattice.rig.byhand.machine import ByHandRig
    from keenlattice.rig.standin.machine import Standin

    more = own_settings(where.own_settings) if isinstance(where, Logbook) else []
    return ByHandRig(home, more) if kind == "byhand" else Standin(home, more=more)
