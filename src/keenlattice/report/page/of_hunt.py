"""A hunt as a report."""

from collections.abc import Mapping, Sequence

from keenlattice.blocks import MIXED, Alert, Block, Report, Table, Telling, Text
from keenlattice.profile.together import profile_of
from keenlattice.report.figure_of_trial import trial_figure
from keenlattice.report.page.context import (
    Context,
    again,
    excluded,
    for_game,
    how_to_go_back,
    the_rig,
    to_repeat,
    what_changed,
)
from keenlattice.report.page.of_trial import Captures, how_sure, interval_picture, numbers, trial_pictures
from keenlattice.report.words import TITLES, also_changed, headline, hunt_headline, one_word
from keenlattice.study.deciding import told_of
from keenlattice.study.hunt.plan import Hunt


def hunt_report(result: Hunt, context: Context, line: Sequence[tuple[str, str]], before: Captures = (),
                after: Captures = (), number: int | None = None, error: float = 0.05) -> Report:
    """The report of a hunt.

    Args:
        context: of the version that was found and the one before it.
        line: the versions that were gone through, the oldest first: each with its note.
        before, after: the captures of the oldest and the newest, of the trial that the hunt began with.
        number: the hunt's in the logbook, if it is there.
        error: how likely it may name the wrong version.
    """
    trial, found = result.trial, bool(result.first)
    drawn = bool(before) and len(before) == len(after)
    return Report(
        title=f"{context.game or trial.game}: since when, and because of what", verdict=one_word(trial),
        answer=hunt_headline(result),
        changed=what_changed(context) if found else [Text("No version was found at which it changed.")],
        did=[Text(f"From the oldest version to the newest: {headline(trial)}"),
             *(trial_pictures(trial, before, after) if drawn else [interval_picture(trial)])],
        each=_each(result, context, line),
        sure=[*_sure(result, error), *how_sure(trial), numbers(trial, "The numbers, oldest against newest")],
        rig=the_rig(context), repeat=_how_to_repeat(result, context, line, number, error),
        back=how_to_go_back(context, result.before or trial.before, result.first or trial.after, tried=True),
        figure=(lambda: trial_figure(trial, before, after)) if drawn else None)


def tell_hunt(result: Hunt, context: Context, line: Sequence[tuple[str, str]], left_out: Sequence[str]) -> Telling:
    """Tell a hunt: the version at which it changed, and the settings that did it.

    Args:
        context, line: as in `hunt_report`.
        left_out: the settings of the line that the rig does not have.
    """
    trial = result.trial
    about = (f"{len(line)} versions from {line[0][0]} to {line[-1][0]}, {result.runs} runs of "
             f"{trial.plan.seconds:g} s, seed {trial.plan.seed}.")
    blocks: list[Block] = [Text(f"From the oldest version to the newest: {headline(trial)}"),
                           *excluded(result.excluded, result.doubts), *(Alert(
                               f"{key} was left out of all versions: the rig {trial.rig} does not have it")
                               for key in left_out)]
    if not result.first:
        return Telling(hunt_headline(result), about, blocks, "more blocks, longer runs, or another metric (--decides)")
    blocks += _settings(result, context, dict(line))
    if not result.sure:
        blocks.append(Alert("not every question could be settled by its looks: there may be a setting too many here"))
    return Telling(
        hunt_headline(result), about, blocks,
        f"keen trial {result.before} {result.first} --decides {result.metric}, to see how much of it that is; keen "
        "report makes a page of this", one_word(trial) or MIXED)


def _settings(result: Hunt, context: Context, notes: Mapping[str, str]) -> list[Block]:
    """Return what the version that was found changed, and which of it does it."""
    rows = [[one.key, one.before, one.after, "does it" if one.key in result.settings else "is not needed for it"]
            for one in context.changes]
    alone = " None of them brings the change about without the others." * (len(result.settings) > 1)
    note = f" (\"{notes[result.first]}\")" if notes.get(result.first) else ""
    return [Text(f"Of what {result.first}{note} changed, this brings the change of {TITLES[result.metric]} about:"
                 f"{alone}"),
            Table(["setting", "before", "since", ""], rows, code=(0,))]


def _each(result: Hunt, context: Context, line: Sequence[tuple[str, str]]) -> list[Block]:
    versions = Table(["version", "note", ""], [
        [reference, note, "it changed here" if reference == result.first else ""] for reference, note in line],
        code=(0,))
    if not result.first:
        return [versions]
    return [versions, *_settings(result, context, {})]


def _sure(result: Hunt, error: float) -> list[Block]:
    if not result.first:
        return [Text("Unless the oldest and the newest differ by more than what matters, there is nothing to hunt "
                     "for."), *excluded(result.excluded, result.doubts)]
    blocks: list[Block] = [Text(
        f"That it was {result.first} is {result.how_sure} sure, by the {result.runs} runs of this "
        f"hunt; it was to be wrong in {100 * error:g} of 100 such hunts at most. How large the change is was not "
        f"taken for known.{also_changed(result)}")]
    if not result.sure:
        blocks.append(Text("Not every question about its settings could be settled: there may be one too many among "
                           "those that are named."))
    return [*blocks, *excluded(result.excluded, result.doubts)]


def _how_to_repeat(result: Hunt, context: Context, line: Sequence[tuple[str, str]], number: int | None,
                   error: float) -> list[Block]:
    plan, (first, _), (last, _) = result.trial.plan, line[0], line[-1]
    profile = profile_of(first)
    game = for_game(first, result.trial.game)
    plays = (f"hunt {profile} --since {first} --until {last} --decides {plan.decides} --matters {told_of(plan)} "
             f"--blocks {plan.blocks} --seconds {plan.seconds:g} --error {error:g} --seed {plan.seed}{game}")
    return to_repeat(context, [plays], f"Seed {plan.seed} draws everything that is drawn.", again(number))
