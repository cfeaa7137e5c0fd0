"""How results are printed: JSON, or tables and lines that fit the terminal.

Plain text of our own making rather than a drawing library's: it is most of what a quick command does, and into a pipe
it goes unwrapped and uncoloured, so that other programs can read it line by line.
"""

import json
import math
import os
import shutil
import sys
import textwrap
from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import Any

from keenlattice.cli.terminal import is_terminal, shows_colours
from keenlattice.errors import UsageError
from keenlattice.files import free_path
from keenlattice.notebook import harmless as harmless

VERDICT_STYLES = {
    "better": "bold green", "worse": "bold red", "no difference that matters": "bold", "unclear": "yellow",
    "does what is claimed": "bold green", "does the opposite": "bold red", "does nothing that matters": "bold",
    "best": "bold green"}
CODES = {"bold": 1, "dim": 2, "red": 31, "green": 32, "yellow": 33}
GAP = 2
NARROWEST = 8


_rig = ""


def on_rig(kind: str) -> None:
    """From now on hints name a rig; none, if it is empty."""
    global _rig
    _rig = kind


def emit(result: Any) -> None:
    """Prints a result as JSON; what is not a number is null."""
    print(json.dumps(_plain(result.to_json()), indent=2))


def _plain(value: Any) -> Any:
    if isinstance(value, float) and not math.isfinite(value):
        return None
    if isinstance(value, dict):
        return {key: _plain(entry) for key, entry in value.items()}
    if isinstance(value, list | tuple):
        return [_plain(item) for item in value]
    return value


def width() -> int:
    """Columns to fit into: the terminal's, or as many as it takes where there is none."""
    if is_terminal(sys.stdout) or "COLUMNS" in os.environ:
        return max(40, shutil.get_terminal_size().columns)
    return 100_000


def shown_path(path: Path) -> str:
    """A path as a player would write it: with ~ for their home, where shells know what that is."""
    home = Path.home()
    if os.name != "posix":
        return str(path)
    return f"~/{path.relative_to(home)}" if path.is_relative_to(home) else str(path)


def styled(text: str, style: str) -> str:
    """The text in a style such as "bold green", where colours are wanted and can be shown."""
    if not style or not text or os.environ.get("NO_COLOR") or not shows_colours(sys.stdout):
        return text
    return f"\033[{';'.join(str(CODES[word]) for word in style.split())}m{text}\033[0m"


def minutes(amount: float) -> str:
    """About how long something takes, in words."""
    if amount < 1:
        return "a minute"
    return f"{amount:.0f} min" if amount < 100 else f"{amount / 60:.1f} h"


def say(text: str = "", style: str = "") -> None:
    """Some text, wrapped to the terminal; each of its lines keeps its indent."""
    for line in harmless(text).split("\n"):
        indent = "  " if line.startswith("! ") else line[:len(line) - len(line.lstrip())]
        for part in textwrap.wrap(line, width(), subsequent_indent=indent, break_on_hyphens=False) or [""]:
            print(styled(part, style))


def on_this_rig() -> str:
    """Return what a command needs behind it to be about this rig, if it needs anything: ` --rig byhand`."""
    return f" --rig {_rig}" if _rig else ""


def hint(text: str, what_for: str = "next") -> None:
    """What could be done next. It is not part of the result: where that goes to a file or a program, this does not."""
    names_rig = "--rig" in text or text.startswith("keen rig sheet")  # which is of one rig alone
    line = f"{what_for}: {text}" + f"   (with --rig {_rig})" * bool(_rig and not names_rig)
    if is_terminal(sys.stdout):
        say(line, "dim")
    else:
        print(harmless(line), file=sys.stderr)


def warn(text: str) -> None:
    """What is amiss beside the result, which it does not end up in."""
    print(harmless(f"! {' '.join(text.split())}"), file=sys.stderr)


def table(columns: Sequence[str], rows: Iterable[Sequence[str]], right: Sequence[int] = ()) -> None:
    """A table without borders; `right` names the columns that hold numbers. All but the first wrap if they must."""
    cells = [[harmless(cell) for cell in row] for row in rows]
    widths = [max(1, *(len(row[column]) for row in [list(columns), *cells])) for column in range(len(columns))]
    room = width() - GAP * (len(columns) - 1)
    while sum(widths) > room and max(widths[1:], default=0) > NARROWEST:  # names, in the first, are never broken
        widths[widths.index(max(widths[1:]), 1)] -= 1
    if any(columns):
        _print_row(columns, widths, right, "dim")
    for row in cells:
        _print_row(row, widths, right)


def _print_row(row: Sequence[str], widths: Sequence[int], right: Sequence[int], style: str = "") -> None:
    wrapped = [textwrap.wrap(cell, size, break_on_hyphens=False, drop_whitespace=not cell.startswith(" ")) or [""]
               for cell, size in zip(row, widths, strict=True)]
    for number in range(max(len(cell) for cell in wrapped)):
        parts = []
        for column, cell in enumerate(wrapped):
            text = cell[number] if number < len(cell) else ""
            padded = text.rjust(widths[column]) if column in right else text.ljust(widths[column])
            parts.append(styled(padded, style or VERDICT_STYLES.get(row[column], "")))
        print((" " * GAP).join(parts).rstrip())


def confirmed(question: str, yes: bool) -> bool:
    """Asks a player; without a terminal to ask on, only `--yes` is a yes.

    Raises:
        UsageError: nobody can be asked.
    """
    import typer

    if yes:
        return True
    if not is_terminal(sys.stdin):
        raise UsageError("nobody can be asked here; say --yes to go ahead")
    return typer.confirm(question)


def new_figure(path: Path | None) -> Path | None:
    """As `new_file`, of a figure."""
    return new_file(path, ".png", ".svg")


def new_file(path: Path | None, *endings: str) -> Path | None:
    """The path to write to, asked before anything is played: the one that was named, or, if something is there, one
    with a number behind it, which is said.

    Raises:
        UsageError: its name has none of the endings, or there is no such folder.
    """
    if path is None:
        return None
    if path.suffix not in endings:
        raise UsageError(f"{path}: its name has to end in {' or '.join(endings)}")
    if not path.parent.is_dir():
        raise UsageError(f"{path}: there is no folder {path.parent}; make it first, or name another")
    free = free_path(path)
    if free != path:
        warn(f"{path} is there already and stays as it is: this is written to {free}")
    return free
