"""The studies that a logbook keeps: looked up by number, by kind, finished or not."""

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

from keenlattice.errors import UsageError, way
from keenlattice.logbook.kept import done_of, studies
from keenlattice.profile.version import Version, split, together
from keenlattice.study.record import result_of, spec_of
from keenlattice.workspace.opened import Opened, VersionLike
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
    studies_known = studies(opened.book, opened.rig_name, *kinds, most=8)
    raise UsageError(f"there is no {' or '.join(kinds) or 'study'} {number} on {opened.rig_name}; there are "
                     f"{', '.join(str(study.number) for study in studies_known) or 'none yet'}; "
                     f"see {way('keen studies', 'ws.studies.list()')}")


def unfinished_study(opened: Opened, *kinds: str, number: int | None = None) -> "Study":
    """Return the newest study of some kinds that was left unfinished, or that of a number.

    Raises:
        UsageError: none was, or not that one.
    """
    if number is not None:
        study = study_numbered(opened, number)
        if study.result is not None:
            raise UsageError(f"{study.kind} {number} is finished: "
                             f"{way(f'keen report --study {number}', f'ws.report(study={number})')} makes a page of it")
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
    return [study for study in finished(opened, "trial") if not study.spec.is_pilot  # type: ignore[attr-defined]
            and game in (study.result.game, study.result.before.partition("@")[0])]


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


def line_between(opened: Opened, since: VersionLike, until: VersionLike) -> list[Version]:
    """Return the versions from one to another, the oldest first, each behind the one that it was made from.

    Of a game and the rig together, the two lines are one, in the order in which the versions were made.

    Args:
        since: the oldest.
        until: the newest.

    Raises:
        UsageError: the oldest is not an ancestor of the newest.
    """
    first, last = opened.find(since, both=True), opened.find(until, both=True)
    if first.profile != last.profile:
        raise UsageError(f"{first.reference} and {last.reference} are of two profiles: a hunt goes through the "
                         "history of one, or of GAME+rig")
    if len(ends := [*zip(split(first.reference), split(last.reference), strict=True)]) > 1:
        game, whole_rig = (_line(opened, *map(opened.find, pair)) for pair in ends)
        line = interleaved(game, whole_rig, opened.book.made())
    else:
        line = _line(opened, first, last)
    if len(line) < 2:
        raise UsageError(f"{first.reference} and {last.reference} are the same version: there is nothing "
                         "between them")
    return line


def _line(opened: Opened, first: Version, version: Version) -> list[Version]:
    line = [version]
    while line[0].id != first.id and line[0].parents:
        line.insert(0, opened.book.version(version.profile, line[0].parents[0]))
    if line[0].id != first.id:
        if first.entries or first.time:
            lines = way(f"keen history {version.profile}", f"ws.profiles.history({version.profile!r})")
            raise UsageError(f"{version.reference} was not made from {first.reference}: {lines} shows the lines")
        line.insert(0, first)  # stock comes before every history
    return line


def interleaved(game: Sequence[Version], whole_rig: Sequence[Version], made: Sequence[str]) -> list[Version]:
    """Return the line of a game's versions and that of rig-wide ones as one: of both together, one step after another
    as they were made.

    Args:
        made: the ids of all versions, as they were made.
    """
    order = {version: number for number, version in enumerate(made)}
    at, line = [0, 0], [together(game[0], whole_rig[0])]
    lines = (game, whole_rig)
    while left := [place for place in (0, 1) if at[place] + 1 < len(lines[place])]:
        place = min(left, key=lambda which: order[lines[which][at[which] + 1].id])
        at[place] += 1
        line.append(together(game[at[0]], whole_rig[at[1]]))
    return line
