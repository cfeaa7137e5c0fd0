"""A version as it was measured once, against the same version now: runs that were kept against as many new ones.

An update of the driver or the system cannot be taken back for a trial in turn. So all runs of then come before those of
now, and the result says what that leaves open.
"""

from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import TYPE_CHECKING, Any

from keenlattice.errors import UsageError, way
from keenlattice.logbook.kept import done_of, start_study
from keenlattice.profile.version import split
from keenlattice.study.kind import KeptVersion, game_for
from keenlattice.study.record import HELD, Held, provenance_of, spec_of, versions_of
from keenlattice.study.trial.plan import NOW
from keenlattice.workspace._pages import finished_study
from keenlattice.workspace.handed import in_length
from keenlattice.workspace.kept import study_numbered
from keenlattice.workspace.opened import Opened
from keenlattice.workspace.recordings import Recordings
from keenlattice.workspace.trial_of_files import take_recordings

if TYPE_CHECKING:
    from keenlattice.logbook.kept import Study
    from keenlattice.workspace.played import Played

UPDATED = ("os", "cpu", "gpu", "driver", "driver_version", "ram_mib", "panel")
"""The facts that tell of another system, driver or part than before."""
MOST_RUNS = 20


def differing_facts(study: "Study", facts: Mapping[str, object]) -> dict[str, tuple[object, object]]:
    """Return the facts of an update that a finished study was not played under: name to what they were and are.

    Args:
        facts: of the rig now.
    """
    then = provenance_of(study).facts
    return {name: (then[name], facts[name]) for name in UPDATED
            if name in then and name in facts and then[name] != facts[name]}


def trial_since(opened: Opened, number: int, seed: int, progress: Callable[[int, int], None]) -> "Played[Any]":
    """Compare the version of a finished trial that is on the rig as it ran then and now; see `Trials.since`."""
    if opened.by_hand:
        raise UsageError(f"the rig {opened.rig_name} is played by hand: recordings of then and of now are compared in "
                         "Python, by ws.trial_of_files")
    kept = study_numbered(opened, number)
    if kept.kind != "trial" or kept.result is None:
        raise UsageError(f"study {number} is not a finished trial")
    spec: Any = spec_of(kept)
    version, captures = _then(opened, kept, spec)
    game, plan = game_for(versions_of(opened.book, opened.rig_name, spec), spec.game), spec.plan
    then, now = (KeptVersion(label, version.profile, {}, label, stored=False) for label in (
        f"{version.reference} in trial {number}", f"{version.reference}{NOW}"))
    count = len(captures)
    plan = replace(plan, seed=seed, blocks=count, early=False, sized=False, few_switches=True, repeats=1,
                   adjusts_for="", order=("before",) * count + ("after",) * count)
    measured = Recordings(opened).measure(game, count, plan.seconds + plan.warm_up_s, seed, progress)
    captures += [in_length(opened.book.capture(file), plan.seconds, plan.warm_up_s) for file in measured.captures]
    spec = replace(spec, before=then, after=now, plan=plan, game=game, files=True, dated=False)
    study = start_study(opened.book, opened.rig_name, "trial", {
        **spec.to_keep(), HELD: [Held.by(opened.rig).to_keep()]}, then.reference, now.reference)
    take_recordings(opened, study, spec, captures, {})
    return finished_study(opened, study.number)


def _then(opened: Opened, study: "Study", spec: Any) -> tuple[KeptVersion, list[Any]]:
    """Return the version of a trial that is on the rig, and its runs that were kept."""
    from keenlattice.rig.applying import version_applied

    for arm, version in (("after", spec.after), ("before", spec.before)):
        on_rig = [version_applied(opened.book, opened.rig_name, part.partition("@")[0])
                  for part in split(version.reference)]
        if [applied.reference if applied else "" for applied in on_rig] == list(split(version.reference)):
            runs = done_of(opened.book, study)
            places = [place for place, (_, own, _) in enumerate(spec.plan.runs()) if own == arm and place in runs]
            return version, [runs[place] for place in places[-MOST_RUNS:]]
    raise UsageError(f"neither {spec.before.reference} nor {spec.after.reference} is applied, and what ran then is "
                     "compared with the same version now; "
                     f"{way(f'keen apply {spec.after.reference}', f'ws.apply({spec.after.reference!r})')}")
