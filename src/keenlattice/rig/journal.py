"""The journal of a change under way: what was there before, what it is to come to, and every step, before and after.

It lies in the rig's home while the change lasts, a line of JSON each: first the header, then a line before and a line
after every write, each flushed to disk before the next thing is done. A process that dies leaves it behind.
"""

import base64
import hashlib
import json
import os
from collections.abc import Mapping
from contextlib import suppress
from dataclasses import field
from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING, Any

from keenlattice.catalog.values import Value
from keenlattice.errors import RigError, way
from keenlattice.files import append_line, remove_file, replace_file
from keenlattice.quickly import dataclass
from keenlattice.safejson import parse_json

if TYPE_CHECKING:
    from keenlattice.rig.base import Rig, State

JOURNAL = "change-under-way.jsonl"
SPARE, SPARE_BYTES = "spare-room", 256 * 1024
Wanted = Mapping[str, Mapping[str, Value | None]]
"""Owner to setting key to value; None for unset."""


def packed(state: "State") -> str:
    """A state as text, for the journal and the logbook."""
    return json.dumps(in_text(state))


def in_text(state: "State") -> dict[str, str | None]:
    """A state with its contents in base64."""
    return {place: None if content is None else base64.b64encode(content).decode()
            for place, content in sorted(state.items())}


def out_of_text(texts: "Mapping[str, str | None]") -> "State":
    """The state that `in_text` made this of.

    Raises:
        ValueError, TypeError: it is none.
    """
    return {place: None if content is None else base64.b64decode(content, validate=True)
            for place, content in texts.items()}


def fingerprint(state: "State") -> str:
    """Short for a state: equal only for equal states."""
    return hashlib.sha256(packed(state).encode()).hexdigest()


def fingerprints(state: "State") -> dict[str, str]:
    """Short for the content of each place; a place where nothing is has a fingerprint, too."""
    return {place: hashlib.sha256(b"" if content is None else b"=" + content).hexdigest()
            for place, content in state.items()}


@dataclass(frozen=True)
class Intent:
    """What a change is to come to: all that it takes to finish it, or to take its values back one by one.

    Args:
        kind: "apply", "undo" or "chore".
        profile, version, what, target: as the logbook will remember it (see `Apply`).
        book: the id of that logbook, and where it was.
        token: tells this change from all others.
        then: what the places that change shall hold.
        wants, was: the values that change, after and before.
    """

    kind: str
    profile: str
    version: str
    what: str
    target: int | None
    book: tuple[str, str]
    token: str
    then: "State"
    wants: Wanted
    was: Wanted

    def to_json(self) -> dict[str, Any]:
        return {**self.__dict__, "then": in_text(self.then)}

    @classmethod
    def from_json(cls, content: Mapping[str, Any]) -> "Intent":
        book = content["book"] if isinstance(content["book"], list) else ("", content["book"])  # before there were ids
        return cls(**{**content, "then": out_of_text(content["then"]), "book": (str(book[0]), str(book[1]))})


@dataclass
class Journal:
    """The journal as it stands: made by `begin`, or read by `read` after a crash."""

    path: Path
    why: str
    since: str
    before: "State"
    intent: Intent | None
    made: dict[str, set[str]] = field(default_factory=dict)
    wants: dict[str, dict[str, Value | None]] = field(default_factory=dict)
    begun: int = 0
    done: int = 0
    steps: int = 0

    def begin(self) -> None:
        """Writes the header, and keeps some room on the disk, so that the way back does not need any.

        Raises:
            RigError: it cannot be written; nothing was changed.
        """
        header = {"why": self.why, "since": self.since, "process": os.getpid(), "steps": self.steps,
                  "before": in_text(self.before),
                  "intent": self.intent.to_json() if self.intent else None}
        try:
            (self.path.parent / SPARE).write_bytes(bytes(SPARE_BYTES))
            replace_file(self.path, json.dumps(header).encode() + b"\n")
        except OSError as error:
            with suppress(OSError):
                self.free_spare()
                remove_file(self.path)  # it may be there, and not flushed
            raise self._cannot(error) from None

    def before_step(self, settings: list[str], state: "State", wants: Wanted | None = None) -> None:
        """Says which settings are about to be written, and what that makes of which places; and, of a change without
        an intent, which values, so that these can go back one by one."""
        makes = fingerprints(state)
        self._learn(makes, wants or {})
        self.begun += 1
        self._append({"begins": self.begun, "settings": settings, "makes": makes, "wants": wants or {}})

    def found_instead(self, state: "State") -> None:
        """Says what the rig has made of a write of ours: it is ours, too, and nothing of somebody else's."""
        makes = fingerprints(state)
        self._learn(makes, {})
        self._append({"makes": makes})

    def after_step(self) -> None:
        """Says that it is written."""
        self.done = self.begun
        self._append({"done": self.done})

    def end(self) -> None:
        """The change is over: there is nothing to come back to.

        Raises:
            RigError: the journal cannot be removed.
        """
        with suppress(OSError):  # the next change takes the same room
            self.free_spare()
        try:
            remove_file(self.path)
        except OSError as error:
            if self.path.exists():
                raise RigError(f"its journal {self.path} cannot be cleared away ({error.strerror}): the next command "
                               "tries again") from None

    def free_spare(self) -> None:
        (self.path.parent / SPARE).unlink(missing_ok=True)

    def _learn(self, makes: Mapping[str, str], wants: Wanted) -> None:
        for place, fingerprint in makes.items():
            self.made.setdefault(place, set()).add(fingerprint)
        for owner, values in wants.items():
            self.wants.setdefault(owner, {}).update(values)

    def _append(self, line: Mapping[str, object]) -> None:
        try:
            append_line(self.path, json.dumps(line).encode())
        except OSError as error:
            raise self._cannot(error) from None

    def _cannot(self, error: OSError) -> RigError:
        return RigError(f"cannot write the journal {self.path}: {error.strerror}")


def journal_of(rig: "Rig", why: str, before: "State", intent: Intent | None, steps: int) -> Journal:
    """The journal of a change that is about to begin."""
    return Journal(rig.home / JOURNAL, why, datetime.now(UTC).isoformat(timespec="seconds"), before, intent,
                   steps=steps)


def unfinished(home: Path) -> bool:
    """Whether a change was begun in this home and not ended; cheap enough to ask at every start."""
    return (home / JOURNAL).exists()


def read_journal(home: Path) -> Journal:
    """What a process that died left behind. A last line that was cut short does not count.

    Raises:
        RigError: it is damaged beyond that.
    """
    path = home / JOURNAL
    try:
        first, *lines = path.read_bytes().split(b"\n")
        content = parse_json(first)
        journal = Journal(path, content["why"], content["since"], out_of_text(content["before"]),
                          Intent.from_json(content["intent"]) if content["intent"] else None, steps=content["steps"])
        for line in lines[:-1]:  # what follows the last line end was cut short, or is empty
            step = parse_json(line)
            journal._learn(step.get("makes", {}), step.get("wants", {}))
            journal.begun, journal.done = step.get("begins", journal.begun), step.get("done", journal.done)
        return journal
    except (OSError, ValueError, KeyError, TypeError, AttributeError):
        raise RigError(f"the journal {path} cannot be read; look at the rig with "
                       f"{way('keen survey', 'ws.rig.survey()')}, then move that file away") from None
