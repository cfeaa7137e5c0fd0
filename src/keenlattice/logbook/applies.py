"""What was done to rigs: applies, chores, undos and sheets; and the restore points that lead back."""

import json
from collections.abc import Mapping
from pathlib import Path

from keenlattice._state_folder import make_private, state_folder
from keenlattice.errors import BookError, UnknownName, way
from keenlattice.files import read_bounded, replace_file
from keenlattice.logbook import _rows as read
from keenlattice.logbook.file import BookFile, now
from keenlattice.profile.sheet import Sheet
from keenlattice.quickly import dataclass
from keenlattice.safejson import parse_json

KINDS = ("apply", "adopt", "chore", "undo", "done", "part", "seen", "played")


@dataclass(frozen=True)
class Apply:
    """One thing that was done to a rig.

    Args:
        kind: "apply", "adopt" (a version that was made of what the rig held), "chore", "undo", "done" for a
            chore that nothing brings back, "part" for a run sheet that was given up half-way, or "seen" where its
            player has looked at a rig changed by hand: nothing was done, and it can be gone back to. "played" is a
            game that was played with a version on, which was taken back when it ended: `played` alone lists it.
        profile, version: what was applied, of whom; empty for a chore.
        what: in words, for a chore or an undo.
        target: for an undo, the number of the restore point that it went back to.
        token: the name of its restore point among the user's state (see `restore`); empty if it wrote nothing.
    """

    number: int
    time: str
    rig: str
    kind: str
    profile: str
    version: str
    what: str
    target: int | None
    token: str

    @property
    def title(self) -> str:
        """As a player sees it: `brass-orbit@1a2b3c4d`, or the chore's name."""
        return self.what or f"{self.profile}@{self.version[:8]}"


class Applies(BookFile):
    """What remembers what was done to rigs."""

    def add_apply(self, rig: str, *, kind: str, profile: str, version: str, summary: str = "",
                  target: int | None = None,
                  token: str = "") -> int:
        """Remembers what was done to a rig (see `Apply`); returns its number."""
        return self.keep("applies", apply_in, {
            "time": now(), "rig": rig, "kind": kind, "profile": profile, "version": version, "what": summary,
            "target": target, "token": token})

    def knows(self, token: str) -> bool:
        """Whether the change of that token has been remembered."""
        return bool(self.rows(tuple, "SELECT 1 FROM applies WHERE token = ? AND token != ''", token))

    def done_to(self, rig: str) -> list[Apply]:
        """All that was done to a rig and has stayed, oldest first."""
        return self.rows(apply_in, "SELECT * FROM applies WHERE rig = ? AND undone IS NULL AND kind != 'played' "
                         "ORDER BY number", rig)

    def played(self, rig: str) -> list[Apply]:
        """What was played with a version on, newest first; `what` says how long, and what was on."""
        return self.rows(apply_in, "SELECT * FROM applies WHERE rig = ? AND kind = 'played' ORDER BY number DESC", rig)

    def in_force(self, rig: str) -> list[Apply]:
        """What was done to a rig and has not been undone, oldest first.

        An undo to a restore point brings back what was in force there; so an undo can be undone like anything else.
        """
        force: list[Apply] = []
        before: dict[int, list[Apply]] = {}
        done = self.done_to(rig)
        targets = {entry.target for entry in done}
        for step in done:
            if step.number in targets:
                before[step.number] = list(force)
            if step.kind == "undo":
                force = list(before.get(step.target or 0, ()))
            elif step.kind not in ("done", "seen"):
                force.append(step)
        return force

    def since(self, rig: str, number: int) -> list[Apply]:
        """Whatever was done to a rig from a restore point on, newest first.

        Raises:
            UnknownName: the rig has no restore point of that number.
        """
        entries = [entry for entry in reversed(self.done_to(rig)) if entry.number >= number]
        if not entries or entries[-1].number != number:
            raise UnknownName("restore point", str(number), (),
                              f"see {way('keen undo --list', 'ws.rig.restore_points()')}")
        return entries

    def last_apply(self, rig: str, profile: str | None = None) -> Apply | None:
        """The newest of what is in force on a rig; of one profile, if given."""
        return next((entry for entry in reversed(self.in_force(rig)) if profile in (None, entry.profile)
                     and entry.kind != "part"), None)

    def add_sheet(self, rig: str, sheet: Sheet) -> None:
        """Keeps a run sheet that was worked through, with what was said and what was seen of each step."""
        self.keep("sheets", sheet_in, {"time": now(), "rig": rig, "sheet": sheet.to_json()})

    def sheets(self, rig: str) -> list[Sheet]:
        """The run sheets of a rig that were worked through, newest first."""
        return self.rows(sheet_in, "SELECT sheet FROM sheets WHERE rig = ? ORDER BY number DESC", rig)


def sheet_in(row: read.BookRow) -> Sheet:
    try:
        return Sheet.from_json(read.table_in(row, "sheet"))
    except ValueError:
        raise read.Damaged("sheet") from None


def apply_in(row: read.BookRow) -> Apply:
    if row["kind"] not in KINDS or (row["target"] is not None and not isinstance(row["target"], int)):
        raise read.Damaged("kind")
    return Apply(read.whole(row, "number"), read.text(row, "time", read.TIME), read.text(row, "rig", read.RIG),
                 row["kind"], read.profile(row), read.text(row, "version", read.ID) if row["version"] != "" else "",
                 read.text(row, "what"), row["target"], read.text(row, "token", read.TOKEN))


MOST_BYTES = 256 * 2**20


@dataclass(frozen=True)
class RestorePoint:
    """What a change has touched.

    Args:
        before: place to what it held before, in base64; None if nothing was there.
        left: place to the fingerprint of what was left there.
    """

    before: Mapping[str, str | None]
    left: Mapping[str, str]


NOTHING = RestorePoint({}, {})


def _file(token: str) -> Path:
    return state_folder() / "restore-points" / f"{token}.json"


def keep_point(token: str, point: RestorePoint) -> None:
    """Keeps a restore point.

    Raises:
        BookError: it cannot be written.
    """
    path = _file(token)
    try:
        make_private(path.parent)
        replace_file(path, json.dumps({"before": dict(point.before), "left": dict(point.left)}).encode())
    except OSError as error:
        raise BookError(f"cannot keep the restore point {path}: {error.strerror}; another folder for your state can be "
                        "given in the environment, as KEEN_STATE") from None


def kept_point(token: str, title: str) -> RestorePoint:
    """The restore point of that token; an empty one where nothing was written.

    Args:
        title: what it is of, for the message.

    Raises:
        BookError: it is not on this machine, or damaged.
    """
    if not token:
        return NOTHING
    path = _file(token)
    try:
        content = read_bounded(path, MOST_BYTES)
        if content is None:
            raise BookError(f"the restore point of {title} is not on this machine ({path}): it cannot be undone from "
                            f"here; {way('keen apply', 'ws.apply(VERSION)')} puts a version on")
        noted = parse_json(content)
        point = RestorePoint(dict(noted["before"]), dict(noted["left"]))
        texts = [*point.before, *point.left, *point.left.values(), *(value for value in point.before.values()
                                                                    if value is not None)]
        if not all(isinstance(text, str) for text in texts):
            raise ValueError
    except OSError as error:
        raise BookError(f"cannot read the restore point {path}: {error.strerror}") from None
    except (ValueError, KeyError, TypeError):
        raise BookError(f"the restore point {path} is damaged: {title} cannot be undone byte for byte; "
                        f"{way('keen drift', 'ws.rig.drift()')} says what the rig holds") from None
    return point
