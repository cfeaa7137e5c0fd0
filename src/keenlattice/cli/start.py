"""Where the program `keen` begins: with what must be right before anything else is loaded."""

import os
import signal
import sys
from types import FrameType

STOPPED = "stopped; nothing is left half-done"  # as `app` says it, once that is loaded
AGAIN_S = 0.02


def main() -> None:
    """Runs the command line. Ctrl-C ends it in one line, also while something is being loaded."""
    # A library that we use looks for plugins among the entry points of all packages, of which one may be malformed.
    os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "1")
    _open_closed_streams()
    try:
        from keenlattice.cli.app import main as run

        run()
    except KeyboardInterrupt:
        print(f"keen: {STOPPED}", file=sys.stderr)
        sys.exit(130)
    finally:
        _ignore_interrupts()


def _ignore_interrupts() -> None:
    """The command is over: while Python clears up, Ctrl-C would be a traceback, and a timer under way a signal."""
    _stop_timer()
    signal.signal(signal.SIGINT, signal.SIG_IGN)


def _stop_timer() -> None:
    if hasattr(signal, "setitimer"):  # Windows has none
        signal.setitimer(signal.ITIMER_REAL, 0)


def _open_closed_streams() -> None:
    """A program may be started with its standard streams closed; then what is said goes nowhere."""
    for name, mode in (("stdin", "r"), ("stdout", "w"), ("stderr", "w")):
        if getattr(sys, name) is None:
            setattr(sys, name, open(os.devnull, mode, encoding="utf-8"))  # noqa: SIM115  (it stays open to the end)


def _interrupt(_signal: int, frame: FrameType | None) -> None:
    """Ctrl-C. While a library is being loaded it waits: many make an error of their own of it, or crash."""
    if _is_loading(frame) and hasattr(signal, "setitimer"):
        signal.signal(signal.SIGALRM, _interrupt)
        signal.setitimer(signal.ITIMER_REAL, AGAIN_S)
        return
    _stop_timer()
    raise KeyboardInterrupt


def _is_loading(frame: FrameType | None) -> bool:
    while frame is not None:
        if frame.f_code.co_filename.startswith("<frozen importlib"):
            return True
        frame = frame.f_back
    return False


if signal.getsignal(signal.SIGINT) is signal.default_int_handler:
    signal.signal(signal.SIGINT, _interrupt)  # as soon as anything of ours runs

if __name__ == "__main__":
    main()
