"""The user's Mesa configuration file: our own entries in it read and written, everything else kept byte for byte.

The file is XML: `driconf` holds `device`, that holds `application` (matched by executable), that holds `option`. The
driver reads from top to bottom and the last word wins, so our entries go last. They are found again by their name,
`Keen Lattice: OWNER`. The text is spliced, not written anew: no XML library keeps quotes, blanks and line ends.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field
from xml.parsers import expat
from xml.sax.saxutils import quoteattr

from keenlattice.errors import RigError
from keenlattice.profile.version import WHOLE_RIG

MARK = "Keen Lattice: "
MOST_BYTES = 4_000_000
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
        self._parser = parser = expat.ParserCreate()
        parser.StartElementHandler = self._start
        parser.EndElementHandler = self._end
        parser.EntityDeclHandler = self._refuse_entity
        self._path = path
        if len(content) > MOST_BYTES:
            raise RigError(f"{path} is larger than {MOST_BYTES // 1_000_000} MB: not read; it is left as it is")
        try:
            parser.Parse(content, True)
        except expat.ExpatError as error:
            raise RigError(f"{path} is not XML that the driver could read ({error}): mend or move it; "
                           "it is left as it is") from None
        if not self.root_end:
            raise RigError(f"{path} holds no driconf element: mend or move it; it is left as it is")

    def _refuse_entity(self, *_: object) -> None:
        raise RigError(f"{self._path} declares XML entities, which no driver configuration needs: not read; "
                       "it is left as it is")

    def _start(self, tag: str, attributes: dict[str, str]) -> None:
        self._open.append(tag)
        name = attributes.get("name", "")
        if self._open == ["driconf", "device"]:
            self._device_start = self._parser.CurrentByteIndex
        elif self._open == ["driconf", "device", "application"] and name.startswith(MARK):
            self.entries.append(_Entry(name.removeprefix(MARK), self._device_start))
        elif tag == "option" and self.entries and not self.entries[-1].end and len(self._open) == 4:
            self.entries[-1].options[name] = attributes.get("value", "")

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


def with_options(content: bytes | None, owner: str, executable: str, wanted: Mapping[str, str],
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
    return content[:end] + _text(owner, executable, wanted, b"\r\n" if b"\r\n" in content else b"\n") + content[end:]


def _without(content: bytes, entry: _Entry) -> bytes:
    start, end = entry.start, entry.end
    while start and content[start - 1:start] in (b" ", b"\t"):
        start -= 1
    if content[end:end + 2] == b"\r\n":
        end += 2
    elif content[end:end + 1] == b"\n":
        end += 1
    return content[:start] + content[end:]


def _text(owner: str, executable: str, wanted: Mapping[str, str], line_end: bytes) -> bytes:
    whom = "" if owner == WHOLE_RIG else f" executable={quoteattr(executable)}"
    lines = ["    <device>", f"        <application name={quoteattr(MARK + owner)}{whom}>",
             *(f"            <option name={quoteattr(name)} value={quoteattr(value)}/>"
               for name, value in sorted(wanted.items())),
             "        </application>", "    </device>", ""]
    return line_end.join(line.encode() for line in lines)
