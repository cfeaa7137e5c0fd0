"""A report as one HTML page that fetches nothing and runs nothing."""

import io
import re
from collections.abc import Iterator, Sequence
from typing import TYPE_CHECKING

from markupsafe import Markup

from keenlattice.blocks import Alert, Block, Fold, Picture, Report, Table, Telling, Text
from keenlattice.report.style import COLOURS, load
from keenlattice.report.words import KINDS

if TYPE_CHECKING:
    from matplotlib.figure import Figure


def to_html(report: Report) -> str:
    """The page of a `report`: HTML that fetches nothing and runs nothing."""
    from jinja2 import Environment, PackageLoader, StrictUndefined

    environment = Environment(loader=PackageLoader("keenlattice.report", "."), autoescape=True,
                              undefined=StrictUndefined, trim_blocks=True, lstrip_blocks=True)
    environment.filters |= {"kind": lambda block: type(block).__name__, "address": id, "unbroken": unbroken}
    return environment.get_template("page.html").render(
        report=report, words=KINDS, svg=_drawn(report))


def to_notebook(telling: Telling) -> str:
    """What a study found, as HTML for the cell of a notebook."""
    parts = [Markup("<p><b>{}</b><br>{}</p>").format(telling.headline, telling.about)]
    for block in telling.blocks:
        if isinstance(block, Table):
            head = Markup("").join(Markup("<th>{}</th>").format(column) for column in block.columns)
            rows = (Markup("").join(Markup("<td>{}</td>").format(cell) for cell in row) for row in block.rows)
            parts.append(Markup("<table><thead><tr>{}</tr></thead><tbody>{}</tbody></table>").format(
                head, Markup("").join(Markup("<tr>{}</tr>").format(row) for row in rows)))
        elif isinstance(block, Text | Alert):
            parts.append(Markup("<p>{}</p>").format(block.text if isinstance(block, Text) else f"! {block.text}"))
    return str(Markup("").join(parts))


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


def inline(figure: "Figure", name: str, title: str, alt: str) -> Markup:
    """The figure as an `<svg>` element.

    Args:
        name: tells its parts from those of other figures of the page.
        title, alt: its text alternative.
    """
    load()
    import matplotlib

    content = io.StringIO()
    with matplotlib.rc_context({"svg.fonttype": "none", "svg.hashsalt": name}):
        figure.savefig(content, format="svg", transparent=True, metadata={"Date": None})
    text = content.getvalue()
    text = re.sub(r"<metadata>.*?</metadata>", "", text[text.index("<svg"):], flags=re.DOTALL)
    text = re.sub(r'\bid="([^"]+)"', rf'id="{name}-\1"', text)
    text = re.sub(r'(url\(|xlink:href=")#', rf"\1#{name}-", text)
    for colour, role in COLOURS.items():
        text = text.replace(colour, f"var(--{role})")
    box = re.search(r'viewBox="[^"]+"', text)
    text = re.sub(r"<svg[^>]*>", "", text, count=1)
    head = Markup('<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" {} role="img" '
                  'aria-labelledby="{}-title {}-alt"><title id="{}-title">{}</title><desc id="{}-alt">{}</desc>')
    assert box is not None
    return head.format(Markup(box[0]), name, name, name, title, name, alt) + Markup(text)
