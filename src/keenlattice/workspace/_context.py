"""What a report says beside its result, gathered from the logbook and the rig."""

from typing import TYPE_CHECKING

from keenlattice._version import __version__
from keenlattice.logbook.file import now
from keenlattice.profile.together import own_key
from keenlattice.profile.version import Version, owners
from keenlattice.rig.find import described
from keenlattice.study.record import Provenance
from keenlattice.workspace.profiles import Profiles
from keenlattice.workspace.standing import Standing
from keenlattice.workspace.wording import in_words, value_text

if TYPE_CHECKING:
    from keenlattice.profile.compare import Change
    from keenlattice.profile.layers import Base
    from keenlattice.report.context import Changed, Context
    from keenlattice.study.history import PastVersion
    from keenlattice.workspace.opened import Opened


def context_of(opened: "Opened", game: str, before: Version, after: Version,
               provenance: "Provenance | None" = None) -> "Context":
    """What surrounds a result about two versions.

    Args:
        provenance: what a study's result rests on: the facts of the rig as it was then, software and time.
    """
    from keenlattice.profile.layers import Base
    from keenlattice.report.context import Context
    from keenlattice.rig.base import Playable, pending_on
    from keenlattice.rig.drift import find_drift

    rests_on, rig = provenance or Provenance(), opened.rig
    standing = Standing(opened)
    base = standing.base() if provenance is None else Base(provenance.held, provenance.facts)
    titles = {"rig": "The rig-wide profile", **{one.name: one.title for one in rig.games()}}
    applied = [last.title for owner in owners(before.profile)
               if (last := opened.book.last_apply(opened.rig_name, owner))]
    return Context(
        game=titles.get(game, game), changes=changed(opened, before, after, base),
        findings=standing.findings(after, base),
        slipped={one.version.reference: tuple(_slipped(opened, change) for change in one.changes)
                 for one in find_drift(rig, opened.book)},
        waiting=dict(pending_on(rig)), facts=rests_on.facts or dict(rig.facts()),
        kind=f"{opened.rig_name.capitalize()}, {described(opened.kind)}", rig=opened.kind,
        plays=isinstance(rig, Playable),
        applied=" and ".join(applied),
        of_pack=after.reference if after.entries and not after.time else "",
        software=rests_on.software or __version__,
        time=(rests_on.time or now())[:16].replace("T", " ") + " UTC")


def changed(opened: "Opened", before: Version, after: Version, base: "Base") -> "tuple[Changed, ...]":
    """What differs between two versions, in words: what holds on either side, why, and what to expect of it.

    That a setting is inert is told by the checks, beside it.
    """
    from keenlattice.report.context import Changed

    standing = Standing(opened)
    catalog, effective, found = opened.rig.catalog(), standing.effective(after, base), []
    for one in standing.differing(before, after, base):
        key, was, is_now, remark = in_words(catalog, one)
        held, known = effective.get(own_key(key)), key in catalog
        holder = standing.set_by(after, held) if held else None
        found.append(Changed(
            key, catalog[key].title if known else "", was, is_now, held.layer if held else "", _reason(after, holder),
            catalog[key].trades if known else "",
            "; ".join(part for part in ("" if one.inert else remark, _sure(opened, key)) if part)))
    return tuple(found)


def _reason(after: Version, holder: Version | None) -> str:
    """Why a setting is as it is: the note of the version that set it; of a version that is in no history, its own."""
    if holder is not None:
        return holder.note
    return after.note if after.entries and not after.time else ""


def _sure(opened: "Opened", key: str) -> str:
    """What the catalog says against expecting much of a setting."""
    catalog = opened.rig.catalog()
    sure = catalog[key].sure if key in catalog else "known"
    return {"known": "", "disputed": "players disagree on whether it helps",
            "placebo": "nothing is known by which it could act"}[sure]


def _slipped(opened: "Opened", change: "Change") -> str:
    catalog = opened.rig.catalog()
    return (f"{change.key}: {value_text(catalog, change.key, change.after)} instead of "
            f"{value_text(catalog, change.key, change.before)}")


def passed(opened: "Opened", game: str) -> "list[PastVersion]":
    """The versions of a game, the newest first, in words.

    Raises:
        UnknownName: no such game.
    """
    from keenlattice.study.history import PastVersion

    return [PastVersion(one.version.reference, one.version.time[:10], one.version.author, one.version.note,
                 ", ".join(one.changes), ", ".join(one.marks)) for one in Profiles(opened).history(game).versions]
