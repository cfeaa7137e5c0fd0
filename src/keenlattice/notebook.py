"""How results show themselves: as a line and a table, in a notebook and at a prompt, and as JSON."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import fields, is_dataclass
from html import escape
from pathlib import Path
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

NOT_IN_JSON: Mapping[str, bool] = {"json": False}
"""Metadata of a result's field that is for Python alone."""


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
        names, cells = _laid_out(rows)
        columns = [_aligned([name, *column], all(isinstance(row.get(name), int | float | None) for row in rows))
                   for name, *column in zip(names, *cells, strict=True)]
        lines = ("  ".join(line).rstrip() for line in zip(*columns, strict=True))
        return "\n".join(harmless(line, "\ufffd", "") for line in (self._caption(), *(lines if rows else ())))

    def _repr_html_(self) -> str:
        names, cells = _laid_out(self._in_brief())
        head = "".join(f"<th>{escape(name)}</th>" for name in names)
        body = "".join(f"<tr>{''.join(f'<td>{escape(cell)}</td>' for cell in line)}</tr>" for line in cells)
        return (f"<p><b>{escape(self._caption())}</b></p>"
                f"<table><thead><tr>{head}</tr></thead><tbody>{body}</tbody></table>")


def _laid_out(rows: Rows) -> tuple[list[str], list[list[str]]]:
    """The names of all columns, and the text of each cell."""
    names = list(dict.fromkeys(name for row in rows for name in row))
    return names, [[_cell(row.get(name)) for name in names] for row in rows]


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


class Result(Shown):
    """What a method of a workspace gives: a dataclass whose fields are its JSON, as `docs/formats.md` has it."""

    SCHEMA: ClassVar[str] = ""
    REVISION: ClassVar[int] = 1

    def to_json(self) -> dict[str, Any]:
        """The result as JSON types, with its schema's name."""
        return {"schema": f"keen-lattice/{self.SCHEMA}/{self.REVISION}", **_fields(self)}

    def _rows(self) -> Rows:
        """The rows of the table; where there is nothing to list, the result itself."""
        return [self.to_json()]

    def _in_brief(self) -> Rows:
        return self._rows() if type(self)._rows is not Result._rows else []


def plain(value: Any) -> Any:
    """A value as JSON types: what knows its own form, dataclasses by their fields, a path as text."""
    if hasattr(value, "plain"):
        return value.plain()
    if hasattr(value, "model_dump"):
        return value.model_dump(mode="json", by_alias=True)
    if hasattr(value, "to_json"):
        return value.to_json()
    if is_dataclass(value):
        return _fields(value)
    if isinstance(value, Mapping):
        return {str(key): plain(entry) for key, entry in value.items()}
    if isinstance(value, list | tuple):
        return [plain(item) for item in value]
    return str(value) if isinstance(value, Path) else value


def _fields(value: Any) -> dict[str, Any]:
    return {entry.name: plain(getattr(value, entry.name)) for entry in fields(value)
            if entry.metadata.get("json", True)}
