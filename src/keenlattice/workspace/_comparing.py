"""A comparison in blocks: what it did where that was measured, what differs, and what to do next."""

from typing import TYPE_CHECKING

from keenlattice.blocks import Alert, Block, KeyFigure, Table, Telling, Text
from keenlattice.profile.version import stock
from keenlattice.study.trial.tell import metrics_of_trial
from keenlattice.study.trial.words import keys_of
from keenlattice.workspace.profile_results import in_words

if TYPE_CHECKING:
    from keenlattice.profile.version import Version
    from keenlattice.workspace.opened import Opened
    from keenlattice.workspace.profile_results import Comparison


def tell_comparison(opened: "Opened", comparison: "Comparison") -> Telling:
    """Return what differs, and what that did where it was measured; else the trial that measures it."""
    before, after = comparison.before, comparison.after
    if not comparison.changes:
        return Telling([KeyFigure(f"{before.reference} and {after.reference} set the same.")])
    catalog = opened.rig.catalog()
    cells = [in_words(catalog, change) for change in comparison.changes]
    rows = [[*words[:-1], "inert" if change.inert else words[-1]]  # the reason would make the table too wide
            for words, change in zip(cells, comparison.changes, strict=True)]
    changed: list[Block] = [Table(["setting", _head(before), _head(after), ""], rows, code=(0,)), *(
        Alert(f"{change.setting}: {change.inert}") for change in comparison.changes if change.inert)]
    about = f"Settings that differ: {len(rows)}. In brackets what each amounts to, or inherits."
    if comparison.trials:
        trial = comparison.trials[0]
        measured = Text(f"Measured in {trial.blocks_played} blocks of {trial.plan.seconds:g} s runs on {trial.rig}:")
        return Telling(keys_of(trial), about, [*changed, measured, *metrics_of_trial(trial)])
    advice = ""
    if before.profile == after.profile and all(side.time or not side.entries for side in (before, after)):
        advice = f"keen trial {before.reference} {after.reference}{opened.for_game(before.profile)}"
        if all(comparison.single_runs):
            changed.append(Alert(f"Single runs of both are kept ({comparison.single_runs[0]} and "
                                f"{comparison.single_runs[1]}): no verdict can be had of them, since they were not "
                                "played in turn. A trial gives one"))
    return Telling([KeyFigure("What that does has not been measured.")] if advice else [], about, changed, advice)


def _head(version: "Version") -> str:
    if not version.time and version != stock(version.profile):  # what the rig holds, or a pack
        return version.note
    return version.reference.replace("@", " @").replace("+", " + ")
