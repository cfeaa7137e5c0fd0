"""The drawing library, loaded so that a file in the current folder cannot change what it does.

It looks for settings of its own in the folder that one happens to be in, which may be somebody else's pack.
"""

import contextlib
import sys
from pathlib import Path


def load() -> None:
    """Loads Matplotlib from our own folder, if nobody has loaded it yet."""
    if "matplotlib" not in sys.modules:
        with contextlib.chdir(Path(__file__).parent):
            import matplotlib  # noqa: F401
