"""What the commands that play many runs share: every run goes into the logbook as soon as it is played."""

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from keenlattice.cli.session import Session
    from keenlattice.logbook.studies import Study
    from keenlattice.profile.version import Version
    from keenlattice.trial.player import Run


def keeping(session: "Session", study: "Study", game: str, version_of: Callable[[str], str],
            advance: Callable[[], None]) -> "Callable[[Run], None]":
    """What is to be called with every run of a study: it is kept, and the progress bar moves on.

    Args:
        version_of: tells the id of the version that an arm stands for, or what else to call it.
    """
    from keenlattice.logbook.studies import KeptRun, add_run

    def each(run: "Run") -> None:
        file = ""
        if run.capture.shown_ms.size:
            file = session.book.keep_capture(run.capture, session.rig.name, game, version_of(run.arm))
        add_run(session.book, study, KeptRun(run.place, run.arm, run.seed, file, run.excluded))
        if not run.excluded:
            advance()
    return each


def kept_version(version: "Version") -> dict[str, Any]:
    """A version as a study keeps it: one that was made of a pack is in no history."""
    return {"reference": version.reference, "profile": version.profile, "entries": dict(version.entries),
            "note": version.note, "stored": bool(version.time)}


def version_kept(session: "Session", kept: dict[str, Any]) -> "Version":
    """The version that a study keeps."""
    from keenlattice.profile.version import Version

    if kept["stored"]:
        return session.find(kept["reference"])
    return Version(kept["profile"], kept["entries"], note=kept["note"])


def say_excluded(excluded: tuple[str, ...]) -> None:
    """Names the runs that went wrong: they count in nothing."""
    from keenlattice.cli.output import say

    for one in excluded:
        say(f"! {one}: it does not count, and was played again")
