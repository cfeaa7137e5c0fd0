"""A setting of the kernel's, the files that it is read from and written to, and what these hold."""

import re
from collections.abc import Mapping
from dataclasses import field
from pathlib import Path
from typing import Any

from keenlattice.catalog.load import catalog
from keenlattice.catalog.model import Kind, Setting
from keenlattice.catalog.values import Value, written
from keenlattice.errors import RefusedByRig
from keenlattice.quickly import dataclass

CHOSEN = re.compile(r"[\[(]([^\])]+)[\])]")


def in_force(text: str | None) -> str | None:
    """What a file holds: of one that lists all that it takes, the word in brackets, which alone can be written.

    >>> in_force("always [madvise] never"), in_force("none (voluntary) full"), in_force("1000")
    ('madvise', 'voluntary', '1000')
    """
    chosen = CHOSEN.search(text or "")
    return chosen[1] if chosen else text


def choices_in(text: str | None) -> tuple[tuple[str, ...], str] | None:
    """All that a file lists, and which of it holds; None of a file that is not such a list.

    >>> choices_in("always [madvise] never")
    (('always', 'madvise', 'never'), 'madvise')
    """
    chosen = CHOSEN.search(text or "")
    return (tuple(word.strip("[]()") for word in str(text).split()), chosen[1]) if chosen else None


@dataclass(frozen=True)
class Knob:
    """A setting of the kernel's and its files, which are all to hold the same.

    Args:
        setting: as the catalog has it.
        files: what it is written to.
        texts: how a value is written, where that is not its own name; other values are refused then.
        patterns: what the files hold for a value, in their order, where that is not the same in each.
        times: what a number is multiplied by to be written.
        bounds: what a file takes, where not all take as much: the cores of a CPU may differ.
        steps: the only numbers that there are; empty if all between the bounds are.
        together: knobs of the same word are written in one step.
        places: what a file is called in a state, where its own path is not to be kept: it may be another's tomorrow.
    """

    setting: Setting
    files: tuple[Path, ...]
    texts: Mapping[Value, str] | None = None
    patterns: Mapping[Value, tuple[str, ...]] | None = None
    times: int = 1
    bounds: Mapping[Path, tuple[int, int]] = field(default_factory=dict)
    steps: tuple[int, ...] = ()
    together: str = ""
    places: Mapping[Path, str] = field(default_factory=dict)

    def place(self, file: Path) -> str:
        """What a file of it is called in a state."""
        return self.places.get(file, str(file))

    def text(self, value: Value, file: Path) -> str:
        """How a value is written to one of the files.

        Raises:
            RefusedByRig: there is no such value on this machine.
        """
        values = self.texts or self.patterns or dict.fromkeys(sorted(self.steps), "")
        if values and value not in values:
            raise RefusedByRig(f"{self.setting.name} cannot be {written(value, self.setting.unit)} here; there are "
                               f"{', '.join(map(written, values))}")
        if self.texts is not None:
            return self.texts[value]
        if self.patterns is not None:
            return self.patterns[value][self.files.index(file)]
        return self._number(value, file) if isinstance(value, int) else str(value)

    def _number(self, value: int, file: Path) -> str:
        low, high = self.bounds.get(file, (value, value))
        return str(min(max(value, low), high) * self.times)

    def value(self, held: Mapping[Path, str]) -> Value | None:
        """The value that the files hold; None if they hold several, or what is none.

        Args:
            held: the text of each file.
        """
        if self.patterns is not None:
            texts = tuple(held.get(file, "") for file in self.files)
            return next((value for value, pattern in self.patterns.items() if pattern == texts), None)
        numbers = {file: self._read(text) for file, text in held.items()}
        if None in numbers.values() or not numbers:
            return None
        values = set(numbers.values())
        if len(values) == 1:
            return values.pop()
        highest, lowest = (pick(value for value in values if isinstance(value, int)) if self.bounds else None
                           for pick in (max, min))
        for value in (highest, lowest):  # cores that cannot go so far hold their own bound instead
            if value is not None and all(self._number(value, file) == text for file, text in held.items()):
                return value
        return None

    def _read(self, text: str) -> Value | None:
        text = in_force(text) or ""
        if self.texts is not None:
            return next((value for value, entry in self.texts.items() if entry == text), None)
        if self.setting.kind == "whole":
            return int(text) // self.times if text.isdigit() else None
        return text


def setting(name: str, title: str, kind: Kind, stock: Value, **more: Any) -> Setting:
    """A setting of the kernel's for the whole rig, which takes rights.

    Args:
        more: what else the catalog's model takes.
    """
    own: dict[str, Any] = {"scope": "rig", "rights": True, "moves": {"frame-tail": "either"}, **more}
    return Setting(name=name, title=title, kind=kind, stock=stock, **own)


def from_catalog(name: str, **own: Any) -> Setting:
    """A setting of the catalog's as the kernel has it: with rights, and in force at once.

    Args:
        own: what of it is otherwise on this machine.
    """
    return catalog()[name].adapted(rights=True, restart="none", **own)


def text_in(file: Path) -> str | None:
    """Its text, without blanks at either end; None if it is not there, or does not let itself be read."""
    try:
        return file.read_text(errors="replace").strip()
    except OSError:
        return None


def number_in(file: Path) -> int | None:
    """The whole number that it holds, from 0 up; None if it holds none."""
    text = text_in(file) or ""
    return int(text) if text.isdigit() else None
