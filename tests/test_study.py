"""Trials that are planned, stopped, resumed, recorded elsewhere, ended early; and runs that go wrong."""

import json
import math
import os
import re
import shutil
import subprocess
import time
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import keenlattice
from conftest import KEEN, Keen, as_json, environment, juniper
from keenlattice.errors import BadValue, RigError, UsageError
from keenlattice.measure.capture import Capture
from keenlattice.measure.course import cut
from keenlattice.measure.metrics import TRIAL_METRICS, metrics_of
from keenlattice.profile.version import Version, stock
from keenlattice.rig.journal import unfinished
from keenlattice.rig.standin.machine import Standin
from keenlattice.study.deciding import Deciding, Numbers
from keenlattice.study.player import Run
from keenlattice.study.trial.concluding import AT_SCREEN_RATE, EVENTS, Seen, concluded, ended, metrics_in
from keenlattice.study.trial.looks import errors_at, looks
from keenlattice.study.trial.plan import Arm, TrialPlan
from keenlattice.study.trial.play import run_trial
from keenlattice.study.trial.power import Noise, blocks_to_settle, chance_to_settle, noise_of
from keenlattice.study.trial.result import MetricResult, Trial

BEFORE, AFTER = stock("brass-orbit"), Version("brass-orbit", {"frame.queue-depth": 1})


@given(st.integers(2, 40), st.integers(0, 2**31), st.booleans(), st.integers(1, 4))
def test_blocks_are_balanced_however_they_are_ordered(blocks: int, seed: int, few: bool, repeats: int) -> None:
    plan = TrialPlan(blocks=blocks, seed=seed, few_switches=few, repeats=repeats)
    runs = plan.runs()
    for block in range(blocks):
        arms = [arm for number, arm, _ in runs if number == block]
        assert arms.count("before") == arms.count("after") == repeats
    assert plan.switches <= (blocks if few else 2 * blocks - 1)
    assert len({seed for *_, seed in runs}) == len(runs)


numbers = st.floats(-1e6, 1e6)
metrics = st.builds(MetricResult, st.sampled_from(TRIAL_METRICS), st.just("ms"), *[st.none() | numbers] * 5,
                    st.sampled_from(["better", "worse", "unclear"]), st.floats(0.9, 1), st.integers(2, 99))


@given(st.builds(TrialPlan, st.integers(2, 99), st.floats(1, 99), st.integers(0, 2**31),
                 st.builds(Deciding, st.just("frame_ms_mean"), st.floats(0.1, 50)), st.booleans(), st.booleans(),
                 st.integers(1, 20), st.floats(0, 9)),
       st.lists(metrics, max_size=5), st.none() | st.tuples(numbers, numbers, numbers), st.lists(st.text(), max_size=3))
def test_a_trial_comes_back_from_its_json(
        plan: TrialPlan, found: list[MetricResult], drift: tuple[float, float, float] | None, wrong: list[str]) -> None:
    decides = MetricResult("frame_ms_mean", "ms", None, None, None, None, None, "unclear", 0.95, 0)
    whole = Trial("brass-orbit", "a@stock", "a@1", plan, (decides, *found), "juniper", plan.blocks, "", drift,
                  tuple(wrong))
    told = json.loads(json.dumps(whole.to_json()))
    assert Trial.of_json(told) == whole


@pytest.mark.parametrize("wrong", [{"repeats": 0}, {"warm_up_s": -1}, {"warm_up_s": math.nan}])
def test_a_plan_that_cannot_be_played_is_refused(wrong: dict[str, float]) -> None:
    with pytest.raises(BadValue):
        TrialPlan(**wrong)  # type: ignore[arg-type]


@pytest.mark.parametrize(("sd", "blocks", "effect"), [(0.01, 8, 0), (0.01, 5, 2.5), (0.03, 20, 0), (0.02, 6, -4)])
def test_the_chance_to_settle_is_what_simulation_gives(sd: float, blocks: int, effect: float) -> None:
    from scipy.special import stdtrit

    random = np.random.default_rng(1)
    logs = math.log1p(effect / 100) + sd * random.standard_normal((40_000, blocks))
    dof = blocks - (1 if blocks < 6 else 2)
    half = stdtrit(dof, 0.95) * logs.std(axis=1, ddof=1) / math.sqrt(blocks)
    low, high, margin = logs.mean(axis=1) - half, logs.mean(axis=1) + half, math.log1p(0.01)
    settles = ((low >= -margin) & (high <= margin)) | (low > margin) | (high < -margin)
    assert chance_to_settle(Noise(sd, 10**7), blocks, 1.0, effect, early=False) == pytest.approx(
        settles.mean(), abs=0.03)


