"""A part whose settings are texts in places of the system's: registry values, services, schemes, parameters.

Such a place has no "unset". So what it held before it was first set is noted down in the rig's folder, and is written
again once the last setting that uses it is unset.
"""

import json
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from functools import cached_property
from typing import Protocol

from keenlattice.catalog.model import Setting
from keenlattice.catalog.values import Value, written
from keenlattice.errors import RefusedByRig, RigError
from keenlattice.profile.version import WHOLE_RIG, Entries
from keenlattice.quickly import dataclass
from keenlattice.rig.base import Edits, FactValue, State
from keenlattice.rig.noted import Noted
from keenlattice.rig.parts import Part
from keenlattice.safejson import parse_json

Texts = Mapping[str, str | None]
"""Place to the text that it holds; None where there is nothing."""


class Store(Protocol):
    """Where a system keeps texts."""

    def owns(self, place: str) -> bool:
        """Return whether a place is of this store, there or not. No place is of two."""

    def read(self) -> Texts:
        """Return every place and what it holds."""

    def write(self, texts: Texts) -> None:
        """Write some places; None removes what is there.

        Raises:
            RefusedByRig: rights are missing, or the system does not take it.
            RigError: it cannot be written.
        """

    def check(self, texts: Texts) -> None:
        """Check whether these could be written now.

        Raises:
            NeedsRights: not without an administrator's rights.
            RefusedByRig: not at all.
        """

    def in_words(self, place: str) -> str:
        """Return what a place is; empty if it is of another store."""


@dataclass(frozen=True)
class StoredSetting:
    """A setting, and how its values stand in the places of a store.

    Args:
        key: as a profile has it, with the device: `interrupt.mode@gpu0`.
        setting: as the catalog has it, on this machine.
        value: what the texts mean; None if they mean none of its values.
        texts: the places that a value is written to, and what they then hold, by what is there now.
        kept_as: what it is noted under, where the key may be another device's tomorrow.
        step: settings of one word are written together; the key, if it is empty.
    """

    key: str
    setting: Setting
    value: Callable[[Texts], Value | None]
    texts: Callable[[Value, Texts], Texts]
    kept_as: str = ""
    step: str = ""

    @property
    def noted_as(self) -> str:
        """What it is noted under."""
        return self.kept_as or self.key


def by_table(setting: Setting, place: str, table: Mapping[Value, str], also: Mapping[str, Value] | None = None
             ) -> StoredSetting:
    """Return a setting that has one text for each value, in one place.

    Args:
        setting: as `StoredSetting` has it.
        place: the one place.
        table: what it holds for each value.
        also: texts that stand for a value, too, and are not written for it.
    """
    values = {**{text: value for value, text in table.items()}, **(also or {})}

    def value_of(held: Texts) -> Value | None:
        return values.get(held.get(place) or "")

    return StoredSetting(setting.name, setting, value_of,
                         lambda value, held: {place: held[place] if value_of(held) == value else table[value]},
                         step=place)


def of_the_player(stored: StoredSetting, held: Texts) -> StoredSetting:
    """Return a setting that takes no rights, is in force at once, and has what holds for its stock, if it is known."""
    stock = stored.value(held)
    own = {} if stock is None else {"stock": stock}
    return replace(stored, setting=stored.setting.adapted(rights=False, restart="none", **own))


@dataclass(frozen=True)
class Notes:
    """What was there before anything was set.

    Args:
        users: place to the settings that have written to it.
        texts: place to what it held.
    """

    users: Mapping[str, tuple[str, ...]]
    texts: Texts

    @property
    def settings(self) -> frozenset[str]:
        """The settings that are set."""
        return frozenset(name for names in self.users.values() for name in names)

    def with_setting(self, name: str, texts: Texts) -> "Notes":
        """Return the notes once a setting has been written over these texts."""
        users = {**self.users, **{place: tuple(dict.fromkeys([*self.users.get(place, ()), name])) for place in texts}}
        return Notes(users, {**texts, **self.texts})

    def without(self, name: str) -> "tuple[Notes, frozenset[str]]":
        """Return the notes without a setting, and the places that nothing else has written to."""
        users = {place: tuple(user for user in names if user != name) for place, names in self.users.items()}
        free = frozenset(place for place, names in users.items() if not names and name in self.users[place])
        return Notes({place: names for place, names in users.items() if place not in free},
                     {place: text for place, text in self.texts.items() if place not in free}), free


