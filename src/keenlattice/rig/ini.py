"""INI files as games write them: one value changed, every other byte as it was.

No package that was tried keeps all of it: the best of them writes a changed line with other blanks and line ends, and
refuses repeated keys, keys before the first section, and lines that are neither. So the text is spliced.
"""

import re

from keenlattice.errors import RefusedByRig, RigError
from keenlattice.files import marked_encoding
from keenlattice.quickly import dataclass

MOST_BYTES = 4_000_000
SECTION = re.compile(r"[ \t]*\[(?P<name>[^\]\r\n]*)\]")
COMMENT = re.compile(r"[ \t][;#]")


@dataclass(frozen=True)
class _Line:
    """A key's line: where it is in the text, and its parts; `before`, `value` and `after` together are the line."""

    number: int
    section: str
    key: str
    before: str
    value: str
    after: str


def _line_of(number: int, section: str, text: str) -> _Line | None:
    """The parts of a line without its end; None if it holds no key."""
    name, equals, rest = text.partition("=")
    key = name.strip()
    if not equals or not key or key[0] in ";#[":
        return None
    body = rest.lstrip(" \t")
    comment = COMMENT.search(body)
    value = (body[:comment.start()] if comment else body).rstrip(" \t")
    return _Line(number, section, key, text[:len(text) - len(body)], value, body[len(value):])


class Ini:
    """An INI file that was read; `content` is what to write.

    Sections and keys are found as written, else in another letter case. What follows a blank and `;` or `#` is a
    comment. A key that comes twice in its section is left alone: which of them counts only the game knows.

    Raises:
        RigError: too large, or in no encoding that can be told.
    """

    def __init__(self, content: bytes, path: str) -> None:
        if len(content) > MOST_BYTES:
            raise RigError(f"{path} is larger than {MOST_BYTES // 1_000_000} MB: not read; it is left as it is")
        self._path = path
        self._bom, self.encoding = _encoding(content)
        try:
            self._text = content[len(self._bom):].decode(self.encoding)
            intact = self._text.encode(self.encoding) == content[len(self._bom):]
        except UnicodeError:
            intact = False
        if not intact or "\0" in self._text:
            raise RigError(f"{path} is in no encoding that can be told (UTF-8, UTF-16 and Windows-1252 are): "
                           "it is left as it is")

    @property
    def content(self) -> bytes:
        return self._bom + self._text.encode(self.encoding)

    def entries(self) -> list[tuple[str, str, str]]:
        """Section, key and value of every line that has them; the section before the first is "" ."""
        return [(line.section, line.key, line.value) for line in self._lines()]

    def value(self, section: str, key: str) -> str | None:
        """What a key holds; None if it is not there.

        Raises:
            RefusedByRig: it is there twice.
        """
        line = self._line(section, key)
        return None if line is None else line.value

    def set(self, section: str, key: str, value: str) -> None:
        """Makes a key hold a value; one that is not there comes last in its section, which is made if need be.

        Raises:
            RefusedByRig: it is there twice, or the file cannot hold the value; then it is as before.
        """
        try:
            value.encode(self.encoding)
        except UnicodeError:
            raise RefusedByRig(f"{self._path} is in {self.encoding}, which cannot hold {value!r}") from None
        line, text = self._line(section, key), self._text
        if line is None:
            self._add(section, key, value)
        else:
            self._replace(line.number, line.before + value + line.after)
        if self.value(section, key) != value:
            self._text = text
            raise RefusedByRig(f"{self._path}: {value!r} would not read back as {key}: an INI file cannot hold it")

    def remove(self, section: str, key: str) -> None:
        """Takes a key's line out, if it is there; and its section's, if that is then the empty last of the file."""
        line = self._line(section, key)
        if line is None:
            return
        lines = _split(self._text)
        del lines[line.number]
        if lines and (last := SECTION.match(lines[-1])) and last["name"] == line.section:
            del lines[-1]
        self._text = "".join(lines)

    def _lines(self) -> list[_Line]:
        result, section = [], ""
        for number, line in enumerate(_split(self._text)):
            if match := SECTION.match(line):
                section = match["name"]
            elif parsed := _line_of(number, section, line.rstrip("\r\n")):
                result.append(parsed)
        return result

    def _line(self, section: str, key: str) -> _Line | None:
        lines = self._lines()
        for spelled in (str, str.lower):
            matches = [line for line in lines
                       if (spelled(line.section), spelled(line.key)) == (spelled(section), spelled(key))]
            if len(matches) > 1:
                raise RefusedByRig(f"{self._path}: {key} is there {len(matches)} times in [{section}]: which of them "
                                   "counts only the game knows; it is left alone")
            if matches:
                return matches[0]
        return None

    def _replace(self, number: int, text: str) -> None:
        lines = _split(self._text)
        end = lines[number][len(lines[number].rstrip("\r\n")):]
        lines[number] = text + end
        self._text = "".join(lines)

    def _add(self, section: str, key: str, value: str) -> None:
        end = "\r\n" if "\r\n" in self._text else "\n"
        here = ([line for line in self._lines() if line.section == section]
                or [line for line in self._lines() if line.section.lower() == section.lower()])
        gap = " " if any(line.before.endswith(" ") for line in here or self._lines()) else ""
        text = f"{key}{gap}={gap}{value}{end}"
        lines = _split(self._text)
        if lines and not lines[-1].endswith(("\r", "\n")):
            lines[-1] += end
        after = here[-1].number if here else self._header(section)
        if after is None:
            lines += [f"[{section}]{end}", text]
        else:
            lines.insert(after + 1, text)
        self._text = "".join(lines)

    def _header(self, section: str) -> int | None:
        """The line of a section that has no keys yet; -1 for what comes before the first section."""
        if not section:
            return -1
        names = ((number, SECTION.match(line)) for number, line in enumerate(_split(self._text)))
        return next((number for number, match in names if match and match["name"].lower() == section.lower()), None)


def _split(text: str) -> list[str]:
    """The lines with their ends: LF, CRLF or CR, and nothing else (a form feed ends no line of a game's file)."""
    return re.findall(r"[^\r\n]*(?:\r\n|\n|\r)|[^\r\n]+", text)


def _encoding(content: bytes) -> tuple[bytes, str]:
    bom, name = marked_encoding(content)
    if bom:
        return bom, name
    if content[1:2] == b"\0" and len(content) % 2 == 0:
        return b"", "utf-16-le"
    try:
        content.decode("utf-8")
    except UnicodeError:
        return b"", "cp1252"
    return b"", "utf-8"