@settings(max_examples=15)
@given(st.floats(0.001, 0.02), st.integers(2, 40))
def test_more_noise_and_more_doubt_about_it_take_more_blocks(sd: float, dof: int) -> None:
    needed = blocks_to_settle(Noise(sd, dof), 1.0)
    surer = blocks_to_settle(Noise(sd, dof + 20), 1.0)
    assert surer is not None or needed is None
    if needed and surer:
        assert surer <= needed and chance_to_settle(Noise(sd, dof), needed, 1.0) >= 0.8


@pytest.mark.parametrize("blocks", [2, 4, 8, 20, 60])
def test_the_error_that_looks_spend_is_the_whole(blocks: int) -> None:
    """Of sums of normal values that are looked at, as many go beyond a bound as were to."""
    from scipy.special import ndtri

    random = np.random.default_rng(1)
    bounds = {look: -float(ndtri(error)) for look, error in errors_at(blocks).items()}
    values = random.standard_normal((20_000, blocks)).cumsum(axis=1) / np.sqrt(np.arange(1, blocks + 1))
    beyond = np.any([values[:, look - 1] > bound for look, bound in bounds.items()], axis=0)
    assert beyond.mean() == pytest.approx(0.05, abs=0.005) and max(bounds) == blocks and len(bounds) <= 41
    assert list(bounds) == list(looks(blocks)) and all(0 < one <= 0.05 for one in errors_at(blocks).values())


def made_up(random: np.random.Generator, blocks: int, effect: float, slope: float = 0.0) -> list[tuple[Arm, Numbers]]:
    """Runs of a trial whose every metric has this effect, and this trend from the first block to the last."""
    runs: list[tuple[Arm, Numbers]] = []
    for block in range(blocks):
        heat = slope * block / (blocks - 1)
        for arm, add in (("before", 0.0), ("after", effect)):
            value = 10 * math.exp(add + heat + random.normal(0, 0.01))
            runs.append((arm, dict.fromkeys(TRIAL_METRICS, value)))  # type: ignore[arg-type]
    return runs


@pytest.mark.long
def test_looking_early_keeps_the_error_and_saves_blocks() -> None:
    random, plan = np.random.default_rng(1), TrialPlan(20, decides=Deciding(matters_pct=1e-6))
    wrong = 0
    for _ in range(400):
        runs = made_up(random, 20, 0.0)
        end = next((n for n in looks(20) if ended(plan, runs[:2 * n])), 20)
        wrong += concluded(plan, runs[:2 * end], Trial("", "", "", plan, ())).deciding.verdict != "unclear"
    assert wrong <= 31  # of 400 at 5 %: beyond that in fewer than one of a hundred
    plan = replace(plan, decides=Deciding())
    assert ended(plan, made_up(random, 7, 0.1)) == "settled" and not ended(plan, made_up(random, 3, 0.1))
    assert not ended(replace(plan, early=False), made_up(random, 8, 0.1))


def test_a_drift_of_the_rig_is_shown_and_cancels() -> None:
    plan = TrialPlan(12)
    result = concluded(plan, made_up(np.random.default_rng(1), 12, 0.0, slope=0.1), Trial("", "", "", plan, ()))
    assert result.drift_pct and result.drift_pct[1] < 10.5 < result.drift_pct[2] and result.drift_pct[1] > 5
    assert result.deciding.verdict == "no difference that matters"


def test_repeats_of_a_block_count_as_their_mean() -> None:
    runs = made_up(np.random.default_rng(1), 5, 0.05)  # fewer than have a term for their order
    twice = [(arm, {name: value * factor for name, value in numbers.items()})
             for arm, numbers in runs for factor in (0.9, 1 / 0.9)]
    one, other = (concluded(plan, of, Trial("", "", "", plan, ())).deciding
                  for plan, of in ((TrialPlan(5), runs), (TrialPlan(5, repeats=2), twice)))
    assert (one.low_pct, one.n) == (pytest.approx(other.low_pct), other.n)


