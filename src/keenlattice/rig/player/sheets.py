"""Run sheets for a rig that is changed by hand: written instead of values, and ticked off step by step."""

import json
import secrets
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace

from keenlattice.catalog.values import Value
from keenlattice.errors import BadValue, RigError, UsageError, counted, way
from keenlattice.files import remove_file
from keenlattice.logbook.applies import RestorePoint, keep_point
from keenlattice.logbook.book import Logbook
from keenlattice.logbook.file import now
from keenlattice.profile.compare import Change
from keenlattice.profile.formula import is_formula
from keenlattice.profile.sheet import Sheet, SheetStep
from keenlattice.profile.version import WHOLE_RIG, Version
from keenlattice.rig.applying import preview, write_step
from keenlattice.rig.base import Asks, State
from keenlattice.rig.journal import fingerprints, in_text, out_of_text, packed
from keenlattice.rig.locks import locked
from keenlattice.rig.player.machine import open_sheet, steps_of, written_sheet
from keenlattice.rig.player.part import keep_noted
from keenlattice.rig.player.session import settle_study
from keenlattice.rig.transaction import Transaction, changing
from keenlattice.rig.undoing import in_short, preview_undo
from keenlattice.safejson import parse_json


def settle_sheet(rig: Asks, book: Logbook) -> None:
    """Puts a sheet whose last step is ticked off into the logbook, and away.

    Raises:
        RigError: it is damaged.
        RigBusy: another process is changing the rig.
    """
    if (rig.home / rig.sheet).exists():
        with locked(rig, "putting a run sheet away"):
            _settle(rig, book)


def _settle(rig: Asks, book: Logbook) -> None:
    """As `settle_sheet`, by the one who holds the lock."""
    sheet = written_sheet(rig)
    if sheet is not None and not sheet.open:
        _finish(rig, book, sheet)


def sheet_to_apply(rig: Asks, book: Logbook, version: Version) -> Sheet | None:
    """Write the run sheet that takes the rig to a version; what can be written from here is written and read back.

    Returns: None if nothing is asked of the player: then it is an apply like any other.

    Raises:
        UsageError: there is nothing to do, or another sheet is open.
        RigError: what is written from here was not taken; nothing was changed.
    """
    book.check_writable()
    with changing(rig, f"writing a run sheet for {version.reference}") as change:
        _settle(rig, book)
        settle_study(rig, book)
        _check_none_is_open(rig)
        plan = preview(rig, version)
        if plan.changes and all(rig.written_here(version.profile, change.key) for change in plan.changes):
            return None
        sheet = _begin(rig, change, Sheet("apply", version.reference, version.profile, version.id, None, "",
                                          version.note, secrets.token_hex(16)),
                       {version.profile: plan.changes}, version.note)
    settle_sheet(rig, book)
    return sheet


def sheet_to_undo(rig: Asks, book: Logbook, to: int | None = None) -> Sheet | None:
    """Write the run sheet that takes the rig back to a restore point, the newest by default.

    Returns: None if nothing is asked of the player: then it is an undo like any other.

    Raises:
        UsageError: there is nothing to undo, or another sheet is open.
    """
    book.check_writable()
    with changing(rig, "writing a run sheet for an undo") as change:
        _settle(rig, book)
        settle_study(rig, book)
        _check_none_is_open(rig)
        plan = preview_undo(rig, book, to)
        keys = [(owner, edit.key) for owner, edits in plan.changes.items() for edit in edits]
        if keys and all(rig.written_here(*key) for key in keys):
            return None
        sheet = _begin(rig, change, Sheet("undo", f"undo of {in_short(plan.titles)}", "", "", plan.number, "", "",
                                          secrets.token_hex(16)), plan.changes, "back to what was there before")
    settle_sheet(rig, book)
    return sheet


def _check_none_is_open(rig: Asks) -> None:
    if (sheet := open_sheet(rig)) is not None:
        raise UsageError(f"the run sheet for {sheet.title} is still open, with {len(sheet.open)} of {len(sheet.steps)} "
                         f"steps to do: {way('keen rig sheet', 'ws.rig.sheets.tick(STEP)')}, or "
                         f"{way('keen rig sheet --drop', 'ws.rig.sheets.drop()')}")


