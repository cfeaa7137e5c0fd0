"""What the tests share: a stand-in rig, a logbook, and the command line as a process."""

import contextlib
import io
import json
import os
import signal
import sqlite3
import subprocess
import sys
from collections.abc import Callable, Iterator, Mapping, Sequence
from pathlib import Path
from typing import Any
from unittest import mock

import pytest
from hypothesis import settings

import sentences
from keenlattice.cli.app import main
from keenlattice.logbook.book import Logbook
from keenlattice.rig.standin.machine import Standin

settings.register_profile("ours", deadline=None, max_examples=40)  # a shared machine is not a stopwatch
settings.register_profile("torture", deadline=None, max_examples=50_000)  # make torture
settings.load_profile("ours")

if signal.getsignal(signal.SIGINT) is signal.SIG_IGN:  # begun in the background, where a shell has Ctrl-C ignored,
    signal.signal(signal.SIGINT, signal.default_int_handler)  # and every process of a test would ignore it, too

KEEN = [sys.executable, "-c", "from keenlattice.cli.start import main; main()"]

POSIX = pytest.mark.skipif(os.name != "posix", reason="it is about what only POSIX has")
"""Signals that a process can answer, links that anybody can make, bounds for a process: not on Windows."""

Keen = Callable[..., "subprocess.CompletedProcess[str]"]


@pytest.fixture(autouse=True)
def own_state(tmp_path_factory: pytest.TempPathFactory, monkeypatch: pytest.MonkeyPatch) -> None:
    """Nothing of a test is left among the state of anyone who runs it; `environment` gives each player their own."""
    monkeypatch.setenv("KEEN_STATE", str(tmp_path_factory.getbasetemp() / "state"))
    monkeypatch.setenv("KEEN_RIG", "standin")


sentences.watch()


@pytest.fixture(autouse=True)
def readable() -> Iterator[None]:
    """Whatever the test leads to can be read."""
    yield
    faults = [*sentences.FAULTS]
    sentences.FAULTS.clear()
    assert not faults, "\n".join(faults)


@pytest.fixture
def hang() -> Iterator[None]:
    """A test in which something took for ever once: it fails if it does so again."""
    if os.name != "posix":
        yield
        return
    before = signal.signal(signal.SIGALRM, _too_long)
    signal.alarm(40)
    yield
    signal.alarm(0)
    signal.signal(signal.SIGALRM, before)


def _too_long(_number: int, _frame: object) -> None:
    raise AssertionError("it takes too long")


def juniper(book: Path, player: Path | None = None) -> Path:
    """Where the stand-in of a logbook lies: among the state of anyone who made it, who lives in `player`."""
    state = (player or book.parent) / ".local" / "state" / "keen-lattice"
    with contextlib.closing(sqlite3.connect(book / "logbook.sqlite")) as raw:
        (own,) = raw.execute("SELECT id FROM book").fetchone()
    return state / "books" / str(own) / "juniper"


@pytest.fixture
def rig(tmp_path: Path) -> Standin:
    return Standin(tmp_path / "rig")


@pytest.fixture
def book(tmp_path: Path) -> Logbook:
    return Logbook(tmp_path / "book")


def environment(home: Path, **more: str) -> dict[str, str]:
    """A player of whom nothing is left behind: home, state and data are all in one folder."""
    plain = {name: value for name, value in os.environ.items() if not name.startswith(("KEEN_", "XDG_"))}
    state = {} if os.name == "posix" else {"KEEN_STATE": str(home / ".local" / "state" / "keen-lattice")}
    return {**plain, "HOME": str(home), "COLUMNS": "100", "KEEN_RIG": "standin", **state, **more}


def typed(words: Sequence[str], folder: Path, env: Mapping[str, str],
          encoding: str = "utf-8") -> "subprocess.CompletedProcess[str]":
    """Runs `keen` in this process, with its own environment, folder and streams: starting one for each command of the
    tests takes minutes."""
    streams = [io.TextIOWrapper(io.BytesIO(), encoding=encoding) for _ in range(2)]
    with (mock.patch.dict(os.environ, env, clear=True), contextlib.chdir(folder), open(os.devnull) as nothing,
          mock.patch.object(sys, "argv", ["keen", *words]), mock.patch.object(sys, "stdin", nothing),
          contextlib.redirect_stdout(streams[0]), contextlib.redirect_stderr(streams[1]),
          pytest.raises(SystemExit) as ended):
        main()
    for stream in streams:
        stream.flush()
    said, errors = (stream.buffer.getvalue().decode(encoding) for stream in streams)  # type: ignore[attr-defined]
    if "--json" not in words:
        sentences.look_at(said + errors)
    return subprocess.CompletedProcess(["keen", *words], int(ended.value.code or 0), said, errors)


def as_process(words: Sequence[str], folder: Path, env: Mapping[str, str]) -> "subprocess.CompletedProcess[str]":
    """Runs `keen` as its own process."""
    return subprocess.run([*KEEN, *words], env=env, cwd=folder, capture_output=True, text=True,
                          stdin=subprocess.DEVNULL, timeout=300, check=False)


@pytest.fixture(params=[pytest.param(typed, id="")])
def keen(tmp_path: Path, request: pytest.FixtureRequest) -> Keen:
    """Runs `keen` on its own logbook; as a process, where a test is marked with `AS_PROCESS`."""
    how = request.param

    def run(*words: str, code: int = 0, **more: str) -> "subprocess.CompletedProcess[str]":
        done: subprocess.CompletedProcess[str] = how(
            words, tmp_path, environment(tmp_path, KEEN_BOOK=str(tmp_path / "book"), **more))
        assert done.returncode == code, done.stdout + done.stderr
        assert "Traceback" not in done.stderr, done.stderr
        return done
    return run


AS_PROCESS = pytest.mark.parametrize("keen", [as_process], indirect=True, ids=["process"])


def as_json(done: "subprocess.CompletedProcess[str]") -> Any:
    return json.loads(done.stdout)
