"""A report as one HTML page that fetches nothing, and runs nothing but a few lines of ours."""

import base64
import hashlib
import io
import json
import re
from collections.abc import Iterator, Sequence
from importlib.resources import files
from typing import TYPE_CHECKING

from markupsafe import Markup

from keenlattice.blocks import Alert, Block, Fold, Links, Pairs, Picture, Report, Table, Telling, Text
from keenlattice.report.pointer import answers_of
from keenlattice.report.style import COLOURS, literally, load
from keenlattice.report.words import KINDS

if TYPE_CHECKING:
    from matplotlib.figure import Figure


def to_html(report: Report, home: str = "") -> str:
    """The page of a `report`: HTML that fetches nothing, and runs nothing but a few lines of ours.

    Args:
        home: the first page of the site that it is of; "" for a page that stands alone.
    """
    from jinja2 import Environment, PackageLoader, StrictUndefined

    environment = Environment(loader=PackageLoader("keenlattice.report", "."), autoescape=True,
                              undefined=StrictUndefined, trim_blocks=True, lstrip_blocks=True)
    drawn = _drawn(report)
    asks = bool(drawn) or any(isinstance(block, Links | Pairs) for _, blocks in report.sections() for block in blocks)
    script = (files("keenlattice.report") / "page.js").read_text(encoding="utf-8") if asks else ""
    environment.filters |= {"digest": _digest, "json": in_script,
                            "kind": lambda block: type(block).__name__, "address": id, "unbroken": unbroken}
    return environment.get_template("page.html").render(
        report=report, words=KINDS, drawn=drawn, home=home, script=script)


def _digest(script: str) -> str:
    """Return what a page's policy lets run: this script, and no other."""
    return "sha256-" + base64.b64encode(hashlib.sha256(script.encode()).digest()).decode()


def in_script(value: object) -> Markup:
    """Return data as JSON that ends no element and begins none."""
    text = json.dumps(value)
    for letter in "<>&":
        text = text.replace(letter, f"\\u{ord(letter):04x}")
    return Markup(text)


def to_notebook(telling: Telling) -> str:
    """What a study found, as HTML for the cell of a notebook."""
    answer = Markup("<br>").join(Markup("<b>{}</b>").format(unbroken(key.sentence)) for key in telling.keys)
    parts = [Markup("<p>{}<br>{}</p>").format(answer, telling.about)]
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
    """The text with arrows, and with numbers that no line ends between and their unit."""
    text = text.replace("->", "\N{RIGHTWARDS ARROW}")
    return re.sub(r"(?<=\d) (?=(ms|fps|s|Hz|MHz|MiB|frames?)\b|%)", "\N{NO-BREAK SPACE}", text)


def _drawn(report: Report) -> dict[int, tuple[Markup, str]]:
    """Return every picture of the report by its identity: drawn, and what it answers to a pointer, as JSON."""
    pictures = [block for _, blocks in report.sections() for block in _all(blocks) if isinstance(block, Picture)]
    with literally():
        return {id(picture): _picture(picture, f"figure-{number}") for number, picture in enumerate(pictures, 1)}


def _picture(picture: Picture, name: str) -> tuple[Markup, str]:
    figure = picture.draw()
    drawn, areas = inline(figure, name, picture.title, picture.alt), answers_of(figure)
    return drawn, json.dumps(areas, separators=(",", ":")) if areas else ""


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
