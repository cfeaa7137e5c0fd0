"""What an apply of 100 settings takes beyond the start of a command, and how soon the driver's files are read."""

import subprocess
import sys
import tempfile
import time
from pathlib import Path
from statistics import median

from bench.start_time import Row
from keenlattice.catalog.load import catalog
from keenlattice.catalog.values import Value
from keenlattice.logbook.book import Logbook
from keenlattice.rig.linux.entries import (
    SYSTEM_FOLDER,
    Configuration,
    DrawnOn,
    Program,
    all_entries,
    configuration_files,
)

MAIN = "from keenlattice.cli.start import main; main()"
RUNS = 9


def measure() -> list[Row]:
    """Each apply of 100 settings beside `keen undo --list`, which opens the same logbook and does nothing else."""
    beyond = []
    for _ in range(RUNS):
        with tempfile.TemporaryDirectory(dir=".") as folder:
            book = Logbook(Path(folder) / "book")
            book.commit("rig", _hundred())
            book.close()
            start = _seconds(["undo", "--list", "--book", str(book.folder)])
            beyond.append(_seconds(["apply", "rig", "--yes", "--book", str(book.folder)]) - start)
    took = median(beyond)
    what = "previewing and applying 100 settings, all flushed, beyond keen undo --list"
    return [(what, took, "s", "0.5", took < 0.5)]


def _hundred() -> dict[str, Value]:
    """A hundred settings, each at a value that the stand-in takes."""
    keys = [f"{one.name}@gpu0" if one.scope == "device" else one.name for one in catalog()
            if not one.name.startswith(("interrupt.mode", "display.refresh"))][:100]
    assert len(keys) == 100
    return {key: catalog()[key].stock for key in keys}


def _seconds(words: list[str]) -> float:
    began = time.perf_counter()
    subprocess.run([sys.executable, "-c", MAIN, *words], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
                   check=True)
    return time.perf_counter() - began


def measure_entries() -> list[Row]:
    """The files that the system ships, read, and resolved for every executable that they name."""
    files = configuration_files(Path("/"), Path("/nowhere"))
    if not files:
        print(f"left out: reading the driver's files: there are none in /{SYSTEM_FOLDER}")
        return []
    took = []
    for _ in range(RUNS):
        began = time.perf_counter()
        configuration = Configuration(all_entries(files))
        for entry in configuration.entries:
            configuration.resolve(Program(entry.matches.get("executable", "")), DrawnOn("swrast"))
        took.append(time.perf_counter() - began)
    ms = 1000 * median(took)
    what = f"reading and resolving {len(configuration.entries)} entries of the driver's files"
    return [(what, ms, "ms", "50", ms < 50)]
