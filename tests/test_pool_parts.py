"""The parts of a pool, each against what it must come to by itself."""

import json
import math
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from itertools import combinations
from pathlib import Path
from unittest import mock

import numpy as np
import pyarrow.parquet as pq
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import stats

import keenlattice
from keenlattice.logbook.book import Logbook
from keenlattice.logbook.kept import studies
from keenlattice.profile.compare import Change
from keenlattice.study import flattened, pool_evidence, read_evidence
from keenlattice.study.pool import reading
from keenlattice.study.pool.answers import chance_of_sides
from keenlattice.study.pool.evidence import Switch
from keenlattice.study.pool.from_studies import records, records_of
from keenlattice.study.pool.gather import MODERATORS, gathered, moderators_of
from keenlattice.study.pool.meta import Rigs, pooled, ranked, shrunken
from keenlattice.study.pool.order import BLOCKS, NOISE_DOF, WANTED, Noise, Pace, in_order, matching
from keenlattice.study.pool.play import keep_pool
from keenlattice.study.pool.reading import collect_evidence
from keenlattice.study.pool.regression import SPREADS, ridges, slopes_of
from keenlattice.study.pool.vetting import how_far_off, odd, without_a_tenth, without_each
from keenlattice.study.record import provenance_of, result_of, spec_of
from keenlattice.study.trial.power import chance_to_settle
from test_pool import PLAN, of, only, record


def test_who_gains_and_who_loses_is_counted_apart() -> None:
    gain, lose = ([record(rig, way * 0.06) for rig in range(20)] for way in (-1, 1))
    assert (only(gain).helped_pct, only(gain).hurt_pct) == pytest.approx((100, 0), abs=1)
    assert (only(lose).helped_pct, only(lose).hurt_pct) == pytest.approx((0, 100), abs=1)
    both = only([record(rig, -0.06 if rig % 4 else 0.06) for rig in range(20)])
    assert both.helped_pct == pytest.approx(75, abs=8) and both.hurt_pct == pytest.approx(25, abs=8)


@pytest.mark.parametrize(("share", "value"), [(0.5, 10), (0.1, 2), (0.95, 19), (0.125, 2.5), (0.01, 1), (0.999, 19)])
def test_a_new_value_lies_below_a_rank_with_its_probability(share: float, value: float) -> None:
    assert ranked(np.arange(1.0, 20.0), share) == pytest.approx(value)


def test_a_new_value_does_so_in_so_many_cases() -> None:
    random = np.random.default_rng(3)
    below = [random.normal() < ranked(np.sort(random.normal(size=39)), 0.9) for _ in range(4000)]
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
    found = ridges((design.T @ (w[:, None] * design))[None], (design.T @ (w * y))[None])[0]
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


def test_two_players_are_two_rigs_and_two_rigs_of_one_are_two(tmp_path: Path) -> None:
    records = {}
    for name, rig in (("one", "standin"), ("other", "standin")):
        with keenlattice.open(tmp_path / name, rig=rig) as ws:
            ws.trial("brass-orbit@stock", ws.edit("brass-orbit", {"frame.queue-depth": 1}), blocks=4, seconds=2, seed=1)
            (study,), book, catalog = studies(ws.book, "juniper"), ws.book.id, ws.rig.machine.catalog()
            records[name] = [next(records_of(replace(study, rig=played_on), book, catalog, {}))
                             for played_on in ("juniper", "juniper", "larch")]
    (first, again, elsewhere), (theirs, _, _) = records["one"], records["other"]
    assert (first.rig, first.study) == (again.rig, again.study)
    assert len({first.rig, elsewhere.rig, theirs.rig}) == len({first.study, elsewhere.study, theirs.study}) == 3


def test_a_trial_takes_the_blocks_that_settle_what_is_to_be_expected() -> None:
    """The fewest with four chances in five, by the noise of the blocks that were played elsewhere."""
    pace = Pace(20.0, {"gpu.clock-policy": 1.5}, 1.0)
    change, unknown = Change("gpu.clock-policy", "with-load", "hold-high"), Change("frame.cap", "off", 120)
    for effect, error in ((-0.06, 0.004), (-0.03, 0.008)):
        pool = of([record(rig, effect + rig / 5000, error) for rig in range(12)])
        (metric,) = pool.changes[0].metrics
        second, first = in_order(pool, [change, unknown], {}, {}, pace)  # what needs no restart is tried sooner
        noise = Noise(metric.block_noise_pct / 100, NOISE_DOF)
        chances = [chance_to_settle(noise, blocks, 1.0, first.expected[0].here.pct) for blocks in BLOCKS]
        assert first.blocks == BLOCKS[[chance >= WANTED for chance in chances].index(True)]
        assert first.minutes == pytest.approx(2 * first.blocks * (20 / 60 + 1.5)) and first.change == (change,)
        assert first.gain_pct == pytest.approx(-first.expected[0].here.pct, rel=0.02)  # it surely helps
        assert (second.known, second.expected, second.blocks) == ("", (), BLOCKS[2])
        assert second.gain_pct == pytest.approx(metric.gain_pct) and second.minutes == pytest.approx(
            2 * second.blocks * 20 / 60)


