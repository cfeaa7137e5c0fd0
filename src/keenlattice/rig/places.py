"""Places: what a rig calls where its settings are kept. A place keeps its name however its path is spelled.

Within the rig's own folder a place is named relative to it (`state.json`), so that the folder can be moved; elsewhere
it is a whole path whose folder has no links and no `..` in it. A rig writes only places that it lists itself.
"""

import os
from collections.abc import Container
from pathlib import Path
from typing import TYPE_CHECKING

from keenlattice.errors import RefusedByRig
from keenlattice.files import remove_file, replace_file

if TYPE_CHECKING:
    from keenlattice.rig.base import Rig, State


def place_of(path: Path, home: Path) -> str:
    """What a file is called as a place of the rig that lives in `home`."""
    full = Path(os.path.realpath(path.parent)) / path.name
    own = Path(os.path.realpath(home))
    return full.relative_to(own).as_posix() if full.is_relative_to(own) else str(full)


def path_of(place: str, home: Path) -> Path:
    """Where a place is."""
    return home / place


def put_file(path: Path, content: bytes | None) -> None:
    """Makes a file hold this, whole or not at all; None removes it. Its folder is made, if need be.

    Raises:
        OSError: it cannot be written; what was there is untouched.
    """
    if content is None:
        remove_file(path)
    else:
        path.parent.mkdir(parents=True, exist_ok=True)
        replace_file(path, content)


def to_be_written(rig: "Rig", then: "State", now: "State", whatever: Container[str] = ()) -> "State":
    """What has to be written so that a rig which holds `now` holds `then`.

    Args:
        whatever: of these, a place that may read differently from what it holds (`base.Clamps`) is written whatever it
            reads.
    """
    from keenlattice.rig.base import reads_true

    return {place: content for place, content in then.items()
            if content != now.get(place) or (place in whatever and not reads_true(rig, place))}


def in_turn(then: "State") -> "State":
    """Return the places in the order in which they can be written one by one: a place that lies within another comes
    after it, and where both go, before it.

    Args:
        then: in the order in which a rig lists them: what holds others comes first.
    """
    there = {place: content for place, content in then.items() if content is not None}
    gone: dict[str, bytes | None] = {place: None for place, content in reversed(list(then.items()))
                                     if content is None}
    return {**there, **gone}


def write(rig: "Rig", state: "State", listed: "State | None" = None) -> None:
    """The one door through which a rig is written, by whatever asks: an apply, an undo, a journal.

    Args:
        listed: the rig's state, if it has just been read.

    Raises:
        RefusedByRig: a place that the rig does not list, no matter who names it; nothing is written.
        RigError: as `Rig.put`.
    """
    if not state:
        return
    check_places(rig, state, rig.state() if listed is None else listed)
    rig.put(state)


def check_places(rig: "Rig", state: "State", listed: "State") -> None:
    """Whether all places of a state are places of the rig.

    Args:
        listed: the rig's state as it stands.

    Raises:
        RefusedByRig: one is not.
    """
    strange = sorted(place for place in state if place not in listed)
    if strange:
        raise RefusedByRig(f"{', '.join(strange[:3])} is not a place that the rig {rig.name} keeps settings in now: "
                           "nothing was written there")
