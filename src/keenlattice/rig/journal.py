"""Changing a rig so that there is always a way back: one at a time, journalled, and recovered after a crash.

While a rig is being changed, its home holds a lock and a journal: the state before the first write, and the
fingerprints of every state that we were about to make. A process that dies leaves the journal behind; the next
`keen` command finds it, with nobody holding the lock, and puts the state from before back.
"""

import base64
import hashlib
import json
import os
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING

from keenlattice.errors import RigBusy, RigError
from keenlattice.files import remove_file, replace_file

if TYPE_CHECKING:
    from keenlattice.rig.base import Rig, State

JOURNAL, LOCK = "change-under-way.json", "change.lock"
PATIENCE_S = 3.0


def packed(state: "State") -> str:
    """A state as text, for the journal and the logbook."""
    return json.dumps({place: None if content is None else base64.b64encode(content).decode()
                       for place, content in sorted(state.items())})


def unpacked(text: str) -> "State":
    """The state that `packed` made this text of."""
    return {place: None if content is None else base64.b64decode(content)
            for place, content in json.loads(text).items()}


def fingerprint(state: "State") -> str:
    """Short for a state: equal only for equal states."""
    return hashlib.sha256(packed(state).encode()).hexdigest()


@dataclass
class Change:
    """A change of a rig under way; all writes go through it, so that the journal knows of them first."""

    rig: "Rig"
    why: str
    before: "State"
    made: list[str] = field(default_factory=list)

    def put(self, state: "State") -> None:
        """Makes a state hold, after the journal has been told."""
        self.made.append(fingerprint(state))
        self._write()
        self.rig.put(state)

    def put_back(self) -> None:
        """Makes the state from before the change hold again."""
        if fingerprint(self.rig.state()) != fingerprint(self.before):
            self.rig.put(self.before)

    def _write(self) -> None:
        journal = {"why": self.why, "since": datetime.now(UTC).isoformat(timespec="seconds"), "process": os.getpid(),
                   "before": json.loads(packed(self.before)), "made": self.made}
        try:
            replace_file(self.rig.home / JOURNAL, json.dumps(journal).encode())
        except OSError as error:
            raise RigError(f"cannot write the journal in {self.rig.home}: {error.strerror}; nothing was changed"
                           ) from None


@contextmanager
def changing(rig: "Rig", why: str) -> Iterator[Change]:
    """The one way to change a rig. If the body raises, or the process dies, the state from before is put back.

    Raises:
        RigBusy: another process is changing this rig.
    """
    with locked(rig, why):
        if (rig.home / JOURNAL).exists():
            _put_back_what_was(rig)
        change = Change(rig, why, rig.state())
        try:
            yield change
        except BaseException:
            change.put_back()
            remove_file(rig.home / JOURNAL)
            raise
        remove_file(rig.home / JOURNAL)


@contextmanager
def locked(rig: "Rig", why: str) -> Iterator[None]:
    """Keeps every other process from changing the rig meanwhile; nothing is journalled.

    Raises:
        RigBusy: another process is at it, and was still after PATIENCE_S.
    """
    from filelock import FileLock, Timeout

    holder = rig.home / (LOCK + ".holder")
    try:
        rig.home.mkdir(parents=True, exist_ok=True)
        lock = FileLock(rig.home / LOCK)
        lock.acquire(timeout=PATIENCE_S)
    except Timeout:
        said = holder.read_text(encoding="utf-8") if holder.exists() else "another process"
        raise RigBusy(f"the rig {rig.name} is being changed: {said}; wait for it to end, or stop it") from None
    except OSError as error:
        raise RigError(f"cannot lock the rig {rig.name} in {rig.home}: {error.strerror}") from None
    try:
        since = datetime.now().astimezone().isoformat(sep=" ", timespec="seconds")
        holder.write_text(f"{why}, by process {os.getpid()} since {since}", encoding="utf-8")
        yield
    finally:
        holder.unlink(missing_ok=True)
        lock.release()


def unfinished(home: Path) -> bool:
    """Whether a change was begun in this home and not ended; cheap enough to ask at every start."""
    return (home / JOURNAL).exists()


def recover(rig: "Rig") -> str | None:
    """Puts back what a process that died in mid-change left behind; returns what was done, in words.

    A rig that a living process is changing is left alone: then nothing is returned.

    Raises:
        RigError: the rig was changed by somebody else since, or cannot be written.
    """
    try:
        with locked(rig, "recovering"):
            return _put_back_what_was(rig) if unfinished(rig.home) else None
    except RigBusy:
        return None


def _put_back_what_was(rig: "Rig") -> str:
    path = rig.home / JOURNAL
    try:
        journal = json.loads(path.read_text(encoding="utf-8"))
        before, made = unpacked(json.dumps(journal["before"])), journal["made"]
    except (ValueError, KeyError, TypeError, AttributeError):
        raise RigError(f"the journal {path} cannot be read; look at the rig with `keen survey`, "
                       "then remove that file") from None
    now = rig.state()
    if fingerprint(now) not in (*made, fingerprint(before)):
        copy = rig.home / "before-the-unfinished-change.json"
        replace_file(copy, packed(before).encode())
        remove_file(path)
        return (f"{journal['why']} was cut short, and the rig was changed by something else since: nothing was put "
                f"back. What was there before is kept in {copy}")
    rig.put(before)
    remove_file(path)
    return f"{journal['why']} was cut short ({journal['since']}): the rig is back to what it was before"
