"""What a player has seen on their rig before anything was set: what there is, and what an undo goes back to."""

import json
from collections.abc import Mapping

from keenlattice._files import read_bounded, replace_file
from keenlattice._safejson import parse_json
from keenlattice._state_folder import make_private
from keenlattice.catalog.values import Value
from keenlattice.errors import RigError
from keenlattice.profile.version import Entries
from keenlattice.rig.base import Rig

FILE, MOST_BYTES = "seen-before.json", 1_000_000


def read_noted(rig: Rig) -> dict[str, dict[str, Value]]:
    """Owner to setting to the value that was seen.

    Raises:
        RigError: the file cannot be read, or is damaged.
    """
    path = rig.home / FILE
    try:
        told = parse_json(read_bounded(path, MOST_BYTES) or b"{}")
        found = {str(owner): {str(key): value for key, value in entries.items()} for owner, entries in told.items()}
    except OSError as error:
        raise RigError(f"cannot read {path}: {error.strerror}") from None
    except (ValueError, AttributeError):
        raise RigError(f"{path} is damaged: put it back from a copy, or move it away and look again") from None
    return {owner: {key: value for key, value in entries.items() if isinstance(value, bool | int | float | str)}
            for owner, entries in found.items()}


def keep_noted(rig: Rig, owner: str, seen: Mapping[str, Value | None]) -> Entries:
    """Keeps some values beside those that were seen before; None takes one out.

    Returns: all that was seen for that owner.

    Raises:
        RigError: it cannot be written.
    """
    noted = read_noted(rig)
    entries = {**noted.get(owner, {}), **seen}
    noted[owner] = {key: value for key, value in entries.items() if value is not None}
    kept = {one: dict(sorted(some.items())) for one, some in sorted(noted.items()) if some}
    try:
        make_private(rig.home)
        replace_file(rig.home / FILE, (json.dumps(kept, indent=1) + "\n").encode())
    except OSError as error:
        raise RigError(f"cannot write {rig.home / FILE}: {error.strerror}") from None
    return noted[owner]
