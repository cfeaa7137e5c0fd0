"""A blind test is played: one of two versions is put on by chance, the player plays, and says what they feel.

What is on is drawn by the system's own source of chance, is given to nobody, and is written down nowhere until all
rounds are over (but for what a rig's own settings are kept in); a test that is stopped is void. Each switch goes by the
same way and takes the same time, whichever version it ends at.
"""

import secrets
import time
from collections.abc import Sequence
from typing import Protocol

from keenlattice.errors import BadValue, RigError, UsageError
from keenlattice.profile.version import Entries, Version
from keenlattice.rig.base import Rig, game_of
from keenlattice.rig.session import asked_between, session_of
from keenlattice.study.blind.plan import Blind, BlindPlan, BlindSpec, Felt, Round, Side, needed
from keenlattice.study.blind.tell import blind_page, tell_blind
from keenlattice.study.kind import Kind, game_for
from keenlattice.study.player import Player, entries_on

SLOWER = 1.5      # a switch is given this many times what the slowest took when they were tried
LEAST_S = 1.0
MOST_NOT_COUNTED = 20
OTHER: dict[Side, Side] = {"before": "after", "after": "before"}


class Judge(Protocol):
    """The person who plays and says what they feel."""

    def meet(self, name: str) -> None:
        """One version is on, and they learn which: "A" is the version before, "B" the one after."""

    def play(self, number: int, rounds: int, part: int) -> None:
        """One is on, and they are not told which. `part` is 1 or 2 where two come one after the other, else 0."""

    def answer(self, number: int, rounds: int) -> str:
        """What they say: "A" or "B"; of two, "1" or "2" for the one that felt better."""


def run_blind(rig: Rig, before: Version, after: Version, plan: BlindPlan, judge: Judge, game: str | None = None,
              least_s: float = LEAST_S) -> Blind:
    """Plays a blind test; nothing of it is kept (`Workspace.blind` keeps).

    Args:
        before, after: two versions of one profile.
        judge: who plays, and is asked.
        game: what is played; may be left out if the profile is a game's.
        least_s: how long a switch takes at least, in seconds.

    Raises:
        UsageError: versions of two profiles, that do not differ, or of the rig-wide one without a game.
        BadValue: an answer that there is not.
        RigError: the rig refuses, or switches too unevenly; it is put back to what it was.
    """
    named = game_of(rig, game_for([before, after], game)).name
    entries: dict[Side, Entries] = {"before": entries_on(rig, before), "after": entries_on(rig, after)}
    if entries["before"] == entries["after"]:
        raise UsageError(f"{before.reference} and {after.reference} set the same on {rig.name}: there is nothing to "
                         "feel")
    asked = asked_between(rig, [before, after])
    why = f"blind test of {before.reference} and {after.reference}"
    with session_of(rig, why, asked=bool(asked)) as session:
        player = Player(rig, before.profile, named, 0.0, session=session)
        switch = SwitchTo(player, rig.values(rig.state(), before.profile), entries, least_s)
        for side, name in zip(OTHER, "AB", strict=True):
            switch.to(side)
            judge.meet(name)
        rounds, late = _rounds(switch, plan, judge)
        player.put_back()
    felt, right = verdict_of(plan, rounds)
    return Blind(named, before.reference, after.reference, rig.name, plan, tuple(rounds), right, felt, late)


class SwitchTo:
    """Puts a version on, always by what was there before the test, and always in the same time; a person who switches
    goes the straight way, unseen by the one who judges."""

    def __init__(self, player: Player, before_all: Entries, entries: dict[Side, Entries], least_s: float) -> None:
        self._player, self._between, self._entries = player, before_all, entries
        self._waits = player.session is not None and player.session.by_itself  # a person takes as long as they take
        tried: tuple[Side, ...] = ("after", "before", "after")
        took = [self._once(side) for side in tried] if self._waits else []
        self.seconds = max([least_s, *(SLOWER * run_s for run_s in took)])

    def to(self, side: Side) -> bool:
        """Puts one on; returns whether that took its time and no longer."""
        took = self._once(side)
        if not self._waits or took > self.seconds:
            return not self._waits
        time.sleep(self.seconds - took)
        return True

    def _once(self, side: Side) -> float:
        begin = time.monotonic()
        if self._waits:
            self._player.put_on(self._between)
        self._player.put_on(self._entries[side])
        return time.monotonic() - begin


def _rounds(switch: SwitchTo, plan: BlindPlan, judge: Judge) -> tuple[list[Round], int]:
    """The rounds that count, and how many do not, since the time that a switch took could have told."""
    rounds, late = list[Round](), 0
    while not over(plan, rounds):
        number, on = len(rounds) + 1, secrets.choice(tuple(OTHER))
        parts = [on] if plan.question == "which" else [on, OTHER[on]]
        even = True
        for part, side in enumerate(parts, 1):
            even &= switch.to(side)
            judge.play(number, plan.rounds, part if len(parts) > 1 else 0)
        answer = _answer(judge.answer(number, plan.rounds), on, plan)
        if even:
            rounds.append(Round(on, answer))
        elif (late := late + 1) > MOST_NOT_COUNTED:
            raise RigError(f"the rig switches too unevenly for a blind test: {late} switches took longer than "
                           f"{switch.seconds:.1f} s")
    return rounds, late


def _answer(reply: str, on: Side, plan: BlindPlan) -> Side:
    answers: dict[str, Side] = ({"A": "before", "B": "after"} if plan.question == "which" else
                                {"1": on, "2": OTHER[on]})
    if reply not in answers:
        raise BadValue(f"{reply!r} is not an answer: {' or '.join(answers)}")
    return answers[reply]


def _counts(plan: BlindPlan, rounds: Sequence[Round]) -> list[int]:
    """How often each of the sides was answered for: right; or before, and after."""
    if plan.question == "which":
        return [sum(round_.on == round_.answer for round_ in rounds)]
    after = sum(round_.answer == "after" for round_ in rounds)
    return [len(rounds) - after, after]


def over(plan: BlindPlan, rounds: Sequence[Round]) -> bool:
    """Whether it is settled, or cannot be any more."""
    if not rounds:
        return False
    least, counts = needed(plan.rounds, plan.error_of_a_side), _counts(plan, rounds)
    left = plan.rounds - len(rounds)
    reachable = any(count + more >= least[len(rounds) + more - 1] for count in counts for more in range(1, left + 1))
    return any(count >= least[len(rounds) - 1] for count in counts) or not reachable


def verdict_of(plan: BlindPlan, rounds: Sequence[Round]) -> tuple[Felt, int]:
    """What some rounds tell, and how many were right."""
    counts = _counts(plan, rounds)
    least = needed(plan.rounds, plan.error_of_a_side)[len(rounds) - 1]
    sides = [side for side, count in zip(plan.sides, counts, strict=True) if count >= least]
    return (sides[0] if sides else "not told"), counts[-1]  # type: ignore[return-value]


def play_blind(player: Player, spec: BlindSpec, versions: Sequence[Version]) -> Blind:
    """Nothing was recorded that a blind test could be computed from.

    Raises:
        UsageError: always.
    """
    raise UsageError(f"a blind test of {spec.about} was judged by a person: nothing was recorded that it could be "
                     "computed from again")


KIND = Kind("blind", BlindSpec, Blind, play_blind, tell=tell_blind, page=blind_page)
