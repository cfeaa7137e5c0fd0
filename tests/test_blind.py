"""Blind tests: an honest rule, nothing that gives a version away, players with known thresholds, a helper."""

import json
import math
import re
import subprocess
import time
from collections.abc import Sequence
from dataclasses import dataclass, field
from itertools import cycle, pairwise
from pathlib import Path
from types import SimpleNamespace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

import keenlattice
from conftest import KEEN, Keen, as_json, environment
from keenlattice.errors import BadValue, UsageError
from keenlattice.profile.matching import Game
from keenlattice.profile.sheet import SheetStep
from keenlattice.profile.version import Version, stock
from keenlattice.rig.base import Rig, State
from keenlattice.rig.gamelist import Listed
from keenlattice.rig.hand import Noted
from keenlattice.rig.standin.machine import Standin
from keenlattice.study.blind import play
from keenlattice.study.blind.plan import Blind, BlindPlan, Round, chance_to_be_found, needed
from keenlattice.study.blind.play import over, run_blind, verdict_of

BEFORE, AFTER = stock("brass-orbit"), Version("brass-orbit", {"frame.queue-depth": 1, "frame.cap": 200})


@dataclass
class Simulated:
    """A player who feels whether the queue is short, and guesses right otherwise as often as their threshold says."""

    rig: Rig
    sure: float
    random: np.random.Generator = field(default_factory=lambda: np.random.default_rng(1))
    met: list[str] = field(default_factory=list)
    felt: list[str] = field(default_factory=list)

    def _on(self) -> str:
        return "B" if self.rig.values(self.rig.state(), "brass-orbit").get("frame.queue-depth") == 1 else "A"

    def meet(self, name: str) -> None:
        assert name == self._on()
        self.met.append(name)

    def play(self, number: int, rounds: int, part: int) -> None:
        if part != 2:
            self.felt = []
        self.felt.append(self._on())

    def answer(self, number: int, rounds: int) -> str:
        right = self.random.random() < self.sure
        if len(self.felt) == 1:
            return self.felt[0] if right else {"A": "B", "B": "A"}[self.felt[0]]
        return str(1 + self.felt.index("B" if right else "A"))


@given(st.integers(5, 60), st.sampled_from([0.05, 0.025, 0.01]))
def test_whoever_guesses_is_seldom_taken_for_one_who_feels(rounds: int, error: float) -> None:
    assert chance_to_be_found(rounds, error, 0.5) <= error
    assert all(one <= other for one, other in zip(needed(rounds, error), needed(rounds, error)[1:], strict=False))
    if rounds >= 20:  # the last look has nearly what it would have alone
        alone = int(stats.binom.isf(error, rounds, 0.5)) + 1
        assert needed(rounds, error)[-1] <= alone + 1


def test_the_chance_to_be_found_is_what_simulation_gives() -> None:
    random, found = np.random.default_rng(1), 0
    for _ in range(2000):
        rounds, plan = list[Round](), BlindPlan(20)
        while not over(plan, rounds):
            rounds.append(Round("before", "before" if random.random() < 0.75 else "after"))
        found += verdict_of(plan, rounds)[0] == "felt"
    assert found / 2000 == pytest.approx(chance_to_be_found(20, 0.05, 0.75), abs=0.03)


@pytest.mark.parametrize("question", ["which", "better"])
def test_a_player_who_feels_it_is_found_and_one_who_guesses_is_not(rig: Standin, question: str) -> None:
    plan, held = BlindPlan(20, question), rig.state()  # type: ignore[arg-type]
    judge = Simulated(rig, 1.0)
    found = run_blind(rig, BEFORE, AFTER, plan, judge, least_s=0.02)
    assert found.felt == ("felt" if question == "which" else "after feels better") and judge.met == ["A", "B"]
    assert len(found.rounds) < 20 and rig.state() == held
    assert {one.on for one in found.rounds} <= {"before", "after"}
    guessed = [run_blind(rig, BEFORE, AFTER, plan, Simulated(rig, 0.5, np.random.default_rng(seed)), least_s=0.02)
               for seed in range(8)]
    assert sum(one.felt != "not told" for one in guessed) <= 3  # 8 at 5 %: more in one of two thousand
    assert Blind.of_json(json.loads(json.dumps(found.to_json()))) == found


