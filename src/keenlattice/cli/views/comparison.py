"""How two versions are compared with each other."""

from itertools import groupby
from typing import TYPE_CHECKING

from keenlattice.cli.output import hint, say, table
from keenlattice.cli.views.blocks import show_blocks
from keenlattice.profile.version import stock
from keenlattice.report.words import TITLES
from keenlattice.study.trial.tell import metrics_of_trial
from keenlattice.study.trial.words import amount, percent
from keenlattice.workspace.profile_results import in_words

if TYPE_CHECKING:
    from keenlattice.catalog.model import Catalog
    from keenlattice.profile.version import Version
    from keenlattice.workspace.profile_results import Comparison


def show_comparison(catalog: "Catalog", comparison: "Comparison", for_game: str) -> None:
    """What differs, by domain, and what that did where it was measured; else the trial that measures it.

    Args:
        for_game: the option that such a trial needs; "" for none.
    """
    before, after = comparison.before, comparison.after
    cells = []
    for domain, group in groupby(comparison.changes, key=lambda change: change.setting.partition(".")[0]):
        cells.append([domain, "", "", ""])
        for change in group:
            first, *sides, remark = in_words(catalog, change)
            cells.append([f"  {first}", *sides, "inert" if change.inert else remark])
    say(f"Settings that differ: {len(comparison.changes)}. In brackets what each amounts to, or inherits.", "dim")
    table(["setting", _head(before), _head(after), ""], cells)
    for change in comparison.changes:
        if change.inert:
            say(f"! {change.setting}: {change.inert}")
    say()
    if comparison.trials:
        plan = comparison.trials[0].plan
        say(f"Measured in {comparison.trials[0].blocks_played} blocks of {plan.seconds:g} s runs on "
            f"{comparison.trials[0].rig}:")
        show_blocks(metrics_of_trial(comparison.trials[0]))
    elif before.profile == after.profile and all(side.time or not side.entries for side in (before, after)):
        if all(comparison.single_runs):
            say(f"Single runs of both are kept ({comparison.single_runs[0]} and {comparison.single_runs[1]}): no "
                "verdict can be had of them, since they were not played in turn. A trial gives one.")
        else:
            say("What that does has not been measured.")
        hint(f"keen trial {before.reference} {after.reference}{for_game}")


def as_markdown(catalog: "Catalog", comparison: "Comparison") -> str:
    """The same for a forum."""
    lines = [f"**{_head(comparison.before)}** against **{_head(comparison.after)}**", "",
             "| setting | before | after | |",
             "|---|---|---|---|"]
    lines += ["| " + " | ".join(cell.replace("|", "\\|") for cell in in_words(catalog, change)) + " |"
              for change in comparison.changes]
    if comparison.trials:
        plan = comparison.trials[0].plan
        lines += ["", f"Measured in {comparison.trials[0].blocks_played} blocks of {plan.seconds:g} s runs:", "",
                  "| | before | after | change | verdict |", "|---|---|---|---|---|"]
        for result in comparison.trials[0].metrics:
            lines.append(f"| {TITLES[result.name]}, {result.unit} | {amount(result, result.before)} | "
                         f"{amount(result, result.after)} | {percent(result)[1]} | {result.verdict} |")
    return "\n".join(lines)


def _head(version: "Version") -> str:
    if not version.time and version != stock(version.profile):  # what the rig holds, or a pack
        return version.note
    return version.reference.replace("@", " @").replace("+", " + ")
