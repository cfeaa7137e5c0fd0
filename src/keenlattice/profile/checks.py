"""What is plainly wrong, or pointless, in a set of effective values on a rig with these facts."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from keenlattice.catalog.values import Value, written
from keenlattice.profile.layers import Effective

Facts = Mapping[str, object]


@dataclass(frozen=True)
class Finding:
    """One thing that a check found: the settings, why it matters, and what to do."""

    settings: tuple[str, ...]
    why: str
    what_to_do: str


class _Held:
    """The values in question, by short calls; a setting that this rig lacks reads as None."""

    def __init__(self, effective: Mapping[str, Effective]) -> None:
        self._effective = effective

    def __call__(self, key: str) -> Value | None:
        return self._effective[key].value if key in self._effective else None

    def number(self, key: str) -> float | None:
        value = self(key)
        return value if isinstance(value, int | float) and not isinstance(value, bool) else None


def _number(facts: Facts, name: str) -> float:
    value = facts.get(name, 0)
    return float(value) if isinstance(value, int | float) else 0.0


def _panel_below_best(held: _Held, facts: Facts) -> Finding | None:
    now, best = held.number("display.refresh"), _number(facts, "best_refresh_hz")
    if now is None or now >= best:
        return None
    return Finding(("display.refresh",), f"the panel can do {written(best, 'hz')} and runs at {written(now, 'hz')}",
                   f"keen edit rig display.refresh={best:g}")


def _memory_below_rated(held: _Held, facts: Facts) -> Finding | None:
    if held("memory.rated-speed") is not False:
        return None
    now, rated = (_number(facts, f"memory_{which}_mts") for which in ("speed", "rated"))
    return Finding(("memory.rated-speed",), f"memory is rated for {rated:g} MT/s and runs at {now:g}",
                   "keen edit rig memory.rated-speed=on (takes rights and a restart of the machine)")


def _recorder_left_on(held: _Held, _facts: Facts) -> Finding | None:
    if held("background.recorder") is not True:
        return None
    return Finding(("background.recorder",), "a recorder works in the background of every frame",
                   "keen edit rig background.recorder=off, unless you use its videos")


def _cap_above_refresh(held: _Held, _facts: Facts) -> Finding | None:
    cap, refresh = held.number("frame.cap"), held.number("display.refresh")
    if held("sync.variable-refresh") in (None, "off") or cap is None or refresh is None or cap < refresh:
        return None
    return Finding(("frame.cap", "sync.variable-refresh"),
                   f"a cap of {cap:g} lets the game leave the range of variable refresh ({refresh:g} Hz)",
                   f"cap a few frames below: frame.cap={refresh - 3:g}")


def _queue_beside_submission(held: _Held, _facts: Facts) -> Finding | None:
    if held.number("frame.queue-depth") is None or held("frame.submission") in (None, "queued"):
        return None
    return Finding(("frame.queue-depth", "frame.submission"),
                   f"the queue depth does nothing beside {held('frame.submission')} submission",
                   "unset one of the two")


def _triple_without_sync(held: _Held, _facts: Facts) -> Finding | None:
    if held("sync.triple-buffering") is not True or held("sync.vertical") in ("on", "half-rate"):
        return None
    return Finding(("sync.triple-buffering", "sync.vertical"), "triple buffering does nothing without vertical sync",
                   "unset sync.triple-buffering, or set sync.vertical=on")


CHECKS: tuple[Callable[[_Held, Facts], Finding | None], ...] = (
    _panel_below_best, _memory_below_rated, _recorder_left_on, _cap_above_refresh, _queue_beside_submission,
    _triple_without_sync)


def findings(effective: Mapping[str, Effective], facts: Facts) -> tuple[Finding, ...]:
    """What the checks find, in their order."""
    held = _Held(effective)
    return tuple(finding for check in CHECKS if (finding := check(held, facts)))
