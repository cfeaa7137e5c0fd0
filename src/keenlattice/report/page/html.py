"""A report as one HTML page that fetches nothing and runs nothing."""

import re
from collections.abc import Iterator, Sequence

from markupsafe import Markup

from keenlattice.report.page._svg import inline
from keenlattice.report.page.content import Block, Fold, Picture, Report
from keenlattice.report.words import KINDS


def to_html(report: Report) -> str:
    """The page of a `report`: HTML that fetches nothing and runs nothing."""
    from jinja2 import Environment, PackageLoader, StrictUndefined

    environment = Environment(loader=PackageLoader("keenlattice.report.page", "."), autoescape=True,
                              undefined=StrictUndefined, trim_blocks=True, lstrip_blocks=True)
    environment.filters |= {"kind": lambda block: type(block).__name__, "address": id, "unbroken": unbroken}
    return environment.get_template("page.html").render(
        report=report, words=KINDS, svg=_drawn(report))


def unbroken(text: str) -> str:
    """The text with numbers that no line ends between and their unit."""
    return re.sub(r"(?<=\d) (?=(ms|fps|s|Hz|MHz|MiB|frames?)\b|%)", "\N{NO-BREAK SPACE}", text)


def _drawn(report: Report) -> dict[int, Markup]:
    """Every picture of the report by its identity, drawn."""
    pictures = [block for _, blocks in report.sections() for block in _all(blocks) if isinstance(block, Picture)]
    return {id(picture): inline(picture.draw(), f"figure-{number}", picture.title, picture.alt)
            for number, picture in enumerate(pictures, 1)}


def _all(blocks: Sequence[Block]) -> Iterator[Block]:
    for block in blocks:
        yield block
        if isinstance(block, Fold):
            yield from _all(block.blocks)
