"""Screening: designs whose columns are orthogonal, known effects found, placebos left alone, runs kept."""

import json
import math
from dataclasses import replace
from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.sparse.csgraph import connected_components

from conftest import Keen, as_json
from keenlattice.blocks import in_sentences
from keenlattice.errors import BadValue, UnknownName, UsageError
from keenlattice.measure.capture import Capture
from keenlattice.measure.metrics import TRIAL_METRICS, metrics_of
from keenlattice.profile.pack import Claim
from keenlattice.profile.version import Version, stock
from keenlattice.rig.standin.machine import Standin
from keenlattice.rig.standin.pipeline import simulate
from keenlattice.study.deciding import Deciding
from keenlattice.study.player import Run
from keenlattice.study.screen.fit import together
from keenlattice.study.screen.plan import ScreenPlan, drawn_anew, factors_of, hadamard, in_order, screening_design
from keenlattice.study.screen.play import Rounds, costly, run_screen
from keenlattice.study.screen.result import Screen
from keenlattice.study.screen.tell import factor_does, screen_figure, screen_keys, standings, tell_screen
from keenlattice.study.trial.concluding import conclude
from keenlattice.study.trial.plan import TrialPlan
from test_report import assert_clear

BEFORE = stock("brass-orbit")
PACK = Path(__file__).parent.parent / "examples" / "packs" / "pinball-league.toml"


@given(st.integers(1, 60))
def test_designs_are_orthogonal_and_clear_of_interactions(factors: int) -> None:
    whole, design = hadamard(factors + 1), screening_design(factors).astype(int)
    assert (whole.astype(int) @ whole.T == len(whole) * np.eye(len(whole))).all()
    runs = len(design)
    assert (design.T @ design == runs * np.eye(factors)).all() and (design.sum(axis=0) == 0).all()
    assert runs <= 2 * max(4, factors + 12)
    for one in range(min(factors, 6)):  # a product of two columns is orthogonal to every column
        assert not (design.T @ (design[:, [one]] * np.delete(design, one, axis=1))).any()


@given(st.integers(2, 20), st.integers(0, 100), st.data())
def test_every_row_is_played_once_and_costly_ones_together(factors: int, seed: int, data: st.DataObject) -> None:
    design = screening_design(factors)
    dear = data.draw(st.lists(st.integers(0, factors - 1), max_size=2, unique=True))
    order = in_order(design, dear, np.random.default_rng(seed))
    assert sorted(order) == list(range(len(design)))
    levels = [tuple(design[row, dear]) for row in order]
    assert sum(one != other for one, other in pairwise(levels)) <= 2 ** (len(dear) + 1) - 2 or not dear


@given(st.integers(1, 40), st.booleans(), st.integers(0, 99))
def test_columns_drawn_anew_are_as_orthogonal(factors: int, folded: bool, seed: int) -> None:
    design = drawn_anew(factors, folded, np.random.default_rng(seed)).astype(int)
    assert (design.T @ design == len(design) * np.eye(factors)).all()
    if folded:
        assert design.shape == screening_design(factors).shape and (design.sum(axis=0) == 0).all()
    with pytest.raises(BadValue, match="1 to 100"):
        drawn_anew(101, folded, np.random.default_rng(seed))


EMPTY = Screen("g", "b", "a", "r", ScreenPlan((("a.b",),)), (), (), 0, 0, 0)


def made_up(plan: ScreenPlan, effects: list[float], seed: int, pair: float = 0.0, latency: float = 0.0,
            noise: float = 0.006) -> Screen:
    """A screen in which switching each factor on changes every metric by so much (logarithm), the first two together
    by `pair` more, and the third the latency by `latency` also."""
    random, rounds, count = np.random.default_rng(seed), Rounds(plan, []), 0
    while not rounds.over:
        for _, signs, _ in rounds.coming():
            on = signs > 0
            change = effects @ on + pair * float(on[0] and on[1]) + 1e-4 * count + random.normal(0, noise)
            rounds.add(signs, dict.fromkeys(TRIAL_METRICS, 10 * math.exp(change)) | {
                "latency_ms_median": 30 * math.exp(change + random.normal(0, 0.006) + latency * float(on[2]))})
            count += 1
        rounds.look()
    return rounds.result(replace(EMPTY, plan=plan))


