"""Trials: the plan, the arithmetic of a verdict, and both scored against what the stand-in knows to be true."""

import math
from collections import Counter
from collections.abc import Callable
from dataclasses import replace
from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from keenlattice.cli import options
from keenlattice.errors import BadValue, RigError, UnknownName, UsageError
from keenlattice.measure.metrics import TRIAL_METRICS, metrics_of
from keenlattice.measure.summaries import t_interval
from keenlattice.profile.version import Entries, Version, stock
from keenlattice.rig.journal import unfinished
from keenlattice.rig.standin.machine import Standin
from keenlattice.study.deciding import Deciding, parsed_matters
from keenlattice.study.trial.adjusting import carried_over, hidden_by_steps
from keenlattice.study.trial.concluding import Fit, Seen, chance_at_the_end, conclude, ended, over, verdict
from keenlattice.study.trial.looks import errors_at
from keenlattice.study.trial.plan import Arm, TrialPlan
from keenlattice.study.trial.play import run_trial
from keenlattice.study.trial.result import MetricResult, Trial
from keenlattice.study.trial.tell import tell_trial
from keenlattice.study.trial.words import cautions, headline, key_of, keys_of


def told_alone(metric: MetricResult) -> str:
    return key_of(Trial("g", "a", "b", TrialPlan(decides=Deciding(metric.name)), (metric,)), metric).sentence


