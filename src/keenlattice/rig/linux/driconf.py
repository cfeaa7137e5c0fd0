"""The user's Mesa configuration file: our entries in it read and written, everything else kept byte for byte.

The file is XML: `driconf` holds `device`, that holds `application` (matched by executable), that holds `option`. The
driver reads from top to bottom and the last word wins, so our entries go last. They are found again by their name,
`Keen Lattice: OWNER`. The text is spliced, not rewritten: no XML library keeps quotes, blanks and line ends.
"""

import ctypes
import math
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import cache, lru_cache
from typing import Any
from xml.parsers import expat
from xml.sax.saxutils import quoteattr

from keenlattice.errors import RigError
from keenlattice.profile.version import WHOLE_RIG

MARK = "Keen Lattice: "
SKELETON = b'<?xml version="1.0" standalone="yes"?>\n<driconf>\n</driconf>\n'
OF_DEVICE, OF_APPLICATION = b"    ", b"        "  # how far ours are indented


@dataclass
class _Ours:
    """One of our own applications in the file: where it begins and ends, in bytes, and its options."""

    owner: str
    start: int
    end: int = 0
    options: dict[str, str] = field(default_factory=dict)


@dataclass
class _Device:
    """A device of the file that holds some of ours; `shared` if it holds something of others, too."""

    start: int
    end: int = 0
    ours: list[_Ours] = field(default_factory=list)
    shared: bool = False


class _Reader:
    """Walks a file once, and notes our entries, where the outermost element ends, and all that is others'."""

    def __init__(self, content: bytes, path: str) -> None:
        self.devices: list[_Device] = []
        self.others: list[tuple[str, ...]] = []
        self.root_end = 0
        self._content = content
        self._open: list[str] = []
        self._mine: _Ours | None = None
        self._parser = parser(path)
        self._parser.StartElementHandler = self._start
        self._parser.EndElementHandler = self._end
        self._parser.CharacterDataHandler = self._text
        self._parser.CommentHandler = self._text
        parse(self._parser, content, path)
        if not self.root_end:
            raise RigError(f"{path} holds no driconf element: fix or move it; it is left as it is")

    def owned(self, owner: str) -> list[_Ours]:
        """What is an owner's, from top to bottom."""
        return [our for device in self.devices for our in device.ours if our.owner == owner]

    def _start(self, tag: str, attributes: dict[str, str]) -> None:
        self._open.append(tag)
        name, at = attributes.get("name", ""), self._parser.CurrentByteIndex
        if self._open == ["driconf", "device"]:
            self.devices.append(_Device(at))
        elif self._open == ["driconf", "device", "application"] and name.startswith(MARK):
            self._mine = _Ours(name.removeprefix(MARK), at)
            self.devices[-1].ours.append(self._mine)
            return
        elif self._mine is not None and tag == "option" and len(self._open) == 4:
            self._mine.options[name] = attributes.get("value", "")
            return
        elif self._open[:2] == ["driconf", "device"] and self._mine is None:
            self.devices[-1].shared = True
        if self._mine is None:
            self.others.append((*self._open, *(f"{key}={value}" for key, value in attributes.items())))

    def _text(self, text: str) -> None:
        if text.strip() and self._mine is None:
            self.others.append((*self._open, text))
            if self._open[:2] == ["driconf", "device"]:
                self.devices[-1].shared = True

    def _end(self, tag: str) -> None:
        at = self._parser.CurrentByteIndex
        if self._open == ["driconf", "device"]:
            self.devices[-1].end = _tag_end(self._content, at)
        elif self._mine is not None and len(self._open) == 3:
            self._mine.end, self._mine = _tag_end(self._content, at), None
        if self._open == ["driconf"]:
            self.root_end = at
        self._open.pop()


def _tag_end(content: bytes, at: int) -> int:
    """Where the tag that begins here ends."""
    tag = re.compile(rb"""<(?:[^<>"']|"[^"]*"|'[^']*')*>""").match(content, at)
    return tag.end() if tag else at


def options(content: bytes | None, owner: str, path: str) -> dict[str, str]:
    """The driver's options that our entry for `owner` sets: option name to its written value.

    Raises:
        RigError: not XML, with entities, or too large.
    """
    if not content:
        return {}
    held: dict[str, str] = {}
    for application in _Reader(content, path).owned(owner):  # a game that runs as several executables has one for each
        held |= application.options
    return held


def with_options(content: bytes | None, owner: str, executables: Sequence[str], wanted: Mapping[str, str],
                 path: str) -> bytes:
    """The file after our entry for `owner` sets exactly these options; everything else in it stays as it is.

    Raises:
        RigError: not XML, with entities, or too large.
    """
    before = content or SKELETON
    content = _without(before, owner, path)
    if wanted:
        end = _Reader(content, path).root_end
        if content[end:end + 2] != b"</":
            raise RigError(f"{path} closes driconf without an end tag: write it as <driconf></driconf>")
        ours = _text(owner, executables, wanted, b"\r\n" if b"\r\n" in content else b"\n")
        content = content[:end] + ours + content[end:]
    _check(before, content, owner, wanted, path)
    return content


def _check(before: bytes, after: bytes, owner: str, wanted: Mapping[str, str], path: str) -> None:
    """Whether the text was spliced right, however it is laid out: ours is in it, and all of others' still is.

    Raises:
        RigError: it was not.
    """
    try:
        was, now = (_Reader(content, path) for content in (before, after))
        same = options(after, owner, path) == dict(wanted) and [application for application in now.others
                                                                if application != DEVICE] == [
            application for application in was.others if application != DEVICE]
    except RigError:
        same = False
    if not same:
        raise RigError(f"{path} is laid out in a way that cannot be changed without touching what is others': it is "
                       "left as it is; write this setting by hand, or begin the file again")


