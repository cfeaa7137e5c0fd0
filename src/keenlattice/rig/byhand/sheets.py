"""Run sheets for a rig that is changed by hand: written instead of values, and ticked off step by step."""

import json
import secrets
import tomllib
from dataclasses import replace
from functools import cache
from importlib import resources
from pathlib import Path

from keenlattice.catalog.values import Value
from keenlattice.errors import RigError, UsageError
from keenlattice.files import remove_file, replace_file
from keenlattice.logbook.book import Logbook, now
from keenlattice.profile.compare import Change
from keenlattice.profile.sheet import Sheet, SheetStep
from keenlattice.profile.version import Version
from keenlattice.rig.apply import preview
from keenlattice.rig.base import State
from keenlattice.rig.byhand.machine import ByHandRig
from keenlattice.rig.change import changing
from keenlattice.rig.journal import fingerprints, packed
from keenlattice.rig.lock import locked
from keenlattice.rig.undo import restore_plan


@cache
def _where() -> dict[str, dict[str, str]]:
    return tomllib.loads((resources.files(__package__) / "where.toml").read_text(encoding="utf-8"))


def open_sheet(rig: ByHandRig, book: Logbook) -> Sheet | None:
    """The sheet that is being worked through, if there is one.

    Raises:
        RigError: it is damaged.
    """
    path = Path(rig.sheet)
    if not path.exists():
        return None
    try:
        sheet = Sheet.from_json(json.loads(path.read_bytes()))
    except (OSError, ValueError, TypeError, KeyError):
        raise RigError(f"the run sheet {path} is damaged: move it away, and apply or undo again") from None
    if not sheet.open:  # the last step was ticked off, and then we were stopped
        _finish(rig, book, sheet)
        return None
    return sheet


def sheet_to_apply(rig: ByHandRig, book: Logbook, version: Version) -> Sheet:
    """Writes the run sheet that takes the rig to a version.

    Raises:
        UsageError: there is nothing to do, or another sheet is open.
    """
    with locked(rig, f"writing a run sheet for {version.reference}"):
        plan = preview(rig, version)
        steps = [(version.profile, one, version.note) for one in plan.changes]
        return _begin(rig, book, Sheet("apply", version.reference, version.profile, version.id, None,
                                       _said(rig, plan.state), version.note, secrets.token_hex(8)), steps)


def sheet_to_undo(rig: ByHandRig, book: Logbook, to: int | None = None) -> Sheet:
    """Writes the run sheet that takes the rig back to a restore point, the newest by default.

    Raises:
        UsageError: there is nothing to undo, or another sheet is open.
    """
    with locked(rig, "writing a run sheet for an undo"):
        plan = restore_plan(rig, book, to)
        steps = [(owner, one, "back to what was there before") for owner, some in plan.changes.items() for one in some]
        return _begin(rig, book, Sheet("undo", f"undo of {', '.join(plan.titles)}", "", "", plan.number,
                                       _said(rig, rig.state()), "", secrets.token_hex(8)), steps)


def _said(rig: ByHandRig, state: State) -> str:
    return packed({rig.place: state[rig.place]})


def _begin(rig: ByHandRig, book: Logbook, sheet: Sheet, steps: list[tuple[str, Change, str]]) -> Sheet:
    if (other := open_sheet(rig, book)) is not None:
        raise UsageError(f"the run sheet for {other.title} is still open, with {len(other.open)} of {len(other.steps)} "
                         "steps to do: keen sheet, or keen sheet --drop")
    if not steps:
        raise UsageError(f"there is nothing to do: by all that was said, the rig holds {sheet.title} already")
    order = {one.key: number for number, group in enumerate(rig.steps("", [one for _, one, _ in steps]))
             for one in group}
    steps.sort(key=lambda step: order[step[1].key])
    sheet = replace(sheet, steps=tuple(_step(rig, number, *step) for number, step in enumerate(steps, 1)))
    try:
        rig.home.mkdir(parents=True, exist_ok=True)
        replace_file(Path(rig.sheet), _as_bytes(sheet))
    except OSError as error:
        raise RigError(f"cannot write the run sheet {rig.sheet}: {error.strerror}") from None
    return sheet


def _as_bytes(sheet: Sheet) -> bytes:
    return json.dumps(sheet.to_json(), indent=1).encode()


def _step(rig: ByHandRig, number: int, owner: str, change: Change, why: str) -> SheetStep:
    setting = rig.catalog()[change.key]
    place = _where().get(setting.domain, {"where": "Where this setting is made.", "check": "Look there again."})
    return SheetStep(number, owner, change.key, setting.title, setting.unit, change.before, change.after,
                     why or setting.trades, place["where"], place["check"], setting.rights, setting.restart)


def tick(rig: ByHandRig, book: Logbook, number: int, seen: str | None = None) -> Sheet:
    """Ticks a step off; once it was the last, the logbook remembers the whole.

    Args:
        seen: what the player reads there now, as they type it, or "unset"; None if they only say that it is done.

    Raises:
        UsageError: no sheet is open, no such step, or it is ticked off already.
        BadValue: what was seen is no value of that setting.
    """
    with changing(rig, f"ticking off step {number}") as change:
        sheet = open_sheet(rig, book)
        step = next((one for one in sheet.steps if one.number == number), None) if sheet else None
        if sheet is None or step is None:
            raise UsageError(f"there is no step {number}; see `keen sheet`" if sheet else "no run sheet is open")
        if step.done != "open":
            raise UsageError(f"step {number} is ticked off already")
        read: Value | None = None if seen in (None, "unset") else rig.catalog()[step.key].parsed(str(seen))
        holds = step.after if seen is None else read
        sheet = sheet.with_step(replace(step, done="said" if seen is None else "seen", seen=read, time=now()))
        then = rig.changed(change.held, step.owner, {step.key: holds})
        change.put({**then, rig.sheet: _as_bytes(sheet)}, [step.key])
    if not sheet.open:
        _finish(rig, book, sheet)
    return sheet


def drop(rig: ByHandRig, book: Logbook) -> Sheet | None:
    """Gives the open sheet up. What was ticked off stays done, and is remembered as such: it can be undone.

    Returns: the sheet; None if there was none.
    """
    sheet = open_sheet(rig, book)
    if sheet is not None and len(sheet.open) < len(sheet.steps):
        _finish(rig, book, sheet)
    elif sheet is not None:
        remove_file(Path(rig.sheet))
    return sheet


def _finish(rig: ByHandRig, book: Logbook, sheet: Sheet) -> None:
    """Into the logbook as one: the sheet with all that was said and seen, and what it did, with its restore point."""
    part = f" ({len(sheet.steps) - len(sheet.open)} of {len(sheet.steps)} steps)" if sheet.open else ""
    if not book.knows(sheet.token):
        after = {rig.place: rig.state()[rig.place]}
        with book.together():
            book.add_apply(rig.name, kind="part" if part else sheet.kind, profile=sheet.profile, version=sheet.version,
                           what=f"{sheet.title}{part}" if sheet.kind == "undo" or part else "", target=sheet.target,
                           token=sheet.token, restore_point=sheet.before, left_as=json.dumps(fingerprints(after)))
            book.add_sheet(rig.name, sheet.to_json())
    remove_file(Path(rig.sheet))