def test_known_effects_are_found_and_the_others_do_nothing() -> None:
    claims = (Claim(metric="frame_ms_p99", direction="down", at_least_pct=2),)
    plan = ScreenPlan(tuple((f"x.f{number}",) for number in range(12)), (claims, claims, *[()] * 10), rounds=3)
    effects = [-0.08, 0.08, -0.05, 0.05, *[0.0] * 8]
    result = made_up(plan, effects, 1)
    standing = {one.settings[0]: one.telling.standing for one in result.factors}
    assert [standing[f"x.f{number}"] for number in range(4)] == ["does what is claimed", "does the opposite", "better",
                                                                 "worse"]
    assert [standing[f"x.f{number}"] for number in range(4, 12)] == ["does nothing that matters"] * 8
    claimed = {row[0]: row[-1] for row in standings(result).rows}
    assert "2 %" in claimed["x.f0"] and claimed["x.f0"] == claimed["x.f1"] and claimed["x.f2"] == "-"
    assert not result.interactions and ScreenPlan.of_json(json.loads(json.dumps(plan.to_json()))) == plan
    assert_clear(screen_figure(result), 30)


def test_the_noise_of_its_first_round_says_how_many_a_screen_takes() -> None:
    plan = ScreenPlan(tuple((f"x.f{number}",) for number in range(6)), rounds=12,
                      decides=Deciding("frame_ms_mean", 3), sized=True)
    screens = {noise: made_up(plan, [0.1, *[0.0] * 5], 1, noise=noise) for noise in (0.01, 0.04, 0.3)}
    assert screens[0.01].rounds_played <= 2 == plan.most_rounds(screens[0.01].asked_rounds)
    assert 2 < screens[0.04].asked_rounds <= 12 and screens[0.04].rounds_played <= screens[0.04].asked_rounds
    for noise in (0.01, 0.04):
        assert all(factor.telling.standing != "unclear" for factor in screens[noise].factors)
    # Where it cannot tell what does nothing, it plays no more than a screen that is not sized.
    assert screens[0.3].asked_rounds > 12 and screens[0.3].rounds_played == 4
    assert plan.most_rounds(0) == 4 and replace(plan, sized=False).most_rounds(3) == 12
    with pytest.raises(BadValue, match="two rounds at least"):
        replace(plan, rounds=1)
    # Three changes leave too few runs in a round to know the noise by: then the second round says it.
    few = made_up(replace(plan, factors=plan.factors[:3]), [0.1, 0.0, 0.0], 1, noise=0.03)
    assert few.asked_rounds >= 2 and few.rounds_played <= few.asked_rounds
    alike = made_up(replace(plan, factors=plan.factors[:3]), [0.0] * 3, 1, noise=0.0)
    assert alike.rounds_played <= 4


def test_each_change_is_told_by_what_it_does_to_either() -> None:
    plan = ScreenPlan(tuple((f"x.f{number}",) for number in range(8)), rounds=4, decides=Deciding(matters_pct=2))
    result = made_up(plan, [0.0, -0.1, 0.05, *[0.0] * 5], 1, latency=-0.3)
    does = {one.settings[0]: factor_does(one) for one in result.factors}
    assert does["x.f2"] == "helps median latency, hurts mean frame time"
    assert does["x.f1"] == "helps mean frame time and median latency"
    assert does["x.f5"] == "does nothing that matters to mean frame time and median latency"
    assert "1 of 8 helps at a price: x.f2." in in_sentences(screen_keys(result))
    assert result.factors[0].settings == ("x.f2",)
    assert_clear(screen_figure(result), 30)
    # What is settled is switched no more, so later rounds are the smaller.
    assert result.runs < result.rounds_played * plan.runs_a_round or result.rounds_played == 1


