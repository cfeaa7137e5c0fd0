"""A report as Markdown, for a forum: the same content, with its figure beside it as a file."""

import re
from collections.abc import Iterable, Iterator

from keenlattice.blocks import Alert, Block, Commands, Fold, KeyFigure, Links, Picture, Report, Table, Telling, Text


def to_markdown(report: Report, figure: str = "") -> str:
    """The report.

    Args:
        figure: the name of the figure's file, beside the report; "" if there is none.
    """
    lines = [f"# {plain_text(report.title)}", "", *_answer(report.keys)]
    for title, blocks in report.sections():
        lines += [f"## {title}", ""]
        if figure and title == "What it did":
            lines += [f"![{plain_text(report.title)}]({figure})", ""]
        lines += _lines(blocks)
    return "\n".join(lines).rstrip() + "\n"


def telling_as_markdown(telling: Telling) -> str:
    """What a study or a comparison found: the answer, and what it rests on."""
    lines = [*_answer(telling.keys), plain_text(telling.about), "", *_lines(telling.blocks)]
    return "\n".join(lines).strip() + "\n"


def _answer(keys: Iterable[KeyFigure]) -> list[str]:
    return [*(f"**{plain_text(key.sentence)}**  " for key in keys), ""]


def _lines(blocks: Iterable[Block]) -> Iterator[str]:
    for block in blocks:
        if isinstance(block, Text):
            yield from (plain_text(block.text), "")
        elif isinstance(block, Alert):
            advice = f" {block.lead}: {plain_text(block.advice)}" if block.advice else ""
            yield from (f"> **! {plain_text(block.text)}**{advice}", "")
        elif isinstance(block, Picture):
            yield from (f"*{plain_text(block.title)}.* {plain_text(block.alt)}", "")
        elif isinstance(block, Commands):
            yield from ("```", *(" ".join(line.split("\n")) for line in block.lines), "```", "")
        elif isinstance(block, Fold):
            yield from (f"**{plain_text(block.title)}**", "")
            yield from _lines(block.blocks)
        elif isinstance(block, Links):
            yield from (f"* {plain_text(title)}: {plain_text(text)}" for title, _, text in block.items)
        elif isinstance(block, Table):
            yield from _table(block)


def _table(table: Table) -> Iterator[str]:
    if not table.rows:
        return
    yield "| " + " | ".join(plain_text(column) for column in table.columns) + " |"
    yield "|" + "|".join("---:" if column in table.right else "---" for column in range(len(table.columns))) + "|"
    for row in table.rows:
        yield "| " + " | ".join(in_a_cell(text, column in table.code) for column, text in enumerate(row)) + " |"
    yield ""


SPECIAL = "\\`*_{}[]<>()#+!|~&"


def plain_text(text: str) -> str:
    """The text, so that Markdown takes no letter of it for more than a letter; on one line."""
    line = " ".join(text.replace("->", "\N{RIGHTWARDS ARROW}").split())
    escaped = "".join(f"\\{letter}" if letter in SPECIAL else letter for letter in line)
    escaped = re.sub(r"^(\d+)([.)])", r"\1\\\2", escaped)  # no list of one
    escaped = escaped.replace("://", ":\\//").replace("www.", "www\\.")  # so that it makes no link
    return f"\\{escaped}" if escaped[:1] in ("-", "=") else escaped


def in_a_cell(text: str, code: bool) -> str:
    """A cell of a table; as code, where it can be written so."""
    line = " ".join(text.split())
    return f"`{line}`" if code and line and not set(line) & set("`|") else plain_text(line)