def _kept(state: State, places: Iterable[str]) -> str:
    """Some places of a state, as a sheet keeps them: what an undo goes back to."""
    return packed({place: state.get(place) for place in places})


def _begin(rig: Asks, change: Transaction, sheet: Sheet, wanted: Mapping[str, Sequence[Change]], why: str) -> Sheet:
    """Write what can be written from here, step by step, and the sheet with the rest; `wanted` is by owner."""
    if not any(wanted.values()):
        raise UsageError(f"there is nothing to do: by all that was said, the rig holds {sheet.title} already")
    steps = steps_of(rig, [(owner, edit) for owner, edits in wanted.items() for edit in edits], why)
    for owner, edits in wanted.items():
        for step in rig.steps(owner, [edit for edit in edits if rig.written_here(owner, edit.key)]):
            write_step(rig, change, owner, step)
    numbered = tuple(replace(step, done="written", time=now()) if rig.written_here(step.owner, step.key) else step
                     for step in steps)
    before = _kept(change.before, dict.fromkeys([*change.touched, rig.place]))
    sheet = replace(sheet, steps=numbered, before=before)
    change.put({rig.sheet: _as_bytes(sheet)}, [])
    return sheet


def _as_bytes(sheet: Sheet) -> bytes:
    return json.dumps(sheet.to_json(), indent=1).encode()


def note_before(rig: Asks, number: int, was: str) -> Sheet:
    """Notes what a setting is at before a step is taken: an undo then goes back to that value.

    Args:
        was: what the player reads there, as they type it.

    Raises:
        UsageError: no sheet is open, no such step, or it is ticked off already.
        BadValue: that is not a value of the setting.
    """
    with changing(rig, f"noting what was there before step {number}") as change:
        sheet, step = _open_step(rig, number)
        edit = {step.key: _as_read(rig, step.key, was)}
        start = rig.changed(_state_before(rig, sheet), step.owner, edit)
        kept = _kept(start, dict.fromkeys([*out_of_text(parse_json(sheet.before)), rig.place]))
        sheet = replace(sheet.with_step(replace(step, before=edit[step.key])), before=kept)
        change.put({**rig.changed(change.held, step.owner, edit), rig.sheet: _as_bytes(sheet)}, [step.key])
    return sheet


def _as_read(rig: Asks, key: str, text: str) -> Value:
    """The value that a player has read.

    Raises:
        BadValue: it is none of the setting's, or a formula: nobody reads one.
    """
    value = rig.catalog()[key].parsed(text)
    if is_formula(value):
        raise BadValue(f"{text!r} is a formula, and {key} shows a value: say that one")
    return value


def _state_before(rig: Asks, sheet: Sheet) -> State:
    try:
        state, listed = out_of_text(parse_json(sheet.before)), rig.state()
        return {rig.place: state[rig.place], **{place: entry for place, entry in state.items() if place in listed}}
    except (ValueError, TypeError, AttributeError, KeyError):
        raise RigError(f"the run sheet {rig.home / rig.sheet} is damaged: move it away, and apply or undo again"
                       ) from None


def _open_step(rig: Asks, number: int) -> tuple[Sheet, SheetStep]:
    """A step of the open sheet that is still to be done.

    Raises:
        UsageError: no sheet is open, no such step, or it is ticked off already.
    """
    sheet = open_sheet(rig)
    step = next((step for step in sheet.steps if step.number == number), None) if sheet else None
    if sheet is None or step is None:
        raise UsageError(f"there is no step {number}; see {way('keen rig sheet', 'ws.rig.sheets.open()')}" if sheet
                         else "no run sheet is open")
    if step.done != "open":
        raise UsageError(f"step {number} is ticked off already")
    return sheet, step


