"""Which resolver the machine asks, where systemd's resolver looks names up: a file of ours beside its own.

The resolver reads it when it starts, and the last word wins: so a restart of the machine puts it in force.
"""

import os
import re
from ipaddress import ip_address
from pathlib import Path

from keenlattice.catalog.load import catalog
from keenlattice.catalog.values import Value
from keenlattice.errors import NeedsRights, RigError
from keenlattice.files import read_bounded
from keenlattice.rig.addresses import BY_NETWORK, addresses
from keenlattice.rig.places import put_file
from keenlattice.rig.stored import StoredSetting, Texts

RUNS, FILE = "run/systemd/resolve", "etc/systemd/resolved.conf.d/zz-keen-lattice.conf"
MOST_BYTES = 10_000
SERVERS = re.compile(r"^DNS=(.*)$", re.MULTILINE)
TEXT = "# Written by Keen Lattice for network.resolver.\n[Resolve]\nDNS={}\nDomains=~.\n"


class ResolverFile:
    """The file, where systemd's resolver runs.

    Args:
        root: where `etc` and `run` are.
    """

    def __init__(self, root: Path) -> None:
        self._runs, self._file = (root / RUNS).is_dir(), root / FILE

    @property
    def place(self) -> str:
        """What the file is called in a state."""
        return str(self._file)

    def owns(self, place: str) -> bool:
        """Return whether a place is this file."""
        return place == self.place

    def in_words(self, place: str) -> str:
        """Return nothing: it is a file."""
        return ""

    def read(self) -> Texts:
        """Return the file's text."""
        content = read_bounded(self._file, MOST_BYTES) if self._runs else None
        return {self.place: None if content is None else content.decode("utf-8", "surrogateescape")
                } if self._runs else {}

    def check(self, texts: Texts) -> None:
        """Check whether the file could be written.

        Raises:
            NeedsRights: not without root's rights.
        """
        folder = next(folder for folder in self._file.parents if folder.exists())
        if texts and not os.access(folder, os.W_OK):
            raise NeedsRights(f"network.resolver: writing {self._file} needs root")

    def write(self, texts: Texts) -> None:
        """Write the file, or remove it.

        Raises:
            RigError: it cannot be written.
        """
        try:
            for text in texts.values():
                put_file(self._file, None if text is None else text.encode("utf-8", "surrogateescape"))
        except OSError as error:
            raise RigError(f"cannot write {self._file}: {error.strerror}") from None


def resolver(held: Texts) -> list[StoredSetting]:
    """The machine's resolver; nothing where another program looks names up."""
    setting = catalog()["network.resolver"].adapted(rights=True, restart="machine")
    return [StoredSetting(setting.name, setting, lambda texts: _servers(*texts.values()),
                          lambda value, texts: dict.fromkeys(texts, _text(value)))] if held else []


def _servers(text: str | None) -> Value | None:
    if text is None:
        return BY_NETWORK
    servers = SERVERS.search(text)
    return ",".join(servers[1].split()) if servers else None


def _text(value: Value) -> str | None:
    if value == BY_NETWORK:
        return None
    return TEXT.format(" ".join(addresses(str(value), ip_address, "192.0.2.1,2001:db8::1")))
