"""Keen Lattice: edit per-game driver profiles, apply them safely, and measure what each change did.

The public names, each loaded when it is first used:

    open_rig, Rig               a PC whose settings can be read and written
    Logbook, Version, stock     versions of profiles, and the folder that remembers them
    apply, undo                 put a version on a rig, and take it off again
    Capture, metrics_of         one recorded run, and the numbers in it
    ingest, column_map          a recording of any recorder's, by what its columns mean
    Plan, run_trial             a measured comparison of two versions
    TrialResult, headline       what it found, and that in a sentence
    trial_figure, save          its figure
    KeenLatticeError            base of all errors
"""

from importlib import import_module
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    __version__: str
    from keenlattice.errors import KeenLatticeError
    from keenlattice.logbook.book import Logbook
    from keenlattice.measure.capture import Capture
    from keenlattice.measure.columns import column_map
    from keenlattice.measure.ingest import ingest
    from keenlattice.measure.metrics import metrics_of
    from keenlattice.profile.version import Version, stock
    from keenlattice.report.style import save
    from keenlattice.report.trial_figure import trial_figure
    from keenlattice.report.words import headline
    from keenlattice.rig.apply import apply
    from keenlattice.rig.base import Rig
    from keenlattice.rig.find import open_rig
    from keenlattice.rig.undo import undo
    from keenlattice.trial.plan import Plan
    from keenlattice.trial.result import TrialResult
    from keenlattice.trial.run import run_trial

__all__ = ["Capture", "KeenLatticeError", "Logbook", "Plan", "Rig", "TrialResult", "Version", "apply", "column_map",
           "headline", "ingest", "metrics_of", "open_rig", "run_trial", "save", "stock", "trial_figure", "undo"]

_HOMES = {
    "KeenLatticeError": "errors", "Logbook": "logbook.book", "Capture": "measure.capture",
    "column_map": "measure.columns", "ingest": "measure.ingest", "metrics_of": "measure.metrics",
    "Version": "profile.version", "stock": "profile.version", "save": "report.style",
    "trial_figure": "report.trial_figure", "headline": "report.words", "apply": "rig.apply", "undo": "rig.undo",
    "Rig": "rig.base", "open_rig": "rig.find", "Plan": "trial.plan", "TrialResult": "trial.result",
    "run_trial": "trial.run",
}


def __getattr__(name: str) -> Any:
    if name == "__version__":
        from importlib.metadata import version

        return version("keen-lattice")
    if name not in _HOMES:
        raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
    return getattr(import_module(f"{__name__}.{_HOMES[name]}"), name)
