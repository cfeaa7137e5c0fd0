"""The version that is made of a tuning or a ramp."""

from typing import TYPE_CHECKING, Any

from keenlattice.catalog.values import Value
from keenlattice.profile.compare import changes, with_changes
from keenlattice.profile.version import Version
from keenlattice.report.words import titles

if TYPE_CHECKING:
    from keenlattice.study.tune.result import Tuning
    from keenlattice.workspace.opened import Opened
    from keenlattice.workspace.played import Played

Made = tuple[Version, dict[str, Value], str]
"""What it is made from, what it sets, and why."""


def entries_made(opened: "Opened", found: "Played[Any]") -> Made | None:
    """What a version of a study's result would set; None if there is nothing new to set."""
    if found.kind == "tune":
        return _of_tuning(opened, found)
    return _of_ramp(opened, found) if found.kind == "ramp" else None


def base_of(opened: "Opened", found: "Played[Any]") -> Version:
    """The version that a study started from."""
    kept = found.spec.versions[0]
    return opened.find(kept.reference) if kept.stored else Version(kept.profile, kept.entries, note=kept.note)


def tuned(base: Version, result: "Tuning") -> dict[str, Value] | None:
    """What the version that it started from sets with the best of a tuning; None if there is no best."""
    return None if result.best is None else with_changes(base.entries, result.best.values)


def _of_tuning(opened: "Opened", found: "Played[Any]") -> Made | None:
    result, base = found.result, base_of(opened, found)
    entries = tuned(base, result)
    if entries is None or not changes(base.entries, entries):
        return None
    return base, entries, f"tuned for {titles(result.plan.goal)}"


def _of_ramp(opened: "Opened", found: "Played[Any]") -> Made | None:
    result, base = found.result, base_of(opened, found)
    setting = opened.rig.catalog()[result.plan.key]
    value = int(result.settled) if setting.kind == "whole" else result.settled
    if setting.checked(value) == base.entries.get(result.plan.key, setting.stock):
        return None
    highest = f"{result.highest:g}" if result.highest is not None else "none"
    return (base, with_changes(base.entries, {result.plan.key: value}),
            f"stepped up: {highest} ran, {result.plan.margin:g} below it")
