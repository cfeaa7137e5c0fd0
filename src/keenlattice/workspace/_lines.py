"""The versions that a hunt goes through."""

from collections.abc import Sequence

from keenlattice.errors import UsageError
from keenlattice.profile.together import split, together
from keenlattice.profile.version import Version
from keenlattice.workspace.opened import Opened, VersionLike


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
            raise UsageError(f"{version.reference} was not made from {first.reference}: keen history "
                             f"{version.profile} shows the lines")
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
