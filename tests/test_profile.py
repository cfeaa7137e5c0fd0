"""Laws of profiles: comparison, resolution, merge, the identity of versions; and matching."""

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from keenlattice.catalog.load import catalog
from keenlattice.catalog.values import same
from keenlattice.errors import UnknownName, UsageError
from keenlattice.profile.compare import changes, merge, settled, with_changes
from keenlattice.profile.layers import resolve
from keenlattice.profile.matching import Game, match
from keenlattice.profile.version import Version

VALUES = {
    "frame.queue-depth": [1, 2, 3, "game decides"], "frame.cap": ["off", 60, 162], "sync.vertical": ["off", "on"],
    "sync.triple-buffering": [True, False], "process.io-priority": ["low", "normal", "high"],
}
entries = st.fixed_dictionaries({}, optional={key: st.sampled_from(values) for key, values in VALUES.items()})


@given(entries, entries)
def test_applying_what_differs_gives_the_other(before: dict[str, object], after: dict[str, object]) -> None:
    found = changes(before, after)
    assert with_changes(before, {one.key: one.after for one in found}) == after
    assert [(one.key, one.after, one.before) for one in found] == [
        (one.key, one.before, one.after) for one in changes(after, before)]
    assert bool(found) == (before != after)


@given(entries, entries, entries)
def test_the_topmost_layer_that_sets_it_wins(rig_wide: dict, game: dict, trial: dict) -> None:
    resolved = resolve(catalog(), rig_wide, game, trial)
    layers = [("trial", trial), ("game", game), ("rig-wide", rig_wide)]
    for key, effective in resolved.items():
        setting = [(layer, values[key]) for layer, values in layers if key in values]
        stack = [*setting, ("stock", catalog()[key].stock)]
        assert [(effective.layer, effective.value), *effective.shadows] == stack
    assert set(resolved) == {one.name for one in catalog() if one.scope != "device"}


@given(entries, entries, st.sampled_from([{}, {"refresh_hz": 144}, {"refresh_hz": "fast"}]))
def test_what_nobody_has_told_is_unknown_and_nothing_else_is(rig_wide: dict, game: dict, facts: dict) -> None:
    known = resolve(catalog(), rig_wide, game, facts=facts)
    told = resolve(catalog(), rig_wide, game, facts=facts, unknown={one.name for one in catalog()})
    assert set(told) == set(known)
    for key, one in told.items():
        if key in {**rig_wide, **game}:
            assert (one.value, one.layer, one.stored) == (known[key].value, known[key].layer, known[key].stored)
            assert one.shadows == tuple(each for each in known[key].shadows if each[0] != "stock")
        elif key == "display.refresh" and facts.get("refresh_hz") == 144:
            assert (one.value, one.layer, one.is_set) == (144, "facts", False)
        else:
            assert (one.value, one.layer, one.stored, one.is_set) == (None, "unknown", None, False)


def test_game_decides_hides_what_lies_below_and_unset_does_not() -> None:
    rig_wide = {"frame.queue-depth": 1}
    assert resolve(catalog(), rig_wide, {})["frame.queue-depth"].value == 1
    shown = resolve(catalog(), rig_wide, {"frame.queue-depth": "game decides"})["frame.queue-depth"]
    assert shown.value == "game decides" and shown.shadows[0] == ("rig-wide", 1)


def test_a_device_has_its_own_value() -> None:
    resolved = resolve(catalog(), {"interrupt.mode@gpu0": "message", "unknown.thing": 1}, {})
    assert resolved["interrupt.mode@gpu0"].value == "message"
    assert "unknown.thing" not in resolved and "interrupt.mode" not in resolved


@given(entries)
def test_a_version_is_known_by_its_content_alone(values: dict[str, object]) -> None:
    one = Version("brass-orbit", values, ("a",), "why", "me", "2026-01-01T00:00:00+00:00")
    assert replace(one, entries=dict(reversed(list(values.items())))).id == one.id
    for field, other in (("profile", "x"), ("note", "x"), ("author", "x"), ("time", "x"), ("parents", ())):
        assert replace(one, **{field: other}).id != one.id
    assert replace(one, entries={**values, "new.key": 1}).id != one.id
    with pytest.raises(TypeError):
        one.entries["frame.cap"] = 1  # type: ignore[index]


def test_one_and_on_are_different_values() -> None:
    assert same(1, 1.0) and not same(1, True) and not same(None, False)
    assert changes({"a.b": True}, {"a.b": 1})


@given(entries, entries)
def test_merging_nothing_changes_nothing(base: dict, one: dict) -> None:
    for merged in (merge(base, one, base), merge(base, base, one), merge(base, one, one)):
        assert merged.entries == one and not merged.conflicts


@given(entries, entries, entries)
def test_a_merge_commutes_where_there_is_no_conflict_and_invents_nothing(base: dict, one: dict, other: dict) -> None:
    there, back = merge(base, one, other), merge(base, other, one)
    assert [conflict.key for conflict in there.conflicts] == [conflict.key for conflict in back.conflicts]
    if not there.conflicts:
        assert there.entries == back.entries
    for key in {*base, *one, *other}:
        assert there.entries.get(key) in (one.get(key), other.get(key))
        if one.get(key) == other.get(key):  # what both agree on stays
            assert there.entries.get(key) == one.get(key)


@given(entries, entries, entries)
def test_a_conflict_is_settled_by_either_side(base: dict, one: dict, other: dict) -> None:
    merged = merge(base, one, other)
    second = settled(merged, {conflict.key: conflict.other for conflict in merged.conflicts})
    assert second == merge(base, other, one).entries
    assert settled(merged, {conflict.key: conflict.one for conflict in merged.conflicts}) == merged.entries


GAMES = [Game("brass", "", ("brass-orbit", "brass-*")), Game("rally", "", ("Rally", "*-server")),
         Game("twin", "", ("twin", "brass-server"))]


@pytest.mark.parametrize(("executable", "case_matters", "game", "exact"), [
    ("brass-orbit", True, "brass", True), ("brass-orbit-2", True, "brass", False),
    ("/opt/x/brass-orbit", True, "brass", True), ("C:\\Games\\BRASS-ORBIT", False, "brass", True),
    ("rally", False, "rally", True), ("rally-server", True, "rally", False),
    ("brass-server", True, "twin", True),  # an exact name goes before the two patterns that fit, too
])
def test_an_executable_gets_one_profile(executable: str, case_matters: bool, game: str, exact: bool) -> None:
    found = match(executable, GAMES, case_matters=case_matters)
    assert (found.game.name, found.exact) == (game, exact)


def test_an_executable_of_nobody_or_of_two() -> None:
    with pytest.raises(UnknownName, match="nearest: Rally"):
        match("rally", GAMES, case_matters=True)
    with pytest.raises(UsageError, match=r"brass \(by brass-\*\) and rally \(by \*-server\)"):
        match("brass-x-server", GAMES, case_matters=True)
