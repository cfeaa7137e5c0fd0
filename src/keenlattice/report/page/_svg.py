"""A figure as SVG inside a page: its colours are the page's, so that it is right in a light and in a dark theme."""

import io
import re
from typing import TYPE_CHECKING

from markupsafe import Markup

from keenlattice.report.style import COLOURS, load

if TYPE_CHECKING:
    from matplotlib.figure import Figure


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
