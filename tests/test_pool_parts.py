"""The parts of a pool, each against what it must come to by itself."""

import json
import math
from dataclasses import replace
from pathlib import Path

import numpy as np
import pyarrow.parquet as pq
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from keenlattice.logbook._studies import newest_finished
from keenlattice.logbook.book import Logbook
from keenlattice.profile.compare import Change
from keenlattice.study import flattened, pool_evidence
from keenlattice.study.pool import reading
from keenlattice.study.pool._meta import Rigs, _ranked, pooled, shrunken
from keenlattice.study.pool._regression import SPREADS, _ridges, slopes_of
from keenlattice.study.pool._sides import _chance
from keenlattice.study.pool.evidence import Switch
from keenlattice.study.pool.moderators import MODERATORS, moderators_of
from keenlattice.study.pool.order import matching
from keenlattice.study.pool.reading import collect_evidence
from keenlattice.study.pool.record import keep_pool
from keenlattice.study.record import provenance_of
from test_pool import PLAN, of, only, record


def test_who_gains_and_who_loses_is_counted_apart() -> None:
    gain, lose = ([record(rig, way * 0.06) for rig in range(20)] for way in (-1, 1))
    assert (only(gain).helped_pct, only(gain).hurt_pct) == pytest.approx((100, 0), abs=1)
    assert (only(lose).helped_pct, only(lose).hurt_pct) == pytest.approx((0, 100), abs=1)
    both = only([record(rig, -0.06 if rig % 4 else 0.06) for rig in range(20)])
    assert both.helped_pct == pytest.approx(75, abs=8) and both.hurt_pct == pytest.approx(25, abs=8)


@pytest.mark.parametrize(("share", "value"), [(0.5, 10), (0.1, 2), (0.95, 19), (0.125, 2.5), (0.01, 1), (0.999, 19)])
def test_a_new_value_lies_below_a_rank_with_its_probability(share: float, value: float) -> None:
    assert _ranked(np.arange(1.0, 20.0), share) == pytest.approx(value)


def test_a_new_value_does_so_in_so_many_cases() -> None:
    random = np.random.default_rng(3)
    below = [random.normal() < _ranked(np.sort(random.normal(size=39)), 0.9) for _ in range(4000)]
    assert np.mean(below) == pytest.approx(0.9, abs=0.015)


def unlikely(spread: float, x: np.ndarray, y: np.ndarray, variance: np.ndarray) -> float:
    """Twice the negative restricted likelihood of slopes of that variance, by the whole covariance of the effects."""
    whole = np.diag(variance) + spread * x @ x.T
    inverse, ones = np.linalg.inv(whole), np.ones(y.size)
    mean = ones @ inverse @ y / (ones @ inverse @ ones)
    return float(np.linalg.slogdet(whole)[1] + np.log(ones @ inverse @ ones) + (y - mean) @ inverse @ (y - mean))


@pytest.mark.parametrize("slope", [0.0, 0.02, 0.2])
def test_the_variance_of_slopes_is_the_likeliest_one(slope: float) -> None:
    random = np.random.default_rng(11)
    x, variance = random.normal(0.3, 1.0, (30, 3)), random.uniform(1e-4, 4e-4, 30)
    y = 0.05 + slope * x[:, 0] + random.normal(0, np.sqrt(variance))
    design, w = np.column_stack([np.ones(30), x]), 1 / variance
    found = _ridges((design.T @ (w[:, None] * design))[None], (design.T @ (w * y))[None])[0]
    assert found == SPREADS[np.argmin([unlikely(one, x, y, variance) for one in SPREADS])]


def test_a_slope_is_found_and_an_offset_of_all_changes_no_slope() -> None:
    random = np.random.default_rng(5)
    facts = np.column_stack([np.full(40, math.nan), *random.normal(0, 1, (len(MODERATORS) - 1, 40))])
    effect = -0.02 + 0.03 * facts[:, 3] + random.normal(0, 0.004, 40)
    found = [slopes_of(Rigs(effect + more, np.full(40, 1.6e-5), np.zeros(1, dtype=np.intp)), facts)[0]
             for more in (0.0, 0.5)]
    first, moved = found
    assert first and moved and 0 not in first.places
    slopes = dict(zip(first.places, first.slope / first.scale, strict=True))
    assert slopes.pop(3) == pytest.approx(0.03, abs=0.003) and max(map(abs, slopes.values())) < 0.005
    assert moved.slope == pytest.approx(first.slope, abs=2e-4)
    at = facts[0]
    assert moved.on(at)[0] - first.on(at)[0] == pytest.approx(0.5, abs=1e-3)


@given(st.lists(st.floats(-0.2, 0.2), min_size=3, max_size=12), st.floats(1e-5, 1e-2))
@settings(max_examples=30, deadline=None)
def test_what_a_rig_says_is_drawn_towards_the_mean_and_never_beyond(effects: list[float], variance: float) -> None:
    y, v = np.array(effects), np.full(len(effects), variance)
    found = pooled(Rigs(y, v, np.zeros(1, dtype=np.intp)))
    drawn = shrunken(y, v, np.full(y.size, found.mean[0]), np.full(y.size, found.tau2[0]))
    assert (np.abs(drawn - found.mean[0]) <= np.abs(y - found.mean[0]) + 1e-12).all()
    assert ((drawn - found.mean[0]) * (y - found.mean[0]) >= -1e-15).all()


