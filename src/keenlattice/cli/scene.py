"""What a report says beside its result, gathered from the logbook and the rig."""

from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from keenlattice.cli.session import Session
    from keenlattice.profile.version import Version
    from keenlattice.report.page.scene import Changed, Scene
    from keenlattice.trial.kept import Evidence


def scene_of(session: "Session", game: str, before: "Version", after: "Version",
             evidence: "Evidence | None" = None) -> "Scene":
    """What surrounds a result about two versions.

    Args:
        evidence: what a study's result rests on: the facts of the rig as it was then, software and time.
    """
    from keenlattice import __version__
    from keenlattice.cli.survey import KINDS
    from keenlattice.logbook.book import now
    from keenlattice.report.page.scene import Scene
    from keenlattice.rig.drift import find_drift
    from keenlattice.trial.kept import Evidence

    rests_on = evidence or Evidence()
    titles = {"rig": "The rig-wide profile", **{one.name: one.title for one in session.rig.games()}}
    applied = session.book.last_apply(session.rig_name, before.profile)
    return Scene(
        game=titles.get(game, game), changes=changed(session, before, after),
        findings=session.findings(session.effective(after)),
        slipped={one.version.reference: tuple(_slipped(session, change) for change in one.changes)
                 for one in find_drift(session.rig, session.book)},
        waiting=dict(session.rig.pending()), facts=rests_on.facts or dict(session.rig.facts()),
        kind=f"{session.rig_name.capitalize()}, {KINDS[session.kind]}", rig=session.kind,
        applied=applied.title if applied else "",
        of_pack=after.reference if after.entries and not after.time else "",
        software=rests_on.software or __version__,
        time=(rests_on.time or now())[:16].replace("T", " ") + " UTC")


def changed(session: "Session", before: "Version", after: "Version") -> "tuple[Changed, ...]":
    """What differs between two versions, in words: what holds on either side, why, and what to expect of it.

    That a setting is inert is told by the checks, beside it.
    """
    from keenlattice.cli.compare import differing, in_words
    from keenlattice.cli.show import set_by
    from keenlattice.report.page.scene import Changed

    catalog, effective, found = session.rig.catalog(), session.effective(after), []
    for row in differing(session, before, after):
        key, was, is_now, remark = in_words(session, row)
        one, known = effective.get(key), key in catalog
        found.append(Changed(
            key, catalog[key].title if known else "", was, is_now, one.layer if one else "",
            _reason(after, set_by(session, after, one) if one else []), catalog[key].trades if known else "",
            "; ".join(part for part in ("" if row["inert"] else remark, _sure(session, key)) if part)))
    return tuple(found)


def _reason(after: "Version", holders: "list[Version]") -> str:
    """Why a setting is as it is: the note of the version that set it; of a version that is in no history, its own."""
    return holders[0].note if holders else after.note if after.entries and not after.time else ""


def _sure(session: "Session", key: str) -> str:
    """What the catalog says against expecting much of a setting."""
    catalog = session.rig.catalog()
    sure = catalog[key].sure if key in catalog else "known"
    return {"known": "", "disputed": "players disagree on whether it helps",
            "placebo": "nothing is known by which it could act"}[sure]


def _slipped(session: "Session", change: Any) -> str:
    from keenlattice.cli.changes import value_text

    catalog = session.rig.catalog()
    return (f"{change.key}: {value_text(catalog, change.key, change.after)} instead of "
            f"{value_text(catalog, change.key, change.before)}")
