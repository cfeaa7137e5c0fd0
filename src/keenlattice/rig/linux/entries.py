"""What the driver's configuration files say for one program: read in the driver's order, matched by its rules.

The order: the files `*.conf` of `/usr/share/drirc.d` by name, then `/etc/drirc`, then the user's `~/.drirc`. All that
match a program count, and the last word wins. The rules are those of Mesa's `src/util/xmlconfig.c` (release 22.3):

* a `device` counts if its `driver`, `device` and `screen`, where given, are the running ones;
* an `application` counts by the first of these that it has: `executable` (equal), `executable_regexp` (found in the
  executable's name, POSIX extended), `sha1` (of the program's file), `application_name_match`; and, if it has
  `application_versions` ("1:4", ends included), by those as well;
* an `engine` counts by `engine_name_match`, and `engine_versions` if it has them;
* OpenGL tells the driver neither a program's own name and version nor its engine: there these are empty and 0.
"""

import hashlib
from collections.abc import Iterable, Mapping
from dataclasses import field
from pathlib import Path

from keenlattice.errors import RigError
from keenlattice.files import read_bounded
from keenlattice.quickly import dataclass
from keenlattice.rig.linux.driconf import MOST_BYTES, fits_pattern, is_pattern, parse, parser

SYSTEM_FOLDER, SYSTEM_FILE = "usr/share/drirc.d", "etc/drirc"


@dataclass(frozen=True)
class Program:
    """A program, as the driver knows it. `path` is its file, if known: only `sha1` looks at that."""

    executable: str
    path: Path | None = None
    name: str = ""
    version: int = 0
    engine: str = ""
    engine_version: int = 0


@dataclass(frozen=True)
class DrawnOn:
    """What a program draws with: the driver's name, the device's (few drivers give one), and the screen's number."""

    driver: str
    device: str = ""
    number: int = 0


@dataclass(frozen=True)
class Entry:
    """One `application` or `engine` of a file, with the attributes of the `device` around it and its options."""

    file: str
    line: int
    kind: str
    device: Mapping[str, str]
    matches: Mapping[str, str]
    options: dict[str, str] = field(default_factory=dict)

    @property
    def title(self) -> str:
        return self.matches.get("name") or self.matches.get("engine_name_match") or "all programs"


@dataclass(frozen=True)
class AppliedOption:
    """An option that applies to a program: its value, the entry that says so, and those that it overrules."""

    option: str
    value: str
    entry: Entry
    overrules: tuple[Entry, ...] = ()


def configuration_files(root: Path, own: Path) -> list[Path]:
    """The files that the driver reads, in its order; `own` is the user's."""
    folder = root / SYSTEM_FOLDER
    system = sorted(path for path in folder.iterdir() if path.name.endswith(".conf")) if folder.is_dir() else []
    return [path for path in (*system, root / SYSTEM_FILE, own) if path.is_file()]


def entries_in(content: bytes, path: str) -> list[Entry]:
    """The entries of one file, from top to bottom.

    Raises:
        RigError: not XML, with entities, or too large.
    """
    reading = parser(path)
    entries: list[Entry] = []
    device: dict[str, str] = {}
    inside: list[str] = []

    def start(tag: str, attributes: dict[str, str]) -> None:
        inside.append(tag)
        line = reading.CurrentLineNumber
        if tag == "device":
            device.clear()
            device.update(attributes)
        elif tag in ("application", "engine"):
            entries.append(Entry(path, line, tag, dict(device), attributes))
        elif tag == "option" and "device" in inside:
            if not {"application", "engine"} & set(inside):  # the driver warns of such an option, and takes it
                entries.append(Entry(path, line, "device", dict(device), {}))
            entries[-1].options[attributes.get("name", "")] = attributes.get("value", "")

    def end(_: str) -> None:
        inside.pop()

    reading.StartElementHandler, reading.EndElementHandler = start, end
    parse(reading, content, path)
    return entries


def all_entries(files: Iterable[Path]) -> list[Entry]:
    """The entries of several files, in order.

    Raises:
        RigError: one cannot be read.
    """
    found_in = []
    for path in files:
        try:
            found_in += entries_in(read_bounded(path, MOST_BYTES) or b"", str(path))
        except OSError as error:
            raise RigError(f"cannot read {path}: {error.strerror}") from None
    return found_in


def applies(entry: Entry, program: Program, screen: DrawnOn) -> bool:
    """Whether the driver takes an entry for a program on a screen."""
    return is_drawn_on(entry.device, screen) and (
        _matches_engine(entry.matches, program) if entry.kind == "engine" else
        _matches_program(entry.matches, program))


def is_drawn_on(device: Mapping[str, str], screen: DrawnOn) -> bool:
    wanted = device.get("screen", "")
    return (device.get("driver", screen.driver) == screen.driver
            and device.get("device", screen.device) == screen.device
            and (not wanted or _whole(wanted) == screen.number))


def _matches_program(matches: Mapping[str, str], program: Program) -> bool:
    if "executable" in matches:
        fits = matches["executable"] == program.executable
    elif "executable_regexp" in matches:
        fits = fits_pattern(matches["executable_regexp"], program.executable)
    elif "sha1" in matches:
        fits = matches["sha1"] == _sha1(program.path)
    else:
        fits = fits_pattern(matches.get("application_name_match", ""), program.name)
    return fits and _in_range(matches.get("application_versions"), program.version)


def _matches_engine(matches: Mapping[str, str], program: Program) -> bool:
    return (fits_pattern(matches.get("engine_name_match", ""), program.engine)
            and _in_range(matches.get("engine_versions"), program.engine_version))


def _in_range(text: str | None, version: int) -> bool:
    if text is None:
        return True
    low, high = (_whole(part) for part in (text.split(":", 1) if ":" in text else (text, "")))
    return low is not None and high is not None and low < high and low <= version <= high


def _whole(text: str) -> int | None:
    try:
        return int(text, 0)
    except ValueError:
        return None


def _sha1(path: Path | None) -> str | None:
    try:
        return hashlib.sha1(path.read_bytes(), usedforsecurity=False).hexdigest() if path else None
    except OSError:
        return None


class Configuration:
    """The entries of all files, at hand by executable: most name one, and a program asks for its own."""

    def __init__(self, entries: Iterable[Entry]) -> None:
        self.entries = list(entries)
        self._named: dict[str, list[int]] = {}
        self._others: list[int] = []
        for number, entry in enumerate(self.entries):
            name = entry.matches.get("executable") if entry.kind == "application" else None
            (self._others if name is None else self._named.setdefault(name, [])).append(number)

    def untried(self) -> list[Entry]:
        """The entries whose pattern cannot be read, or might take for ever: whether they apply is not known."""
        patterns = ("executable_regexp", "application_name_match", "engine_name_match")
        return [entry for entry in self.entries if not all(
            is_pattern(entry.matches[name]) for name in patterns if name in entry.matches)]

    def resolve(self, program: Program, screen: DrawnOn) -> dict[str, AppliedOption]:
        """Every option that the files set for a program, and which entry has the last word on it."""
        applied: dict[str, AppliedOption] = {}
        for number in sorted([*self._others, *self._named.get(program.executable, ())]):
            entry = self.entries[number]
            if applies(entry, program, screen):
                for option, value in entry.options.items():
                    before = applied.get(option)
                    applied[option] = AppliedOption(option, value, entry,
                                              (*before.overrules, before.entry) if before else ())
        return applied
