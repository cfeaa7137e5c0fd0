"""Keeping a study in the logbook: its versions as it was planned with them, its runs, and what its result rests on."""

from collections.abc import Mapping, Sequence
from dataclasses import asdict
from typing import TYPE_CHECKING, Any

from keenlattice.logbook.book import Logbook
from keenlattice.logbook.studies import KeptRun, Study, add_run, begin_study, end_study, end_trial, runs_of
from keenlattice.trial.kept import KeptVersion

if TYPE_CHECKING:
    from keenlattice.profile.version import Version
    from keenlattice.rig.base import Rig
    from keenlattice.trial.player import Run
    from keenlattice.trial.result import TrialResult


def kept_version(version: "Version") -> dict[str, Any]:
    """A version as a study keeps it: one that was made of a pack is in no history."""
    return asdict(KeptVersion(version.reference, version.profile, dict(version.entries), version.note,
                              bool(version.time)))


def keep_run(book: Logbook, study: Study, run: "Run", game: str, version: str) -> None:
    """Keeps a run that was played, with its capture if anything was recorded.

    Args:
        version: the id of what was on the rig, or what else to call it.
    """
    file = book.keep_capture(run.capture, study.rig, game, version) if run.capture.shown_ms.size else ""
    add_run(book, study, KeptRun(run.place, run.arm, run.seed, file, run.excluded))


def end(book: Logbook, rig: "Rig", study: Study, result: Mapping[str, Any]) -> dict[str, Any]:
    """Keeps a study's result, with what it rests on; returns both."""
    content = {**result, "evidence": _evidence(book, rig, study)}
    if study.kind == "trial":
        end_trial(book, study, content, content["evidence"]["captures"])
    else:
        end_study(book, study, content)
    return content


def _evidence(book: Logbook, rig: "Rig", study: Study) -> dict[str, Any]:
    from importlib.metadata import version

    kept = sorted((run.place, run.file) for run in runs_of(book, study) if not run.excluded)
    return {"study": study.number, "software": version("keen-lattice"), "captures": [file for _, file in kept],
            "time": study.time, "facts": dict(rig.facts())}


def keep_trial(book: Logbook, rig: "Rig", before: "Version", after: "Version", result: "TrialResult",
               runs: "Sequence[Run]") -> int:
    """Keeps a trial that was run from Python, as the command keeps its own: `keen report` finds it, and `keen trial
    --again` computes it anew.

    Args:
        book: the logbook.
        rig: what it was played on.
        before, after: the versions that were compared.
        result: what came out.
        runs: all that were played, as `run_trial` gives them to `each`.

    Returns: the study's number.
    """
    game = result.game if result.game != before.profile else None
    study = begin_study(book, rig.name, "trial", {"before": kept_version(before), "after": kept_version(after),
                                                  "plan": asdict(result.plan), "game": game})
    ids = {"before": before.id, "after": after.id}
    for run in runs:
        keep_run(book, study, run, result.game, ids[run.arm])
    end(book, rig, study, result.to_json())
    return study.number
