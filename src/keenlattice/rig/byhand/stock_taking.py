"""Taking stock of a rig that is changed by hand: what its player sees there, noted, and a restore point of it."""

import secrets
from collections.abc import Mapping

from keenlattice.catalog.values import Value
from keenlattice.errors import BadValue, UsageError
from keenlattice.logbook.applies import RestorePoint, keep_point
from keenlattice.logbook.book import Logbook
from keenlattice.profile.formula import is_formula
from keenlattice.profile.version import WHOLE_RIG
from keenlattice.rig.base import ByHand
from keenlattice.rig.byhand.machine import keep_noted, open_sheet
from keenlattice.rig.journal import fingerprints, in_text
from keenlattice.rig.transaction import changing


def take_stock(rig: ByHand, book: Logbook, owner: str, seen: Mapping[str, str], what: str) -> dict[str, Value]:
    """Notes what a player sees. What they have set there themselves by a sheet now holds as seen; the rest is what was
    there before anything was set, which an undo goes back to.

    Args:
        owner: whose settings: a game's name, or "rig".
        seen: setting to what they read there, as they type it.
        what: of what stock is taken, in words, for the list of restore points.

    Returns: setting to its value.

    Raises:
        UsageError: nothing was seen, a sheet is open, or a setting that cannot be set for that owner.
        BadValue: that is no value of the setting.
    """
    book.check_writable()
    if not seen:
        raise UsageError("nothing was seen: write SETTING=VALUE, or --ask to be asked")
    values = {key: _as_read(rig, owner, key, text) for key, text in seen.items()}
    with changing(rig, f"taking stock of {what}") as change:
        if (sheet := open_sheet(rig)) is not None:
            raise UsageError(f"the run sheet for {sheet.title} is open: tick it off first, with what you see "
                             "(keen rig sheet --seen)")
        set_by_us = rig.values(change.held, owner)
        ours = {key: value for key, value in values.items() if key in set_by_us}
        if ours:
            change.put(rig.changed(change.held, owner, ours), list(ours))
        keep_noted(rig, owner, {key: value for key, value in values.items() if key not in set_by_us})
    state = {place: content for place, content in rig.state().items() if place != rig.sheet}
    token = secrets.token_hex(16)
    keep_point(token, RestorePoint(in_text(state), fingerprints(state)))
    book.add_apply(rig.name, kind="seen", profile="", version="", token=token,
                   what=f"a look at {what}: {len(values)} value{'s' * (len(values) != 1)} seen")
    return values


def _as_read(rig: ByHand, owner: str, key: str, text: str) -> Value:
    setting = rig.catalog().check_scope(key, whole_rig=owner == WHOLE_RIG)
    value = setting.parsed(text.strip())
    if is_formula(value):
        raise BadValue(f"{text!r} is a formula, and {key} shows a value: say that one")
    return value
