"""Whether what a test leads to can be read: every error, setting and block, and what a command prints, in every test.

A word left out (None, nan, a Python object), a sentence that shouts or starts in the middle, a table with a missing
cell: no test has to ask for these.
"""

import functools
import re
from collections.abc import Callable
from typing import Any

from keenlattice import blocks
from keenlattice.catalog.model import Setting
from keenlattice.errors import KeenLatticeError

FAULTS: list[str] = []
"""What could not be read since somebody last asked."""

NEVER = re.compile(
    r"(?<!or )(?<!@)\bNone\b|<[\w.]+ object|<function|\bXX\w|\wXX\b|,,|"
    r"(?<![\w.,/@-])1 (?:blocks|changes|days|films|frames|games|lines|metrics|minutes|packs|parts|rigs|rounds|rows|"
    r"runs|seconds|settings|steps|studies|times|trials|values|versions)\b")
QUOTED = re.compile(r"(['\"`]).*?\1", re.DOTALL)
"""What somebody else wrote, and an error repeats."""

MIDDLE = re.compile(r"(?:an?|all|and|at|better|but|each|fewer|in|its?|less|more|nor|not?|of|one|so|than|that|the|there|"
                    r"this|together|what|which|without|worse)\b")
"""No sentence begins with one of these in small letters."""

SHOUTED = re.compile(r"\b[A-Z]{2,}\b[ ,]+[A-Z]{2,}\b[ ,]+[A-Z]{2,}\b")
"""Three words in a row: what a reader is to fill in has one or two."""


def watch() -> None:
    """Look at all that is made from now on, until the process ends."""
    _after(KeenLatticeError, "__init__", lambda error: _sentence(QUOTED.sub("-", str(error)), False))
    _after(Setting, "__post_init__", _setting)
    _after(blocks.Text, "__init__", lambda block: _sentence(block.text))
    _after(blocks.Alert, "__init__", lambda block: (_sentence(block.text), _sentence(block.advice, False)))
    _after(blocks.Table, "__init__", _table)
    _after(blocks.Picture, "__init__", lambda block: (_sentence(block.title), _sentence(block.alt, False)))
    _after(blocks.Commands, "__init__", lambda block: [_sentence(line, False) for line in block.lines])
    _after(blocks.KeyFigure, "__init__", lambda key: [
        _sentence(key.sentence), *(_sentence(part, False) for part in (key.title, key.figure, key.note))])
    _after(blocks.Telling, "__init__", _telling)


def look_at(printed: str) -> None:
    """Look at what a command has printed."""
    for line in printed.splitlines():
        _sentence(QUOTED.sub("-", line), False)


def _after(cls: type, name: str, look: Callable[[Any], object]) -> None:
    made = getattr(cls, name)

    @functools.wraps(made)
    def looked_at(self: Any, *given: Any, **named: Any) -> None:
        made(self, *given, **named)
        look(self)
    setattr(cls, name, looked_at)


def _sentence(text: Any, opens: bool = True) -> None:
    if not isinstance(text, str):
        FAULTS.append(f"no text: {text!r}")
    elif NEVER.search(text) or SHOUTED.search(text):
        FAULTS.append(f"cannot be read: {text!r}")
    elif opens and "  " in text:
        FAULTS.append(f"two blanks: {text!r}")
    elif opens and MIDDLE.match(text):
        FAULTS.append(f"starts in the middle: {text!r}")


def _setting(setting: Setting) -> None:
    for text in (setting.title, setting.trades, setting.inert, setting.where, setting.check, setting.advice):
        _sentence(text, setting.domain not in ("mesa", "file"))  # those are in the words of a driver, of a game
    if not set(setting.moves.values()) <= {"up", "down", "either"}:
        FAULTS.append(f"{setting.name} moves {setting.moves}")


def _table(table: blocks.Table) -> None:
    if any(len(row) != len(table.columns) for row in table.rows):
        FAULTS.append(f"a row of {table.columns} lacks a cell, or has one too many")
    if not all(0 <= place < len(table.columns) for place in (*table.right, *table.code)):
        FAULTS.append(f"{table.columns} has no column {table.right} or {table.code}")
    for cell in (*table.columns, *(cell for row in table.rows for cell in row)):
        _sentence(cell, False)


def _telling(telling: blocks.Telling) -> None:
    if not 0 < len(telling.keys) <= blocks.MOST_KEYS:
        FAULTS.append(f"{len(telling.keys)} key figures")
    if not all(isinstance(block, blocks.Block) for block in telling.blocks):
        FAULTS.append(f"no block: {telling.blocks}")
    _sentence(telling.about, False)
    _sentence(telling.advice, False)
