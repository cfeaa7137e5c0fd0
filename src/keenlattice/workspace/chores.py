"""The chores of a rig: done once, and recorded like an apply."""

from collections.abc import Mapping, Sequence
from dataclasses import field
from typing import TYPE_CHECKING, ClassVar

from keenlattice._door import check_methods
from keenlattice.errors import counted
from keenlattice.profile.compare import changes
from keenlattice.profile.version import WHOLE_RIG
from keenlattice.quickly import dataclass
from keenlattice.workspace.opened import Opened
from keenlattice.workspace.result import NOT_IN_JSON, Result, Rows

if TYPE_CHECKING:
    from keenlattice.profile.compare import Change
    from keenlattice.rig.base import Chore


@dataclass(frozen=True, repr=False)
class ChoreList(Result):
    """The chores of a rig."""

    SCHEMA: ClassVar[str] = "chores"

    rig: str
    chores: "tuple[Chore, ...]"

    def _rows(self) -> Rows:
        return [chore.__dict__ for chore in self.chores]

    def _caption(self) -> str:
        return f"{counted(len(self.chores), 'chore')} of the rig {self.rig}"


@dataclass(frozen=True, repr=False)
class ChoreResult(Result):
    """What a chore has done, or, as a preview, would do: to values, too, of whom."""

    SCHEMA: ClassVar[str] = "chore"

    chore: str
    rig: str
    undoable: bool
    says: tuple[str, ...]
    changes: "Mapping[str, Sequence[Change]]"
    what: str = field(metadata=NOT_IN_JSON)

    def _rows(self) -> Rows:
        return [{"profile": owner, **edit.plain()} for owner, edits in self.changes.items() for edit in edits]

    def _caption(self) -> str:
        return f"{self.chore} on the rig {self.rig}: {'; '.join(self.says)}"


@check_methods
class Chores:
    """The chores of a rig."""

    def __init__(self, opened: Opened) -> None:
        self._opened = opened

    def list(self) -> ChoreList:
        """The chores that can be done on the rig."""
        from keenlattice.rig.chores import chores_of

        return ChoreList(self._opened.rig_name, tuple(chores_of(self._opened.rig)))

    def preview(self, name: str) -> ChoreResult:
        """What a chore would do; nothing is done.

        Args:
            name: which.

        Raises:
            UnknownName: the rig has no such chore.
        """
        from keenlattice.rig.chores import after_chore, chore_of

        chosen, state = chore_of(self._opened.rig, name), self._opened.rig.state()
        outcome = after_chore(self._opened.rig, state, name)
        edits_of = {owner: changes(self._opened.rig.values(state, owner), self._opened.rig.values(outcome.then, owner))
                    for owner in (WHOLE_RIG, *self._opened.games)}
        return ChoreResult(name, self._opened.rig_name, chosen.undoable, outcome.says,
                           {owner: entry for owner, entry in edits_of.items() if entry}, chosen.what)

    def do(self, name: str) -> ChoreResult:
        """Does a chore: journalled, and undone by `undo` where that is possible.

        Args:
            name: which.

        Raises:
            UnknownName: the rig has no such chore.
            RigError: it could not be done; the rig is as it was before.
        """
        from keenlattice.rig.chores import do_chore

        shown = self.preview(name)
        do_chore(self._opened.rig, self._opened.book, name)
        return shown
