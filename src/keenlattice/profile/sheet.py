"""A run sheet: the steps of an apply or an undo that a player takes by hand, and what they said and saw of each."""

from collections.abc import Iterator, Sequence
from dataclasses import asdict, field, replace
from itertools import groupby
from typing import Any, Literal

from keenlattice.catalog.values import Restart, Value, same
from keenlattice.quickly import dataclass

Done = Literal["open", "said", "seen", "written"]


@dataclass(frozen=True)
class SheetStep:
    """One thing to do.

    Args:
        number: from 1.
        owner: whom it is set for.
        key, title, unit: the setting.
        before: what is there as far as anyone has said; None where nobody has.
        after: what to set; None for what was there before it was set.
        why: what it is for, or what it trades.
        where, check: where to set it, and how to see that it took; in plain words.
        rights: whether it takes an administrator's rights.
        restart: what it waits for.
        done: "said" once the player has ticked it off, "seen" once they have read the value back; "written" if it was
            written from here, into the game's own file.
        seen: the value that they read.
        time: when.
        was: what was there before anything was set, where it was seen: what None stands for.
    """

    number: int
    owner: str
    key: str
    title: str
    unit: str
    before: Value | None
    after: Value | None
    why: str
    where: str
    check: str
    rights: bool
    restart: Restart
    done: Done = "open"
    seen: Value | None = None
    time: str = ""
    was: Value | None = None

    @property
    def otherwise(self) -> bool:
        """Whether the player saw something else than was to be set."""
        return self.done == "seen" and not same(self.seen, self.after)


@dataclass(frozen=True)
class Sheet:
    """All steps of one apply or undo, by the restart that they wait for.

    Args:
        kind: "apply" or "undo".
        title: what it is of, `brass-orbit@1a2b3c4d`.
        profile, version: the version that holds once all is done; empty for an undo.
        target: for an undo, the restore point.
        before: the rig's state before the first step, packed.
        note: why.
        token: tells this sheet from all others.
    """

    kind: str
    title: str
    profile: str
    version: str
    target: int | None
    before: str
    note: str
    token: str = ""
    steps: tuple[SheetStep, ...] = field(default=())

    @property
    def open(self) -> list[SheetStep]:
        return [step for step in self.steps if step.done == "open"]

    def with_step(self, step: SheetStep) -> "Sheet":
        return replace(self, steps=tuple(step if old.number == step.number else old for old in self.steps))

    def groups(self) -> Iterator[tuple[Restart, Sequence[SheetStep]]]:
        """The steps that go before each restart."""
        for restart, steps in groupby(self.steps, key=lambda step: step.restart):
            yield restart, list(steps)

    def to_json(self) -> dict[str, Any]:
        return asdict(self)

    @classmethod
    def from_json(cls, content: Any) -> "Sheet":
        """A sheet as `to_json` has it.

        Raises:
            ValueError: it is none.
        """
        from pydantic import TypeAdapter

        return TypeAdapter(cls).validate_python(content)
