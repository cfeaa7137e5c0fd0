"""How results show themselves in a notebook: a line that says what it is, and its table."""

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    import pandas


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

    def _repr_html_(self) -> str:
        from html import escape

        import pandas

        with pandas.option_context("display.max_colwidth", None):
            rows = self._in_brief().to_html(index=False, border=0, float_format="{:.4g}".format, na_rep="")
        return f"<p><b>{escape(self._caption())}</b></p>{rows}"