def test_a_rig_without_latency_is_judged_by_frame_time_and_says_so() -> None:
    plan, rounds = ScreenPlan((("x.a",), ("x.b",)), rounds=2, decides=Deciding(matters_pct=3)), Rounds(
        ScreenPlan((("x.a",), ("x.b",)), rounds=2, decides=Deciding(matters_pct=3)), [])
    random = np.random.default_rng(1)
    while not rounds.over:
        for _, signs, _ in rounds.coming():
            rounds.add(signs, dict.fromkeys(TRIAL_METRICS, math.nan) | {
                "frame_ms_mean": 8 * math.exp(0.1 * (signs[0] > 0) + random.normal(0, 0.005))})
        rounds.look()
    result = rounds.result(replace(EMPTY, plan=plan))
    assert "Median latency: not measured" in str(tell_screen(result).blocks)
    assert [one.standings for one in result.factors] == [("worse",), ("does nothing that matters",)]


def test_those_that_act_together_are_named() -> None:
    plan = ScreenPlan(tuple((f"x.f{number}",) for number in range(7)), rounds=3, decides=Deciding("frame_ms_mean"))
    (found,) = made_up(plan, [0.0] * 7, 1, pair=0.1).interactions
    assert found.settings == ("x.f0", "x.f1") and 9 < found.change_pct < 12  # 10.5 is the truth


def test_placebos_are_seldom_called_effective() -> None:
    called = 0
    for seed in range(60):
        plan = ScreenPlan(tuple((f"x.f{number}",) for number in range(8)), rounds=1, seed=seed,
                          decides=Deciding("frame_ms_mean", 1e-6))
        called += sum(one.telling.standing in ("better", "worse") for one in made_up(plan, [0.0] * 8, seed).factors)
    assert 10 <= called <= 38  # of 480 at 5 %: beyond that in fewer than one of a hundred


def test_pairs_are_seldom_named_where_none_acts() -> None:
    named = 0
    for seed in range(120):
        plan = ScreenPlan(tuple((f"x.f{number}",) for number in range(7)), rounds=2, seed=seed,
                          decides=Deciding(matters_pct=0.01))
        named += bool(made_up(plan, [0.0] * 7, seed).interactions)
    assert named <= 13  # of 120 at 5 % among all pairs together; without sharing the error it would be most of them


def test_forty_runs_know_sixteen_changes_as_well_as_a_trial_of_forty_knows_one(rig: Standin) -> None:
    random, line = np.random.default_rng(1), rig.pipeline("brass-orbit")
    plan = ScreenPlan(tuple((f"x.f{number}",) for number in range(16)), rounds=1)
    widths: dict[str, list[float]] = {"screen": [], "trial": []}
    for _ in range(12):
        runs = [metrics_of(simulate(line, 6, int(random.integers(2**31))), TRIAL_METRICS) for _ in range(40)]
        rounds = Rounds(plan, [])
        for (_, signs, _), run in zip(rounds.coming(), runs, strict=True):
            rounds.add(signs, run)
        rounds.look()
        found = rounds.result(replace(EMPTY, plan=plan)).factors[0].judged[0]
        one = conclude(TrialPlan(20, early=False), runs[::2], runs[1::2])[0]
        for name, effect in (("screen", found), ("trial", one)):
            widths[name].append(effect.high_pct - effect.low_pct)  # type: ignore[operator]
    # Equally wide, within what twelve of each tell: so one by one would take sixteen times the runs, not three.
    assert 0.6 < np.median(widths["screen"]) / np.median(widths["trial"]) < 1.7


@pytest.mark.parametrize("sized", [False, True])
def test_a_screen_that_was_stopped_goes_on_to_the_same_result(rig: Standin, sized: bool) -> None:
    after = Version("brass-orbit", {"frame.queue-depth": 1, "scaling.render-scale": 80, "antialias.gamma": False})
    plan = ScreenPlan(factors_of({}, after.entries), rounds=4, seconds=10, seed=4,
                      decides=Deciding("frame_ms_mean", 3), sized=sized)
    whole, kept = run_screen(rig, BEFORE, after, plan), dict[int, Capture]()
    standing = {one.settings[0]: one.telling.standing for one in whole.factors}
    assert standing["scaling.render-scale"] == "better" and standing["antialias.gamma"] == "does nothing that matters"

    def each(run: Run) -> None:
        if run.place == 6:
            raise KeyboardInterrupt
        kept[run.place] = run.capture

    held = rig.state()
    with pytest.raises(KeyboardInterrupt):
        run_screen(rig, BEFORE, after, plan, on_run=each)
    assert rig.state() == held and len(kept) == 6
    assert run_screen(rig, BEFORE, after, plan, done=kept) == whole


