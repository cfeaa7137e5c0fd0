"""What a result is told in: blocks of plain data, shown by a terminal, a page, Markdown and a notebook."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure


@dataclass(frozen=True)
class Text:
    """A paragraph; an `aside` is for whoever reads on."""

    text: str
    aside: bool = False


@dataclass(frozen=True)
class Alert:
    """What stands in the way, or has slipped, and what to do about it."""

    text: str
    advice: str = ""
    lead: str = "To mend it"


@dataclass(frozen=True)
class Table:
    """A table. `right` are columns of numbers, `code` columns of names that a player types."""

    columns: Sequence[str]
    rows: Sequence[Sequence[str]]
    right: Sequence[int] = ()
    code: Sequence[int] = ()


@dataclass(frozen=True)
class Picture:
    """A small figure.

    Args:
        alt: what it shows, in words and numbers, for whoever cannot see it.
        draw: makes it, when it is needed.
    """

    title: str
    alt: str
    draw: "Callable[[], Figure]"


@dataclass(frozen=True)
class Commands:
    """Lines to type."""

    lines: Sequence[str]


@dataclass(frozen=True)
class Fold:
    """What is there for whoever wants it, behind its title."""

    title: str
    blocks: "Sequence[Block]"


@dataclass(frozen=True)
class Figures:
    """The figure of a whole result, and its main part, drawn onto axes of somebody's own."""

    whole: "Callable[[], Figure]"
    onto: "Callable[[Axes], object]"


Block = Text | Alert | Table | Picture | Commands | Fold


@dataclass(frozen=True)
class Telling:
    """What a study found, told once.

    Args:
        headline: the whole of it in a sentence or two.
        about: of what it is, where, and of how many runs.
        blocks: what it rests on.
        advice: what to do next, with the commands to type.
        verdict: the word for it, as in a trial; MIXED for a gain at a price; "" if there is no one word.
    """

    headline: str
    about: str = ""
    blocks: Sequence[Block] = ()
    advice: str = ""
    verdict: str = ""


MIXED = "a gain at a price"


@dataclass(frozen=True)
class Report:
    """A report, in the order in which it is read.

    Args:
        title: what it is about.
        verdict: the word for it, as in a trial; "" if there is no one word.
        answer: the whole of it in one sentence.
        figure: everything in one figure of 1280 x 800 pixels, for the Markdown; None if nothing was measured.
        first: the title of the first section.
    """

    title: str
    verdict: str
    answer: str
    changed: Sequence[Block]
    did: Sequence[Block]
    each: Sequence[Block]
    sure: Sequence[Block]
    rig: Sequence[Block]
    repeat: Sequence[Block]
    back: Sequence[Block]
    figure: "Callable[[], Figure] | None" = None
    first: str = "What changed"

    def sections(self) -> list[tuple[str, Sequence[Block]]]:
        """Title and blocks of each section, in their order."""
        return [(self.first, self.changed), ("What it did", self.did), ("Each change, and its verdict", self.each),
                ("How sure this is", self.sure), ("The rig", self.rig), ("How to repeat it", self.repeat),
                ("How to go back", self.back)]