@pytest.mark.parametrize("stops_at", [0, 1, 5, 7])
def test_a_trial_that_was_stopped_goes_on_to_the_same_result(rig: Standin, stops_at: int) -> None:
    plan, kept = TrialPlan(4, 2, 5), dict[int, Capture]()
    whole = run_trial(rig, BEFORE, AFTER, plan)

    def each(run: Run) -> None:
        if run.place == stops_at:
            raise KeyboardInterrupt
        kept[run.place] = run.capture

    held = rig.state()
    with pytest.raises(KeyboardInterrupt):
        run_trial(rig, BEFORE, AFTER, plan, on_run=each)
    assert rig.state() == held and sorted(kept) == list(range(stops_at))
    assert run_trial(rig, BEFORE, AFTER, plan, done=kept) == whole


def test_runs_that_go_wrong_are_named_and_played_again(rig: Standin, monkeypatch: pytest.MonkeyPatch) -> None:
    played, counted, seen = rig.play, list[int](), list[Run]()

    def flaky(game: str, seconds: float, seed: int) -> Capture:
        counted.append(seed)
        if len(counted) == 2:
            raise RigError("the game crashed")
        if len(counted) == 5:
            rig.put({rig.place: b'{"brass-orbit": {"frame.cap": 99}}'})
        capture = played(game, seconds, seed)
        return replace(capture, about={**capture.about, "focus_lost": len(counted) == 8})

    monkeypatch.setattr(rig, "play", flaky)
    plan = TrialPlan(4, 2, 5, warm_up_s=1)
    with pytest.raises(RigError, match="changed by something else"):  # what another program wrote is not overwritten
        run_trial(rig, BEFORE, AFTER, plan, on_run=seen.append)
    crashed, slipped = (run.excluded for run in seen if run.excluded)
    assert crashed == "the game crashed" and "no longer held frame.cap" in slipped
    rig.put({rig.place: None})
    counted[:] = [0] * 5
    result = run_trial(rig, BEFORE, AFTER, plan, done={run.place: run.capture for run in seen if not run.excluded})
    assert len(result.excluded) == 1 and "lost the focus" in result.excluded[0]
    assert all(1.8 < run.capture.seconds < 2.1 for run in seen if not run.excluded)  # the warm-up is cut


def test_a_pilot_knows_the_noise(rig: Standin) -> None:
    plan = TrialPlan(12, 5, 3, Deciding("latency_ms_median", 3), early=False)
    logs = dict[str, list[float]](before=[], after=[])
    result = run_trial(rig, BEFORE, BEFORE, plan, on_run=lambda run: logs[run.arm].append(
        math.log(metrics_of(run.capture, ["latency_ms_median"])["latency_ms_median"])))
    noise = noise_of(result)
    spread = np.std(np.subtract(logs["after"], logs["before"]), ddof=1)
    assert noise.sd == pytest.approx(spread, rel=0.15) and noise.dof == 10  # one goes to the order


def test_all_runs_are_a_table(tmp_path: Path) -> None:
    with keenlattice.open(tmp_path / "book") as ws:
        made = ws.edit("brass-orbit", {"frame.queue-depth": 1})
        trial = ws.trial("brass-orbit@stock", made, blocks=2, seconds=3, seed=1)
        ws.screen("brass-orbit@stock", made, rounds=1, seconds=2, seed=1)
        table = ws.studies.runs().table()
        assert set(table["study"]) == {1, 2} and table[table["study"] == 2]["block"].isna().all()
        of_trial = table[table["study"] == 1]
        assert of_trial["block"].tolist() == [1, 1, 2, 2] and len(ws.studies.runs(1).runs) == 4
        after = of_trial[of_trial["version"] == made.version.reference]
        assert set(after["arm"]) == {"after"} and after["counts"].all()
        by_hand = np.exp(np.log(after["latency_ms_median"]).mean())  # a trial tells geometric means
        assert by_hand == pytest.approx(trial.result["latency_ms_median"].after)
        with pytest.raises(UsageError, match="there is no study 9"):
            ws.studies.runs(9)



