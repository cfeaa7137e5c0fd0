"""How results show themselves: as a line and a table, in a notebook and at a prompt, and as JSON."""

from collections.abc import Mapping
from dataclasses import fields, is_dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any, ClassVar

if TYPE_CHECKING:
    import pandas

SHORT = "{:.4g}".format  # no more digits than can be meant

NOT_IN_JSON: Mapping[str, bool] = {"json": False}
"""Metadata of a result's field that is for Python alone."""


class Shown:
    """What has a tidy table: one row for each observation, one column for each variable."""

    __slots__ = ()

    def table(self) -> "pandas.DataFrame":
        """The result as a table."""
        raise NotImplementedError

    def _caption(self) -> str:
        raise NotImplementedError

    def _in_brief(self) -> "pandas.DataFrame":
        """What of the table is shown; all of it, where it is not long."""
        return self.table()

    def __repr__(self) -> str:
        rows = self._in_brief()
        told = rows.to_string(index=False, na_rep="", float_format=SHORT) if len(rows) else ""
        return f"{self._caption()}\n{told}".rstrip()

    def _repr_html_(self) -> str:
        from html import escape

        import pandas

        with pandas.option_context("display.max_colwidth", None):
            rows = self._in_brief().to_html(index=False, border=0, float_format=SHORT, na_rep="")
        return f"<p><b>{escape(self._caption())}</b></p>{rows}"


class Result(Shown):
    """What a method of a workspace gives: a dataclass whose fields are its JSON, as `docs/formats.md` has it."""

    SCHEMA: ClassVar[str] = ""
    REVISION: ClassVar[int] = 1

    def to_json(self) -> dict[str, Any]:
        """The result as JSON types, with its schema's name."""
        return {"schema": f"keen-lattice/{self.SCHEMA}/{self.REVISION}", **_fields(self)}

    def table(self) -> "pandas.DataFrame":
        """A row for each of the things that the result is about."""
        import pandas

        return pandas.DataFrame(self._rows())

    def _rows(self) -> list[dict[str, Any]]:
        """The rows of the table; where there is nothing to list, the result itself."""
        return [self.to_json()]

    def _in_brief(self) -> "pandas.DataFrame":
        import pandas

        return self.table() if type(self)._rows is not Result._rows else pandas.DataFrame()


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
        return {str(key): plain(one) for key, one in value.items()}
    if isinstance(value, list | tuple):
        return [plain(one) for one in value]
    return str(value) if isinstance(value, Path) else value


def _fields(value: Any) -> dict[str, Any]:
    return {one.name: plain(getattr(value, one.name)) for one in fields(value) if one.metadata.get("json", True)}
