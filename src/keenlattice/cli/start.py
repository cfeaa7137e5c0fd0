"""Where the program `keen` begins: with what must be right before anything else is loaded."""

import os
import signal
import sys
from types import FrameType

STOPPED = "keen: stopped; nothing is left half-done"


def main() -> None:
    """Runs the command line. Ctrl-C while it is being loaded ends it as quietly as later on."""
    _open_closed_streams()
    if hasattr(signal, "SIGINT") and signal.getsignal(signal.SIGINT) is signal.default_int_handler:
        signal.signal(signal.SIGINT, _stop_loading)
    from keenlattice.cli.app import main as run

    if signal.getsignal(signal.SIGINT) is _stop_loading:
        signal.signal(signal.SIGINT, _interrupt)
    run(interrupted)


def _open_closed_streams() -> None:
    """A program may be started with its standard streams closed; then what is said goes nowhere."""
    for name, mode in (("stdin", "r"), ("stdout", "w"), ("stderr", "w")):
        if getattr(sys, name) is None:
            setattr(sys, name, open(os.devnull, mode, encoding="utf-8"))  # noqa: SIM115  (it stays open to the end)


def _stop_loading(_signal: int, _frame: FrameType | None) -> None:
    print(STOPPED, file=sys.stderr, flush=True)
    os._exit(130)


_interrupts: list[int] = []


def _interrupt(number: int, _frame: FrameType | None) -> None:
    _interrupts.append(number)
    raise KeyboardInterrupt


def interrupted() -> bool:
    """Whether Ctrl-C was pressed: some libraries turn it into an error of their own while they are loaded."""
    return bool(_interrupts)
