"""Laws of profiles: comparison, resolution, the identity of versions; and the checks."""

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from keenlattice.catalog.load import catalog
from keenlattice.catalog.values import same
from keenlattice.profile.checks import findings
from keenlattice.profile.compare import changes, with_changes
from keenlattice.profile.layers import resolve
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


FACTS = {"best_refresh_hz": 165, "memory_speed_mts": 2666, "memory_rated_mts": 3600}
FINE = {"display.refresh": 165, "memory.rated-speed": True, "background.recorder": False}


@pytest.mark.parametrize(("entries", "found"), [
    ({}, []),
    ({"display.refresh": 60}, ["display.refresh"]),
    ({"memory.rated-speed": False}, ["memory.rated-speed"]),
    ({"background.recorder": True}, ["background.recorder"]),
    ({"frame.cap": 165, "sync.variable-refresh": "fullscreen"}, ["frame.cap"]),
    ({"frame.cap": 162, "sync.variable-refresh": "fullscreen"}, []),
    ({"frame.cap": 300}, []),
    ({"frame.queue-depth": 1, "frame.submission": "just-in-time"}, ["frame.queue-depth"]),
    ({"sync.triple-buffering": True}, ["sync.triple-buffering"]),
    ({"sync.triple-buffering": True, "sync.vertical": "on"}, []),
])
def test_each_check_finds_its_own_and_nothing_else(entries: dict[str, object], found: list[str]) -> None:
    said = findings(resolve(catalog(), {**FINE, **entries}, {}), FACTS)
    assert [one.settings[0] for one in said] == found
    assert all(one.why and one.what_to_do for one in said)