@pytest.mark.long
def test_pilot_kill_resume_and_recompute(keen: Keen, tmp_path: Path) -> None:
    keen("edit", "brass-orbit", "frame.queue-depth=1")
    words = ["trial", "brass-orbit@stock", "brass-orbit", "--seconds", "5", "--decides", "latency_ms_median",
             "--matters", "5", "--seed", "1"]
    pilot = as_json(keen(*words, "--pilot", "5", "--json"))
    assert pilot["noise_dof"] == 4 and pilot["blocks_to_settle"] > 2
    said = keen(*words, "--pilot", "5").stderr
    assert re.search(rf"next: keen trial .* --blocks {pilot['blocks_to_settle']}", said), said
    assert "was left unfinished" in keen("studies", "resume", code=2).stderr
    running = subprocess.Popen([*KEEN, *words[:3], "--seconds", "40", "--blocks", "40", "--every-block",
                                "--seed", "2"], cwd=tmp_path,
                               env=environment(tmp_path, KEEN_BOOK=str(tmp_path / "book")), stdout=subprocess.PIPE)
    until = time.monotonic() + 30
    while len(list((tmp_path / "book" / "captures").glob("*"))) < 24 and time.monotonic() < until:
        time.sleep(0.02)
    running.kill()
    running.wait()
    kept = set((tmp_path / "book" / "captures").glob("*.parquet"))
    result = as_json(keen("studies", "resume", "--json"))
    assert result["blocks_played"] == 40 and len(set((tmp_path / "book" / "captures").glob("*")) - kept) < 80
    number = 3  # after two pilots
    assert as_json(keen("studies", "again", str(number), "--json"))["equal"] is True
    assert "to the last bit" in keen("studies", "again", str(number)).stdout
    by_age = sorted(kept, key=lambda path: path.stat().st_mtime_ns)
    victim = by_age[-2]  # the newest may have been kept just before the kill, and not counted
    victim.write_bytes(victim.read_bytes()[:-200])
    keen("studies", "again", str(number), code=1)
    assert "there is no study 9" in keen("studies", "again", "9", code=2).stderr


def test_runs_that_are_recorded_elsewhere(keen: Keen, tmp_path: Path) -> None:
    keen("edit", "brass-orbit", "frame.cap=120")
    words = ["trial", "brass-orbit@stock", "brass-orbit", "--from-files", "--blocks", "4", "--seed", "1"]
    order = [one["version"] for one in as_json(keen(*words, "--json"))["to_come"]]
    assert len(order) == 8 and set(order) == {"brass-orbit@stock", order[0], order[1]}
    assert "waits for your recordings" in keen("studies", "resume", code=2).stderr
    random = np.random.default_rng(1)
    for place, version in enumerate(order):
        pace = 4.0 if version == "brass-orbit@stock" else 8.33
        stamps = np.cumsum(pace * np.exp(random.normal(0, 0.1, 2000)))
        (tmp_path / f"{place}.csv").write_text("shown\n" + "".join(f"{one:.3f}\n" for one in stamps))
    assert "no column map is known" in keen("trial", "--take", "0.csv", code=2).stderr
    keen("ingest", "0.csv", "--time", "shown", "--name", "mine")
    assert "1 of 8 runs recorded" in keen("trial", "--take", "0.csv").stdout
    assert "only 7 runs" in keen("trial", *["--take", "1.csv"] * 8, code=2).stderr
    done = keen("trial", *(word for place in range(1, 8) for word in ("--take", f"{place}.csv"))).stdout
    assert "Frame time is worse" in done and "left unfinished" in keen("trial", "--take", "0.csv", code=2).stderr
    keen("measure", "brass-orbit", "--seconds", "2", "--runs", "1")
    keen("apply", "brass-orbit", "--yes")
    keen("edit", "brass-orbit", "frame.cap=100")
    assert "has not been measured" in keen("compare", "brass-orbit@stock", "brass-orbit").stdout


KILLED = {"screen": ["screen", "brass-orbit@stock", "brass-orbit", "--seconds", "20", "--matters", "0.01"],
          "hunt": ["hunt", "brass-orbit", "--seconds", "20", "--matters", "2", "--blocks", "20"],
          "tune": ["tune", "brass-orbit@stock", "--try", "frame.cap=off,120,140", "--try", "frame.queue-depth=1,2,3",
                   "--seconds", "20", "--matters", "0.01", "--proof", "0"]}