def test_every_switch_goes_by_the_same_way_and_takes_the_same_time(rig: Standin, monkeypatch: pytest.MonkeyPatch
                                                                   ) -> None:
    written, put = list[object](), rig.put
    monkeypatch.setattr(rig, "put", lambda state: (written.append(dict(rig.values(state, "brass-orbit"))), put(state)))
    took, begin = list[float](), [0.0]

    class Watch(Simulated):
        def play(self, number: int, rounds: int, part: int) -> None:
            super().play(number, rounds, part)
            took.append(time.monotonic() - begin[0])

        def answer(self, number: int, rounds: int) -> str:
            said = super().answer(number, rounds)
            begin[0] = time.monotonic()
            return said

    begin[0] = math.nan
    found = run_blind(rig, BEFORE, AFTER, BlindPlan(12), Watch(rig, 0.6), least_s=0.15)
    # From one version to the next the rig always passes what it was before the test, also where the version stays.
    assert len(found.rounds) >= 3 and all(not one or not other for one, other in pairwise(written))
    times = np.array(took[1:])
    assert np.quantile(times, 0.8) - times.min() < 0.1 and times.min() >= 0.149  # a busy machine may be late at times


def test_a_round_that_took_too_long_does_not_count(rig: Standin, monkeypatch: pytest.MonkeyPatch) -> None:
    put, slow, clock = rig.put, [0.0], [0.0]  # a clock of its own: a busy machine makes no round slow

    def pass_by(seconds: float) -> None:
        clock[0] += max(seconds, 0.0)

    def once_slow(state: State) -> None:
        pass_by(slow[0])
        slow[0] = 0.0
        put(state)

    class Delays(Simulated):
        def answer(self, number: int, rounds: int) -> str:
            if len(self.met) == 2:
                slow[0] = 0.3
                self.met.append("delayed")
            return super().answer(number, rounds)

    monkeypatch.setattr(rig, "put", once_slow)
    monkeypatch.setattr(play, "time", SimpleNamespace(monotonic=lambda: clock[0], sleep=pass_by))
    sides = cycle(("after", "before"))  # by chance it could be one of them every time, and nothing be switched
    monkeypatch.setattr(play, "secrets", SimpleNamespace(choice=lambda _: next(sides)))
    found = run_blind(rig, BEFORE, AFTER, BlindPlan(8), Delays(rig, 1.0), least_s=0.1)
    assert found.not_counted == 1 and found.felt == "felt"


def test_what_goes_wrong_is_put_back(rig: Standin) -> None:
    held = rig.state()

    class Gone(Simulated):
        def answer(self, number: int, rounds: int) -> str:
            raise KeyboardInterrupt

    class Unsure(Simulated):
        def answer(self, number: int, rounds: int) -> str:
            return "neither"

    for judge, error in ((Gone, KeyboardInterrupt), (Unsure, BadValue)):
        with pytest.raises(error):
            run_blind(rig, BEFORE, AFTER, BlindPlan(8), judge(rig, 1.0), least_s=0.05)
        assert rig.state() == held
    with pytest.raises(UsageError, match="set the same"):
        run_blind(rig, BEFORE, BEFORE, BlindPlan(8), Simulated(rig, 1.0))
    for wrong in ({"rounds": 3}, {"rounds": 1000}, {"error": 0.9}):
        with pytest.raises(BadValue):
            BlindPlan(**wrong)  # type: ignore[arg-type]


@pytest.mark.long
def test_it_is_kept_beside_what_was_measured(tmp_path: Path) -> None:
    ws = keenlattice.open(tmp_path / "book")
    quick = ws.edit("brass-orbit", {"frame.queue-depth": 1}).after
    endings = []
    for sure in (1.0, 0.5):
        judge = Simulated(ws.rig.machine, sure)
        found = ws.studies.blind("brass-orbit@stock", quick, judge, rounds=8)
        endings.append(found.result.ending)
        if sure == 1.0:
            ws.trial("brass-orbit@stock", quick, seconds=20, seed=1, matters="5%")
    assert endings[0] == "felt, not known" and endings[1] in ("not felt, measured", "felt, measured")
    assert found.result.trial and "felt" in found.report().answer
    assert found.number == ws.studies.list().studies[0].number
    with pytest.raises(UsageError, match="judged by a person"):
        ws.studies.recompute(found.number)
    with pytest.raises(UsageError, match="no trial that could be drawn"):
        found.figure()


