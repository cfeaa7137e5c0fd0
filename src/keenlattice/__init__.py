"""Keen Lattice: edit per-game driver profiles, apply them safely, and measure what each change did.

The public names, each loaded when it is first used:

    open_rig, Rig               a PC whose settings can be read and written
    Logbook, Version, stock     versions of profiles, and the folder that remembers them
    take_over                   makes a logbook from elsewhere one's own
    apply, undo                 put a version on a rig, and take it off again
    Capture, metrics_of         one recorded run, and the numbers in it
    ingest, column_map          a recording of any recorder's, by what its columns mean
    Plan, run_trial             a measured comparison of two versions
    ScreenPlan, run_screen, factors_of, screen_figure    which of many changes matter
    HuntPlan, run_hunt          since which version it is so, and because of what
    TunePlan, Limit, run_tune   the best of some combinations
    TrialResult, headline       what it found, and that in a sentence
    keep_trial                  into the logbook with it, and with its runs
    trial_figure, save          its figure
    trial_report, Scene         the page about it, with what is known besides
    to_html, to_markdown        that page as text
    changes                     what differs between two states of a profile
    KeenLatticeError            base of all errors
"""

from importlib import import_module
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    __version__: str
    from keenlattice.errors import KeenLatticeError
    from keenlattice.logbook.book import Logbook
    from keenlattice.logbook.takeover import take_over
    from keenlattice.measure.capture import Capture
    from keenlattice.measure.columns import column_map
    from keenlattice.measure.ingest import ingest
    from keenlattice.measure.metrics import metrics_of
    from keenlattice.profile.compare import changes
    from keenlattice.profile.version import Version, stock
    from keenlattice.report.page.html import to_html
    from keenlattice.report.page.markdown import to_markdown
    from keenlattice.report.page.of_trial import trial_report
    from keenlattice.report.page.scene import Scene
    from keenlattice.report.screen_figure import screen_figure
    from keenlattice.report.style import save
    from keenlattice.report.trial_figure import trial_figure
    from keenlattice.report.words import headline
    from keenlattice.rig.apply import apply
    from keenlattice.rig.base import Rig
    from keenlattice.rig.find import open_rig
    from keenlattice.rig.undo import undo
    from keenlattice.trial.hunt import HuntPlan, run_hunt
    from keenlattice.trial.keeping import keep_trial
    from keenlattice.trial.plan import Plan
    from keenlattice.trial.player import Run
    from keenlattice.trial.result import TrialResult
    from keenlattice.trial.run import run_trial
    from keenlattice.trial.screen import ScreenPlan, factors_of, run_screen
    from keenlattice.trial.tune import Limit, TunePlan, run_tune

__all__ = ["Capture", "HuntPlan", "KeenLatticeError", "Limit", "Logbook", "Plan", "Rig", "Run", "Scene", "ScreenPlan",
           "TrialResult", "TunePlan", "Version", "apply", "changes", "column_map", "factors_of", "headline", "ingest",
           "keep_trial", "metrics_of", "open_rig", "run_hunt", "run_screen", "run_trial", "run_tune", "save",
           "screen_figure", "stock", "take_over", "to_html", "to_markdown", "trial_figure", "trial_report", "undo"]

_HOMES = {
    "Capture": "measure.capture", "HuntPlan": "trial.hunt", "KeenLatticeError": "errors", "Limit": "trial.tune",
    "Logbook": "logbook.book", "Plan": "trial.plan", "Rig": "rig.base", "Run": "trial.player",
    "Scene": "report.page.scene", "ScreenPlan": "trial.screen", "TrialResult": "trial.result",
    "TunePlan": "trial.tune", "Version": "profile.version", "apply": "rig.apply", "changes": "profile.compare",
    "column_map": "measure.columns", "factors_of": "trial.screen", "headline": "report.words",
    "ingest": "measure.ingest", "keep_trial": "trial.keeping", "metrics_of": "measure.metrics",
    "open_rig": "rig.find", "run_hunt": "trial.hunt", "run_screen": "trial.screen", "run_trial": "trial.run",
    "run_tune": "trial.tune", "save": "report.style", "screen_figure": "report.screen_figure",
    "stock": "profile.version", "take_over": "logbook.takeover", "to_html": "report.page.html",
    "to_markdown": "report.page.markdown", "trial_figure": "report.trial_figure",
    "trial_report": "report.page.of_trial", "undo": "rig.undo",
}


def __getattr__(name: str) -> Any:
    if name == "__version__":
        from importlib.metadata import version

        return version("keen-lattice")
    if name not in _HOMES:
        raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
    return getattr(import_module(f"{__name__}.{_HOMES[name]}"), name)
