"""Steps that a person takes at a rig, asked for at this terminal while a study is played."""

import time
from collections.abc import Callable, Sequence
from contextlib import AbstractContextManager, nullcontext
from itertools import groupby
from typing import TYPE_CHECKING

from keenlattice.catalog.values import Value
from keenlattice.cli.output import say
from keenlattice.cli.terminal import Keys
from keenlattice.cli.views.sheet import show_step
from keenlattice.errors import BadValue, RigError
from keenlattice.report.sheet import heading
from keenlattice.rig.hand import ComingRun, Noted, Paused
from keenlattice.rig.player.pace import learn

if TYPE_CHECKING:
    from keenlattice.measure.capture import Capture
    from keenlattice.profile.sheet import SheetStep
    from keenlattice.rig.base import Rig


class StepsAtTerminal:
    """The hand of a player who sets what is not written from here, on a rig that programs play.

    Args:
        rig: that they sit at.
        ask: asks a question, and returns the answer; it raises `Paused` or `TakenBack` for one that means to leave.
        leave: the ways to leave, in words.
        meanwhile: what the steps are shown and asked within, as where a view of the study is put away.
    """

    def __init__(self, rig: "Rig", ask: Callable[[str], str], leave: str,
                 meanwhile: Callable[[], AbstractContextManager[None]] = nullcontext) -> None:
        self._rig, self._ask, self._leave, self._meanwhile = rig, ask, leave, meanwhile
        self._steps: Sequence[SheetStep] = ()
        self._explained: set[str] = set()
        self._noted_before: set[tuple[str, str]] = set()

    def coming(self, run: ComingRun) -> None:
        """Nothing is asked for a run itself."""

    def play(self, run: ComingRun) -> "Capture":
        """Return nothing: programs play here.

        Raises:
            RigError: always.
        """
        raise RigError(f"{run.game} is played by programs on the rig {self._rig.name}")

    def change(self, steps: "Sequence[SheetStep]") -> Noted:
        """Ask for some steps, and for what was there before them; see `Hand.change`."""
        with self._meanwhile():
            return self._take(steps, f"Change this, and restart as it says; then Enter ({self._leave})", self._noted)

    def back(self, steps: "Sequence[SheetStep]") -> Noted:
        """Ask for the way back; see `Hand.back`."""
        with self._meanwhile():
            say("\nAll runs are played. To go back to what was there before:", "bold")
            return self._take(steps, "Enter once that is done, or p to leave it for later", lambda steps: {})

    def show_again(self) -> None:
        """Show the steps that were asked for last, if any were."""
        if self._steps:
            say("Its steps were these; see that each was taken:")
            self._show(self._steps)

    def forget(self) -> None:
        """Forget the steps that were asked for last."""
        self._steps = ()

    def _take(self, steps: "Sequence[SheetStep]", question: str, noted: "Callable[[Sequence[SheetStep]], Noted]"
              ) -> Noted:
        self._steps, begin = steps, time.monotonic()
        self._show(steps)
        before = noted(steps)
        self._ask(question)
        learn(self._rig.home, len(steps), (time.monotonic() - begin) / 60)
        return before

    def _show(self, steps: "Sequence[SheetStep]") -> None:
        """The steps; where each is made, and how it is checked, is given once."""
        for restart, group in groupby(steps, key=lambda step: step.restart):
            say(heading(restart), "bold")
            for step in group:
                show_step(step, why=False, how=step.key not in self._explained)
                self._explained.add(step.key)

    def _noted(self, steps: "Sequence[SheetStep]") -> dict[tuple[str, str], Value]:
        """What was there before, where nobody has told yet."""
        noted_values: dict[tuple[str, str], Value] = {}
        for step in (item for item in steps if item.before is None and item.was is None
                     and (item.owner, item.key) not in self._noted_before):
            self._noted_before.add((step.owner, step.key))  # who cannot tell is not asked again
            while answer := self._ask(f"What does {step.title} show now, before you change it? Enter if you cannot "
                                      "tell"):
                try:
                    noted_values[step.owner, step.key] = self._rig.catalog()[step.key].parsed(answer)
                    break
                except BadValue as error:
                    say(f"! {error}")
        return noted_values


def answered(keys: Keys, question: str) -> str:
    """Return what a player answers at this terminal.

    Raises:
        Paused: nobody is there any more.
    """
    say(f"> {question}: ")
    try:
        return (keys.line() or "").strip()
    except EOFError:
        raise Paused("Paused: nobody is at the terminal any more. All runs so far are kept") from None


def steps_of_a_study(rig: "Rig", meanwhile: Callable[[], AbstractContextManager[None]]) -> StepsAtTerminal:
    """Return the hand of a player at this terminal, of a rig that programs play.

    Args:
        meanwhile: as of `StepsAtTerminal`.
    """
    keys = Keys()

    def ask(question: str) -> str:
        answer = answered(keys, question)
        if answer.lower() == "p":
            raise Paused("Paused. All runs so far are kept, and the rig stays as it is")
        return answer

    return StepsAtTerminal(rig, ask, "p to pause", meanwhile)
