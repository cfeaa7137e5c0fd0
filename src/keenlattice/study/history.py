"""A game's history as a report: its versions, and what each measured step did."""

from collections.abc import Sequence
from typing import TYPE_CHECKING

from keenlattice.blocks import MOST_KEYS, Block, Commands, KeyFigure, Picture, Report, Table, Text
from keenlattice.errors import counted
from keenlattice.measure.capture import Capture
from keenlattice.quickly import dataclass
from keenlattice.report.context import Context, how_to_go_back, the_rig, to_repeat, what_changed
from keenlattice.report.style import Row, forest, headed, plain, small_figure
from keenlattice.report.words import TITLES
from keenlattice.study.screen.result import Screen
from keenlattice.study.screen.tell import standings
from keenlattice.study.trial.result import Trial
from keenlattice.study.trial.tell import how_sure, numbers, trial_command, trial_pictures
from keenlattice.study.trial.words import headline, keys_of, percent

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

MOST_TRIALS = 14


@dataclass(frozen=True)
class PastVersion:
    """One version of the history, in words."""

    reference: str
    when: str
    author: str
    note: str
    changed: str
    marks: str = ""


def history_report(profile: str, versions: Sequence[PastVersion], trials: Sequence[Trial], context: Context,
                   before: Sequence[Capture] = (), after: Sequence[Capture] = (),
                   screens: Sequence[Screen] = ()) -> Report:
    """The report of a history.

    Args:
        versions, trials, screens: the newest first.
        context: of the newest version against stock.
        before, after: the captures of the newest trial.
    """
    title, newest = context.game or profile, versions[0].reference if versions else f"{profile}@stock"
    measured: list[Block] = [Text("Nothing of it has been measured yet.")]
    if trials:
        measured = [_picture(trials)]
        if before and len(before) == len(after):
            measured += [Text(f"The newest trial, {trials[0].before} against {trials[0].after}:"),
                         *trial_pictures(trials[0], before, after)]
    return Report(
        title=f"{title}: what is set, why, and what it did", keys=_keys(title, versions, trials, context),
        changed=[_versions(versions), Text(f"What {newest} sets, against stock:"), *what_changed(context)],
        did=measured, each=_each(trials, screens), sure=_sure(trials), rig=the_rig(context),
        repeat=_how_to_repeat(profile, trials, context),
        back=how_to_go_back(context, f"{profile}@stock", newest, tried=False),
        figure=(lambda: history_figure(trials, f"{title}: what each measured step did")) if trials else None)


def _keys(title: str, versions: Sequence[PastVersion], trials: Sequence[Trial], context: Context) -> list[KeyFigure]:
    """Return a game's history in key figures: what is on the rig, then what the newest trial found."""
    state = f"{context.applied} is on the rig" if context.applied else "none of them is on the rig"
    measured = counted(len(trials), "trial") if trials else "nothing measured yet"
    first = KeyFigure(f"{title} has {counted(len(versions), 'version')} and {measured}; {state}.")
    return [first, *(keys_of(trials[0], MOST_KEYS - 1) if trials else [])]


def _versions(versions: Sequence[PastVersion]) -> Block:
    if not versions:
        return Text("No version has been made yet: it is at stock.")
    return Table(["version", "made", "why", "what it changed"], [
        [past.reference + (f" ({past.marks})" if past.marks else ""), f"{past.when} by {past.author or 'somebody'}",
         past.note, past.changed] for past in versions], code=(0, 3))


def _picture(trials: Sequence[Trial]) -> Picture:
    def draw() -> "Figure":
        height = 0.9 + 0.55 * min(len(trials), MOST_TRIALS)
        figure = small_figure(height)
        steps(figure.add_axes((0.18, 0.5 / height, 0.5, 1 - 0.8 / height)), trials)
        return figure

    summary = "; ".join(f"{trial.before} to {trial.after}: {headline(trial)}" for trial in trials[:MOST_TRIALS])
    return Picture("What each measured step did", f"The deciding metric of each trial, with its interval. {summary}",
                   draw)


def _each(trials: Sequence[Trial], screens: Sequence[Screen]) -> list[Block]:
    if not trials and not screens:
        return [Text("No verdict has been had yet.")]
    blocks: list[Block] = []
    if trials:
        blocks.append(Table(["from", "to", "by", "change", "verdict"], [
            [trial.before, trial.after, TITLES[trial.deciding.name], percent(trial.deciding)[1], trial.deciding.verdict]
            for trial in trials], code=(0, 1)))
    for screen in screens:
        blocks += [Text(f"Of what differs between {screen.before} and {screen.after}, one by one:"), standings(screen)]
    return blocks


def _sure(trials: Sequence[Trial]) -> list[Block]:
    if not trials:
        return [Text("What has not been measured is not known, however it feels.")]
    rest = [Text("The numbers of each trial:")] if len(trials) > 1 else []
    return [Text("Of the newest trial:"), *how_sure(trials[0]), *rest,
            *(numbers(trial, f"{trial.before} against {trial.after}") for trial in trials)]


def _how_to_repeat(profile: str, trials: Sequence[Trial], context: Context) -> list[Block]:
    if not trials:
        return [Commands([context.command(f"trial {profile}@stock {profile}") + "    # measures it"]),
                Text(context.made)]
    return to_repeat(context, [trial_command(trial) for trial in trials],
                     "The seed draws everything that is drawn; versions are kept in the logbook and never change.")


def history_figure(trials: Sequence[Trial], title: str) -> "Figure":
    """The figure of a history, 1280 x 800 pixels: its trials, the newest first."""
    figure = headed(title, "Each trial by the metric that decided it. Intervals of different trials may be of "
                           "different metrics.")
    steps(figure.add_axes((0.27, 0.085, 0.5, 0.78)), trials)
    return figure


def steps(axes: "Axes", trials: Sequence[Trial]) -> "Axes":
    """The deciding metric of every trial with its interval; takes an axes and returns it."""
    chosen = trials[:MOST_TRIALS]
    matters = min(trial.plan.decides.matters_pct for trial in chosen)
    plain(axes, "What each measured step did", f"change, %   (grey: within {matters:g} %)", "")
    return forest(axes, [_trial_row(trial) for trial in chosen], matters)


def _trial_row(trial: Trial) -> Row:
    decides = trial.deciding
    words = f"{TITLES[decides.name]}\n{decides.verdict}\n{percent(decides)[1]}"
    label = f"{trial.before.partition('@')[2]}\n→ {trial.after.partition('@')[2]}"
    return Row(label, decides.change_pct, decides.low_pct, decides.high_pct, decides.verdict, words)
