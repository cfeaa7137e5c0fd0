"""The workspace: a logbook and a rig, opened together. Everything that a command does is a call of it."""

import warnings
from collections.abc import Callable
from operator import attrgetter
from pathlib import Path
from typing import TYPE_CHECKING, Any, Self

from keenlattice._door import check_methods
from keenlattice._exports import lazily
from keenlattice.logbook.book import Logbook
from keenlattice.rig.find import choose_for, name_of
from keenlattice.workspace.opened import Opened, VersionLike, warn
from keenlattice.workspace.profiles import Profiles
from keenlattice.workspace.settle import Choose, settle

if TYPE_CHECKING:
    from keenlattice.rig.base import Rig
    from keenlattice.workspace.draft import Draft
    from keenlattice.workspace.pool import EvidencePool
    from keenlattice.workspace.recordings import Recordings
    from keenlattice.workspace.rig import RigHandle
    from keenlattice.workspace.site import Site
    from keenlattice.workspace.status import Status
    from keenlattice.workspace.studies import Studies

OF_A_PART = {"apply": "rig.apply", "undo": "rig.undo", "measure": "recordings.measure",
             "trial_of_files": "studies.trials.of_files",
             **{name: f"studies.{name}" for name in ("trial", "screen", "hunt", "tune", "report")}}
"""What is on a workspace, too, of a part that is loaded when it is first asked for: its name there."""


