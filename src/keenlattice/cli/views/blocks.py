"""The blocks of a result in a terminal."""

from collections.abc import Iterable

from keenlattice.blocks import Alert, Block, Fold, KeyFigure, Table, Telling, Text
from keenlattice.cli.output import VERDICT_STYLES, hint, say, table


def show_telling(telling: Telling) -> None:
    """Show what a study found: the answer first, then what it rests on, and what to do next."""
    show_keys(telling.keys)
    if telling.about:
        say(f"{telling.about}\n", "dim")
    show_blocks(telling.blocks)
    if telling.advice:
        hint(telling.advice)


def show_keys(keys: Iterable[KeyFigure]) -> None:
    """Show the answer: a line for each key figure, in the colour of its verdict."""
    for key in keys:
        say(key.sentence, VERDICT_STYLES.get(key.verdict, "bold"))


def show_blocks(blocks: Iterable[Block]) -> None:
    """Show blocks under each other, with an empty line round each table and before a new subject."""
    before: Block | None = None
    for block in blocks:
        if before and (isinstance(block, Table) or _begins(block, before)):
            say()
        before = block
        if isinstance(block, Table):
            table(block.columns, block.rows, block.right)
        elif isinstance(block, Text):
            say(block.text, "dim" if block.aside else "")
        elif isinstance(block, Alert):
            say(f"! {block.text}")
            if block.advice:
                say(f"  {block.lead[0].lower()}{block.lead[1:]}: {block.advice}", "dim")
        elif isinstance(block, Fold):
            say(f"{block.title}: keen report shows it", "dim")


def _begins(block: Block, before: Block) -> bool:
    """Whether a block begins something else than the one before it."""
    if isinstance(block, Text) and not block.aside:
        return not isinstance(before, Text) or before.aside
    return isinstance(block, Alert) and isinstance(before, Table)
