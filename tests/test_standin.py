"""The stand-in: its mechanisms do what `docs/standin.md` says, its placebos do nothing, and it behaves like a rig."""

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from keenlattice.catalog.load import catalog
from keenlattice.catalog.model import Setting
from keenlattice.catalog.values import Value
from keenlattice.errors import RefusedByRig, RigError, UnknownName
from keenlattice.measure.capture import STAGES
from keenlattice.measure.metrics import metrics_of
from keenlattice.rig.standin import recurrence
from keenlattice.rig.standin.machine import Standin
from keenlattice.rig.standin.pipeline import rules_of, stages_of


def another(setting: Setting) -> Value:
    """A value other than stock."""
    if setting.kind == "switch":
        return not setting.stock
    if setting.kind == "choice":
        return next(choice for choice in setting.choices if choice != setting.stock)
    return "somewhere-else" if setting.high is None else setting.checked(setting.high)


PLACEBOS = {one.name + "@gpu0" * (one.scope == "device"): another(one) for one in catalog() if one.sure == "placebo"}


def put(rig: Standin, game: str, values: dict[str, Value]) -> None:
    """Makes the rig hold exactly these values: a game's for the game, the others rig-wide; and restarts it."""
    own = {key: value for key, value in values.items() if catalog()[key].scope == "game"}
    state = rig.changed({**rig.state(), rig.place: None}, game, own)
    rig.put(rig.changed(state, "rig", {key: value for key, value in values.items() if key not in own}))
    rig.restart("machine")


def numbers(rig: Standin, values: dict[str, Value], game: str = "brass-orbit") -> dict[str, float]:
    """Metrics of a game under these values, as the median of nine runs."""
    put(rig, game, values)
    runs = [metrics_of(rig.play(game, 40, seed)) for seed in range(9)]
    return {name: float(np.median([run[name] for run in runs])) for name in runs[0]}


def test_equal_seeds_give_equal_runs_and_others_do_not(rig: Standin) -> None:
    one, same, other = (rig.play("brass-orbit", 5, seed) for seed in (1, 1, 2))
    assert np.array_equal(one.shown_ms, same.shown_ms) and np.array_equal(one.answer_ms, same.answer_ms)
    assert not np.array_equal(one.shown_ms[:100], other.shown_ms[:100])
    assert 4.9 < one.seconds < 5.1


@pytest.mark.parametrize("key", PLACEBOS)
def test_a_placebo_changes_not_a_single_frame(rig: Standin, key: str) -> None:
    assert catalog()[key].sure == "placebo"
    before = rig.play("brass-orbit", 5, 1)
    put(rig, "brass-orbit", {key: PLACEBOS[key]})
    assert np.array_equal(rig.play("brass-orbit", 5, 1).shown_ms, before.shown_ms)


MECHANISMS: list[tuple[dict[str, Value], dict[str, Value], str, float, float]] = [
    # before, after, metric, and the range in which the ratio of after to before lies
    ({}, {"frame.queue-depth": 1}, "latency_ms_median", 0.5, 0.85),
    ({}, {"frame.queue-depth": 6}, "latency_ms_median", 1.15, 2),
    ({"frame.queue-depth": 1}, {"frame.queue-depth": 6}, "fps_mean", 1.0005, 1.05),
    ({"frame.queue-depth": 1}, {"frame.submission": "just-in-time"}, "latency_ms_median", 0.8, 0.99),
    ({}, {"frame.submission": "short-queue"}, "latency_ms_median", 0.5, 0.9),
    ({}, {"antialias.mode": "replaced", "antialias.samples": "8x"}, "frame_ms_mean", 1.05, 2),
    ({}, {"frame.cap": 160}, "fps_mean", 0.6, 0.7),
    ({}, {"frame.cap": 160}, "stutters_per_min", 0, 0.6),
    ({}, {"sync.vertical": "on"}, "fps_mean", 0.23, 0.26),
    ({}, {"sync.vertical": "on"}, "latency_ms_median", 2, 4),
    ({"display.refresh": 165, "frame.cap": 160, "sync.vertical": "on"},
     {"display.refresh": 165, "frame.cap": 160, "sync.variable-refresh": "fullscreen"}, "latency_ms_median", 0.4, 0.9),
    ({"sync.vertical": "on"}, {"sync.vertical": "half-rate"}, "fps_mean", 0.49, 0.51),
    ({}, {"display.refresh": 165}, "latency_ms_median", 0.7, 0.9),
    ({}, {"interrupt.mode@gpu0": "message", "interrupt.mode@usb0": "message"}, "frame_ms_p99", 0.85, 0.98),
    ({"frame.cap": 160}, {"frame.cap": 160, "timer.resolution": 15.6}, "frame_ms_p99", 1.3, 3),
    ({}, {"gpu.clock-policy": "hold-high"}, "frame_ms_mean", 0.92, 0.97),
    ({}, {"gpu.clock-policy": "save-power"}, "frame_ms_mean", 1.1, 1.4),
    ({}, {"background.recorder": False}, "frame_ms_mean", 0.93, 0.97),
    ({}, {"input.polling-rate": 125}, "latency_ms_median", 1.05, 1.2),
    ({}, {"scaling.render-scale": 150}, "frame_ms_mean", 1.6, 2),
    ({}, {"display.overdrive": "off"}, "latency_ms_median", 1.05, 1.15),
    ({}, {"window.mode": "windowed"}, "latency_ms_median", 1.3, 2.2),
]


