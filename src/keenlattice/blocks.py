"""What a result is given in: blocks of plain data, shown by a terminal, a page, Markdown and a notebook."""

from collections.abc import Callable, Mapping, Sequence
from typing import TYPE_CHECKING

from keenlattice.quickly import dataclass

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure


@dataclass(frozen=True)
class Text:
    """A paragraph; an `aside` is for anyone who reads on."""

    text: str
    aside: bool = False


@dataclass(frozen=True)
class Alert:
    """What stands in the way, or has slipped, and what to do about it."""

    text: str
    advice: str = ""
    lead: str = "To fix it"


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
        alt: what it shows, in words and numbers, for anyone who cannot see it.
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
    """What is there for anyone who wants it, behind its title."""

    title: str
    blocks: "Sequence[Block]"


@dataclass(frozen=True)
class Figures:
    """The figure of a whole result; its main part, drawn onto axes of somebody's own; and what of that a card has room
    for, if that is less."""

    whole: "Callable[[], Figure]"
    onto: "Callable[[Axes], object]"
    small: "Callable[[Axes], object] | None" = None


@dataclass(frozen=True)
class KeyFigure:
    """One of the few answers that a result opens with.

    Args:
        sentence: the answer in about twelve words.
        verdict: the word for it, which chooses its mark and colour; "" for none.
        title, figure, note: the same in parts, for a card: what it is about, the number to show large, what that rests
            on. Without a figure the sentence alone is shown.
    """

    sentence: str
    verdict: str = ""
    title: str = ""
    figure: str = ""
    note: str = ""


MOST_KEYS = 3  # what is read in two seconds


@dataclass(frozen=True)
class Links:
    """Other pages of a site: of each its title, its file, and a line about it. With a box to search them."""

    items: Sequence[tuple[str, str, str]]


@dataclass(frozen=True)
class Pairs:
    """Versions of which any two can be compared on a page: reference, and setting to value in words, the newest
    first."""

    versions: Sequence[tuple[str, Mapping[str, str]]]


Block = Text | Alert | Table | Picture | Commands | Fold | Links | Pairs


@dataclass(frozen=True)
class Telling:
    """What a study found, told once.

    Args:
        keys: the answer: one to three key figures.
        about: of what it is, where, and of how many runs.
        blocks: what it rests on.
        advice: what to do next, with the commands to type.
    """

    keys: Sequence[KeyFigure]
    about: str = ""
    blocks: Sequence[Block] = ()
    advice: str = ""

    @property
    def headline(self) -> str:
        """The answer in sentences."""
        return in_sentences(self.keys)


@dataclass(frozen=True)
class Report:
    """A report, in the order in which it is read.

    Args:
        title: what it is about.
        keys: the answer: one to three key figures.
        figure: everything in one figure of 1280 x 800 pixels, for the Markdown; None if nothing was measured.
        first: the title of the first section.
        made: what made it, and when; "" if that is not known.
        own: its own sections, title and blocks of each, in place of those.
    """

    title: str
    keys: Sequence[KeyFigure]
    changed: Sequence[Block] = ()
    did: Sequence[Block] = ()
    each: Sequence[Block] = ()
    sure: Sequence[Block] = ()
    rig: Sequence[Block] = ()
    repeat: Sequence[Block] = ()
    back: Sequence[Block] = ()
    figure: "Callable[[], Figure] | None" = None
    first: str = "What changed"
    made: str = ""
    own: Sequence[tuple[str, Sequence[Block]]] = ()

    @property
    def answer(self) -> str:
        """The answer in sentences."""
        return in_sentences(self.keys)

    def sections(self) -> list[tuple[str, Sequence[Block]]]:
        """Title and blocks of each section, in their order."""
        return list(self.own) or [
            (self.first, self.changed), ("What it did", self.did), ("Each change, and its verdict", self.each),
            ("How sure this is", self.sure), ("The rig", self.rig), ("How to repeat it", self.repeat),
            ("How to go back", self.back)]


def in_sentences(keys: Sequence[KeyFigure]) -> str:
    """Return the sentences of key figures, one after the other."""
    return " ".join(key.sentence for key in keys)