@pytest.mark.parametrize("kind", KILLED)
@pytest.mark.parametrize("number", range(max(1, int(os.environ.get("KEEN_KILLS", "12")) // 12)))
@pytest.mark.long
def test_a_study_killed_at_any_instant_keeps_every_finished_run(keen: Keen, tmp_path: Path, kind: str, number: int
                                                                ) -> None:
    keen("edit", "brass-orbit", "antialias.gamma=off")
    keen("edit", "brass-orbit", "shading.ambient-occlusion=on", "frame.queue-depth=1")
    words = [*KILLED[kind], "--seed", "5"]
    shutil.copytree(tmp_path / "book", tmp_path / "other")
    whole = as_json(keen(*words, "--json", "--book", "other")) if not number else None
    env = environment(tmp_path, KEEN_BOOK=str(tmp_path / "book"))
    running = subprocess.Popen([*KEEN, *words], cwd=tmp_path, env=env, stdout=subprocess.DEVNULL,
                               stderr=subprocess.DEVNULL)
    captures, until = tmp_path / "book" / "captures", time.monotonic() + 60
    wanted = 2 + int(np.random.default_rng([number, 5]).integers(20))
    while len(list(captures.glob("*.parquet"))) < wanted and running.poll() is None and time.monotonic() < until:
        time.sleep(0.001)
    running.kill()
    running.wait()
    finished = len(list(captures.glob("*.parquet")))
    done = as_json(keen("studies", "resume", "--json"))
    kept = len(list(captures.glob("*.parquet")))
    assert kept - done["runs"] <= 1 and finished <= kept  # one at most was written, and not yet written down
    assert not (juniper(tmp_path / "book") / "state.json").exists()
    assert as_json(keen("studies", "again", "1", "--json"))["equal"] is True
    if whole:  # the same plan, played without a kill
        told = {"screen": "factors", "hunt": "settings", "tune": "combinations"}[kind]
        assert done[told] == whole[told] and done["runs"] == whole["runs"]


@pytest.mark.parametrize(("text", "says"), [("0.5ms", "in its newest run are"), ("1%", "unclear"), ("2", "unclear")])
def test_what_matters_may_be_an_amount(keen: Keen, text: str, says: str) -> None:
    keen("edit", "brass-orbit", "antialias.gamma=off")
    words = ["trial", "brass-orbit@stock", "brass-orbit", "--seconds", "2", "--blocks", "2", "--seed", "1", "--matters"]
    if text.endswith("ms"):
        assert "the first block tells" in keen(*words, text).stdout
        keen("measure", "brass-orbit", "--seconds", "2", "--runs", "1")
        for bad in ("1fps", "a lot", "-1"):
            keen(*words, bad, code=2)
    assert says in keen(*words, text).stdout
    if text.endswith("ms"):  # wherever something has to matter
        for other in (["screen", "brass-orbit@stock", "brass-orbit", "--rounds", "1"],
                      ["hunt", "brass-orbit", "--blocks", "2"],
                      ["tune", "brass-orbit@stock", "--try", "frame.cap=off,90", "--rounds", "3", "--proof", "0"]):
            done = as_json(keen(*other, "--seconds", "2", "--seed", "1", "--matters", "0.2ms", "--json"))
            plan = done["plan"] if "plan" in done else done["trial"]["plan"]
            deciding = plan["goal" if other[0] == "tune" else "decides"]
            assert deciding["matters_of"] == [[name, 0.2, "ms"] for name in ("frame_ms_mean", "latency_ms_median")]


def test_a_trial_from_python_is_found_by_the_commands(keen: Keen, tmp_path: Path,
                                                      monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("KEEN_STATE", str(tmp_path / ".local" / "state" / "keen-lattice"))
    with keenlattice.open(tmp_path / "book") as ws:
        after = ws.edit("brass-orbit", {"frame.queue-depth": 1}, note="sooner")
        number = ws.trial("brass-orbit@stock", after, blocks=2, seconds=5, seed=1, decides="latency_ms_median",
                          matters="3%").number
    assert as_json(keen("studies", "again", str(number), "--json")) == {
        "schema": "keen-lattice/recomputed/1", "study": number, "kind": "trial", "equal": True, "runs": 4}
    assert as_json(keen("studies", "--json"))["studies"][0]["of"].startswith("brass-orbit@stock against")
    assert "sooner" in Path(as_json(keen("report", "--out", str(tmp_path / "page.html"), "--json"))["file"]).read_text()
    assert as_json(keen("compare", "brass-orbit@stock", "brass-orbit", "--json"))["trials"]


def test_what_killed_processes_have_left_among_the_captures_is_collected(keen: Keen, tmp_path: Path) -> None:
    kept = as_json(keen("measure", "brass-orbit", "--runs", "1", "--seconds", "1", "--json"))["captures"]
    captures, old = tmp_path / "book" / "captures", time.time() - 7200
    for name in (".brass-orbit-x.parquet.abc123", "brass-orbit-no-row.parquet", ".brass-orbit-y.parquet.at-work"):
        (captures / name).write_bytes(b"half")
        os.utime(captures / name, (old, old) if "at-work" not in name else None)
    os.utime(captures / kept[0], (old, old))
    keen("measure", "brass-orbit", "--runs", "1", "--seconds", "1")
    assert {path.name for path in captures.iterdir()} >= {kept[0], ".brass-orbit-y.parquet.at-work"}
    assert len([*captures.iterdir()]) == 3


def test_a_study_that_was_killed_is_undone_by_recover_finish_too(keen: Keen, tmp_path: Path) -> None:
    keen("edit", "brass-orbit", "frame.cap=90")
    words = ["trial", "brass-orbit@stock", "brass-orbit", "--seconds", "60", "--blocks", "40"]
    running = subprocess.Popen([*KEEN, *words],
                               cwd=tmp_path, env=environment(tmp_path, KEEN_BOOK=str(tmp_path / "book")),
                               stdout=subprocess.DEVNULL)
    home = juniper(tmp_path / "book")
    while not (home / "state.json").exists() and running.poll() is None:
        time.sleep(0.01)
    running.kill()
    running.wait()
    said = " ".join(keen("rig", "recover", "--finish").stdout.split())
    assert "cannot be finished" in said and "the rig is back to what it was before" in said
    assert not (home / "state.json").exists() and not unfinished(home)


def test_what_the_screen_hides_is_never_no_difference() -> None:
    """A game twice as fast beyond the screen's rate: every run sits at 60 Hz, and all look alike."""
    plan, random = TrialPlan(blocks=12, seconds=10, seed=1, decides=Deciding("frame_ms_mean")), np.random.default_rng(1)

    def runs(hidden: bool) -> list[tuple[Arm, dict[str, float]]]:
        numbers = [{name: 16.7 + float(random.normal(0, 0.01)) for name in metrics_in(plan)} for _ in range(24)]
        return [(arm, {**some, **({AT_SCREEN_RATE: 1.0} if hidden else {})})
                for (_, arm, _), some in zip(plan.runs(), numbers, strict=True)]

    nothing = Trial("", "", "", plan, ())
    assert concluded(plan, runs(hidden=False), nothing).deciding.verdict == "no difference that matters"
    assert concluded(plan, runs(hidden=True), nothing).deciding.verdict == "unclear"
    assert not ended(plan, runs(hidden=True)[:8])


def test_steps_of_a_timer_are_told_with_a_tolerance() -> None:
    """Two values of a coarse timer that come of stamps in seconds are six by their last digits."""
    plan = TrialPlan(blocks=12, seconds=10, seed=1, decides=Deciding("frame_ms_mean"))
    random = np.random.default_rng(2)

    def arms(dust: float) -> tuple[list[dict[str, float]], list[dict[str, float]]]:
        values = 8.0 + random.integers(0, 2, 24) + dust * random.integers(-2, 3, 24)
        runs = [{name: float(value) for name in metrics_in(plan)} for value in values]
        return runs[:12], runs[12:]

    clean, dusty = (Seen(plan, *arms(dust)).fit("frame_ms_mean") for dust in (0.0, 1e-13))
    assert clean is not None and dusty is not None and clean.hidden == pytest.approx(math.log(9 / 8))
    assert dusty.hidden == pytest.approx(clean.hidden)


def test_no_event_is_nought() -> None:
    plan, random = TrialPlan(blocks=8, seconds=20, seed=1, decides=Deciding("frame_ms_mean")), np.random.default_rng(3)
    runs = [(arm, {**{name: float(random.normal(10, 0.1)) for name in metrics_in(plan)}, EVENTS: 0.0})
            for _, arm, _ in plan.runs()]
    stutters = concluded(plan, runs, Trial("", "", "", plan, ()))[EVENTS]
    assert (stutters.before, stutters.after) == (0.0, 0.0)


class Hangs(Standin):
    """A stand-in whose game hangs for the last 2.7 s of its second run."""

    runs = 0

    def play(self, game: str, seconds: float, seed: int) -> Capture:
        self.runs += 1
        run = super().play(game, seconds, seed)
        return cut(run, 0, 1000 * seconds - 2700) if self.runs == 2 else run


def test_a_run_that_hangs_at_its_end_is_played_again(tmp_path: Path) -> None:
    plan = TrialPlan(blocks=2, seconds=20, seed=1)
    result = run_trial(Hangs(tmp_path / "rig"), stock("brass-orbit"), Version("brass-orbit", {"frame.cap": 60}), plan)
    (excluded,) = result.excluded
    assert "run 2" in excluded and "nothing was shown for 2.7 s at the end" in excluded
