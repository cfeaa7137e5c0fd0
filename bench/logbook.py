"""A book of 10,000 versions over 200 games with 100 settings each: how soon it answers, and takes one more."""

import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from statistics import median

from bench.start_time import Row
from keenlattice.catalog.load import catalog
from keenlattice.catalog.values import Value
from keenlattice.logbook.book import Logbook
from keenlattice.profile.checks import findings
from keenlattice.profile.layers import resolve
from keenlattice.rig.standin.machine import Standin

GAMES, PER_GAME, RUNS = 200, 50, 11
MAIN = "from keenlattice.cli.app import main; main()"


def measure() -> list[Row]:
    entries: dict[str, Value] = {one.name: one.stock for one in list(catalog())[:100]}
    with tempfile.TemporaryDirectory() as folder:
        small, large = Logbook(Path(folder) / "small"), Logbook(Path(folder) / "large")
        for number in range(10):
            small.commit("game-0", {**entries, "frame.cap": 30 + number})
        large._connection.execute("BEGIN")  # one transaction: only the making of the book is hurried
        for number in range(GAMES * PER_GAME):
            large.commit(f"game-{number % GAMES}", {**entries, "frame.cap": 30 + number // GAMES})
        large._connection.execute("COMMIT")
        history = _ratio(*(["history", "game-0", "--book", str(book.folder)] for book in (large, small)))
        edit = _edit_ratio(large, small, entries)
        checked = _resolve_and_check(large, Standin(Path(folder) / "rig"))
    newest = "keen history, the newest of 10,000 versions, against a book of 10"
    return [(newest, history, "times", "1.25", history <= 1.25),
            ("an edit at version 10,000, against one at version 10", edit, "times", "1.25", edit <= 1.25),
            ("resolving and checking 200 games", checked, "s", "1", checked < 1)]


def _ratio(one: list[str], other: list[str]) -> float:
    pairs = [(_seconds(one), _seconds(other)) for _ in range(RUNS + 1)][1:]
    return median(first / second for first, second in pairs)


def _seconds(words: list[str]) -> float:
    began = time.perf_counter()
    subprocess.run([sys.executable, "-c", MAIN, *words], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
                   check=True)
    return time.perf_counter() - began


def _edit_ratio(large: Logbook, small: Logbook, entries: dict[str, Value]) -> float:
    """Edits in turn in both books, so that the disk's mood cancels."""
    ratios = []
    for number in range(100):
        took = []
        for book in (large, small):
            began = time.perf_counter()
            book.commit("game-0", {**entries, "frame.cap": 100 + number})
            took.append(time.perf_counter() - began)
        ratios.append(took[0] / took[1])
    return median(ratios)


def _resolve_and_check(book: Logbook, rig: Standin) -> float:
    facts, known = rig.facts(), rig.catalog()
    versions = [book.latest(f"game-{number}") for number in range(GAMES)]

    def once() -> None:
        for version in versions:
            assert version is not None
            findings(known, resolve(known, {}, version.entries, facts=facts), facts, rig.devices())

    once()
    return _took(once)


def _took(what: Callable[[], None]) -> float:
    began = time.perf_counter()
    what()
    return time.perf_counter() - began
