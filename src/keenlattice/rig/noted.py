"""What was there before anything was set: noted down in the rig's folder, and put back once it is unset."""

import hashlib
import json
import re
from collections import Counter
from collections.abc import Mapping
from pathlib import Path

from keenlattice.errors import RigError
from keenlattice.files import read_bounded
from keenlattice.rig.base import State
from keenlattice.rig.places import put_file
from keenlattice.safejson import parse_json

MOST_BYTES = 4_000_000


class Noted:
    """A file of the rig's folder: by setting, the text that its place held; None if it was not there.

    Args:
        home: the rig's folder.
        name: the file's, which is its place in a state, too.
    """

    def __init__(self, home: Path, name: str) -> None:
        self.place, self._file = name, home / name

    def state(self) -> State:
        return {self.place: read_bounded(self._file, MOST_BYTES)}

    def read(self, state: State) -> dict[str, str | None]:
        """By setting, what was there.

        Raises:
            RigError: the file is damaged.
        """
        try:
            texts = parse_json(state.get(self.place) or b"{}")
            return {str(key): None if text is None else str(text) for key, text in texts.items()}
        except (ValueError, TypeError, AttributeError):
            raise RigError(f"{self._file} is damaged: move it away; what is there now then counts as its own"
                           ) from None

    def content(self, noted: Mapping[str, str | None]) -> State:
        """The file's content for that, as a state; none at all if nothing is noted."""
        return {self.place: json.dumps(noted, indent=1, sort_keys=True).encode() if noted else None}

    def put(self, state: State) -> None:
        """Writes the file, if the state has it.

        Raises:
            RigError: it cannot be written.
        """
        if self.place in state:
            try:
                put_file(self._file, state[self.place])
            except OSError as error:
                raise RigError(f"cannot write {self._file}: {error.strerror}") from None


def as_setting(domain: str, name: str) -> str:
    """What a thing of the machine's is called as a setting: `service.made-up-indexer`."""
    plain = re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")
    return f"{domain}.{plain or 'x'}"[:78]


def told_apart(names: Mapping[str, str]) -> dict[str, str]:
    """Return things with their names; where several would have one, with digits of the hash of what each is.

    >>> told_apart({"a": "x", "b": "y", "c": "y"})
    {'a': 'x', 'b': 'y-3e23e8', 'c': 'y-2e7d2c'}
    """
    count = Counter(names.values())
    return {thing: name if count[name] == 1 else f"{name}-{hashlib.sha256(thing.encode()).hexdigest()[:6]}"
            for thing, name in names.items()}
