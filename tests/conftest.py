"""What the tests share: a stand-in rig, a logbook, and the command line as a process."""

import json
import os
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from hypothesis import settings

from keenlattice.logbook.book import Logbook
from keenlattice.rig.standin.machine import Standin

settings.register_profile("ours", deadline=None, max_examples=40)  # a shared machine is no stopwatch
settings.register_profile("torture", deadline=None, max_examples=50_000)  # make torture
settings.load_profile("ours")

KEEN = [sys.executable, "-c", "from keenlattice.cli.app import main; main()"]

Keen = Callable[..., "subprocess.CompletedProcess[str]"]


@pytest.fixture
def rig(tmp_path: Path) -> Standin:
    return Standin(tmp_path / "rig")


@pytest.fixture
def book(tmp_path: Path) -> Logbook:
    return Logbook(tmp_path / "book")


def environment(home: Path, **more: str) -> dict[str, str]:
    """A player of whom nothing is left behind: home, state and data are all in one folder."""
    plain = {name: value for name, value in os.environ.items() if not name.startswith(("KEEN_", "XDG_"))}
    return {**plain, "HOME": str(home), "COLUMNS": "100", **more}


@pytest.fixture
def keen(tmp_path: Path) -> Keen:
    """Runs `keen` as a process, on a logbook of its own."""
    def run(*words: str, code: int = 0, **more: str) -> "subprocess.CompletedProcess[str]":
        env = environment(tmp_path, KEEN_BOOK=str(tmp_path / "book"), **more)
        done = subprocess.run([*KEEN, *words], env=env, cwd=tmp_path, capture_output=True, text=True,
                              stdin=subprocess.DEVNULL, timeout=300, check=False)
        assert done.returncode == code, done.stdout + done.stderr
        assert "Traceback" not in done.stderr, done.stderr
        return done
    return run


def as_json(done: "subprocess.CompletedProcess[str]") -> Any:
    return json.loads(done.stdout)