@pytest.mark.parametrize(("facts", "name", "value"), [
    ({"memory_speed_mts": 2700, "memory_rated_mts": 3600}, "memory_speed", 0.75),
    ({"memory_speed_mts": 3600, "memory_rated_mts": 3600}, "memory_speed", 1.0),
    ({"memory_rated_mts": 3600}, "memory_speed", math.nan), ({"memory_speed_mts": 3600}, "memory_speed", math.nan),
    ({"ram_mib": 16384}, "ram", 14.0), ({"vram_mib": 8192}, "vram", 13.0), ({"cores": 8}, "cores", 3.0),
    ({"cores": "many"}, "cores", math.nan), ({"panel_on_integrated": True}, "panel_on_integrated", 1.0),
    ({"panel_on_integrated": 1}, "panel_on_integrated", math.nan)])
def test_facts_become_numbers_or_are_not_known(facts: dict[str, object], name: str, value: float) -> None:
    found = dict(zip((one.name for one in MODERATORS), moderators_of(facts, {}), strict=True))
    assert found[name] == pytest.approx(value, nan_ok=True)
    assert all(math.isnan(one) for other, one in found.items() if other != name)


def test_a_change_is_known_by_its_setting_and_its_value() -> None:
    there = [record(rig, -0.05) for rig in range(6)]
    other = (Switch(setting="cpu.boost", before="off", after="on"),)
    found = of([*there, *(record(rig, 0.02, study=1, change=other) for rig in range(6))])
    policy = matching(found, Change("gpu.clock-policy", None, "hold-high"))
    assert policy is not None and policy.name.startswith("gpu.clock-policy")
    assert matching(found, Change("gpu.clock-policy", None, "save-power")) is None
    assert matching(found, Change("frame.cap", None, "hold-high")) is None
    two = (*other, Switch(setting="frame.cap", before="off", after=120))
    assert matching(of([record(rig, -0.05, change=two) for rig in range(6)]), Change("frame.cap", None, 120)) is None


def test_of_several_files_each_that_is_left_out_is_named(tmp_path: Path) -> None:
    good = record(1, -0.05).model_dump_json()
    for name, text in (("a.jsonl", "{"), ("b.jsonl", good), ("c.jsonl", "[]")):
        (tmp_path / name).write_text(text + "\n")
    refused = collect_evidence([tmp_path], tmp_path / "all.parquet")
    assert len(refused) == 2 and "a.jsonl" in refused[0] and "c.jsonl" in refused[1]
    assert pq.read_table(tmp_path / "all.parquet").num_rows == 1


def test_a_pool_that_is_kept_says_by_what_software(book: Logbook) -> None:
    result = pool_evidence(flattened([record(rig, -0.05) for rig in range(6)]), PLAN)
    keep_pool(book, "juniper", result, "x.parquet")
    study = newest_finished(book, "juniper", "pool")
    assert study is not None
    about = provenance_of(study)
    assert about.study == study.number and about.software and about.time == study.time
    assert json.loads(json.dumps(study.result))["rigs"] == 6


def test_what_no_rig_gave_a_number_for_is_not_known() -> None:
    silent = [record(rig, 0.0).model_copy(update={"state": "begun", "found": ()}) for rig in range(5)]
    found = of([*silent, *(record(rig, -0.05, study=1) for rig in range(2))])
    assert found.changes[0].telling.told == "not known"
    assert replace(found).changes[0].telling.rigs == 2


def test_two_sides_differ_by_chance_as_welch_has_it() -> None:
    from types import SimpleNamespace

    from scipy.stats import ttest_ind

    random = np.random.default_rng(8)
    y = np.r_[random.normal(0.00, 0.01, 9), random.normal(0.02, 0.04, 14)]
    above = np.arange(y.size) < 9
    one = Rigs(y, np.full(y.size, 1e-4), np.zeros(1, dtype=np.intp))
    whole = SimpleNamespace(found=SimpleNamespace(tau2=np.zeros(1)))
    found = _chance(one, above, ~above, whole)  # type: ignore[arg-type]
    assert found[0] == pytest.approx(ttest_ind(y[above], y[~above], equal_var=False).pvalue)
    few = np.arange(y.size) < 2
    assert math.isnan(_chance(one, few, ~few, whole)[0])  # type: ignore[arg-type]


def test_a_rig_unlike_all_others_is_left_out_and_changes_nothing() -> None:
    random = np.random.default_rng(21)
    switches = [(Switch(setting="cpu.boost", before="off", after=f"w{number}"),) for number in range(8)]
    usual = [record(rig, -0.03 + random.normal(0, 0.003), study=number, change=switch)
             for rig in range(12) for number, switch in enumerate(switches)]
    strange = [record(99, 0.9, study=number, change=switch) for number, switch in enumerate(switches)]
    with_it, without = of([*usual, *strange]), of(usual)
    assert (with_it.odd, without.odd, with_it.rigs) == (1, 0, 12)
    assert [one.telling.mean for one in with_it.changes] == [one.telling.mean for one in without.changes]


def test_a_file_that_is_too_large_is_not_read_and_says_how_large_it_may_be(tmp_path: Path,
                                                                           monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(reading, "MOST_BYTES_OF_LINES", 2 * 1024**2)
    (tmp_path / "a.jsonl").write_text("x" * (2 * 1024**2 + 1))
    (said,) = reading.collect_evidence([tmp_path], tmp_path / "all.parquet")
    assert "larger than 2 MiB: not read" in said
