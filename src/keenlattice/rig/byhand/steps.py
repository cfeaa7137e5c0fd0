"""The open sheet of a rig that is changed by hand, and a step: what to set, where, and how to see that it took."""

from collections.abc import Mapping

from keenlattice._files import read_bounded
from keenlattice._safejson import parse_json
from keenlattice.errors import RigError
from keenlattice.profile.compare import Change
from keenlattice.profile.sheet import Sheet, SheetStep
from keenlattice.rig.base import ByHand
from keenlattice.rig.byhand.machine import MOST_STATE_BYTES


def step_of(rig: ByHand, number: int, owner: str, change: Change, why: str, notes: Mapping[str, str]) -> SheetStep:
    """The step of one change.

    Args:
        number: from 1.
        owner: whom it is set for.
        why: what it is for; what it trades, if that is empty.
        notes: what the player has noted of single settings.
    """
    setting = rig.catalog()[change.key]
    where = setting.where or "Where this setting is made."
    if setting.name in notes:
        where += f" You noted: {notes[setting.name]}"
    return SheetStep(number, owner, change.key, setting.title, setting.unit, change.before, change.after,
                     why or setting.trades, where, setting.check or "Look there again.", setting.rights,
                     setting.restart, was=rig.seen_before(owner).get(change.key))


def open_sheet(rig: ByHand) -> Sheet | None:
    """The sheet that is being worked through, if there is one with steps that are open.

    Raises:
        RigError: it is damaged.
    """
    sheet = written_sheet(rig)
    return sheet if sheet is not None and sheet.open else None


def written_sheet(rig: ByHand) -> Sheet | None:
    """The sheet as it lies there, with or without a step that is open.

    Raises:
        RigError: it is damaged.
    """
    path = rig.home / rig.sheet
    try:
        content = read_bounded(path, MOST_STATE_BYTES)
        return None if content is None else Sheet.from_json(parse_json(content))
    except (OSError, ValueError):
        raise RigError(f"the run sheet {path} is damaged: move it away, and apply or undo again") from None
