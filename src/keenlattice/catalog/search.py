"""Settings found by what players say: `vsync`, `mouse acceleration`, `latency`."""

import re
from collections.abc import Iterable, Mapping, Sequence
from typing import Any, Protocol, TypeVar

SPELLINGS = (("color", "colour"), ("iz", "is"), ("signaled", "signalled"), ("fps", "frame rate"))
MOVED = {"frame-time": "frame time frame rate", "frame-tail": "stutter frame pacing", "latency": "latency input lag"}
"""What players call what a setting may move."""
LEAST_LETTERS = 3  # of a word that is begun
SHORT = 3  # letters: such a word has to stand there whole, or `AF` would find "after"


class Searchable(Protocol):
    """A setting, as far as a search reads it."""

    @property
    def name(self) -> str: ...
    @property
    def title(self) -> str: ...
    @property
    def called(self) -> Sequence[str]: ...
    @property
    def trades(self) -> str: ...
    @property
    def inert(self) -> str: ...
    @property
    def advice(self) -> str: ...
    @property
    def moves(self) -> Mapping[Any, Any]: ...


Setting = TypeVar("Setting", bound=Searchable)


def search(settings: Iterable[Setting], text: str) -> list[Setting]:
    """Return the settings that a text is about: by name, title or what players call them; else by what they do.

    >>> from keenlattice.catalog.load import catalog
    >>> [setting.name for setting in search(catalog(), "v-sync")]
    ['sync.vertical']
    """
    listed, asked = list(settings), _plain(text)
    by_name = [setting for setting in listed if _holds(asked, " ".join([setting.name, setting.title, *setting.called]))]
    by_effect = [setting for setting in listed if setting not in by_name and _holds(
        asked, " ".join(words for name, words in MOVED.items() if name in setting.moves))]
    mentioned = [] if by_name or by_effect else [setting for setting in listed if _holds(
        asked, f"{setting.trades} {setting.inert} {setting.advice}")]
    return by_name + by_effect + mentioned


def called_like(settings: Iterable[Setting], begun: str) -> list[Setting]:
    """Return the settings of which a word that players use begins so; none before there are LEAST_LETTERS.

    >>> from keenlattice.catalog.load import catalog
    >>> [setting.name for setting in called_like(catalog(), "vsy")]
    ['sync.vertical']
    """
    asked = _plain(begun)
    return [setting for setting in settings if len(asked) >= LEAST_LETTERS
            and any(_plain(word).startswith(asked) for word in setting.called)]


def _holds(asked: str, text: str) -> bool:
    """Whether a text holds what is asked for: as it stands, or each of its words."""
    plain = _plain(text)
    words = set(plain.split())
    return all(word in words if len(word) <= SHORT else word in plain or word in plain.replace(" ", "")
               for word in asked.split()) and bool(asked)


def _plain(text: str) -> str:
    """Return a text in small letters, in one spelling, with spaces for what is not a letter; `v-sync` is `vsync`."""
    text = re.sub(r"\b([a-z])-", r"\1", text.lower())
    for foreign, ours in SPELLINGS:
        text = text.replace(foreign, ours)
    return " ".join(re.sub(r"[^a-z0-9]+", " ", text).split())
