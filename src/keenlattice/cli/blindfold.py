"""A blind test at the terminal: the player learns when to play, and is asked; of a rig that is changed by hand, a
second person is asked to switch, out of the player's sight.
"""

import sys
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from typing import TYPE_CHECKING

import typer

from keenlattice.cli.guide import Guide
from keenlattice.cli.output import say
from keenlattice.cli.terminal import Keys
from keenlattice.errors import UsageError
from keenlattice.rig.hand import Paused, TakenBack

if TYPE_CHECKING:
    from keenlattice.profile.sheet import SheetStep
    from keenlattice.rig.hand import Noted
    from keenlattice.workspace.workspace import Workspace

CLEAR = "\033[2J\033[3J\033[H"  # the screen, what was scrolled off it, and to its top
VOID = "the blind test was stopped, so it is void: nothing of it is kept"


class Blindfold:
    """The person who plays at this terminal and says what they feel.

    Args:
        keys: what is typed here; the helper types there, too, and two readers would take each other's lines.
    """

    def __init__(self, ws: "Workspace", before: str, after: str, question: str, keys: Keys) -> None:
        self._by_hand, self._named = ws.rig.by_hand, {"A": before, "B": after}
        self._which, self._keys = question == "which", keys

    def meet(self, name: str) -> None:
        """A or B is on, and they learn which."""
        say(f"\n{name} is on: {self._named[name]}. Play, and get to know it.", "bold")
        self._line("Enter once you know it: ")

    def play(self, number: int, rounds: int, part: int) -> None:
        """One is on, and they are not told which."""
        if self._by_hand:
            self._line("Helper: the rig is as it has to be. Call the player without a word; Enter: ")
        which = {0: "One of the two is on", 1: "The first is on", 2: "The second is on"}[part]
        say(f"\nRound {number} of at most {rounds}. {which}. Play from the start of the game.", "bold")
        self._line("Enter once you have felt enough: ")

    def answer(self, number: int, rounds: int) -> str:
        """What they say, asked until it is an answer."""
        question, choices = ("Which was it, A or B? ", "AB") if self._which else ("Which felt better, 1 or 2? ", "12")
        while (reply := self._line(question).strip().upper()) not in tuple(choices):
            say(f"! {' or '.join(choices)}, please; guess if you cannot tell")
        return reply

    def _line(self, question: str) -> str:
        """What is typed; a player who is gone makes the test void.

        Raises:
            UsageError: nobody is there any more.
        """
        typer.echo(question, nl=False, err=True)
        try:
            return self._keys.line() or ""
        except EOFError:
            raise UsageError(VOID) from None


class Helper(Guide):
    """The second person, who changes what has to be changed, and whose screen is cleared behind them."""

    def __init__(self, ws: "Workspace", keys: Keys) -> None:
        super().__init__(ws)
        self._keys = keys

    def change(self, steps: "Sequence[SheetStep]") -> "Noted":
        say("\nFor the helper alone; the player looks away.", "bold")
        noted = super().change(steps)
        sys.stdout.write(CLEAR)
        return noted


@contextmanager
def judging(ws: "Workspace", keys: Keys) -> Iterator[None]:
    """The rig that is changed by hand has its helper; one who leaves makes the test void.

    Raises:
        UsageError: they left.
    """
    from keenlattice.rig.session import hand_where_nobody_is

    try:
        if not ws.rig.by_hand:
            yield
            return
        say("This takes two: a helper switches at this terminal, and the player looks away meanwhile.")
        with Helper(ws, keys) as helper, hand_where_nobody_is(ws.rig.machine, helper):
            yield
    except (Paused, TakenBack):
        raise UsageError(f"{VOID}. The rig stays as it is; keen undo writes the way back") from None
