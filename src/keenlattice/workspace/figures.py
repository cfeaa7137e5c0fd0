"""A picture that a result has of itself: drawn when it is asked for."""

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from matplotlib.figure import Figure

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
        from keenlattice.report.style import save

        save(self.draw(), Path(path))

    def _repr_png_(self) -> bytes:
        from io import BytesIO

        from keenlattice.report.style import DPI

        kept = BytesIO()
        self.draw().savefig(kept, dpi=DPI, format="png")
        return kept.getvalue()
