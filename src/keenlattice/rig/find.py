"""The rigs that can be had, by name."""

from pathlib import Path
from typing import TYPE_CHECKING

from keenlattice.errors import UnknownName

if TYPE_CHECKING:
    from keenlattice.rig.base import Rig

KINDS = {"standin": "juniper", "linux": "linux", "byhand": "byhand"}
"""Kind of rig to the name that it has in the logbook."""


SETTINGS = "settings"
"""The folder of a logbook that holds a player's own catalog files."""


def home_of(kind: str, book_folder: Path) -> Path:
    """Where a rig of this kind keeps its journal: in the logbook's folder, or with the user if it is this machine.

    Raises:
        UnknownName: no such kind of rig.
    """
    if kind in ("standin", "byhand"):
        return book_folder / "rigs" / KINDS[kind]
    if kind == "linux":
        from platformdirs import user_state_path

        return user_state_path("keen-lattice") / "linux"
    raise UnknownName("rig", kind, KINDS, f"there are {', '.join(KINDS)}")


def open_rig(kind: str, book_folder: Path) -> "Rig":
    """The rig of this kind, made if it is the stand-in and not there yet.

    Args:
        kind: "standin", "linux" or "byhand".
        book_folder: the logbook's, in which the stand-in and the rig by hand are kept.

    >>> import tempfile
    >>> rig = open_rig("standin", Path(tempfile.mkdtemp()))
    >>> rig.facts()["panel"], rig.games()[0].name
    ('Heron 27-inch', 'brass-orbit')

    Raises:
        UnknownName: no such kind of rig.
    """
    home = home_of(kind, book_folder)
    if kind == "linux":
        from keenlattice.rig.linux.machine import LinuxRig

        return LinuxRig(home)
    from keenlattice.catalog.load import own_settings
    from keenlattice.rig.byhand.machine import ByHandRig
    from keenlattice.rig.standin.machine import Standin

    if kind == "byhand":
        return ByHandRig(home, own_settings(book_folder / SETTINGS))
    return Standin(home, more=own_settings(book_folder / SETTINGS))