@pytest.mark.parametrize(("before", "after", "metric", "low", "high"), MECHANISMS)
def test_a_mechanism_acts_as_documented(rig: Standin, before: dict[str, Value], after: dict[str, Value], metric: str,
                                        low: float, high: float) -> None:
    ratio = numbers(rig, after)[metric] / numbers(rig, before)[metric]
    assert low < ratio < high, ratio


def test_a_cap_steadies_the_pace_from_frame_to_frame(rig: Standin) -> None:
    spread = {}
    for values in ({}, {"frame.cap": 120}):
        put(rig, "tidewater-rally", {"scaling.render-scale": 50, **values})
        frames = rig.play("tidewater-rally", 60, 1).frame_ms
        low, high = np.quantile(frames, (0.05, 0.95))
        spread[len(values)] = float((high - low) / np.median(frames))
    assert spread[1] < 0.5 * spread[0]


@pytest.mark.parametrize("game", ["brass-orbit", "moth-and-lantern"])
def test_a_run_is_the_same_frame_by_frame_and_all_at_once(rig: Standin, game: str) -> None:
    line = replace(rig.pipeline(game), sync="off", gap_ms=0.0, lead_ms=None, in_flight=4)
    stages, rules = stages_of(line, 4000, 5.0, np.random.default_rng(1)), rules_of(line)
    takes = stages.cpu_ms, stages.gpu_ms, stages.oversleep_ms
    plain = recurrence.one_by_one(rules, *takes)
    other = recurrence.all_at_once(rules, *takes[:2])
    assert other is not None
    for name in ("begins", "rendered", "shown"):
        assert np.array_equal(getattr(other, name), getattr(plain, name)), name


def test_where_the_cpu_is_the_limit_the_queue_does_nothing(rig: Standin) -> None:
    one, other = (numbers(rig, {"sync.vertical": "off", "frame.queue-depth": depth}, "moth-and-lantern")
                  for depth in (1, 6))
    assert other["latency_ms_median"] == pytest.approx(one["latency_ms_median"], rel=0.02)


@pytest.mark.parametrize("entries", [{}, {"frame.queue-depth": 1}, {"sync.vertical": "on"}, {"frame.cap": 120}])
def test_a_clicks_stages_add_up_to_its_latency(rig: Standin, entries: dict[str, Value]) -> None:
    put(rig, "brass-orbit", entries)
    run = rig.play("brass-orbit", 20, 1)
    spent = np.array([run.stage_ms[name] for name in STAGES])
    waits = run.answer_ms - run.click_ms
    assert spent.sum(axis=0) == pytest.approx(waits, nan_ok=True) and np.nanmin(spent) >= -1e-9


def test_with_sync_every_frame_is_shown_at_a_refresh(rig: Standin) -> None:
    put(rig, "brass-orbit", {"sync.vertical": "on", "display.refresh": 165})
    refreshes = rig.play("brass-orbit", 5, 1).shown_ms * 165 / 1000
    assert np.allclose(refreshes, np.round(refreshes), atol=1e-6)
    assert np.diff(np.round(refreshes)).min() >= 1


def test_what_needs_a_restart_waits_for_it(rig: Standin) -> None:
    rig.put(rig.changed(rig.state(), "rig", {"memory.rated-speed": True}))
    assert rig.values(rig.state(), "rig") == {"memory.rated-speed": True}
    assert rig.facts()["memory_speed_mts"] == 2666
    rig.restart("game")
    assert rig.facts()["memory_speed_mts"] == 2666
    rig.restart("machine")
    assert rig.facts()["memory_speed_mts"] == 3600


def test_what_the_hardware_or_the_rights_forbid(tmp_path: Path, rig: Standin) -> None:
    with pytest.raises(RefusedByRig, match="165 Hz"):
        rig.changed(rig.state(), "rig", {"display.refresh": 240})
    with pytest.raises(RefusedByRig, match="message-signalled"):
        rig.changed(rig.state(), "rig", {"interrupt.mode@sound0": "message"})
    player = Standin(tmp_path / "no-rights", rights=False)
    with pytest.raises(RefusedByRig, match=r"memory\.rated-speed needs an administrator"):
        player.put(player.changed(player.state(), "rig", {"memory.rated-speed": True, "display.refresh": 165}))
    assert player.state()[player.place] is None
    player.put(player.changed(player.state(), "rig", {"display.refresh": 165}))
    with pytest.raises(UnknownName, match="tidewater-rally"):
        rig.play("tidewater", 1, 1)


def test_a_damaged_state_is_said_so(rig: Standin) -> None:
    (rig.home / "state.json").write_text('{"rig": [')
    with pytest.raises(RigError, match="damaged"):
        rig.values(rig.state(), "rig")


@pytest.mark.parametrize(("chore", "said", "again"), [
    ("purge-standby-memory", "MiB are dropped", "nothing to do"),
    ("verify-game-files", "damaged files are fetched again", "nothing to do"),
    ("update-driver", "becomes", "becomes"), ("clear-shader-cache", "MiB", "nothing in"),
    ("clear-temporary-files", "MiB", "nothing in")])
def test_a_chore_does_what_it_says_and_once(rig: Standin, chore: str, said: str, again: str) -> None:
    before = rig.state()
    first = rig.after_chore(before, chore)
    assert said in first.says[0] and (first.act is None or first.then == before)
    if first.act is None:
        rig.put(first.then)
    else:
        first.act()
    assert again in rig.after_chore(rig.state(), chore).says[0]


def test_chores_that_set_something_free_leave_each_other_alone(rig: Standin) -> None:
    purged = rig.after_chore(rig.state(), "purge-standby-memory")
    assert purged.act is not None
    purged.act()
    assert "damaged files are fetched" in rig.after_chore(rig.state(), "verify-game-files").says[0]
