"""How results are printed: JSON, or tables and lines that fit the terminal."""

import json
import math
from collections.abc import Iterable, Sequence
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from rich.console import Console

VERDICT_STYLES = {
    "better": "bold green", "worse": "bold red", "no difference that matters": "bold", "unclear": "yellow"}


def emit_json(kind: str, content: dict[str, Any]) -> None:
    """Prints a result as JSON, with its schema's name; what is not a number is null."""
    print(json.dumps({"schema": f"keen-lattice/{kind}/1", **_plain(content)}, indent=2))


def _plain(value: Any) -> Any:
    if isinstance(value, float) and not math.isfinite(value):
        return None
    if isinstance(value, dict):
        return {key: _plain(one) for key, one in value.items()}
    if isinstance(value, list | tuple):
        return [_plain(one) for one in value]
    return value


def console() -> "Console":
    """The terminal, or whatever standard output is."""
    from rich.console import Console

    return Console(highlight=False, soft_wrap=False)


def say(text: str = "", style: str = "") -> None:
    """A line of text; square brackets in it are only brackets."""
    console().print(text, style=style, markup=False)


def table(columns: Sequence[str], rows: Iterable[Sequence[str]], right: Sequence[int] = (), title: str = "") -> None:
    """A table without borders; `right` names the columns that hold numbers."""
    from rich.table import Table
    from rich.text import Text

    drawn = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0), title=title or None, title_justify="left",
                  title_style="bold", header_style="dim", show_header=any(columns))
    for index, column in enumerate(columns):
        drawn.add_column(column, justify="right" if index in right else "left", overflow="fold")
    for row in rows:
        drawn.add_row(*(Text(cell, style=VERDICT_STYLES.get(cell, "")) for cell in row))
    console().print(drawn)


def confirmed(question: str, yes: bool) -> bool:
    """Asks a player; without a terminal to ask on, only `--yes` is a yes.

    Raises:
        UsageError: nobody can be asked.
    """
    import sys

    import typer

    from keenlattice.errors import UsageError

    if yes:
        return True
    if not sys.stdin.isatty():
        raise UsageError("nobody can be asked here; say --yes to go ahead")
    return typer.confirm(question)
