"""The base of what a workspace's methods return: shown in blocks, as a table and as JSON."""

from collections.abc import Callable, Mapping
from dataclasses import fields, is_dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any, ClassVar

from keenlattice.notebook import Rows as Rows
from keenlattice.notebook import Shown, laid_out

if TYPE_CHECKING:
    from keenlattice.blocks import Telling

NOT_IN_JSON: Mapping[str, bool] = {"json": False}
"""Metadata of a result's field that is for Python alone."""


class Result(Shown):
    """What a method of a workspace gives: a dataclass whose fields are its JSON, as `docs/formats.md` has it."""

    SCHEMA: ClassVar[str] = ""
    REVISION: ClassVar[int] = 1

    def to_json(self) -> dict[str, Any]:
        """The result as JSON types, with its schema's name."""
        return {"schema": f"keen-lattice/{self.SCHEMA}/{self.REVISION}", **_fields(self)}

    def telling(self) -> "Telling":
        """Return the result in blocks, which a terminal, Markdown and a notebook show their way: the answer first."""
        tell: Callable[[Result], Telling] | None = getattr(self, "_telling", None)
        if tell is not None:
            return tell(self)
        from keenlattice import blocks

        rows = self._in_brief()
        names, cells, right = laid_out(rows)
        table = [blocks.Table(names, cells, right)] if rows else []
        return blocks.Telling([blocks.KeyFigure(self._caption())], blocks=table)

    def _repr_html_(self) -> str:
        from keenlattice.report.html import to_notebook

        return to_notebook(self.telling())

    def _rows(self) -> Rows:
        """The rows of the table; where there is nothing to list, the result itself."""
        return [self.to_json()]

    def _in_brief(self) -> Rows:
        return self._rows() if type(self)._rows is not Result._rows else []


class DetailedResult(Result):
    """A result that has more to tell than is wanted at first."""

    _telling: "Callable[[Any, bool], Telling]"

    def telling(self, every: bool = False) -> "Telling":
        """Return the result in blocks, which a terminal, Markdown and a notebook show their way: the answer first.

        Args:
            every: whether to include every metric, and the settings that are at stock.
        """
        return self._telling(self, every)


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
