"""Applying a version to a rig: shown first, step by step, each value read back."""

import secrets
from collections.abc import Mapping, Sequence
from dataclasses import field

from keenlattice.catalog.values import RESTARTS, Restart, Value
from keenlattice.errors import BadValue, NeedsRights, RefusedByRig, RigError
from keenlattice.logbook.book import Logbook
from keenlattice.profile.compare import Change, changes, with_changes
from keenlattice.profile.concrete import concrete_value, entries_for, facts_under
from keenlattice.profile.version import WHOLE_RIG, Version, stock
from keenlattice.quickly import dataclass
from keenlattice.rig.base import Edits, Rig, State
from keenlattice.rig.journal import Intent
from keenlattice.rig.locks import locked
from keenlattice.rig.recovery import misread
from keenlattice.rig.transaction import Transaction, changing


@dataclass(frozen=True)
class Write:
    """One write: settings that change together, whether that takes rights, and what has to restart for it."""

    changes: tuple[Change, ...]
    rights: bool
    restart: Restart

    @property
    def values(self) -> Edits:
        return {change.key: change.after for change in self.changes}


@dataclass(frozen=True)
class Preview:
    """What applying a version would do.

    Args:
        version: the version.
        steps: the writes, in their order.
        refused: what cannot be set here, and why; an apply would then not begin.
        unknown: the settings that this rig does not have; they are left out.
        state: what the rig's settings are kept in, as it was looked at.
        then: the same afterwards.
        without_rights: what takes an administrator's rights that we do not have, and for what; it is left out.
    """

    version: Version
    steps: tuple[Write, ...]
    refused: Mapping[str, str]
    unknown: tuple[str, ...]
    state: State
    then: State
    without_rights: Mapping[str, str] = field(default_factory=dict)

    @property
    def changes(self) -> tuple[Change, ...]:
        return tuple(change for step in self.steps for change in step.changes)

    @property
    def restart(self) -> Restart:
        """The furthest-reaching restart that any step takes."""
        return max((step.restart for step in self.steps), key=RESTARTS.index, default="none")

    @property
    def places(self) -> tuple[str, ...]:
        """Where it writes, and nowhere else (but for the logbook, and the journal in the rig's home)."""
        return tuple(place for place, content in self.then.items() if content != self.state.get(place))


def preview(rig: Rig, version: Version) -> Preview:
    """What applying `version` would change on the rig, formulas evaluated from its facts; nothing is written.

    Raises:
        BadValue: a value that its setting does not take; or a formula that gives one, or nothing, on this rig.
        UsageError: a setting that this profile cannot set.
    """
    catalog = rig.catalog()
    unknown = tuple(key for key in version.entries if key not in catalog)
    state = rig.state()
    differing = changes(rig.values(state, version.profile), entries_for(catalog, version, rig.facts()))
    refused, without_rights = dict[str, str](), dict[str, str]()
    steps, then = [], state
    for group in rig.steps(version.profile, differing):
        try:
            then = {**then, **rig.changed(then, version.profile, {change.key: change.after for change in group})}
        except NeedsRights as error:
            without_rights |= {change.key: str(error) for change in group}
            continue
        except RefusedByRig as error:
            refused |= {change.key: str(error) for change in group}
        steps.append(Write(tuple(group), any(catalog[change.key].rights for change in group),
                          restart_for(rig, [change.key for change in group])))
    return Preview(version, tuple(steps), refused, unknown, state, then, without_rights)


def restart_for(rig: Rig, keys: list[str]) -> Restart:
    """The furthest-reaching restart that any of these settings takes."""
    catalog = rig.catalog()
    needed = [catalog[key].restart for key in keys if key in catalog]
    return max(needed, key=RESTARTS.index, default="none")


def apply(rig: Rig, book: Logbook, version: Version, shown: Preview | None = None) -> Preview:
    """Makes the rig hold `version` for its owner, reads every value back, and keeps a restore point in the logbook.

    Args:
        book: where the restore point is kept.
        shown: the preview that the player agreed to; if the rig has changed since, nothing is written.

    Raises:
        RefusedByRig: no rights, or a value that this hardware does not take; the rig is as it was before.
        RigError: the rig reads back something else, or was changed meanwhile; the rig is as it was before. If it could
            not be put back, the message says what it holds, and `recover` has the rest.
    """
    with changing(rig, f"apply of {version.reference}", book) as change:
        plan = preview(rig, version)
        if shown is not None:
            _check_that_nothing_moved(shown, plan)
        if plan.refused:
            raise RefusedByRig(f"{'; '.join(dict.fromkeys(plan.refused.values()))}; nothing was written")
        change.steps = len(plan.steps)
        change.intent = Intent(
            "apply", version.profile, version.id, "", None, book.address, secrets.token_hex(16),
            {place: plan.then[place] for place in plan.places},
            {version.profile: {change.key: change.after for change in plan.changes}},
            {version.profile: {change.key: change.before for change in plan.changes}})
        for step in plan.steps:
            write_step(rig, change, version.profile, step.changes)
        _check_that_it_took(rig, version.profile, plan.changes)
        change.check()
    return plan