class StoredPart(Part):
    """Settings of the whole rig that a store keeps.

    Args:
        store: that keeps them.
        settings: tells how each stands in it, by what the store holds; asked once, when it is first needed.
        noted: where is noted down what was there before.
        facts: tells facts by what the store holds; None if it has none to tell.

    What was there before anything was set goes before what is there now, for those that ask what there is.
    """

    def __init__(self, store: Store, settings: Callable[[Texts], Sequence[StoredSetting]], noted: Noted,
                 facts: Callable[[Texts], Mapping[str, FactValue]] | None = None) -> None:
        self._store, self._noted, self._facts, self._all = store, noted, facts, settings

    @cached_property
    def _by_key(self) -> Mapping[str, StoredSetting]:
        before = notes_in(self._noted, self._noted.state()).texts
        return {stored.key: stored for stored in self._all({**self._store.read(), **before})}

    @property
    def _by_note(self) -> Mapping[str, StoredSetting]:
        return {stored.noted_as: stored for stored in self._by_key.values()}

    def settings(self) -> list[Setting]:
        return list({stored.setting.name: stored.setting for stored in self._by_key.values()}.values())

    def facts(self) -> Mapping[str, FactValue]:
        return {} if self._facts is None else self._facts(self._store.read())

    def covers(self, owner: str, key: str) -> bool:
        return owner == WHOLE_RIG and key in self._by_key

    def step_of(self, key: str) -> str:
        return self._by_key[key].step or key

    def state(self) -> State:
        held = self._store.read()
        return {**self._noted.state(), **{place: _as_bytes(text) for place, text in held.items()}}

    def in_words(self, place: str) -> str:
        return self._store.in_words(place)

    def values(self, state: State, owner: str) -> Entries:
        if owner != WHOLE_RIG:
            return {}
        texts, set_now = self._texts(state), notes_in(self._noted, state).settings
        held = {stored.key: stored.value(texts) for name, stored in self._by_note.items() if name in set_now}
        return {key: value for key, value in held.items() if value is not None}

    def before(self, state: State, owner: str) -> Entries:
        if owner != WHOLE_RIG:
            return {}
        texts = {**self._texts(state), **notes_in(self._noted, state).texts}
        held = {stored.key: stored.value(texts) for stored in self._by_key.values()}
        return {key: value for key, value in held.items() if value is not None}

    def changed(self, state: State, owner: str, changes: Edits) -> State:
        notes, then = notes_in(self._noted, state), dict(self._texts(state))
        for key, stored in self._by_key.items():  # in their order: what another rests on comes before it
            if key not in changes:
                continue
            if (value := changes[key]) is None:
                notes, texts = self._unset(stored, notes, then, changes)
            else:
                texts = stored.texts(value, then)
                notes = notes.with_setting(stored.noted_as, {place: then.get(place) for place in texts})
            then |= texts
        self._check_others(self.values(state, owner), changes, then)
        fresh = {place: text for place, text in then.items() if _as_bytes(text) != state.get(place)}
        self._store.check(fresh)
        return {**{place: _as_bytes(text) for place, text in fresh.items()}, **self._noted.content(_kept(notes))}

    def _check_others(self, before: Entries, changes: Edits, then: Texts) -> None:
        """Check whether what is set and not changed stays as it is, of settings that share a place (`by_table`).

        Raises:
            RefusedByRig: it does not.
        """
        for key, value in before.items():
            stored = self._by_key[key]
            if key not in changes and stored.step in then and stored.value(then) != value:
                raise RefusedByRig(f"{', '.join(changes)}: cannot be set so together with {key}={written(value)}, "
                                   "which is kept in the same place: unset one of them")

    def _unset(self, stored: StoredSetting, notes: Notes, now: Texts, changes: Edits) -> tuple[Notes, Texts]:
        """The notes without a setting, and the texts that go back; in a place that another setting uses, its value
        alone goes back, if it does without changing one that is to stay."""
        rest, free = notes.without(stored.noted_as)
        texts = {place: notes.texts[place] for place in free if place in now}  # a device may be gone
        former = stored.value({**now, **notes.texts})
        if former is not None and (shared := {place for place in notes.users if place not in free
                                              and stored.noted_as in notes.users[place]}):
            try:
                back = {place: text for place, text in stored.texts(former, now).items() if place in shared}
            except RefusedByRig:  # it cannot be had beside what stays
                back = {}
            sharing = [setting for name, setting in self._by_note.items()
                       if name in rest.settings and setting.key not in changes]
            if all(setting.value({**now, **back}) == setting.value(now) for setting in sharing):
                texts |= back
        return rest, texts

    def put(self, state: State) -> None:
        self._noted.put(state)
        if texts := self._texts(state):
            self._store.write(texts)

    def _texts(self, state: State) -> dict[str, str | None]:
        """What a state holds in the places of the store."""
        return {place: None if content is None else content.decode("utf-8", "surrogatepass")
                for place, content in state.items() if self._store.owns(place)}


def notes_in(noted: Noted, state: State) -> Notes:
    """What a file of notes says, by a state.

    Raises:
        RigError: it is damaged.
    """
    content = noted.read(state)
    try:
        users = {place: tuple(map(str, names)) for place, names in parse_json(content.get("users") or "{}").items()}
        texts = {place: None if text is None else str(text)
                 for place, text in parse_json(content.get("texts") or "{}").items()}
    except (ValueError, TypeError, AttributeError):
        users, texts = {"": ()}, {}
    if set(users) != set(texts):
        raise RigError(f"{noted.place} in the rig's folder is damaged: move it away; what is there now then counts as "
                       "its own")
    return Notes(users, texts)


def _kept(notes: Notes) -> dict[str, str | None]:
    if not notes.users:
        return {}
    return {"users": json.dumps(notes.users, sort_keys=True), "texts": json.dumps(notes.texts, sort_keys=True)}


def _as_bytes(text: str | None) -> bytes | None:
    return None if text is None else text.encode("utf-8", "surrogatepass")
