"""The studies that a logbook keeps: looked up by number, by kind, finished or not."""

from typing import TYPE_CHECKING, Any

from keenlattice.errors import UsageError
from keenlattice.logbook.kept import done_of, studies
from keenlattice.profile.version import Version
from keenlattice.study.record import result_of, spec_of
from keenlattice.workspace.opened import Opened
from keenlattice.workspace.played import ListedStudy, Played

if TYPE_CHECKING:
    from keenlattice.logbook.kept import Study
    from keenlattice.study.record import Provenance
    from keenlattice.study.trial.result import Trial


def study_numbered(opened: Opened, number: int, *kinds: str) -> "Study":
    """Return the study of a number, of one of some kinds.

    Raises:
        UsageError: there is none; the message names those that there are.
    """
    for study in studies(opened.book, opened.rig_name, *kinds, number=number):
        return study
    known = studies(opened.book, opened.rig_name, *kinds, most=8)
    raise UsageError(f"there is no {' or '.join(kinds) or 'study'} {number} on {opened.rig_name}; there are "
                     f"{', '.join(str(study.number) for study in known) or 'none yet'}; see keen studies")


def unfinished_study(opened: Opened, *kinds: str, number: int | None = None) -> "Study":
    """Return the newest study of some kinds that was left unfinished, or that of a number.

    Raises:
        UsageError: none was, or not that one.
    """
    if number is not None:
        study = study_numbered(opened, number)
        if study.result is not None:
            raise UsageError(f"{study.kind} {number} is finished: keen report --study {number} makes a page of it")
        return study
    waiting = studies(opened.book, opened.rig_name, *kinds, finished=False, most=1)
    if not waiting:
        raise UsageError(f"no {' or '.join(kinds) or 'study'} on {opened.rig_name} was left unfinished")
    return waiting[0]


def finished(opened: Opened, kind: str) -> "list[Played[Any]]":
    """The finished studies of a kind on this rig, the newest first; they have no pages."""
    return [kept_study(opened, study) for study in studies(opened.book, opened.rig_name, kind, finished=True)]


def trials_of(opened: Opened, game: str) -> "list[Played[Trial]]":
    """The trials of a game or of the rig-wide profile, the newest first; without pilots."""
    return [one for one in finished(opened, "trial") if not one.spec.is_pilot  # type: ignore[attr-defined]
            and game in (one.result.game, one.result.before.partition("@")[0])]


def versions_of(opened: Opened, study: "Played[Any]") -> list[Version]:
    """The versions that a study is about.

    Raises:
        UnknownName: one is no longer in the logbook.
    """
    from keenlattice.study.record import versions_of

    return versions_of(opened.book, opened.rig_name, study.spec)


def provenance_of(opened: Opened, study: "Played[Any]") -> "Provenance":
    """What a study's result rests on."""
    from keenlattice.study.record import provenance_of

    return provenance_of(study_numbered(opened, study.number))


def kept_study(opened: Opened, study: "Study") -> "Played[Any]":
    """Return a finished study as it is kept; it has no page."""
    return Played(study.kind, study.number, spec_of(study), result_of(study), lambda: done_of(opened.book, study))


def listed(study: "Study") -> ListedStudy:
    """A study as it stands in a list."""
    spec = spec_of(study)
    return ListedStudy(study.number, study.kind, study.time, spec.about, study.result is not None,
                       getattr(spec, "is_pilot", False))