@check_methods
class Workspace:
    """A logbook and a rig, opened together.

    `profiles`, `rig`, `recordings`, `studies` and `pool` have all that can be done; what everybody calls is here, too:
    `edit`, `show`, `compare`, `apply`, `undo`, `measure`, `trial`, `trial_of_files`, `screen`, `hunt`, `tune`,
    `report`.

    Args:
        book: the logbook; or its folder, None for the player's own.
        rig: the kind of rig ("here", "standin", "byhand", or one that is installed), or a rig itself; None for the
            logbook's own: the one that it was first opened with, which is this PC if that was not said (`use_rig`).
        author: who makes its versions; the user at the keyboard, if not given.
        notice: is called with what a player has to know before something begins; a Python warning, if not given.

    Raises:
        UnknownName: no such kind of rig.
        RigError: the rig that was given lacks what every rig has.
        BookError: the folder is not a logbook.

    >>> import tempfile
    >>> ws = Workspace(tempfile.mkdtemp(), "standin")
    >>> quick = ws.edit("brass-orbit", {"frame.queue-depth": 1}, note="flippers sooner")
    >>> trial = ws.trial("brass-orbit@stock", quick, blocks=4, seconds=20, seed=1, decides="latency_ms_median",
    ...                  matters="3%")
    >>> trial.result.deciding.verdict
    'better'
    """

    rig: "RigHandle" = lazily("keenlattice.workspace.rig:RigHandle", lambda ws, made: made(ws.opened))
    recordings: "Recordings" = lazily("keenlattice.workspace.recordings:Recordings", lambda ws, made: made(ws.opened))
    studies: "Studies" = lazily("keenlattice.workspace.studies:Studies",
                                lambda ws, made: made(ws.opened, ws.profiles.packs))
    pool: "EvidencePool" = lazily("keenlattice.workspace.pool:EvidencePool",
                                  lambda ws, made: made(ws.opened, ws.profiles.packs))

    def __init__(self, book: Logbook | Path | str | None = None, rig: "str | Rig | None" = None, *,
                 author: str | None = None, notice: Callable[[str], None] = warn) -> None:
        self.opened = opened = Opened(book, rig, author, notice)
        self.book = opened.book
        self.profiles = Profiles(opened)
        self.edit, self.show, self.compare = self.profiles.edit, self.profiles.show, self.profiles.compare

    if TYPE_CHECKING:
        def _as_an_editor_sees_it(self) -> None:
            self.apply, self.undo = self.rig.apply, self.rig.undo
            self.measure, self.trial, self.screen = self.recordings.measure, self.studies.trial, self.studies.screen
            self.hunt, self.tune, self.report = self.studies.hunt, self.studies.tune, self.studies.report
            self.trial_of_files = self.studies.trials.of_files
    else:
        def __getattr__(self, name: str) -> Any:
            if name not in OF_A_PART:
                raise AttributeError(f"a workspace has no {name}")
            return attrgetter(OF_A_PART[name])(self)

        def __dir__(self) -> list[str]:
            return sorted({*super().__dir__(), *OF_A_PART})

    def status(self) -> "Status":
        """Return what is applied, unmeasured, slipped, unfinished and waiting, and what to do next."""
        from keenlattice.workspace.status import status_of

        return status_of(self.opened)

    def draft(self, which: VersionLike) -> "Draft":
        """Return a draft on top of a version: changes that are tried, looked at, and saved or not.

        Args:
            which: the version, in any of the ways that `VersionLike` has.

        Raises:
            UnknownName: no such version.
        """
        from keenlattice.workspace.draft import Draft

        return Draft(self.opened, self.profiles, which)

    def report_all(self, folder: Path | str, progress: "Callable[[int, int], None] | None" = None) -> "Site":
        """Write all that the logbook knows of the rig as a site of plain files: versions, what differs between any two,
        every study with its page, what is applied and what has slipped.

        Args:
            folder: an empty or a new one, or one that holds such a site, which is rewritten.
            progress: learns how many pages are written, of how many.

        Raises:
            UsageError: the folder holds something else.
            KeenLatticeError: it cannot be written.
        """
        from keenlattice.workspace.site import write_site

        return write_site(self.opened, Path(folder), progress or (lambda done, total: None))

    def settle(self, choose: Choose | None = None) -> list[str]:
        """Put right what a process that was killed has left behind, on any rig of this logbook.

        Args:
            choose: is asked of a change that was cut short whether it is finished; without it, it is undone.

        Returns: what was done, a sentence each; where it failed, that, so that anyone who only looks can go on.
        """
        return settle(self.opened, choose)

    def repair(self) -> list[str]:
        """Repair the rows of the logbook that it refuses to read; returns what was done, a sentence each.

        Raises:
            BookError: the logbook was made elsewhere, or cannot be written.
        """
        from keenlattice.logbook.repair import repair
        from keenlattice.study.record import result_of, spec_of

        return repair(self.book, lambda study: (spec_of(study), study.result and result_of(study)))

    def use_rig(self, kind: str) -> str:
        """Make a kind of rig the logbook's own: the one that is meant from now on where none is named.

        Args:
            kind: "here" (this PC), "standin", "byhand", or the name of one that is installed.

        Returns: what it is called in the logbook.

        Raises:
            UnknownName: no such kind of rig.
        """
        self.book.check_writable()
        choose_for(self.book.state, kind)
        return name_of(kind)

    def close(self) -> None:
        """Let go of the logbook; nothing is lost without."""
        self.book.close()

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def __repr__(self) -> str:
        return f"Workspace({str(self.book.folder)!r}, rig={self.opened.kind!r})"


def open(folder: Path | str | None = None, rig: "str | Rig | None" = None) -> Workspace:
    """Open a logbook and a rig together, and first put right what a process that was killed left behind.

    Args:
        folder: of the logbook, made where there is none; None for the player's own.
        rig: the kind of rig ("here", "standin", "byhand", or one that is installed), or a rig itself; None for the
            logbook's own: the one that it was first opened with, which is this PC if that was not said (`use_rig`).

    Raises:
        UnknownName: no such kind of rig.
        BookError: the folder holds something else, is damaged, or cannot be written.
    """
    workspace = Workspace(folder, rig)
    if workspace.book.elsewhere:
        warnings.warn(f"the logbook {workspace.book.folder} was made elsewhere: it is open for reading alone "
                      "(keenlattice.take_over)", stacklevel=2)
    for message in workspace.settle():
        warnings.warn(message, stacklevel=2)
    return workspace