def test_a_pool_as_rows_says_of_each_change_and_metric_what_is_known() -> None:
    pool = of([record(rig, -0.06 + rig / 1000) for rig in range(12)])
    (row,), (metric,) = pool._rows(), pool.changes[0].metrics
    assert metric.mean is not None and metric.next_rig is not None
    assert math.isnan(row.pop("before")) and math.isnan(row.pop("after"))
    assert row == {"settings": pool.changes[0].name, "metric": "frame_ms_mean", "rigs": 12, "studies": 12,
                   "change_pct": metric.mean.pct, "low_pct": metric.mean.low_pct, "high_pct": metric.mean.high_pct,
                   "next_low_pct": metric.next_rig[0], "next_high_pct": metric.next_rig[1], "verdict": metric.told,
                   "decides": True}
    assert -7 < row["low_pct"] < row["change_pct"] < row["high_pct"] < -4 and row["next_low_pct"] < row["low_pct"]
    (row,) = of([record(0, -0.06)])._rows()
    assert (row["settings"], row["next_low_pct"]) == (pool.changes[0].name, None)


@pytest.mark.parametrize(("effect", "helped", "hurt"), [(-0.01, 50, 0), (-0.016, 84, 0), (0.01, 0, 50), (0.0, 5, 5)])
def test_how_many_gain_what_matters_is_the_share_of_the_normal_curve(effect: float, helped: float, hurt: float) -> None:
    spread = 0.006 * stats.norm.ppf((np.arange(60) + 0.5) / 60)
    metric = only([record(rig, effect + one, error=1e-4) for rig, one in enumerate(spread)])
    assert (metric.helped_pct, metric.hurt_pct) == pytest.approx((helped, hurt), abs=6)


def test_evidence_is_read_by_whoever_is_to_read_it_with_equal_results(tmp_path: Path) -> None:
    for rig in range(3):
        (tmp_path / f"{rig}.jsonl").write_text(record(rig, -0.05).line())
    with ThreadPoolExecutor() as threads, mock.patch.object(threads, "submit", wraps=threads.submit) as submitted, \
            mock.patch.object(threads, "map", wraps=threads.map) as mapped:
        spread_out = read_evidence([tmp_path], threads)
    assert submitted.called or mapped.called
    assert spread_out.table.equals(read_evidence([tmp_path]).table) and not spread_out.refused


def test_a_study_of_which_nothing_says_what_limited_it_is_evidence_all_the_same(tmp_path: Path) -> None:
    with keenlattice.open(tmp_path / "book", rig="standin") as ws:
        ws.trial("brass-orbit@stock", ws.edit("brass-orbit", {"frame.queue-depth": 1}), blocks=4, seconds=2, seed=1)
        (study,), catalog = studies(ws.book, "juniper"), ws.rig.machine.catalog()
        spec, result = spec_of(study), result_of(study)
        (full,), (bare,) = (list(records(spec, told, "a" * 16, "b" * 16, catalog, {}, day="2026-11-20"))
                            for told in (result, replace(result, limited_by={})))
    assert full.limited_by and not bare.limited_by and bare.found == full.found


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
    (study,) = studies(book, "juniper", "pool", finished=True, most=1)
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
    found = chance_of_sides(one, above, ~above, whole)  # type: ignore[arg-type]
    assert found[0] == pytest.approx(ttest_ind(y[above], y[~above], equal_var=False).pvalue)
    few = np.arange(y.size) < 2
    assert math.isnan(chance_of_sides(one, few, ~few, whole)[0])  # type: ignore[arg-type]


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


def changes_of(*sizes: int, seed: int = 4) -> tuple[Rigs, np.ndarray]:
    """What some rigs say of several changes, and how much rigs differ on each."""
    random = np.random.default_rng(seed)
    starts = np.r_[0, np.cumsum(sizes)[:-1]].astype(np.intp)
    effects, variances = random.normal(-0.03, 0.02, sum(sizes)), random.uniform(1e-5, 4e-4, sum(sizes))
    return Rigs(effects, variances, starts), random.uniform(1e-5, 4e-4, len(sizes))


def test_the_mean_without_one_rig_is_that_of_the_others() -> None:
    found, tau2 = changes_of(1, 5, 9)
    without = without_each(found, tau2)
    assert math.isnan(without[0])  # it has no other
    for change, own in enumerate(found.parts()[1:], 1):
        y, w = found.effect[own], 1 / (found.variance[own] + tau2[change])
        for place in range(y.size):
            assert without[own][place] == pytest.approx(np.average(np.delete(y, place), weights=np.delete(w, place)))


