"""How a game's process is treated under Windows: priority and cores, held for it and for all that it starts."""

import shlex
from collections.abc import Mapping

from keenlattice.catalog.load import catalog
from keenlattice.catalog.model import Setting
from keenlattice.catalog.values import Value
from keenlattice.errors import RefusedByRig
from keenlattice.rig import environment
from keenlattice.rig.windows.interrupts import as_mask

PRIORITY, CORES, WORDS = "process.priority", "process.affinity", "game.launch-options"
CLASSES: Mapping[str, str] = {
    "lowered": "BELOW_NORMAL_PRIORITY_CLASS", "normal": "NORMAL_PRIORITY_CLASS",
    "raised": "ABOVE_NORMAL_PRIORITY_CLASS", "high": "HIGH_PRIORITY_CLASS"}
"""The system's priority classes. Its highest takes a privilege, and silently becomes `high` without: it is left out."""


def settings() -> list[Setting]:
    """What can be held for a game."""
    return [catalog()[PRIORITY].adapted(choices=tuple(CLASSES)), catalog()[CORES], catalog()[WORDS],
            environment.setting()]


def check_for(cores: int, key: str, value: Value) -> None:
    """Check whether a value can be held on a machine of this many cores.

    Raises:
        RefusedByRig: it names cores that are not there, cannot be cut into words, or variables that are not taken.
    """
    if key == CORES and value != "all" and not 0 < as_mask(str(value)) < 1 << cores:
        raise RefusedByRig(f"{key}: {value} is not a list of this machine's cores; write 0-{cores - 1}, 0,2 or all")
    if key == WORDS:
        words_of(str(value))
    if key == environment.KEY:
        environment.variables_of(str(value))


def words_of(options: str) -> list[str]:
    """The words behind a game's command.

    Raises:
        RefusedByRig: they cannot be told apart.
    """
    try:
        return [] if options == "none" else shlex.split(options, posix=False)
    except ValueError as error:
        raise RefusedByRig(f"{WORDS}: {options!r} cannot be cut into words: {error}") from None


def cores_of(text: str) -> list[int]:
    """The cores of a list; none for `all`.

    >>> cores_of("0-2,5"), cores_of("all")
    ([0, 1, 2, 5], [])
    """
    mask = as_mask(text) if text != "all" else 0
    return [core for core in range(mask.bit_length()) if mask >> core & 1]
