"""How long `keen --help` takes, against a Typer application with as many empty commands.

The empty application is as plain as ours; half as much again is what our options and their files may add.
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

Row = tuple[str, float, str, str, bool]


def measure() -> list[Row]:
    from keenlattice.cli.app import app

    commands = "".join(COMMAND.format(number=number) for number in range(len(app.registered_commands)))
    with tempfile.TemporaryDirectory() as folder:
        empty = Path(folder) / "empty.py"
        empty.write_text(EMPTY.format(commands=commands), encoding="utf-8")
        ours = [sys.executable, "-c", "from keenlattice.cli.app import main; main()", "--help"]
        pairs = [(_seconds(ours), _seconds([sys.executable, str(empty), "--help"])) for _ in range(RUNS + 1)][1:]
    ratio = median(one / other for one, other in pairs)
    return [("keen --help, against as many empty commands", ratio, "times", "1.5", ratio <= 1.5)]


def _seconds(command: list[str]) -> float:
    began = time.perf_counter()
    subprocess.run(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, check=True)
    return time.perf_counter() - began
