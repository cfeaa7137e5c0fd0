"""Tuning: the best combination is found, limits are kept, what does not run is survived, runs are kept."""

import json
import math
import sqlite3
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import stats

from conftest import Keen, as_json
from keenlattice.errors import BadValue, RigError, UnknownName
from keenlattice.measure.capture import Capture
from keenlattice.profile.version import stock
from keenlattice.rig.standin.machine import Standin
from keenlattice.rig.standin.mechanisms import STABLE_MHZ
from keenlattice.study.deciding import Deciding
from keenlattice.study.player import Run
from keenlattice.study.ramp.plan import Ramp, RampPlan
from keenlattice.study.ramp.play import run_ramp
from keenlattice.study.tune.noise import error_of_difference, noises
from keenlattice.study.tune.plan import Limit, TunePlan, Tuning
from keenlattice.study.tune.play import Race, run_tune

BASE = stock("brass-orbit")
PLAN = TunePlan((("frame.cap", ("off", 120)), ("frame.queue-depth", (1, 3))), Deciding("latency_ms_median", 5),
                (Limit("frame_ms_p50", "below", 6.0),), 8, 5, 3)


def raced(values: list[float], limited: list[float], seed: int, noise: float = 0.01, more: float = 1.0) -> Race:
    """A race of made-up combinations with these goals, of which `limited` is bounded by 10; every other one varies
    `more` times as much."""
    random = np.random.default_rng(seed)
    limit = Limit("frame_ms_p99", "below", 10.0)
    plan = TunePlan((("a.b", tuple(range(len(values)))),), Deciding("fps_mean"), (limit,), seed=seed)
    race, over, at = Race(plan), False, 0
    while not over and at < plan.rounds:
        for one in race.order(at):
            race.add(at, one, {"fps_mean": values[one] * math.exp(random.normal(0, noise * (more if one % 2 else 1))),
                               "frame_ms_p99": limited[one] * math.exp(random.normal(0, noise))})
        over, at = race.look(at), at + 1
    return race


def test_the_best_that_keeps_the_limit_wins_and_runs_go_where_it_is_not_told() -> None:
    right, spent = 0, [0] * 5
    for seed in range(60):
        race = raced([100, 140, 120, 119, 90], [8, 12, 8, 8, 8], seed)
        right += race.best() in (2, 3)
        assert race.out.get(1) == "breaks a limit" and race.out.get(4) in ("worse", "no better")
        spent = [before + len(runs) for before, runs in zip(spent, race.runs, strict=True)]
    assert right == 60 and max(spent[4], spent[1]) < 0.75 * spent[2] and spent[2] > 1.1 * spent[0]
    assert raced([1.0, 2.0], [99, 99], 1).best() is None


def test_what_is_said_of_a_combination_is_the_geometric_mean_of_its_runs() -> None:
    race = raced([100, 140], [8, 9], 1)
    for row in race.standings():
        place = race.combinations.index(row.values)
        for goal, mean in zip(race.plan.goals, row.goals, strict=True):
            assert mean == pytest.approx(stats.gmean([run[goal] for run in race.runs[place].values()]))
    waits = Race(TunePlan((("a.b", (0, 1)),), Deciding("frame_ms_mean")))
    for number, frame in enumerate((8.0, 9.0, 10.0)):
        for place in (0, 1):
            waits.add(number, place, {"frame_ms_mean": frame + place})
    assert sorted(row.goals[0] for row in waits.standings() if row.goals[0]) == pytest.approx(
        [stats.gmean([8, 9, 10]), stats.gmean([9, 10, 11])])


@settings(max_examples=40)
@given(st.integers(2, 9), st.integers(3, 12), st.integers(0, 2**31))
def test_the_noise_of_all_is_what_a_fit_of_combinations_and_rounds_leaves(count: int, rounds: int, seed: int) -> None:
    scores = np.random.default_rng(seed).normal(size=(count, rounds))
    terms = np.hstack([np.kron(np.eye(count), np.ones((rounds, 1))), np.tile(np.eye(rounds), (count, 1))])
    left = scores.ravel() - terms @ np.linalg.lstsq(terms, scores.ravel(), rcond=None)[0]
    variances, dof = noises(scores)
    assert variances.mean() == pytest.approx(left @ left / (count - 1) / (rounds - 1))
    assert dof.sum() == pytest.approx((count - 1) * (rounds - 1))
    moved, _ = noises(scores + 5 * np.arange(rounds) - 3 * np.arange(count)[:, None])
    assert moved == pytest.approx(variances)
    error, of_pair = error_of_difference(np.ones(2), dof[:2], rounds)
    assert error == pytest.approx(math.sqrt(2 / rounds)) and of_pair == pytest.approx(2 * dof[0])
    error, of_pair = error_of_difference(*(values[:2] for values in noises(scores[:2])), rounds)  # as pairs tell it
    assert error == pytest.approx((scores[0] - scores[1]).std(ddof=1) / math.sqrt(rounds))
    assert of_pair == pytest.approx(rounds - 1)


