"""Undoing: back to a restore point, and an undo is itself something that can be undone."""

import secrets
from collections.abc import Iterable, Mapping, Sequence, Set

from keenlattice.errors import RefusedByRig, RigError, UsageError, way
from keenlattice.logbook.applies import Apply, RestorePoint, kept_point
from keenlattice.logbook.book import Logbook
from keenlattice.profile.compare import Change, changes
from keenlattice.profile.version import WHOLE_RIG
from keenlattice.quickly import dataclass
from keenlattice.rig.base import Rig, State, reads_true
from keenlattice.rig.journal import Intent, fingerprints, out_of_text
from keenlattice.rig.places import check_places, in_turn, to_be_written
from keenlattice.rig.recovery import misread, with_values_of
from keenlattice.rig.transaction import changing


@dataclass(frozen=True)
class Undone:
    """What an undo does: of what, which values of whom go back, and whether every place that was touched is byte for
    byte as it was; if not, something else has written there since, and that stays. `for_good` are chores that nothing
    brings back."""

    titles: tuple[str, ...]
    changes: Mapping[str, tuple[Change, ...]]
    exactly: bool
    for_good: tuple[str, ...] = ()


@dataclass(frozen=True)
class UndoPreview:
    """What an undo would do: back to which restore point, to which state of the places that change, and the rest as in
    `Undone`. `gone` are the applies and chores that it takes back."""

    number: int
    gone: tuple[Apply, ...]
    then: State
    titles: tuple[str, ...]
    changes: Mapping[str, tuple[Change, ...]]
    exactly: bool
    for_good: tuple[str, ...]


def preview_undo(rig: Rig, book: Logbook, to: int | None = None) -> UndoPreview:
    """What an undo would do; nothing is written.

    Raises:
        UsageError: nothing is left to undo; or a chore that something else has written over.
        UnknownName: no restore point of that number.
        RefusedByRig: it names a place that the rig does not have now.
        BookError: a restore point is not on this machine, or damaged.
    """
    force = book.in_force(rig.name)
    if to is None and not force:
        raise UsageError(f"nothing has been applied to the rig {rig.name} that could be undone")
    number = to if to is not None else force[-1].number
    rows = book.since(rig.name, number)
    gone = force[-1:] if to is None else [row for row in rows if row.kind not in ("done", "seen")]
    now = rig.state()
    lowest = min([number, *(row.target for row in rows if row.kind == "undo" and row.target)])
    owners = dict.fromkeys(entry.profile for entry in book.done_to(rig.name)
                           if entry.number >= lowest and entry.profile)
    then, exactly, touched = _state_before(rig, now, rows, owners)
    edits_of = {owner: edits for owner in (WHOLE_RIG, *(game.name for game in rig.games()))
                if (edits := changes(rig.values(now, owner), rig.values(then, owner)))}
    moved = to_be_written(rig, then, now, touched)
    named = [row for row in gone if row.kind != "undo"] or gone
    return UndoPreview(number, tuple(gone), moved, tuple(_title(row) for row in named), edits_of, exactly,
                tuple(row.what for row in rows if row.kind == "done"))


def undo(rig: Rig, book: Logbook, to: int | None = None) -> Undone:
    """Undoes the newest apply or chore that is in force; or all since a restore point, whatever it was.

    Where nothing else has written since, a place is byte for byte what it was; elsewhere only values go back.

    Args:
        book: the logbook that holds the restore points.
        to: the number of a restore point; that of an undo takes the undo back.

    Raises:
        UsageError: nothing is left to undo; or a chore that something else has written over.
        UnknownName: no restore point of that number.
        RigError: the rig did not take it; it is as before.
    """
    with changing(rig, "undo", book) as change:
        plan = preview_undo(rig, book, to)
        change.why = f"undo of {in_short(plan.titles)}"
        change.intent = Intent(
            "undo", "", "", change.why, plan.number, book.address, secrets.token_hex(16), plan.then,
            {owner: {edit.key: edit.after for edit in edits} for owner, edits in plan.changes.items()},
            {owner: {edit.key: edit.before for edit in edits} for owner, edits in plan.changes.items()})
        change.steps = len(plan.then)
        for place, content in in_turn(plan.then).items():
            change.put({place: content}, [edit.key for edits in plan.changes.values() for edit in edits], again=True)
        _check_that_it_took(rig, plan)
    return Undone(plan.titles, plan.changes, plan.exactly, plan.for_good)


def _check_that_it_took(rig: Rig, plan: UndoPreview) -> None:
    """Whether the rig reads back as it was to be.

    Raises:
        RigError: it does not; the message has the values.
    """
    wanted = {owner: {edit.key: edit.after for edit in edits} for owner, edits in plan.changes.items()}
    wrong, held = [f"{misreading.key} of {misreading.owner} {misreading.told}"
                   for misreading in misread(rig, wanted)], rig.state()
    wrong = wrong or [place for place, content in plan.then.items() if held.get(place) != content]
    if wrong:
        raise RigError(f"the rig {rig.name} did not take the undo: {'; '.join(wrong)}")


def in_short(titles: Sequence[str], most: int = 5) -> str:
    """Some titles in a line, the first few by name and the rest by their number."""
    rest = len(titles) - most
    return ", ".join(titles[:most]) + (f" and {rest} more" if rest > 0 else "")


def _title(apply: Apply) -> str:
    """What was done, in a few words. An undo is named by its number: its title would hold those of all before it."""
    if apply.kind == "undo":
        return f"undo {apply.number}"
    return f"chore {apply.what}" if apply.kind == "chore" else apply.title


def _state_before(rig: Rig, now: State, rows: Sequence[Apply], owners: Iterable[str]) -> tuple[State, bool, Set[str]]:
    """The state before the oldest of `rows` (newest first), whether all of it can be had back byte for byte, and the
    places that were touched since.

    Where something else has written, only the values of `owners` go back.
    """
    was: dict[str, bytes | None] = {}
    left: dict[str, str] = {}
    points = {row.number: kept_point(row.token, row.title) for row in rows}
    for row in rows:
        was.update(_state_of(points[row.number], row))
        left = {**points[row.number].left, **left}
    try:
        check_places(rig, was, now)
    except RefusedByRig as error:
        raise RefusedByRig(f"the restore point cannot be gone back to: {error}") from None
    held = fingerprints({place: now.get(place) for place in was})
    written_over = [place for place in was if held[place] != left.get(place) and reads_true(rig, place)]
    merged = {place: was[place] for place in was if place not in written_over}
    if not written_over:
        return {**now, **merged}, True, was.keys()
    if any(row.kind == "chore" and set(written_over) & set(points[row.number].before)
           for row in rows):
        raise UsageError("that was a chore, and the rig has been changed by something else since: it cannot be undone "
                         f"alone; see {way('keen drift', 'ws.rig.drift()')}")
    before: State = {**now, **was}
    state = now
    for owner in owners:
        state = with_values_of(rig, state, before, owner)
    return {**state, **merged}, False, was.keys()


def _state_of(point: RestorePoint, row: Apply) -> State:
    try:
        return out_of_text(point.before)
    except ValueError:
        raise UsageError(f"the restore point of {row.title} is damaged: it cannot be undone byte for byte; `keen "
                         "drift` says what the rig holds") from None