def write_step(rig: Rig, change: Transaction, owner: str, step: Sequence[Change]) -> None:
    """Write settings that change together, and read them back.

    Raises:
        RefusedByRig, RigError: the rig does not take one.
    """
    wanted = {edit.key: edit.after for edit in step}
    change.put(rig.changed(change.held, owner, wanted), list(wanted), wants=None if change.intent else {owner: wanted})
    _check_that_it_took(rig, owner, step)


def _check_that_nothing_moved(shown: Preview, now: Preview) -> None:
    moved = [place for place in {*shown.places, *now.places} if shown.state.get(place) != now.state.get(place)]
    if moved:
        raise RigError(f"{', '.join(sorted(moved))} was changed by something else since it was shown: nothing was "
                       "written; look at it again, then apply again")


def _check_that_it_took(rig: Rig, owner: str, wanted: Sequence[Change]) -> None:
    wrong = [f"{misreading.key} {misreading.told}"
             for misreading in misread(rig, {owner: {change.key: change.after for change in wanted}})]
    if wrong:
        raise RigError(f"the rig {rig.name} did not take what {owner} was given: {'; '.join(wrong)}")


@dataclass(frozen=True)
class Drift:
    """One profile that has slipped: the version last applied, and what differs (`before` applied, `after` held)."""

    version: Version
    changes: tuple[Change, ...]


def find_drift(rig: Rig, book: Logbook) -> tuple[Drift, ...]:
    """Every profile of which the rig holds something else than was last applied. An apply that was undone does not
    count; a formula that has come to something else since, because a fact changed, does."""
    drifts = []
    state = rig.state()
    for profile in (WHOLE_RIG, *(game.name for game in rig.games())):
        version = version_applied(book, rig.name, profile)
        if version is None:
            continue
        slipped = slipped_from(rig, version, state)
        if slipped:
            drifts.append(Drift(version, slipped))
    return tuple(drifts)


def version_applied(book: Logbook, rig: str, profile: str) -> Version | None:
    """Return the version of a profile that was applied last to a rig; None if none was."""
    last, nothing = book.last_apply(rig, profile), stock(profile)
    if last is None:
        return None
    return nothing if last.version == nothing.id else book.version(profile, last.version)


def slipped_from(rig: Rig, version: Version, state: State) -> tuple[Change, ...]:
    """Return what a state of a rig no longer holds of a version that was applied (`before` applied, `after` held)."""
    return changes(applied_values(rig, version), rig.values(state, version.profile))


def applied_values(rig: Rig, version: Version) -> dict[str, Value]:
    """Return what a version puts on a rig; a value that is refused by now is as it is stored."""
    catalog = rig.catalog()
    facts, values = facts_under(catalog, version.entries, rig.facts()), {}
    for key, value in version.entries.items():
        if key in catalog:
            try:
                values[key] = concrete_value(catalog[key], value, facts)
            except BadValue:
                values[key] = value
    return values


def put_back(rig: Rig, book: Logbook, drift: Drift) -> None:
    """Applies the version again, with a restore point like any apply."""
    apply(rig, book, drift.version)


def adopt(rig: Rig, book: Logbook, drift: Drift, author: str) -> Version:
    """A new version that sets what the rig holds now, remembered as applied; nothing is written to the rig.

    What has not slipped stays as it is stored, formulas included.
    """
    with locked(rig, f"adopting what has become of {drift.version.reference}"):
        entries = with_changes(drift.version.entries, {change.key: change.after for change in drift.changes})
        with book.together():
            adopted = book.commit(drift.version.profile, entries, author=author, parents=[drift.version],
                                  note=f"adopted from the rig {rig.name}")
            book.add_apply(rig.name, kind="adopt", profile=adopted.profile, version=adopted.id)
    return adopted