def test_alike_combinations_are_seldom_called_worse() -> None:
    """Also where half of them vary three times as much."""
    worse = 0
    for seed in range(60):
        race = raced([100] * 8, [8] * 8, seed, noise=0.01, more=3.0 if seed % 2 else 1.0)
        worse += "worse" in race.out.values()
    assert worse <= 6  # of 60, at most one in twenty; more than six of them in one of 40 such tests


def test_one_that_only_seems_to_keep_the_limit_puts_nobody_out() -> None:
    races = [raced([140, 120], [10.3, 8.0], seed, noise=0.05) for seed in range(40)]
    assert all(1 not in race.out for race in races) and sum(race.best() == 1 for race in races) >= 38


def test_a_limit_that_was_not_measured_is_not_kept() -> None:
    race = raced([100, 140], [math.nan, math.nan], 1)
    assert race.best() is None and {one.standing for one in race.standings()} == {"limit not measured"}


def test_what_never_stutters_beats_what_does() -> None:
    """A zero is the best that a count can be, not a number that is missing."""
    random = np.random.default_rng(1)
    plan = TunePlan((("a.b", (0, 1, 2)),), Deciding("stutters_per_min"), seconds=30, seed=1)
    race, over, at = Race(plan), False, 0
    while not over and at < plan.rounds:
        for one in race.order(at):
            race.add(at, one, {"stutters_per_min": 2.0 * random.poisson((2.0, 0.0, 4.0)[one])})
        over, at = race.look(at), at + 1
    best = race.standings()[0]
    assert (best.values, best.standing, best.goals) == ({"a.b": 1}, "best", (0.0,))
    assert {one.standing for one in race.standings()[1:]} == {"worse"}


@pytest.mark.parametrize("stops_at", [None, 3, 9])
def test_tuning_on_the_rig_and_going_on(rig: Standin, stops_at: int | None) -> None:
    kept, held = dict[int, Capture](), rig.state()
    whole = run_tune(rig, BASE, PLAN)
    assert whole.best and whole.best.values == {"frame.cap": "off", "frame.queue-depth": 1} and whole.settled
    assert [one.standing for one in whole.combinations[-2:]] == ["breaks a limit"] * 2

    def each(run: Run) -> None:
        if run.place == stops_at:
            raise KeyboardInterrupt
        kept[run.place] = run.capture

    if stops_at is not None:
        with pytest.raises(KeyboardInterrupt):
            run_tune(rig, BASE, PLAN, on_run=each)
        assert len(kept) == stops_at
    assert rig.state() == held and run_tune(rig, BASE, PLAN, done=kept) == whole


def test_a_combination_that_crashes_is_survived(rig: Standin, monkeypatch: pytest.MonkeyPatch) -> None:
    played = rig.play

    def crashes(game: str, seconds: float, seed: int) -> Capture:
        if rig.values(rig.state(), game).get("frame.queue-depth") == 1:
            raise RigError("the game crashed")
        return played(game, seconds, seed)

    monkeypatch.setattr(rig, "play", crashes)
    held, result = rig.state(), run_tune(rig, BASE, PLAN)
    assert result.best and result.best.values["frame.queue-depth"] == 3 and rig.state() == held
    out = [one for one in result.combinations if one.standing == "does not run"]
    assert len(out) == 2 and all(one.goals == (None,) for one in out) and len(result.excluded) == 6


def test_plans_that_cannot_be(rig: Standin) -> None:
    choices = (("frame.cap", ("off", 120)),)
    for wrong in ({"choices": (("frame.cap", (120,)),)}, {"rounds": 2}, {"seconds": 0},
                  {"choices": (("frame.cap", tuple(range(201))),)}):
        with pytest.raises(BadValue):
            TunePlan(**{"choices": choices, "goal": Deciding("fps_mean"), **wrong})  # type: ignore[arg-type]
    with pytest.raises(UnknownName):
        TunePlan(choices, Deciding("fpz"))
    with pytest.raises(BadValue):  # never outside of the catalog
        run_tune(rig, BASE, TunePlan((("frame.queue-depth", (1, 99)),), Deciding("fps_mean")))
    whole = Tuning("", "", "", PLAN, (), 0, 0, True)
    assert Tuning.of_json(json.loads(json.dumps(whole.to_json()))) == whole


