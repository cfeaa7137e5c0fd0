"""How long the quick commands take as whole processes, against Typer applications that do nothing.

`keen --help` stands against as many empty commands. `keen show`, `history` and `edit` stand against the same, as it was
asked, and against one empty command that takes the options of `keen show`: what a Typer program takes at least, before
it has done anything, since Typer reads a command's options by pydantic.
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
WITH_OPTIONS = """
from pathlib import Path
@app.command()
def show(reference: str, setting: str = "", all_: bool = False, book: Path | None = None, rig: str = "standin",
         json: bool = False) -> None:
    "Does nothing."
"""
RUNS = 15
EDITED = "brass-orbit frame.queue-depth=1"

Row = tuple[str, float, str, str, bool]


def measure() -> list[Row]:
    from keenlattice.cli.app import GROUPS

    commands = "".join(COMMAND.format(number=number) for number in range(sum(map(len, GROUPS.values()))))
    with tempfile.TemporaryDirectory() as folder:
        empty, options = Path(folder) / "empty.py", Path(folder) / "options.py"
        empty.write_text(EMPTY.format(commands=commands), encoding="utf-8")
        options.write_text(EMPTY.format(commands=WITH_OPTIONS + COMMAND.format(number=1)), encoding="utf-8")
        book = ["--book", str(Path(folder) / "book")]
        programs = {
            "empty": [sys.executable, str(empty), "--help"], "options": [sys.executable, str(options), "show", "a"],
            "help": _keen("--help"), "edit": _keen("edit", *EDITED.split(), *book),
            "show": _keen("show", "brass-orbit", *book), "history": _keen("history", "brass-orbit", *book)}
        rounds = [{name: _seconds(program) for name, program in programs.items()} for _ in range(RUNS + 1)][1:]
    return [_row("keen --help, against as many empty commands", rounds, "help", "empty", 1.2),
            *(_row(f"keen {name}, against as many empty commands", rounds, name, "empty", 1.5)
              for name in ("show", "history", "edit")),
            *(_row(f"keen {name}, against an empty command with its options", rounds, name, "options", 2.0)
              for name in ("show", "history", "edit"))]


def measure_import() -> list[Row]:
    """`import keenlattice`, beyond Python's own start."""
    plain, ours = [sys.executable, "-c", ""], [sys.executable, "-c", "import keenlattice"]
    cost = median(_seconds(ours) - _seconds(plain) for _ in range(RUNS))
    return [("import keenlattice, beyond Python's own start", cost, "s", "0.05", cost < 0.05)]


def _row(what: str, rounds: list[dict[str, float]], ours: str, theirs: str, bound: float) -> Row:
    ratio = median(one[ours] / one[theirs] for one in rounds)
    return (what, ratio, "times", f"{bound:g}", ratio <= bound)


def _keen(*words: str) -> list[str]:
    return [sys.executable, "-m", "keenlattice.cli.start", *words]


def _seconds(command: list[str]) -> float:
    began = time.perf_counter()
    subprocess.run(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, check=True)
    return time.perf_counter() - began
