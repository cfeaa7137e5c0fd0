"""A picture of a result, and a page about one for somebody who was not there."""

from collections.abc import Callable
from dataclasses import field
from io import BytesIO
from pathlib import Path
from typing import TYPE_CHECKING, Any, ClassVar

from keenlattice.errors import KeenLatticeError
from keenlattice.files import free_path, replace_file
from keenlattice.quickly import dataclass
from keenlattice.report.markdown import to_markdown
from keenlattice.report.style import DPI, literally, save
from keenlattice.workspace.result import NOT_IN_JSON, Result

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

    from keenlattice.blocks import Report
    from keenlattice.measure.capture import Capture


@dataclass(frozen=True)
class Drawing:
    """A figure that has yet to be drawn, and the runs that it is of, where it is of runs alone."""

    draw: "Callable[[], Figure]"
    captures: "tuple[Capture, ...]" = ()

    def save(self, path: Path | str) -> None:
        """Writes it: a PNG or an SVG, by the file's ending.

        Raises:
            UsageError: another ending.
            KeenLatticeError: it cannot be written.
        """
        with literally():
            save(self.draw(), Path(path))

    def _repr_png_(self) -> bytes:
        kept = BytesIO()
        with literally():
            self.draw().savefig(kept, dpi=DPI, format="png")
        return kept.getvalue()


@dataclass(frozen=True, repr=False)
class Page(Result):
    """A page that explains a result.

    Args:
        name: what a file of it is called, without its ending.
        without: the pictures that are missing, and why; empty if none is.
    """

    name: str
    content: "Report"
    without: str = ""
    _onto: "Callable[[Axes], object] | None" = field(default=None, metadata=NOT_IN_JSON)

    @property
    def title(self) -> str:
        """What it is about."""
        return self.content.title

    @property
    def answer(self) -> str:
        """The whole of it in one sentence."""
        return self.content.answer

    def html(self) -> str:
        """The page as one file of HTML that fetches nothing."""
        from keenlattice.report.html import to_html

        return to_html(self.content)

    def markdown(self, figure: str = "") -> str:
        """The page as Markdown; `figure` is the name of the picture beside it."""
        return to_markdown(self.content, figure)

    def card(self) -> Drawing:
        """The answer as a picture to share, 1200 x 630 pixels: its key figures, and the main part of its figure."""
        from keenlattice.report.card import card

        content = self.content
        return Drawing(lambda: card(content.title, content.keys, content.made, self._onto))

    def save(self, path: Path | str | None = None) -> "Saved":
        """Writes it: HTML, or, if the name ends in `.md`, Markdown with its figure beside it.

        Args:
            path: named after what it is, if it is not given; nothing that is there is overwritten then.

        Raises:
            KeenLatticeError: it cannot be written.
        """
        path = Path(path) if path else free_path(Path(f"{self.name}.html"))
        beside = free_path(path.with_suffix(".png")) if path.suffix == ".md" and self.content.figure else None
        if beside and self.content.figure:
            Drawing(self.content.figure).save(beside)
        text = self.markdown(beside.name if beside else "") if path.suffix == ".md" else self.html()
        try:
            replace_file(path, text.encode())
        except OSError as error:
            raise KeenLatticeError(f"cannot write the report {path}: {error.strerror}") from None
        return Saved(path, beside, self.title, self.answer, self.without)

    def to_json(self) -> dict[str, Any]:
        """What it is about, and its answer."""
        return {"schema": "keen-lattice/page/1", "title": self.title, "answer": self.answer}

    def _caption(self) -> str:
        return self.answer

    def _repr_html_(self) -> str:
        return self.html()


@dataclass(frozen=True, repr=False)
class Saved(Result):
    """A page that was written, and its figure if there is one."""

    SCHEMA: ClassVar[str] = "report"

    file: Path
    figure: Path | None
    title: str
    answer: str
    without: str = field(default="", metadata=NOT_IN_JSON)

    def _caption(self) -> str:
        return f"{self.title}: {self.file}"