DEVICE = ("driconf", "device")
"""A device without its own attributes, as ours are."""


def _without(content: bytes, owner: str, path: str) -> bytes:
    """The content without an owner's entries; a device goes if nothing else is in it."""
    for device in reversed(_Reader(content, path).devices):  # from the last: the places of those before stay
        mine = [our for our in device.ours if our.owner == owner]
        if mine and len(mine) == len(device.ours) and not device.shared:
            content = _cut(content, device.start, device.end, OF_DEVICE)
            continue
        for application in reversed(mine):
            content = _cut(content, application.start, application.end, OF_APPLICATION)
    return content


def _cut(content: bytes, start: int, end: int, indent: bytes) -> bytes:
    """The content without a part that we have put in: with its indent and its line end, and no blank more."""
    if content[:start].endswith(indent):
        start -= len(indent)
    if content[end:end + 2] == b"\r\n":
        end += 2
    elif content[end:end + 1] == b"\n":
        end += 1
    return content[:start] + content[end:]


def _text(owner: str, executables: Sequence[str], wanted: Mapping[str, str], line_end: bytes) -> bytes:
    whom = [""] if owner == WHOLE_RIG else [attributes for name in executables for attributes in _matching(name)]
    lines = ["    <device>"]
    for attribute in whom:
        lines += [f"        <application name={quoteattr(MARK + owner)}{attribute}>",
                  *(f"            <option name={quoteattr(name)} value={quoteattr(value)}/>"
                    for name, value in sorted(wanted.items())), "        </application>"]
    return line_end.join(line.encode() for line in [*lines, "    </device>", ""])


def _matching(executable: str) -> list[str]:
    """How the driver learns of an executable. It compares names letter by letter, so a pattern is written as the
    regular expression that it stands for; what may be both (`game[1]`) as both."""
    attributes = [] if set(executable) & set("*?") else [f" executable={quoteattr(executable)}"]
    if set(executable) & set("*?["):
        attributes.append(f" executable_regexp={quoteattr(as_regexp(executable))}")
    return attributes


def as_regexp(pattern: str) -> str:
    """A pattern of names (`orbit-*`) as a POSIX extended regular expression over whole names.

    >>> as_regexp("orbit-*.x86_64")
    '^orbit-.*[.]x86_64$'
    """
    result, at = "", 0
    while at < len(pattern):
        letter, first = pattern[at], at + 1 + pattern.startswith("!", at + 1)
        close = pattern.find("]", first + 1)  # one that comes first is a letter
        if letter == "[" and close > 0 and "/" not in pattern[at:close]:
            inside = pattern[at + 1:close]
            result += f"[{'^' + inside[1:] if inside.startswith('!') else inside}]"
            at = close
        else:
            result += {"*": ".*", "?": "."}.get(letter) or (letter if letter.isalnum() or letter in "-_ " else
                                                          f"\\{letter}" if letter in "^\\" else f"[{letter}]")
        at += 1
    return f"^{result}$"


REG_EXTENDED, REG_NOSUB = 1, 8
LONGEST = 500       # the C library takes memory without bound for some long patterns,
MOST_REPEATS = 1000  # and for repeats of repeats that are counted;
BACK_REFERENCE = re.compile(r"\\[1-9]")  # and time without bound for these
COUNTED = re.compile(r"\{(\d*),?(\d*)\}")
ROOM_FOR_ONE = 256  # bytes; glibc's regex_t takes 64


@cache
def _library() -> ctypes.CDLL:
    return ctypes.CDLL(None)


@lru_cache(maxsize=1024)
def _compiled(pattern: str) -> "ctypes.Array[ctypes.c_char] | None":
    compiled = ctypes.create_string_buffer(ROOM_FOR_ONE)
    if len(pattern) > LONGEST or "\0" in pattern or _is_costly(pattern):
        return None
    failed = _library().regcomp(compiled, pattern.encode(), REG_EXTENDED | REG_NOSUB)
    return None if failed else compiled


def _is_costly(pattern: str) -> bool:
    counts = [max(int(bound or 1) for bound in (result[1][:6], result[2][:6])) for result in COUNTED.finditer(pattern)]
    return BACK_REFERENCE.search(pattern) is not None or math.prod(counts) > MOST_REPEATS


def is_pattern(pattern: str) -> bool:
    """Whether the C library takes it, and would not take for ever over it."""
    return _compiled(pattern) is not None


def fits_pattern(pattern: str, text: str) -> bool:
    """Whether a pattern is anywhere in a text; one that cannot be read is nowhere."""
    compiled = _compiled(pattern)
    return compiled is not None and _library().regexec(compiled, text.encode(), 0, None, 0) == 0


MOST_BYTES = 4_000_000


def parser(path: str) -> Any:
    """An expat parser that refuses entities; the caller adds the handlers that it needs."""
    made = expat.ParserCreate()

    def refuse(*_: object) -> None:
        raise RigError(f"{path} declares XML entities, which no driver configuration needs: not read; "
                       "it is left as it is")

    made.EntityDeclHandler = refuse
    return made


def parse(made: Any, content: bytes, path: str) -> None:
    """Feeds it a whole file.

    Raises:
        RigError: not XML, with entities, or too large; the message names the file, and the line where there is one.
    """
    if len(content) > MOST_BYTES:
        raise RigError(f"{path} is larger than {MOST_BYTES // 1_000_000} MB: not read; it is left as it is")
    try:
        made.Parse(content, True)
    except (expat.ExpatError, LookupError, ValueError) as error:  # the latter two of an encoding that is none
        raise RigError(f"{path} is not XML that the driver could read ({error}): fix or move it; "
                       "it is left as it is") from None