def test_what_restarts_the_machine_is_switched_seldom(rig: Standin) -> None:
    after = Version("rig", {"memory.rated-speed": True, "background.recorder": False, "cpu.power-plan": "performance"})
    plan = ScreenPlan(factors_of({}, after.entries), rounds=1)
    assert [plan.factors[place] for place in costly(rig, plan)] == [("memory.rated-speed",)]
    rows = [plan.design()[row] for _, row, _ in plan.runs(costly(rig, plan))]
    on = [row[plan.factors.index(("memory.rated-speed",))] for row in rows]
    assert sum(one != other for one, other in pairwise(on)) == 2  # there and back


def test_groups_and_plans_that_cannot_be() -> None:
    after = {"a.b": 1, "a.c": 2, "a.d": 3}
    assert factors_of({}, after, [["a.d", "a.b"]]) == (("a.d", "a.b"), ("a.c",))
    for groups, says in (([["a.x"]], "set the same there"), ([["a.b"], ["a.b", "a.c"]], "in two groups")):
        with pytest.raises(UsageError, match=says):
            factors_of({}, after, groups)
    for wrong in ({"rounds": 0}, {"seconds": 0.1}, {"factors": ()}):
        with pytest.raises(BadValue):
            ScreenPlan(**{"factors": (("a.b",),), **wrong})  # type: ignore[arg-type]
    with pytest.raises(UnknownName):
        ScreenPlan((("a.b",),), decides=Deciding("fpz"))


def test_screens_on_the_command_line(keen: Keen, tmp_path: Path) -> None:
    keen("edit", "brass-orbit", "frame.queue-depth=1", "scaling.render-scale=80", "antialias.gamma=off",
         "shading.ambient-occlusion=on")
    words = ["screen", "brass-orbit@stock", "brass-orbit", "--seconds", "5", "--matters", "4"]
    assert "4 changes, 16 runs of 5 s a round" in keen(*words, "--plan").stdout
    told = keen(*words, "--seed", "1", "--figure", "s.png", "--together", "antialias.gamma,scaling.render-scale").stdout
    assert "antialias.gamma + scaling.render-scale" in told and (tmp_path / "s.png").exists()
    assert "helps mean frame time" in told
    assert "was left unfinished" in keen("studies", "resume", code=2).stderr
    kept = keen("edit", "brass-orbit", "--from-screen", "1")
    assert "keen trial brass-orbit@stock brass-orbit@" in kept.stderr
    assert {one["setting"] for one in as_json(keen("show", "brass-orbit", "--json"))["settings"]
            if one["layer"] == "game"} == {"frame.queue-depth", "antialias.gamma", "scaling.render-scale"}
    for bad, says in ((["brass-orbit", "--from-screen", "7"], "no screen 7"), (["brass-orbit"], "SETTING=VALUE"),
                      (["moth-and-lantern", "--from-screen", "1"], "is of brass-orbit"),
                      (["brass-orbit", "frame.cap=90", "--from-screen", "1"], "give no settings")):
        assert says in keen("edit", *bad, code=2).stderr
    pack = as_json(keen("screen", "brass-orbit@stock", str(PACK), "--seconds", "5", "--rounds", "1", "--json"))
    assert {one["judged"][0]["metric"] for one in pack["factors"]} == {"latency_ms_median"} and pack["runs"] == 8
    keen("edit", "brass-orbit", "sync.vertical=on", "sync.triple-buffering=on")
    plan = ["screen", "brass-orbit@stock", "brass-orbit", "--plan"]
    assert "one decides what the other does" in keen(*plan).stdout
    assert "sync.triple-buffering + sync.vertical" in keen(*plan, "--together", "checks").stdout
    for bad in (["screen"], ["screen", "brass-orbit", "brass-orbit"], [*words, "--together", "x.y"],
                [*words, "--rounds", "0"], ["trial", *words[1:], "--blocks", "0"]):
        assert keen(*bad, code=2).stderr


