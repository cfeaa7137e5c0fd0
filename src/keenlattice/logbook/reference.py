"""What a player writes for a version: `brass-orbit`, `brass-orbit@1a2b3c4d`, `@stock`, `@applied`."""

from collections.abc import Iterable

from keenlattice.errors import UnknownName, UsageError
from keenlattice.logbook.book import Logbook
from keenlattice.profile.version import WHOLE_RIG, Version, stock


def find(book: Logbook, reference: str, rig: str, games: Iterable[str]) -> Version:
    """The version that a reference means: of a game, or of the rig-wide profile `rig`.

    A name alone is its latest version; one that has none yet is stock.

    Raises:
        UnknownName: no such game or version; the message offers the nearest.
        UsageError: `@applied` where nothing has been applied.
    """
    profile, at, which = reference.partition("@")
    known = [WHOLE_RIG, *games, *(name for name in book.profiles())]
    if profile not in known:
        raise UnknownName("game", profile, known, f"there are {', '.join(dict.fromkeys(known))}")
    if not at:
        return book.latest(profile) or stock(profile)
    if which == "stock":
        return stock(profile)
    if which != "applied":
        return book.version(profile, which)
    applied = book.last_apply(rig, profile)
    if applied is None:
        raise UsageError(f"nothing of {profile} has been applied to the rig {rig} yet; see `keen apply`")
    return book.version(profile, applied.version) if applied.version != stock(profile).id else stock(profile)
