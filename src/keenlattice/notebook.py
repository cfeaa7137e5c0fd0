"""How results show themselves: as a line and a table, in a notebook and at a prompt."""

import math
from collections.abc import Sequence
from html import escape
from typing import TYPE_CHECKING, Any, ClassVar

if TYPE_CHECKING:
    import pandas

Rows = list[dict[str, Any]]

STUDY_COLUMNS = ("settings", "metric", "before", "after", "change_pct", "low_pct", "high_pct", "verdict", "decides")
"""The columns of the table of a study of any kind: what was changed, which metric, its values in its own unit, the
change in per cent with its interval, the word for it, and whether it is one that decides."""


def study_row(settings: str, metric: str, verdict: str, *, before: float | None = None, after: float | None = None,
              change: Sequence[float | None] = (None, None, None), decides: bool = True) -> dict[str, Any]:
    """Return a row of the table of a study; `change` is the change and the ends of its interval, in per cent."""
    numbers = (math.nan if number is None else number for number in (before, after, *change))
    return dict(zip(STUDY_COLUMNS, (settings, metric, *numbers, verdict, decides), strict=True))


SHORT = "{:.4g}".format  # no more digits than can be meant


class Shown:
    """What has a tidy table: one row for each observation, one column for each variable."""

    __slots__ = ()

    COLUMNS: ClassVar[Sequence[str] | None] = None
    """Those of a table that may have no rows."""

    def table(self) -> "pandas.DataFrame":
        """Return the result as a table, a row for each of the things that it is about."""
        import pandas

        return pandas.DataFrame(self._rows(), columns=self.COLUMNS)

    def _rows(self) -> Rows:
        """The rows of the table."""
        raise NotImplementedError

    def _caption(self) -> str:
        raise NotImplementedError

    def _in_brief(self) -> Rows:
        """What is shown of the rows; all of them, where there are not many."""
        return self._rows()

    def __repr__(self) -> str:
        rows = self._in_brief()
        names, cells, numbers = laid_out(rows)
        columns = [_aligned([name, *column], place in numbers)
                   for place, (name, *column) in enumerate(zip(names, *cells, strict=True))]
        lines = ("  ".join(line).rstrip() for line in zip(*columns, strict=True))
        return "\n".join(harmless(line, "\ufffd", "") for line in (self._caption(), *(lines if rows else ())))

    def _repr_html_(self) -> str:
        names, cells, _ = laid_out(self._in_brief())
        head = "".join(f"<th>{escape(name)}</th>" for name in names)
        body = "".join(f"<tr>{''.join(f'<td>{escape(cell)}</td>' for cell in line)}</tr>" for line in cells)
        return (f"<p><b>{escape(self._caption())}</b></p>"
                f"<table><thead><tr>{head}</tr></thead><tbody>{body}</tbody></table>")


def laid_out(rows: Rows) -> tuple[list[str], list[list[str]], list[int]]:
    """The names of all columns, the text of each cell, and the places of the columns that hold numbers."""
    names = list(dict.fromkeys(name for row in rows for name in row))
    numbers = [place for place, name in enumerate(names)
               if all(isinstance(row.get(name), int | float | None) for row in rows)]
    return names, [[_cell(row.get(name)) for name in names] for row in rows], numbers


def _aligned(cells: list[str], numbers: bool) -> list[str]:
    width = max(map(len, cells))
    return [cell.rjust(width) if numbers else cell.ljust(width) for cell in cells]


def harmless(text: str, instead: str = "?", kept: str = "\n") -> str:
    """The text without what a terminal would act on: no name or note of a stranger's can move the cursor or colour a
    verdict."""
    if text.isprintable():
        return text
    return "".join(letter if letter.isprintable() or letter in kept else instead for letter in text)


def _cell(value: Any) -> str:
    if value is None or value != value:
        return ""
    if isinstance(value, float):
        return SHORT(value)
    return ", ".join(map(_cell, value)) if isinstance(value, list | tuple) else str(value)