def test_what_helps_of_two_profiles_is_kept_in_each(keen: Keen) -> None:
    keen("edit", "brass-orbit", "frame.queue-depth=1", "antialias.gamma=off")
    keen("edit", "rig", "display.refresh=165", "input.key-repeat-delay=250")
    told = keen("screen", "brass-orbit@stock+rig@stock", "brass-orbit+rig", "--seconds", "10", "--matters", "3",
                "--seed", "2")
    assert "keen edit rig --from-screen 1 and keen edit brass-orbit --from-screen 1 make a version" in told.stderr
    for profile, dropped in (("brass-orbit", "antialias.gamma"), ("rig", "input.key-repeat-delay")):
        made = as_json(keen("edit", profile, "--from-screen", "1", "--json"))
        assert [(change["setting"], change["after"]) for change in made["changes"]] == [(dropped, None)]
    assert "is of brass-orbit and rig" in keen("edit", "moth-and-lantern", "--from-screen", "1", code=2).stderr


def test_what_helps_is_kept_on_top_of_what_the_rig_held(keen: Keen) -> None:
    keen("edit", "brass-orbit", "frame.queue-depth=1")
    keen("apply", "brass-orbit", "--yes")
    keen("edit", "brass-orbit", "scaling.render-scale=70", "antialias.gamma=off")
    keen("screen", "brass-orbit@now", "brass-orbit", "--seconds", "10", "--matters", "3", "--seed", "2")
    made = keen("edit", "brass-orbit", "--from-screen", "1")
    assert "antialias.gamma  off   unset" in made.stdout
    assert "keen trial brass-orbit@now brass-orbit@" in made.stderr


@pytest.mark.parametrize("folded", [True, False])
@pytest.mark.parametrize("factors", [2, 3, 7, 12, 20])
def test_a_round_switches_what_is_open_each_half_the_time_and_leaves_the_rest_off(factors: int, folded: bool) -> None:
    plan = ScreenPlan(tuple((f"x.f{number}",) for number in range(factors)), folded=folded)
    for number, open_ in ((0, list(range(factors))), (1, [factors - 1]), (2, list(range(0, factors, 2)))):
        design = plan.design(number, open_).astype(int)
        settled = [place for place in range(factors) if place not in open_]
        assert (design[:, settled] == -1).all() and set(np.unique(design[:, open_])) == {-1, 1}
        assert not design[:, open_].sum(axis=0).any()
        together = design[:, open_].T @ design[:, open_]
        assert (together == len(design) * np.eye(len(open_))).all()
    assert (plan.design() == plan.design(0, range(factors))).all()


@given(st.lists(st.tuples(st.integers(0, 3), st.integers(4, 7), st.floats(-1, 1)), max_size=8,
                unique_by=lambda pair: pair[:2]))
def test_pairs_that_share_a_setting_are_one_group(pairs: list[tuple[int, int, float]]) -> None:
    links = np.zeros((8, 8))
    for first, second, _ in pairs:
        links[first, second] = 1
    _, label = connected_components(links, directed=False)
    groups = together(pairs)
    assert sorted(places for places, _ in groups) == sorted(
        tuple(np.flatnonzero(label == one).tolist()) for one in {label[first] for first, _, _ in pairs})
    for places, effect in groups:
        assert abs(effect) == max(abs(size) for first, _, size in pairs if first in places)
    assert [abs(effect) for _, effect in groups] == sorted((abs(effect) for _, effect in groups), reverse=True)


@given(st.integers(2, 9), st.integers(0, 1000), st.integers(1, 3))
def test_how_many_settings_a_round_switches_is_counted_along_its_runs(count: int, seed: int, repeats: int) -> None:
    plan = ScreenPlan(tuple((f"x.a{number}", f"x.b{number}") for number in range(count)), seed=seed, repeats=repeats,
                      rounds=2)
    held, switched, design = np.full(count, -1), 0, plan.design(0)
    for number, row, _ in plan.runs():
        if number == 0:
            before, held = held, design[row]
            switched += 2 * int((held != before).sum())  # each factor is a group of two
    assert plan.switched() == switched
