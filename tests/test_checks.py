"""Checks: every check finds its own example, and a clean rig has no findings."""

from dataclasses import asdict
from pathlib import Path

import pytest
from pydantic import TypeAdapter

from keenlattice.catalog.load import catalog
from keenlattice.catalog.values import Value
from keenlattice.profile.checks import Check, Finding, checks, findings
from keenlattice.profile.layers import resolve
from keenlattice.rig.standin.machine import Standin

CLEAN: dict[str, Value] = {"display.refresh": 165, "memory.rated-speed": True, "background.recorder": False,
                           "background.overlay": False, "interrupt.mode@usb0": "message"}


def found(rig: Standin, example: dict[str, Value], rig_wide: dict[str, Value], facts: dict[str, Value]
          ) -> tuple[Finding, ...]:
    known = {**rig.facts(), "refresh_hz": 165, **facts}
    own = {key: value for key, value in example.items() if catalog()[key].scope == "game"}
    rest = {key: value for key, value in example.items() if key not in own}
    effective = resolve(catalog(), {**CLEAN, **rig_wide, **rest}, own, facts=known)
    return findings(catalog(), effective, known, rig.devices())


def test_there_are_enough_rules_and_a_clean_rig_has_no_findings(rig: Standin) -> None:
    assert len(checks()) >= 30
    assert found(rig, {}, {}, {}) == ()


@pytest.mark.parametrize("check", checks(), ids=lambda check: check.name)
def test_a_rule_finds_its_example(rig: Standin, check: Check) -> None:
    TypeAdapter(Check).validate_python(asdict(check))  # no file of ours is held against it as it is read
    for key, value in check.example.items():
        catalog()[key].checked(value)
    said = {one.check: one for one in found(rig, dict(check.example), dict(check.rig_wide), dict(check.facts))}
    assert check.name in said, list(said)
    one = said[check.name]
    assert one.kind == check.kind and all(key in catalog() for key in one.settings)
    for text in (one.why, one.what_to_do):
        assert text and not set("{}*") & set(text) and "unknown" not in text, text


@pytest.mark.parametrize("check", checks(), ids=lambda check: check.name)
def test_what_is_unknown_is_asked_and_never_found(rig: Standin, check: Check) -> None:
    """With nothing but the example known, all that is found beside what is known rests on a supposition, and says so;
    and nothing is passed over that would be found if all were at stock."""
    facts = {name: value for name, value in {**rig.facts(), **check.facts}.items() if name != "refresh_hz"}
    both = []
    for unknown in ((), {setting.name for setting in catalog()}):
        effective = resolve(catalog(), dict(check.rig_wide), dict(check.example), facts=facts, unknown=unknown)
        both.append(findings(catalog(), effective, facts, rig.devices(), unknown=unknown))
    assert {(one.check, one.settings) for one in both[0]} == {(one.check, one.settings) for one in both[1]}
    told = {**check.rig_wide, **check.example}
    for one in both[1]:
        if one.kind == "not known":
            supposed = one.why.removeprefix("if ").split(", ")[0].split(" and ")
            assert supposed and not {text.split(" is ")[0] for text in supposed} & set(told), one.why
        elif one.kind != "shadowed":
            assert {key.partition("@")[0] for key in one.settings} & {key.partition("@")[0] for key in told}


@pytest.mark.parametrize(("entries", "check"), [
    ({"frame.cap": 162, "sync.variable-refresh": "fullscreen"}, "cap-outside-variable-refresh"),
    ({"frame.cap": 300}, "cap-outside-variable-refresh"),
    ({"sync.triple-buffering": True, "sync.vertical": "on"}, "triple-without-sync"),
    ({"frame.queue-depth": "game decides", "frame.submission": "just-in-time"}, "queue-beside-submission"),
    ({"texture.lod-bias": -1.0, "texture.control": "replaced"}, "bias-while-game-controls"),
    ({"interrupt.priority@gpu0": "high"}, "all-high-priority"),
    ({"memory.purge-threshold": "= ram / 2"}, "purge-above-memory"),
    ({"frame.cap": 120}, "shadowed-by-the-game"),
])
def test_a_rule_is_silent_next_to_its_case(rig: Standin, entries: dict[str, Value], check: str) -> None:
    assert check not in {one.check for one in found(rig, entries, {"frame.cap": 120}, {})}


def test_a_formula_that_comes_to_nothing_is_a_finding(rig: Standin) -> None:
    (one,) = found(rig, {"frame.cap": "= nowhere"}, {}, {})
    assert one.check == "formula" and "nowhere" in one.why


def test_a_rig_that_lacks_the_settings_has_no_findings() -> None:
    assert findings(catalog().only([]), {}, {}, ()) == ()


def test_the_rules_lie_where_they_are_looked_for() -> None:
    import keenlattice.profile

    assert len(list((Path(keenlattice.profile.__file__).parent / "data").glob("*.toml"))) == 4