@given(st.integers(2, 60), st.integers(0, 2**31))
def test_each_block_holds_one_run_of_either(blocks: int, seed: int) -> None:
    runs = TrialPlan(blocks=blocks, seed=seed).runs()
    assert [block for block, _, _ in runs] == [number // 2 for number in range(2 * blocks)]
    assert all({runs[2 * block][1], runs[2 * block + 1][1]} == {"before", "after"} for block in range(blocks))
    assert runs == TrialPlan(blocks=blocks, seed=seed).runs()


def test_the_order_within_blocks_is_drawn_in_balance() -> None:
    firsts = [arm for block, arm, _ in TrialPlan(blocks=400, seed=3).runs()][::2]
    assert all(firsts[at:at + 4].count("before") == 2 for at in range(0, 400, 4))
    assert len({tuple(firsts[at:at + 4]) for at in range(0, 400, 4)}) == 6


@pytest.mark.parametrize("wrong", [
    {"blocks": 1}, {"blocks": 0}, {"seconds": math.nan}, {"seconds": 0.1}, {"seed": -1}])
def test_a_plan_that_cannot_be_is_refused(wrong: dict[str, object]) -> None:
    with pytest.raises(BadValue):
        TrialPlan(**wrong)  # type: ignore[arg-type]


@pytest.mark.parametrize(("metrics", "matters_pct", "error"), [
    ("fps_mean", 0, BadValue), ("fps_mean", math.nan, BadValue), ("fps,fps_mean", 1, BadValue),
    ("fpz", 1, UnknownName)])
def test_what_cannot_decide_is_refused(metrics: str, matters_pct: float, error: type[Exception]) -> None:
    with pytest.raises(error):
        Deciding(metrics, matters_pct)
    with pytest.raises(BadValue, match="is not a Deciding: write"):
        TrialPlan(decides=metrics)  # type: ignore[arg-type]


@given(st.lists(st.floats(-1, 1), min_size=2, max_size=30))
def test_the_interval_is_students(values: list[float]) -> None:
    middle, low, high = t_interval(np.array(values), 0.95)
    if np.std(values) > 1e-9:
        theirs = stats.t.interval(0.95, len(values) - 1, np.mean(values), stats.sem(values))
        assert (low, high) == pytest.approx(theirs, abs=1e-9)
    assert low <= middle <= high


@pytest.mark.parametrize(("low", "high", "lower_is_better", "says"), [
    (-0.10, -0.05, True, "better"), (-0.10, -0.05, False, "worse"), (0.05, 0.10, True, "worse"),
    (0.05, 0.10, False, "better"), (-0.005, 0.005, True, "no difference that matters"),
    (0.002, 0.005, True, "no difference that matters"), (0.005, 0.05, True, "unclear"), (-0.05, 0.05, False, "unclear"),
    (-0.02, -0.005, True, "unclear"),
])
def test_the_word_for_an_interval(low: float, high: float, lower_is_better: bool, says: str) -> None:
    assert verdict(low, high, 1.0, lower_is_better) == says


def test_a_known_change_is_told_with_its_interval() -> None:
    random = np.random.default_rng(1)
    runs = {arm: [dict.fromkeys(("frame_ms_mean", "frame_ms_p50", "frame_ms_p99", "fps_mean", "low_1_fps",
                                 "latency_ms_median", "latency_ms_p95"), 10 * factor * math.exp(random.normal(0, 0.01)))
                  | {"stutters_per_min": 0.0} for _ in range(10)] for arm, factor in (("before", 1), ("after", 0.9))}
    first, *others = conclude(TrialPlan(blocks=10, decides=Deciding("latency_ms_p95"), early=False), *runs.values())
    assert first.name == "latency_ms_p95" and first.verdict == "better"
    assert first.low_pct < -10 < first.high_pct  # type: ignore[operator]
    assert {one.name: one.verdict for one in others}["fps_mean"] == "worse"
    stutters = next(one for one in others if one.name == "stutters_per_min")
    assert (stutters.before, stutters.change_pct, stutters.verdict) == (0, None, "unclear")  # none seen proves none
    assert "rare events" in told_alone(stutters)
    assert all(one.confidence > first.confidence for one in others)


def test_with_fewer_than_two_numbers_there_is_no_verdict() -> None:
    blank = dict.fromkeys(("frame_ms_mean", "frame_ms_p50", "frame_ms_p99", "fps_mean", "low_1_fps",
                           "stutters_per_min", "latency_ms_median", "latency_ms_p95"), math.nan)
    (first, *_) = conclude(TrialPlan(blocks=2), [blank, blank | {"frame_ms_mean": 8.0}], [blank, blank])
    assert (first.before, first.low_pct, first.verdict, first.n) == (None, None, "unclear", 0)


def test_the_rig_is_put_back_even_if_it_breaks(rig: Standin, monkeypatch: pytest.MonkeyPatch) -> None:
    rig.put({rig.place: b'{ "brass-orbit": {"frame.cap": 99} }'})
    held, played = rig.state(), rig.play
    after = Version("brass-orbit", {"frame.queue-depth": 1})
    assert run_trial(rig, stock("brass-orbit"), after, TrialPlan(blocks=2, seconds=2)).rig == "juniper"
    assert rig.state() == held

    def breaks(game: str, seconds: float, seed: int) -> object:
        if rig.values(rig.state(), "brass-orbit"):
            raise RigError("the game crashed")
        return played(game, seconds, seed)

    monkeypatch.setattr(rig, "play", breaks)
    with pytest.raises(RigError, match="crashed"):
        run_trial(rig, stock("brass-orbit"), after, TrialPlan(blocks=2, seconds=2))
    assert rig.state() == held


def test_what_cannot_be_compared(rig: Standin) -> None:
    with pytest.raises(UsageError, match="two profiles"):
        run_trial(rig, stock("brass-orbit"), stock("tidewater-rally"), TrialPlan())
    with pytest.raises(UsageError, match="--game"):
        run_trial(rig, stock("rig"), stock("rig"), TrialPlan())
    with pytest.raises(UsageError, match=r"no\.such"):
        run_trial(rig, stock("brass-orbit"), Version("brass-orbit", {"no.such": 1}), TrialPlan())


def test_rig_wide_versions_are_restarted_for(rig: Standin) -> None:
    result = run_trial(rig, stock("rig"), Version("rig", {"memory.rated-speed": True}), TrialPlan(blocks=6, seconds=30),
                       "moth-and-lantern")
    assert result["latency_ms_median"].n == 6
    assert rig.facts()["memory_speed_mts"] == 2666  # put back, and restarted


def truth_pct(rig: Standin, values: Entries, metric: str) -> float:
    """What a change truly does: from 200 runs of either version, with seeds that no trial uses."""
    means = []
    for entries in ({}, values):
        rig.put(rig.changed({rig.place: None}, "brass-orbit", entries))
        runs = [metrics_of(rig.play("brass-orbit", 10, 10**9 + seed), [metric])[metric] for seed in range(200)]
        means.append(np.log(runs).mean())
    return float(100 * np.expm1(means[1] - means[0]))


@pytest.mark.long
def test_a_version_against_itself_is_seldom_better_or_worse(rig: Standin) -> None:
    same, said = stock("brass-orbit"), dict[str, list[MetricResult]](frame_ms_mean=[], latency_ms_median=[])
    for seed in range(200):  # the same runs, as they would be concluded with either metric deciding
        runs: dict[str, list[dict[str, float]]] = {"before": [], "after": []}
        run_trial(rig, same, same, plan := TrialPlan(8, 6, seed, Deciding("frame_ms_mean", 0.05), early=False),
                  on_run=lambda run, runs=runs: runs[run.arm].append(  # type: ignore[misc]
                      metrics_of(run.capture, TRIAL_METRICS)))
        for metric, results in said.items():
            results.append(conclude(replace(plan, decides=Deciding(metric, 0.05)), runs["before"], runs["after"])[0])
    for results in said.values():
        # With next to nothing mattering, better or worse means that the interval left zero out: 5 % of the time.
        assert sum(one.verdict in ("better", "worse") for one in results) <= 18
        assert 166 <= sum(one.low_pct <= 0 <= one.high_pct for one in results) <= 193  # type: ignore[operator]


@pytest.mark.parametrize(("metric", "values", "says"), [
    ("frame_ms_mean", {"scaling.render-scale": 104}, "worse"),
    ("latency_ms_median", {"frame.queue-depth": 2}, "better"),
])
@pytest.mark.long
def test_a_change_of_three_times_what_matters_is_told(rig: Standin, metric: str, values: Entries, says: str) -> None:
    matters = abs(truth_pct(rig, values, metric)) / 3
    after = Version("brass-orbit", values)
    plans = [TrialPlan(8, 10, seed, Deciding(metric, matters)) for seed in range(50)]
    said = [run_trial(rig, stock("brass-orbit"), after, plan).deciding.verdict for plan in plans]
    assert said.count(says) >= 45, (matters, said)


def test_the_folder_holds_nothing_of_a_trial_afterwards(tmp_path: Path) -> None:
    rig = Standin(tmp_path / "fresh")
    run_trial(rig, stock("brass-orbit"), Version("brass-orbit", {"frame.cap": 99}), TrialPlan(blocks=2, seconds=1))
    assert not (rig.home / "state.json").exists() and not unfinished(rig.home)


def _claims(name: str, draw: Callable[[np.random.Generator, bool], float], blocks: int, matters: float) -> Counter[str]:
    """How often each word is said of 400 trials, by what their runs are drawn from."""
    random, plan = np.random.default_rng(7), TrialPlan(blocks=blocks, decides=Deciding(name, matters))
    said = Counter[str]()
    for _ in range(400):
        arms = [[dict.fromkeys(TRIAL_METRICS, math.nan) | {name: draw(random, after)} for _ in range(blocks)]
                for after in (False, True)]
        said[conclude(plan, *arms)[0].verdict] += 1
    return said


@pytest.mark.parametrize("blocks", [2, 4, 8])
def test_events_that_are_rare_and_timers_that_are_coarse_are_no_proof_of_nothing(blocks: int) -> None:
    rare = _claims("stutters_per_min", lambda random, after: 2.0 * random.poisson(0.1 * after), blocks, 10)
    coarse = _claims("frame_ms_mean", lambda random, after: 16.0 + (random.random() < 0.3 * after), blocks, 1)
    for said in (rare, coarse):  # either is truly different by more than what matters
        assert said["no difference that matters"] <= 0.05 * 400, said


def test_a_ratio_beyond_all_numbers_is_no_fault() -> None:
    plan = TrialPlan(blocks=5, decides=Deciding("frame_ms_mean"))
    arms = [[dict.fromkeys(TRIAL_METRICS, value) for value in (5.0, 9.0, 1.0, 8.0, 2.0)[:2]] for _ in range(2)]
    arms[1][0] = dict.fromkeys(TRIAL_METRICS, 1e200)
    found = conclude(plan, *arms)[0]
    assert found.high_pct == math.inf and found.verdict == "unclear" and ">+999" in told_alone(found)


@pytest.mark.parametrize("name", ["frame_ms_p99_9", "unanswered_pct", "refreshes_pct", "latency_ms_mean"])
def test_whatever_is_measured_can_decide(rig: Standin, name: str) -> None:
    plan = TrialPlan(blocks=2, seconds=2, seed=1, decides=Deciding(name))
    found = run_trial(rig, stock("brass-orbit"), Version("brass-orbit", {"frame.queue-depth": 1}), plan)
    assert found.metrics[0].name == name and Trial.of_json(found.to_json()) == found


BOTH = "frame_ms_mean,latency_ms_median"


def of_two(random: np.random.Generator, blocks: int, frame: float, latency: float) -> list[list[dict[str, float]]]:
    """Runs of either version, in which frame time and latency differ by these factors."""
    return [[dict.fromkeys(TRIAL_METRICS, 10.0 * math.exp(random.normal(0, 0.01))) | {
        "frame_ms_mean": (frame if after else 1.0) * math.exp(random.normal(0, 0.01)),
        "latency_ms_median": 30 * (latency if after else 1.0) * math.exp(random.normal(0, 0.01))}
        for _ in range(blocks)] for after in (False, True)]


def test_several_metrics_decide_at_one_shared_error(rig: Standin) -> None:
    plan = TrialPlan(blocks=8, decides=Deciding(matters_pct=0.01), early=False)
    random, wrong = np.random.default_rng(5), 0
    assert plan.decides.metrics == BOTH == options.DECIDES
    for _ in range(400):  # alike in both: to say better or worse of either is wrong
        found = conclude(plan, *of_two(random, 8, 1.0, 1.0))[:2]
        wrong += any(one.verdict in ("better", "worse") for one in found)
        assert {round(one.confidence, 9) for one in found} <= {0.95, 0.9}  # what is settled leaves its part to the rest
    assert wrong <= 0.07 * 400
    plan = TrialPlan(blocks=8, decides=Deciding(BOTH, 3), early=False)
    told = Trial("g", "a", "b", plan, conclude(plan, *of_two(random, 8, 1.0, 0.8)), "r", 8)
    assert told.deciding.name == "latency_ms_median" and [one.verdict for one in told.decisive] == [
        "no difference that matters", "better"]
    assert "Latency is better" in headline(told)
    assert " Frame time shows no difference that matters" in headline(told)
    assert all(len(key.sentence.split()) <= 22 for key in keys_of(told))
    unmeasured = [[run | {"latency_ms_median": math.nan} for run in arm] for arm in of_two(random, 8, 1.0, 1.0)]
    alone = Trial("g", "a", "b", plan, conclude(plan, *unmeasured), "r", 8)
    assert alone.deciding.name == "frame_ms_mean" and alone.deciding.confidence == pytest.approx(0.9)
    assert "Latency was not measured" in headline(alone)
    for wrong_one in (f"{BOTH},frame_ms_mean", "frame_ms_mean,", ",".join(TRIAL_METRICS)):
        with pytest.raises(UsageError):
            TrialPlan(decides=Deciding(wrong_one))


def test_an_early_end_waits_for_all_that_decide() -> None:
    random, plan = np.random.default_rng(2), TrialPlan(blocks=10, decides=Deciding(BOTH, 3), early=True)
    for latency, ends in ((0.7, True), (1.03, False)):  # the one is plain, the other lies on the border
        before, after = of_two(random, 4, 0.7, latency)
        runs = [run for pair in zip([("before", one) for one in before], [("after", one) for one in after], strict=True)
                for run in pair]
        assert ended(plan, runs) == ("settled" if ends else "")


def test_what_matters_may_differ_and_be_an_amount() -> None:
    assert parsed_matters("2,latency_ms_median=1ms", BOTH) == (2.0, (("latency_ms_median", 1.0, "ms"),))
    assert parsed_matters("0.5ms", BOTH)[1] == (("frame_ms_mean", 0.5, "ms"), ("latency_ms_median", 0.5, "ms"))
    plan = TrialPlan(blocks=8, decides=Deciding(matters_pct=2.0, matters_of=(("latency_ms_median", 1.5, "ms"),)))
    found = conclude(plan, *of_two(np.random.default_rng(2), 8, 1.0, 1.0))
    assert found[0].matters_pct == 2.0 and found[1].matters_pct == pytest.approx(5.0, rel=0.03)  # 1.5 of 30 ms
    for wrong in ("much", "3fps", "1%ms", "frame_ms=1", "latency_ms_median=1fps"):
        with pytest.raises(UsageError):
            parsed_matters(wrong, BOTH)


def test_a_trial_ends_where_it_will_hardly_be_settled_any_more() -> None:
    random, plan = np.random.default_rng(3), TrialPlan(blocks=20, decides=Deciding("frame_ms_mean", 0.2))
    said = Counter[str]()
    for _ in range(40):
        before, after = of_two(random, 14, 1.0, 1.0)
        runs = [run for pair in zip([("before", one) for one in before], [("after", one) for one in after], strict=True)
                for run in pair]
        assert ended(plan, runs[:14]) == ""  # too early to give it up
        said[ended(plan, runs)] += 1
    assert said["futile"] >= 25 and said["settled"] <= 2


@given(st.integers(0, 1000), st.floats(0.8, 1.25))
def test_a_frame_rate_is_a_mean_frame_time_the_other_way_round(seed: int, factor: float) -> None:
    plan = TrialPlan(blocks=8, decides=Deciding("frame_ms_mean"))
    results = {one.name: one for one in conclude(plan, *of_two(np.random.default_rng(seed), 8, factor, 1.0))}
    time, rate = results["frame_ms_mean"], results["fps_mean"]
    assert rate.verdict == time.verdict and rate.before == pytest.approx(1000 / time.before)  # type: ignore[operator]
    for mine, its in ((rate.change_pct, time.change_pct), (rate.low_pct, time.high_pct), (rate.high_pct, time.low_pct)):
        assert (1 + mine / 100) * (1 + its / 100) == pytest.approx(1)  # type: ignore[operator]


def test_fewer_than_four_blocks_have_no_word() -> None:
    plan = TrialPlan(blocks=3, decides=Deciding("frame_ms_mean"))
    found = conclude(plan, *of_two(np.random.default_rng(1), 3, 0.5, 1.0))[0]
    assert found.verdict == "unclear" and found.high_pct < -40  # type: ignore[operator]
    assert "Fewer than 4 blocks prove nothing" in str(cautions(Trial("g", "a", "b", TrialPlan(
        blocks=8, decides=Deciding(found.name)), (found,))))


@pytest.mark.parametrize(("effect", "spread", "matters"), [
    (0.0, 0.01, 3.0), (0.02, 0.03, 3.0), (-0.02, 0.03, 3.0), (0.035, 0.02, 3.0), (-0.035, 0.02, 3.0), (0.1, 0.05, 3.0)])
def test_the_chance_to_be_settled_at_the_end_is_that_of_going_on_like_that(effect: float, spread: float,
                                                                          matters: float) -> None:
    """Against blocks that are drawn: the mean of all of them, known as well as the last look will know it."""
    plan = TrialPlan(blocks=12, seconds=10, seed=3, decides=Deciding("frame_ms_mean", matters))
    random = np.random.default_rng(8)
    logs = effect + spread * random.normal(size=8)
    logs += effect - logs.mean()
    seen = Seen(plan, [{"frame_ms_mean": 8.0}] * 8, [{"frame_ms_mean": 8 * math.exp(one)} for one in logs])
    fit = seen.fit("frame_ms_mean")
    assert fit is not None and fit.middle == pytest.approx(effect, abs=2e-3)
    at_end, margin = fit.error * math.sqrt(8 / 12), math.log(1 + matters / 100)
    half = Fit(0.0, at_end, fit.dof + 4).half(errors_at(12, 0.05, True)[12])
    means = fit.middle + math.sqrt(fit.error ** 2 - at_end ** 2) * random.standard_t(fit.dof, 200_000)
    settled = (np.abs(means) + half < margin) | (np.abs(means) - half > margin)
    assert chance_at_the_end(seen, "frame_ms_mean", 1) == pytest.approx(settled.mean(), abs=0.005)


@given(seed=st.integers(0, 10_000), blocks=st.integers(4, 40))
def test_no_order_goes_to_and_fro_for_long(seed: int, blocks: int) -> None:
    """Either version comes first equally often in every four blocks; and a load every four runs finds no order that
    goes with it in the first four of eight."""
    arms = [arm for _, arm, _ in TrialPlan(blocks, seed=seed).runs()][::2]
    for start in range(0, blocks - 3, 4):
        four = arms[start:start + 4]
        assert four.count("before") == 2
        assert start % 8 or any(one == other for one, other in pairwise(four))


def sized(noise: float, effect: float, seed: int) -> tuple[list[tuple[Arm, dict[str, float]]], Seen]:
    plan = TrialPlan(40, seed=seed, decides=Deciding("frame_ms_mean", 3.0), sized=True)
    random, runs = np.random.default_rng(seed), list[tuple[Arm, dict[str, float]]]()
    for _, arm, _ in plan.runs():
        drawn = noise * random.standard_normal() + effect * (arm == "after")
        runs.append((arm, {"frame_ms_mean": 7 * math.exp(drawn)}))
        if over(plan, runs):
            break
    return runs, Seen(plan, *([run for side, run in runs if side == arm] for arm in ("before", "after")))


def test_a_trial_sizes_itself_by_its_own_first_blocks() -> None:
    asked = {noise: np.median([seen.asked for seed in range(9) if (seen := sized(noise, 0.03, seed)[1]).asked])
             for noise in (0.005, 0.02, 0.04)}
    assert asked[0.005] == 8 < asked[0.02] < asked[0.04]
    for seed in range(6):
        runs, seen = sized(0.02, 0.0, seed)
        assert len(runs) == 2 * seen.blocks <= 2 * max(8, seen.most) and seen.most <= 40
    # Until it has sized itself, nothing depends on the size that it will take; and it never spends more than there is.
    early = [[errors_at(blocks, 0.05, True, True)[look] for look in (4, 6, 7)] for blocks in (9, 20, 40)]
    assert early[0] == early[1] == early[2] and all(0 < error < 0.05 for error in early[0])


def test_a_change_of_three_times_what_matters_takes_few_runs_and_none_takes_half_of_a_pilot_and_its_trial() -> None:
    large = [len(sized(0.02, math.log(1.1), seed)[0]) for seed in range(20)]
    none = [len(sized(0.02, 0.0, seed)[0]) for seed in range(20)]
    assert np.mean(large) < 14 and np.mean(none) < 30  # with a pilot before them 29 and 41


@pytest.mark.parametrize(("before", "after", "hidden"), [
    ([25.0] * 12, [26.0] * 8 + [25.0] * 4, math.log(26 / 25)),        # both on two steps: off by half of one each
    ([24.0, 25.0, 26.0] * 4, [24.0, 25.0, 26.0, 27.0] * 3, 0.0),      # spread over several: it averages out
    ([24.0, 25.0, 26.0] * 4, [26.0] * 12, math.log(26 / 25) / 2),
    ([25.0] * 12, [25.0] * 12, 0.0),                                  # nothing is known of any step
    ([25.0 + 0.1 * run for run in range(12)], [26.05 + 0.1 * run for run in range(12)], 0.0)])
def test_what_a_coarse_timer_hides_does_not_average_out(before: list[float], after: list[float], hidden: float) -> None:
    spread, found = hidden_by_steps([np.log(before), np.log(after)])
    assert found == pytest.approx(hidden, rel=0.01) and (spread > 0) == (hidden > 0 or len({*before}) == 3)


def test_what_a_version_leaves_behind_is_seen_in_the_run_after_it() -> None:
    random, chances = np.random.default_rng(4), dict[float, list[float]]()
    for carry in (0.0, 0.03):
        for seed in range(40):
            plan = TrialPlan(24, seed=seed, decides=Deciding("frame_ms_mean"), early=False)
            arms = [arm for _, arm, _ in plan.runs()]
            logs = 0.01 * random.standard_normal(48) + carry * np.array([
                place > 0 and arms[place - 1] == "after" for place in range(48)])
            sides = np.array([[logs[2 * block + (arms[2 * block] != arm)] for block in range(24)]
                              for arm in ("before", "after")])
            firsts = np.array([1.0 if arm == "before" else -1.0 for arm in arms[::2]])
            chance = carried_over(sides, firsts)
            assert chance is not None
            chances.setdefault(carry, []).append(chance)
    assert np.mean(np.array(chances[0.0]) < 0.01) <= 0.1 and np.mean(np.array(chances[0.03]) < 0.01) >= 0.85
    assert carried_over(np.zeros((2, 6)), np.ones(6)) is None


def test_what_stays_open_says_how_to_go_on() -> None:
    open_ = MetricResult("frame_ms_mean", "ms", 8.0, 8.08, 1.0, -3.0, 5.0, "unclear", 0.95, 8)
    plan = TrialPlan(blocks=8, decides=Deciding("frame_ms_mean"))

    def advice(asked: int = 0, **more: object) -> str:
        return tell_trial(Trial("g", "a@1", "b@2", replace(plan, **more), (open_,), asked_blocks=asked)).advice

    assert "keen trial a@1 b@2 --game g --decides frame_ms_mean --matters 1% --pilot 8" in advice()
    assert "--blocks 16; or play longer runs" in advice(few_switches=True)
    assert "--blocks 20 plays as many blocks as it asked for" in advice(20)
    assert "these runs vary too much" in advice(1001)
