"""Somebody else's text in Markdown: it stays text."""

import re

SPECIAL = "\\`*_{}[]<>()#+!|~&"


def plain_text(text: str) -> str:
    """The text, so that Markdown takes no letter of it for more than a letter; on one line."""
    escaped = "".join(f"\\{letter}" if letter in SPECIAL else letter for letter in " ".join(text.split()))
    escaped = re.sub(r"^(\d+)([.)])", r"\1\\\2", escaped)  # no list of one
    escaped = escaped.replace("://", ":\\//").replace("www.", "www\\.")  # no link of its own making
    return f"\\{escaped}" if escaped[:1] in ("-", "=") else escaped


def in_a_cell(text: str, code: bool) -> str:
    """A cell of a table; as code, where it can be written so."""
    line = " ".join(text.split())
    return f"`{line}`" if code and line and not set(line) & set("`|") else plain_text(line)