def tick(rig: Asks, book: Logbook, number: int, seen: str | None = None) -> Sheet:
    """Ticks a step off; once it was the last, the logbook remembers the whole.

    Args:
        seen: what the player reads there now, as they type it, or "unset"; None if they only say that it is done.

    Raises:
        UsageError: no sheet is open, no such step, or it is ticked off already.
        BadValue: what was seen is not a value of that setting.
    """
    with changing(rig, f"ticking off step {number}") as change:
        sheet, step = _open_step(rig, number)
        read: Value | None = None if seen in (None, "unset") else _as_read(rig, step.key, str(seen))
        holds = step.after if seen is None else read
        sheet = sheet.with_step(replace(step, done="said" if seen is None else "seen", seen=read, time=now()))
        then = rig.changed(change.held, step.owner, {step.key: holds})
        change.put({**then, rig.sheet: _as_bytes(sheet)}, [step.key])
    settle_sheet(rig, book)
    return sheet


def drop(rig: Asks, book: Logbook) -> Sheet | None:
    """Gives the open sheet up. What was ticked off stays done, and is remembered as such: it can be undone.

    Returns: the sheet; None if there was none.
    """
    book.check_writable()
    with locked(rig, "giving a run sheet up"):
        sheet = written_sheet(rig)
        if sheet is not None and len(sheet.open) < len(sheet.steps):
            _finish(rig, book, sheet)
        elif sheet is not None:
            _remove(rig)
    return sheet


def _finish(rig: Asks, book: Logbook, sheet: Sheet) -> None:
    """Into the logbook as one: the sheet with all that was said and seen, and what it did, with its restore point."""
    part = f" ({len(sheet.steps) - len(sheet.open)} of {counted(len(sheet.steps), 'step')})" if sheet.open else ""
    if not book.knows(sheet.token):
        before, after = _state_before(rig, sheet), rig.state()
        left = fingerprints({place: after.get(place) for place in before})
        keep_point(sheet.token, RestorePoint(in_text(before), left))
        with book.together():
            book.add_apply(rig.name, kind="part" if part else sheet.kind, profile=sheet.profile, version=sheet.version,
                           summary=f"{sheet.title}{part}" if sheet.kind == "undo" or part else "", target=sheet.target,
                           token=sheet.token)
            book.add_sheet(rig.name, sheet)
    _remove(rig)


def _remove(rig: Asks) -> None:
    try:
        remove_file(rig.home / rig.sheet)
    except OSError as error:
        raise RigError(f"the run sheet {rig.home / rig.sheet} is done with, and cannot be removed: {error.strerror}"
                       ) from None


def take_stock(rig: Asks, book: Logbook, owner: str, seen: Mapping[str, str], subject: str) -> dict[str, Value]:
    """Notes what a player sees. What they have set there themselves by a sheet now holds as seen; the rest is what was
    there before anything was set, which an undo goes back to.

    Args:
        owner: whose settings: a game's name, or "rig".
        seen: setting to what they read there, as they type it.
        subject: of what stock is taken, in words, for the list of restore points.

    Returns: setting to its value.

    Raises:
        UsageError: nothing was seen, a sheet is open, or a setting that cannot be set for that owner.
        BadValue: that is not a value of the setting.
    """
    book.check_writable()
    if not seen:
        raise UsageError(f"nothing was seen: write {way('SETTING=VALUE, or --ask to be asked', '{SETTING: VALUE}')}")
    catalog = rig.catalog()
    for key in seen:
        catalog.check_scope(key, whole_rig=owner == WHOLE_RIG)
    values = {key: _as_read(rig, key, text.strip()) for key, text in seen.items()}
    with changing(rig, f"taking stock of {subject}") as change:
        if (sheet := open_sheet(rig)) is not None:
            raise UsageError(f"the run sheet for {sheet.title} is open: tick it off first, with what you see "
                             f"({way('keen rig sheet --seen', 'ws.rig.sheets.tick(STEP, SEEN)')})")
        set_by_us = rig.values(change.held, owner)
        ours = {key: value for key, value in values.items() if key in set_by_us}
        if ours:
            change.put(rig.changed(change.held, owner, ours), list(ours))
        keep_noted(rig.home, owner, {key: value for key, value in values.items() if key not in set_by_us})
    state = {place: content for place, content in rig.state().items() if place != rig.sheet}
    token = secrets.token_hex(16)
    keep_point(token, RestorePoint(in_text(state), fingerprints(state)))
    book.add_apply(rig.name, kind="seen", profile="", version="", token=token,
                   summary=f"a look at {subject}: {counted(len(values), 'value')} seen")
    return values
