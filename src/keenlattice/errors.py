"""Every error that Keen Lattice raises on purpose.

    KeenLatticeError            what went wrong; the command line exits with 1
      UsageError                the request is invalid; exits with 2
        UnknownName             no such setting, game, version, metric or rig
        BadValue                a value of the wrong type, or out of range
      BookError                 the logbook is damaged, is none, or cannot be written
      CaptureError              a capture cannot be read, or cannot give what is asked of it
      CatalogError              a catalog file breaks the model
      RigError                  the rig did not do what it was told
        RefusedByRig            rights missing, or a value that this hardware does not take
          NeedsRights           only with an administrator's rights
        RigBusy                 another process is changing this rig
        NeedsInstalling         something that this rig is driven with is not installed
      Paused (in `rig.hand`)    a study by hand waits for its player: `Waiting` says what is to come

Each message says what was wrong, where, and what to do next, in one line.
"""

import re
from collections.abc import Iterable, Iterator
from contextlib import contextmanager

LONGEST_MESSAGE = 2_000
"""Letters of a message; of a longer one the middle is left out."""


_commands = False
"""Whether `way` words what to do as a command; in Python it is a call, whose `ws` is the workspace at hand."""


@contextmanager
def worded_as_commands() -> Iterator[None]:
    """Have errors name commands, for as long as the command line runs; anywhere else they name calls."""
    global _commands
    before, _commands = _commands, True
    try:
        yield
    finally:
        _commands = before


def way(command: str, call: str) -> str:
    """Return what to do next, between backticks, as a command or as a call; `KeenLatticeError.advice` finds it there.

    Args:
        command: as it is typed.
        call: as it is written in Python; names in capitals are for the reader to fill in.
    """
    return f"`{command if _commands else call}`"


def counted(count: int, noun: str, many: str = "") -> str:
    """A number of something: `no studies`, `1 study`, `3 studies`."""
    return f"{count or 'no'} {noun if count == 1 else many or noun + 's'}"


class KeenLatticeError(Exception):
    """Base of all errors that Keen Lattice raises on purpose."""

    exit_code = 1

    @property
    def advice(self) -> tuple[str, ...]:
        """What the message says to do: commands on the command line, calls in Python."""
        return tuple(re.findall(r"`([^`]+)`", str(self)))

    def __init__(self, message: str = "") -> None:
        if len(message) > LONGEST_MESSAGE:  # it repeats what somebody handed over
            message = f"{message[:LONGEST_MESSAGE // 2]} ... {message[-LONGEST_MESSAGE // 2:]}"
        super().__init__(message)


class UsageError(KeenLatticeError):
    """The request is invalid."""

    exit_code = 2


class UnknownName(UsageError):
    """No such setting, game, version, metric or rig; the message offers the nearest."""

    def __init__(self, kind: str, name: str, names: Iterable[str] = (), advice: str = "") -> None:
        import difflib  # only on the way out: keeps the start of every command quick

        near = difflib.get_close_matches(name[:80], list(dict.fromkeys(names)), n=3, cutoff=0.5)
        hint = f"; nearest: {', '.join(near)}" if near else ""
        super().__init__(f"no {kind} named {name[:80]!r}{hint}" + (f"; {advice}" if advice else ""))


class BadValue(UsageError):
    """A value of the wrong type, or out of range."""


class BookError(KeenLatticeError):
    """The logbook is damaged, is none, or cannot be written."""


class CaptureError(KeenLatticeError):
    """A capture cannot be read, or cannot give what is asked of it."""


class CatalogError(KeenLatticeError):
    """A catalog file breaks the model; the message names file, setting and key."""


class RigError(KeenLatticeError):
    """The rig did not do what it was told."""


class RefusedByRig(RigError):
    """Rights are missing, or this hardware does not take the value."""


BY_HAND = "by hand: "
"""Goes before the command in a `NeedsRights`, where there is one that does it."""


class NeedsRights(RefusedByRig):
    """Only with an administrator's rights."""


class RigBusy(RigError):
    """Another process is changing this rig."""


class NeedsInstalling(RigError):
    """Something that this rig is driven with is not installed; the message names the command for it."""