def test_tuning_on_the_command_line(keen: Keen, tmp_path: Path) -> None:
    words = ["tune", "brass-orbit@stock", "--try", "frame.cap=off,120", "--try", "frame.queue-depth=1,3", "--goal",
             "latency_ms_median", "--keep", "frame_ms_p50<6", "--seconds", "5", "--seed", "3", "--matters", "5"]
    told = as_json(keen(*words, "--json"))
    assert told["version"] and told["combinations"][0]["values"] == {"frame.cap": "off", "frame.queue-depth": 1}
    made = "brass-orbit@tune-1"
    assert "frame.queue-depth" in keen("show", made).stdout
    assert "brass-orbit@stock" in keen("show", "brass-orbit").stdout  # the latest is what its player made
    assert told["trial"]["metrics"][0]["verdict"] == "better" and 4 <= told["trial"]["blocks_played"] <= 8
    keen("edit", "brass-orbit", "texture.anisotropy=16x")
    said = keen(*words).stdout
    assert "was made of the best, from brass-orbit@stock. Your latest version stays" in " ".join(said.split())
    assert "It does not have what" in said and "texture.anisotropy" in said and "Latency is better" in said
    keen("merge", "brass-orbit", made)
    assert {"texture.anisotropy", "frame.queue-depth"} <= {one["setting"] for one in as_json(
        keen("show", "brass-orbit", "--json"))["settings"] if one["layer"] == "game"}
    assert "The best is frame.cap = off, frame.queue-depth = 1" in " ".join(said.split()) and "breaks a limit" in said
    assert "No combination keeps" in keen(*words, "--keep", "frame_ms_p50<1").stdout
    for bad in (["tune"], ["studies", "resume"], [*words[:2], "--try", "frame.cap"], [*words, "--keep", "fps"],
                [*words[:2], "--try", "frame.cpa=1,2"], [*words[:2], "--try", "frame.queue-depth=1,99"]):
        keen(*bad, code=2)


def stepped(rig: Standin, **fields: float) -> Ramp:
    plan = RampPlan(**{"key": "gpu.core-offset@gpu0", "by": 20.0, "margin": 40.0,
                       "seconds": 20,  # type: ignore[arg-type]
                       "seed": 1, **fields})
    return run_ramp(rig, stock("rig"), plan, "tidewater-rally")


@pytest.mark.parametrize("seed", range(6))
def test_an_offset_is_stepped_up_until_it_crashes_and_settles_where_it_is_stable(rig: Standin, seed: int) -> None:
    held, result = rig.state(), stepped(rig, seed=seed)
    assert rig.state() == held and "crashed after" in result.steps[-1].wrong
    assert result.highest and result.highest >= STABLE_MHZ and result.settled == result.highest - 40
    assert result.settled <= STABLE_MHZ or result.highest > STABLE_MHZ + 40
    goals = [one.goal for one in result.steps if one.goal is not None]
    assert goals[-1] < goals[0]


def test_stepping_ends_with_the_catalog_and_never_below_the_start(rig: Standin, monkeypatch: pytest.MonkeyPatch
                                                                  ) -> None:
    monkeypatch.setattr("keenlattice.rig.standin.machine.crashes_per_s", lambda _: 0.0)
    whole = stepped(rig, by=250.0, margin=0.0, runs=1, seconds=1)
    assert [one.value for one in whole.steps] == [0, 250, 500] and whole.settled == 500
    monkeypatch.setattr("keenlattice.rig.standin.machine.crashes_per_s", lambda _: 1e6)
    none = stepped(rig)
    assert (none.highest, none.settled, len(none.steps)) == (None, 0, 1)
    for wrong in ({"by": 0}, {"margin": -1}, {"runs": 0}, {"seconds": 0}):
        with pytest.raises(BadValue):
            RampPlan(**{"key": "x.y", "by": 1, "margin": 1, **wrong})  # type: ignore[arg-type]
    with pytest.raises(BadValue, match="only numbers"):
        run_ramp(rig, stock("rig"), RampPlan("scheduling.gpu", 1, 1), "tidewater-rally")


def test_stepping_on_the_command_line(keen: Keen, tmp_path: Path) -> None:
    words = ["tune", "rig", "--game", "tidewater-rally", "--step", "gpu.core-offset@gpu0=40", "--seconds", "20",
             "--seed", "1"]
    said = keen(*words).stdout
    assert "a run went wrong: the game crashed" in said and "rig@" in said and "settles 80 below" in said
    assert as_json(keen(*words, "--margin", "500", "--json"))["version"] is None
    with_book = sqlite3.connect(tmp_path / "book" / "logbook.sqlite")  # as if it had been stopped in mid-way
    (number, full), = with_book.execute("SELECT min(number), result FROM studies WHERE kind = 'ramp'")
    with with_book:
        with_book.execute("UPDATE studies SET result = NULL WHERE number = ?", (number,))
        with_book.execute("DELETE FROM runs WHERE study = ? AND place > 4 AND excluded = ''", (number,))
    with_book.close()
    again = as_json(keen("studies", "resume", "--json"))
    told = json.loads(full)
    assert again["steps"] == told["steps"] and again["settled"] == told["settled"]
    assert as_json(keen("studies", "again", str(number), "--json"))["kind"] == "ramp"
    for bad in ([*words[:4], "--step", "gpu.core-offset@gpu0"], ["tune", "--step", "gpu.core-offset@gpu0=5"],
                [*words[:4], "--step", "no.such=5"], [*words[:2], "--step", "gpu.core-offset@gpu0=5"]):
        keen(*bad, code=2)
