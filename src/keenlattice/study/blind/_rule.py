"""How many answers have to be right, with an end as soon as that is told.

Whoever only guesses is right as often as a coin that is thrown (R. A. Fisher, The Design of Experiments, 1935, chapter
2). Their number of right answers after each round has an exact distribution, gone through round by round; of the error
of 5 % a part is spent at each: by the time that a share t of the rounds is played, t^3 of it, so that the last round
has nearly what it would have alone; and since counts are whole, never more than that. It ends early as well where too
few rounds are left to come to the number at all.
"""

from functools import lru_cache

import numpy as np

POWER = 3.0


@lru_cache(maxsize=64)
def needed(rounds: int, error: float) -> tuple[int, ...]:
    """How many right answers tell after each round, from the first; more than there were rounds where none would."""
    going, spent, found = np.array([1.0]), 0.0, []
    for number in range(1, rounds + 1):
        going = _one_more(going, 0.5)
        may = error * (number / rounds) ** POWER - spent
        beyond = np.cumsum(going[::-1])[::-1]  # this many right answers or more
        least = next((count for count in range(number + 1) if beyond[count] <= may), number + 1)
        spent += float(beyond[least]) if least <= number else 0.0
        going[least:] = 0.0
        found.append(least)
    return tuple(found)


def chance_to_be_found(rounds: int, error: float, right: float) -> float:
    """The chance that somebody who is right with this probability in every round is found to feel it."""
    going, told = np.array([1.0]), 0.0
    for least in needed(rounds, error):
        going = _one_more(going, right)
        told += float(going[least:].sum())
        going[least:] = 0.0
    return told


def _one_more(going: "np.typing.NDArray[np.float64]", right: float) -> "np.typing.NDArray[np.float64]":
    """The probabilities of each number of right answers after one more round."""
    return np.asarray(np.append(going * (1 - right), 0.0) + np.append(0.0, going * right))
