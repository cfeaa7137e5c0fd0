"""Registry values as texts: what a place is called, and how a number, a text or a list of texts is written there."""

import json

from keenlattice.safejson import parse_json

TEXT, BINARY, NUMBER, LIST = 1, 3, 4, 7
"""The registry's types: a text, bytes, a number of 32 bits, and a list of texts."""


def place(hive: str, key: str, name: str = "") -> str:
    r"""What a value is called as a place, or a key without a name.

    >>> place("HKLM", r"SOFTWARE\Made up", "Level")
    'registry/HKLM/SOFTWARE\\Made up/Level'
    """
    return "/".join(["registry", hive, key, *([name] if name else [])])


def keys_of(hive: str, key: str, below: str) -> list[str]:
    r"""The places of a key and of those above it, as far as `below`, which is always there.

    >>> keys_of("HKLM", r"SOFTWARE\Made up\Own", "SOFTWARE")
    ['registry/HKLM/SOFTWARE\\Made up', 'registry/HKLM/SOFTWARE\\Made up\\Own']
    """
    parts = key.removeprefix(below).strip("\\").split("\\")
    return [place(hive, "\\".join([below, *parts[:number]])) for number in range(1, len(parts) + 1)]


def written(kind: int, content: int | str | list[str]) -> str:
    """A value as text; bytes are given in hexadecimal digits.

    >>> written(NUMBER, 1), read(written(LIST, ["a", "b"])), read(None)
    ('[4, 1]', ['a', 'b'], None)
    """
    return json.dumps([kind, content])


def read(text: str | None) -> int | str | list[str] | None:
    """What a value holds; None if it is not there, or is of no type that is known."""
    try:
        _, content = parse_json(text or "null")
    except (ValueError, TypeError):
        return None
    return content if isinstance(content, int | str | list) else None


def number(text: str | None) -> int | None:
    """The number that a value holds; None if it holds none."""
    content = read(text)
    return content if isinstance(content, int) else None