def test_a_helper_switches_by_hand(tmp_path: Path) -> None:
    """A rig that is changed by hand: anyone who is asked to switch is another than the one who judges."""
    ws, asked = keenlattice.open(tmp_path / "book", "byhand"), list[int]()
    ws.rig.facts.tell({"refresh_hz": 165})
    ws.rig.games.tell(Listed(Game("brass-orbit", "Brass Orbit", ("brass-orbit",))))

    class Helper:
        def change(self, steps: Sequence[SheetStep]) -> Noted:
            asked.append(len(steps))
            return {}

        back = change

    ws.rig.machine.hand = Helper()  # type: ignore[attr-defined]
    quick = ws.edit("brass-orbit", {"frame.queue-depth": 1}).after
    found = ws.studies.blind("brass-orbit@stock", quick, Simulated(ws.rig.machine, 1.0), rounds=8)
    assert found.result.felt == "felt" and set(asked) == {1}


def test_two_at_one_terminal(keen: Keen, tmp_path: Path) -> None:
    """The helper and the player type at the same terminal: neither takes the other's lines."""
    env = environment(tmp_path, KEEN_BOOK=str(tmp_path / "book"), KEEN_RIG="byhand")
    keen("rig", "game", "brass-orbit", "--title", "Brass Orbit", "--executable", "orbit.exe", KEEN_RIG="byhand")
    keen("rig", "facts", "refresh_hz=165", KEEN_RIG="byhand")
    keen("rig", "take-stock", "frame.queue-depth=3", "--game", "brass-orbit", KEEN_RIG="byhand")
    keen("edit", "brass-orbit", "frame.queue-depth=1", KEEN_RIG="byhand")
    # An empty line does for all but the answers, and there it is asked again; so every fourth line is one.
    done = subprocess.run([*KEEN, "blind", "brass-orbit@stock", "brass-orbit", "--rounds", "5"], env=env, cwd=tmp_path,
                          input="\n\n\nA\n" * 30, text=True, capture_output=True, check=False, timeout=60)
    assert done.returncode == 0 and "For the helper alone" in done.stdout, done.stderr
    assert re.search(r"answers (was|were) right", done.stdout)


@pytest.mark.long
def test_a_blind_test_at_the_terminal(keen: Keen, tmp_path: Path) -> None:
    keen("edit", "brass-orbit", "frame.queue-depth=1")

    def sits(typed: str, *words: str) -> "subprocess.CompletedProcess[str]":
        return subprocess.run([*KEEN, "blind", "brass-orbit@stock", "brass-orbit", "--rounds", "5", *words], text=True,
                              env=environment(tmp_path, KEEN_BOOK=str(tmp_path / "book")), cwd=tmp_path, input=typed,
                              capture_output=True, check=False)

    said = sits("\n\n" + "\nx\na\n" * 5)
    assert "Round 1 of at most 5" in said.stdout and "A or B, please" in said.stdout and said.returncode == 0
    assert "is found in 33 of 100 such tests; more rounds find more" in said.stderr
    assert "keen trial brass-orbit@stock" in said.stderr
    # What is asked stands beside the result, and not in it.
    result = json.loads(sits("\n\n" + "\na\n" * 5, "--json").stdout)
    assert (result["schema"], result["felt"]) == ("keen-lattice/blind/1", verdict_of(BlindPlan(5), [
        Round(**one) for one in result["rounds"]])[0])
    gone = sits("\n")
    assert "it is void" in gone.stderr and gone.returncode == 2
    keen("report")
    assert "can a hand feel it" in (tmp_path / "blind-2.html").read_text()
    assert len(as_json(keen("studies", "--json"))["studies"]) == 2
