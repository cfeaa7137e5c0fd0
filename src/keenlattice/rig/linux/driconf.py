"""The user's Mesa configuration file: our own entries in it read and written, everything else kept byte for byte.

The file is XML: `driconf` holds `device`, that holds `application` (matched by executable), that holds `option`. The
driver reads from top to bottom and the last word wins, so our entries go last. They are found again by their name,
`Keen Lattice: OWNER`. The text is spliced, not written anew: no XML library keeps quotes, blanks and line ends.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from xml.sax.saxutils import quoteattr

from keenlattice.errors import RigError
from keenlattice.profile.version import WHOLE_RIG
from keenlattice.rig.linux.safexml import parse, parser

MARK = "Keen Lattice: "
SKELETON = b'<?xml version="1.0" standalone="yes"?>\n<driconf>\n</driconf>\n'


@dataclass
class _Entry:
    """One of our own applications in the file: where its device begins and ends, in bytes, and its options."""

    owner: str
    start: int
    end: int = 0
    options: dict[str, str] = field(default_factory=dict)


class _Reader:
    """Walks a file once, and notes our entries and where the outermost element ends."""

    def __init__(self, content: bytes, path: str) -> None:
        self.entries: list[_Entry] = []
        self.root_end = 0
        self._open: list[str] = []
        self._device_start = 0
        self._parser = parser(path)
        self._parser.StartElementHandler = self._start
        self._parser.EndElementHandler = self._end
        parse(self._parser, content, path)
        if not self.root_end:
            raise RigError(f"{path} holds no driconf element: mend or move it; it is left as it is")

    def _start(self, tag: str, attributes: dict[str, str]) -> None:
        self._open.append(tag)
        name = attributes.get("name", "")
        if self._open == ["driconf", "device"]:
            self._device_start = self._parser.CurrentByteIndex
        elif self._open == ["driconf", "device", "application"] and name.startswith(MARK):
            self._open_ours(name.removeprefix(MARK))
        elif tag == "option" and self.entries and not self.entries[-1].end and len(self._open) == 4:
            self.entries[-1].options[name] = attributes.get("value", "")

    def _open_ours(self, owner: str) -> None:
        """A game that runs as several executables has an application for each in one device, all alike."""
        if not (self.entries and self.entries[-1].start == self._device_start):
            self.entries.append(_Entry(owner, self._device_start))

    def _end(self, tag: str) -> None:
        if self._open == ["driconf", "device"] and self.entries and not self.entries[-1].end:
            self.entries[-1].end = self._parser.CurrentByteIndex + len(b"</device>")
        if self._open == ["driconf"]:
            self.root_end = self._parser.CurrentByteIndex
        self._open.pop()


def options(content: bytes | None, owner: str, path: str) -> dict[str, str]:
    """The driver's options that our entry for `owner` sets: option name to its written value.

    Raises:
        RigError: not XML, with entities, or too large.
    """
    if not content:
        return {}
    return next((entry.options for entry in _Reader(content, path).entries if entry.owner == owner), {})


def with_options(content: bytes | None, owner: str, executables: Sequence[str], wanted: Mapping[str, str],
                 path: str) -> bytes:
    """The file after our entry for `owner` sets exactly these options; everything else in it stays as it is.

    Raises:
        RigError: not XML, with entities, or too large.
    """
    content = content or SKELETON
    for entry in _Reader(content, path).entries:
        if entry.owner == owner:
            content = _without(content, entry)
    if not wanted:
        return content
    end = _Reader(content, path).root_end
    if content[end:end + 2] != b"</":
        raise RigError(f"{path} closes driconf without an end tag: write it as <driconf></driconf>")
    return content[:end] + _text(owner, executables, wanted, b"\r\n" if b"\r\n" in content else b"\n") + content[end:]


def _without(content: bytes, entry: _Entry) -> bytes:
    start, end = entry.start, entry.end
    while start and content[start - 1:start] in (b" ", b"\t"):
        start -= 1
    if content[end:end + 2] == b"\r\n":
        end += 2
    elif content[end:end + 1] == b"\n":
        end += 1
    return content[:start] + content[end:]


def _text(owner: str, executables: Sequence[str], wanted: Mapping[str, str], line_end: bytes) -> bytes:
    whom = [""] if owner == WHOLE_RIG else [f" executable={quoteattr(one)}" for one in executables]
    lines = ["    <device>"]
    for one in whom:
        lines += [f"        <application name={quoteattr(MARK + owner)}{one}>",
                  *(f"            <option name={quoteattr(name)} value={quoteattr(value)}/>"
                    for name, value in sorted(wanted.items())), "        </application>"]
    return line_end.join(line.encode() for line in [*lines, "    </device>", ""])