@pytest.mark.parametrize("seed", range(4))
def test_without_a_tenth_the_mean_lies_within_what_any_tenth_leaves(seed: int) -> None:
    found, tau2 = changes_of(1, 6, 14, seed=seed)
    low, high = without_a_tenth(found, tau2)
    assert math.isnan(low[0]) and math.isnan(high[0])
    for change, own in enumerate(found.parts()[1:], 1):
        y, w = found.effect[own], 1 / (found.variance[own] + tau2[change])
        left = [np.average(np.delete(y, gone), weights=np.delete(w, gone))
                for gone in map(list, combinations(range(y.size), -(-y.size // 10)))]
        assert (low[change], high[change]) == pytest.approx((min(left), max(left)))


def test_how_far_a_rig_is_off_is_counted_in_the_deviations_of_each_change() -> None:
    effects = np.array([0.5] * 7 + [0.00, 0.01, 0.02, 0.03, 0.04, 0.05, 0.06, 0.30, -0.20])
    found = how_far_off(Rigs(effects, np.full(16, 1e-4), np.array([0, 7], dtype=np.intp)))
    middle = 0.03
    spread = 1.4826 * np.median(np.abs(effects[7:] - middle))
    assert not found[:7].any()  # too few have tried it
    assert found[7:] == pytest.approx(np.abs(effects[7:] - middle) / math.sqrt(spread ** 2 + 1e-4))
    alike = how_far_off(Rigs(np.array([*np.zeros(9), 0.1]), np.full(10, 1e-4), np.zeros(1, dtype=np.intp)))
    assert alike[9] == pytest.approx(0.1 / math.sqrt(2e-4))  # where all say the same, by the error that they have


def test_a_rig_is_odd_by_the_median_of_four_changes_or_more() -> None:
    rows = [(change, rig) for change in range(5) for rig in range(10)]
    effects = np.array([0.5 if (rig == 9 and change < 3) or (rig == 8 and change < 2) else rig / 1000
                        for change, rig in rows])
    rigs = Rigs(effects, np.full(50, 1e-5), np.arange(0, 50, 10, dtype=np.intp))
    which = np.array([rig for _, rig in rows], dtype=np.intp)
    assert odd(rigs, which, 11).tolist() == [False] * 9 + [True, False]  # 3 of 5; 2 of 5; and one that tried nothing
    three = Rigs(effects[:30], np.full(30, 1e-5), np.arange(0, 30, 10, dtype=np.intp))
    assert not odd(three, which[:30], 11).any()  # three changes are too few to tell


def test_the_same_said_in_another_order_is_the_same() -> None:
    two = (Switch(setting="cpu.boost", before="off", after="on"), Switch(setting="frame.cap", before="off", after=120))
    one = record(1, -0.05, change=two, facts={"cores": 8.0, "ram_mib": 16384.0})
    again = record(2, -0.05, change=two[::-1], facts={"ram_mib": 16384.0, "cores": 8.0},
                   limited_by={"CPU": 40.0, "GPU": 60.0}, played=one.played)
    found = of([one, again])
    assert (found.copies, found.rigs, len(found.changes)) == (1, 1, 1)


def test_how_much_blocks_stray_is_what_is_usual_among_the_trials() -> None:
    errors = [0.004, 0.006, 0.009, 0.02]
    found = only([record(rig, -0.05, error, kind="trial" if rig < 3 else "screen") for rig, error in enumerate(errors)])
    assert found.block_noise_pct == pytest.approx(100 * 0.006 * math.sqrt(8))
    assert only([record(rig, -0.05, kind="screen") for rig in range(3)]).block_noise_pct == 0


def test_of_one_game_alone_is_what_was_played_with_it() -> None:
    table = flattened([*(record(rig, -0.05) for rig in range(6)),
                       *(record(rig, 0.05, study=1, game="tidewater-rally") for rig in range(4, 9))])
    counts = {game: (found.rigs, found.studies) for game in ("", "brass-orbit", "tidewater-rally", "moth-and-lantern")
              for found in [pool_evidence(table, replace(PLAN, game=game))]}
    assert counts == {"": (9, 11), "brass-orbit": (6, 6), "tidewater-rally": (5, 5), "moth-and-lantern": (0, 0)}


@pytest.mark.parametrize(("says", "variance"), [
    ((-0.05,), 1.6e-5), ((-0.05, -0.05), 0.8e-5), ((-0.05, -0.09), 0.8e-5 * 50),
    ((-0.05, -0.09, -0.07), 1.6e-5 / 3 * 25), ((-0.07, -0.071, -0.069), 1.6e-5 / 3)])
def test_studies_of_one_rig_that_disagree_are_believed_as_little_as_they_agree(says: tuple[float, ...],
                                                                              variance: float) -> None:
    """The mean of studies with equal errors, widened by how much they differ beyond these."""
    others = [record(rig, -0.06) for rig in range(1, 9)]
    found = gathered(flattened([*(record(0, one, study=number) for number, one in enumerate(says)), *others])).rigs
    place = int(np.argmin(np.abs(found.effect - np.mean(says)) + np.isclose(found.effect, -0.06)))
    assert found.effect[place] == pytest.approx(np.mean(says)) and found.effect.size == 9
    assert found.variance[place] == pytest.approx(variance, rel=0.06)  # errors of few blocks are drawn together
