"""How long the quick commands take as whole processes, against Typer applications that do nothing.

Each stands against the help of as many empty commands: what a Typer program takes before it has done anything.
"""

import subprocess
import sys
import tempfile
import time
from pathlib import Path
from statistics import median

EMPTY = """
import typer
app = typer.Typer(rich_markup_mode=None)
{commands}
app()
"""
COMMAND = """
@app.command()
def command{number}() -> None:
    "Does nothing."
"""
RUNS = 15
EDITED = "brass-orbit frame.queue-depth=1"

Row = tuple[str, float, str, str, bool]


def measure() -> list[Row]:
    from keenlattice.cli.app import GROUPS

    commands = "".join(COMMAND.format(number=number) for number in range(sum(map(len, GROUPS.values()))))
    with tempfile.TemporaryDirectory() as folder:
        empty = Path(folder) / "empty.py"
        empty.write_text(EMPTY.format(commands=commands), encoding="utf-8")
        book = ["--book", str(Path(folder) / "book"), "--rig", "standin"]
        programs = {
            "empty": [sys.executable, str(empty), "--help"], "--help": _keen("--help"),
            "edit": _keen("edit", *EDITED.split(), *book), "show": _keen("show", "brass-orbit", *book),
            "history": _keen("history", "brass-orbit", *book)}
        rounds = [{name: _seconds(program) for name, program in programs.items()} for _ in range(RUNS + 1)][1:]
    return [_row(name, rounds, 1.2 if name == "--help" else 2.5) for name in programs if name != "empty"]


def measure_import() -> list[Row]:
    """`import keenlattice`, beyond Python's own start."""
    plain, ours = [sys.executable, "-c", ""], [sys.executable, "-c", "import keenlattice"]
    cost = median(_seconds(ours) - _seconds(plain) for _ in range(RUNS))
    return [("import keenlattice, beyond Python's own start", cost, "s", "0.05", cost < 0.05)]


def _row(command: str, rounds: list[dict[str, float]], bound: float) -> Row:
    ratio = median(seconds[command] / seconds["empty"] for seconds in rounds)
    return (f"keen {command}, against as many empty commands", ratio, "times", f"{bound:g}", ratio <= bound)


def _keen(*words: str) -> list[str]:
    return [sys.executable, "-m", "keenlattice.cli.start", *words]


def _seconds(command: list[str]) -> float:
    began = time.perf_counter()
    subprocess.run(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, check=True)
    return time.perf_counter() - began
