"""The logbook: the folder that remembers versions, applies, captures and studies."""

from collections.abc import Callable, Iterable

from keenlattice.errors import UnknownName, UsageError, way
from keenlattice.logbook._captures import Captures
from keenlattice.logbook._versions import Versions
from keenlattice.logbook.applies import Applies
from keenlattice.profile.version import WHOLE_RIG, Version, split, stock, together


class Logbook(Versions, Applies, Captures):
    """A logbook folder. Every change to it is one transaction.

    One that was made elsewhere (`elsewhere`) is open for reading alone.

    Args:
        folder: where it is, or shall be; None for `default_folder()`.

    Raises:
        BookError: the folder holds something else, is damaged, or cannot be written.
    """


def find(book: Logbook, reference: str, rig: str, games: Callable[[], Iterable[str]]) -> Version:
    """The version that a reference means: of a game, or of the rig-wide profile `rig`.

    A name alone is its latest version; one that has none yet is stock. `games` is asked only about unknown names: to
    answer, a rig has to be opened.

    Raises:
        UnknownName: no such game or version; the message offers the nearest.
        UsageError: `@applied` where nothing has been applied.
    """
    if len(parts := split(reference)) > 1:
        game, whole_rig = (find(book, part, rig, games) for part in parts)
        return together(game, whole_rig)
    profile, at, which = reference.partition("@")
    latest = book.latest(profile)
    if latest is None and profile not in (games_known := [WHOLE_RIG, *games(), *book.profiles()]):
        raise UnknownName("game", profile, games_known, f"there are {', '.join(dict.fromkeys(games_known))}")
    if not at:
        return latest or stock(profile)
    if which == "stock":
        return stock(profile)
    if which != "applied":
        return book.labelled(profile, which) or book.version(profile, which)
    applied = book.last_apply(rig, profile)
    if applied is None:
        raise UsageError(f"nothing of {profile} has been applied to the rig {rig} yet; see "
                         f"{way('keen apply', 'ws.apply(VERSION)')}")
    return book.version(profile, applied.version) if applied.version != stock(profile).id else stock(profile)
