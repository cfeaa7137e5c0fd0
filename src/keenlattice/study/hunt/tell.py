"""A hunt in blocks: since which version a metric has changed, and because of which settings."""

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING

from keenlattice.blocks import MOST_KEYS, Alert, Block, Figures, KeyFigure, Report, Table, Telling, Text
from keenlattice.errors import counted
from keenlattice.profile.version import profile_of
from keenlattice.report.context import SEED_DRAWS, Context, excluded, for_game, page_of_two
from keenlattice.report.words import TITLES, capital, listed
from keenlattice.study.hunt.plan import Hunt, HuntPlan
from keenlattice.study.trial.figure import trial_figure
from keenlattice.study.trial.tell import how_sure, interval_picture, numbers, sides_of, trial_figures, trial_pictures
from keenlattice.study.trial.words import headline, key_of, keys_of

if TYPE_CHECKING:
    from keenlattice.study.kind import Beside

Line = Sequence[tuple[str, str]]
"""The versions that a hunt goes through, the oldest first: reference and note of each."""


def hunt_page(result: Hunt, beside: "Beside") -> Report:
    """Return the page about a hunt; its pictures are of the trial that it began with."""
    trial, context, line = result.trial, _context(result, beside), _line(beside)
    plan = beside.spec.plan
    before, after = sides_of(trial.plan, trial.runs_played, beside.captures())
    drawn = bool(before) and len(before) == len(after)
    return page_of_two(
        context, result.before or trial.before, result.first or trial.after,
        title=f"{context.game or trial.game}: since when, and because of what", keys=_keys(result),
       
        changed=None if result.first else [Text("No version was found at which it changed.")],
        did=[*also_changed(result), Text(f"From the oldest version to the newest: {headline(trial)}"),
             *(trial_pictures(trial, before, after) if drawn else [interval_picture(trial)])],
        each_change=_each(result, context, line),
        sure=[*_sure(result, plan.error), *how_sure(trial), numbers(trial, "The numbers, oldest against newest")],
        plays=_plays(result, line, plan), drawn=SEED_DRAWS.format(trial.plan.seed), number=beside.number,
        figure=(lambda: trial_figure(trial, before, after)) if drawn else None)


def tell_hunt(result: Hunt, beside: "Beside") -> Telling:
    """Tell a hunt: the version at which it changed, and the settings that did it."""
    trial, line, catalog = result.trial, _line(beside), beside.catalog
    left_out = sorted({key for version in beside.versions for key in version.entries if key not in catalog})
    about = (f"{len(line)} versions from {line[0][0]} to {line[-1][0]}, {counted(result.runs, 'run')} of "
             f"{trial.plan.seconds:g} s, seed {trial.plan.seed}.")
    blocks: list[Block] = [*also_changed(result), *excluded(result.excluded, result.doubts), *(Alert(
                               f"{key} was left out of all versions: the rig {trial.rig} does not have it")
                               for key in left_out)]
    if not result.first:
        return Telling(_keys(result), about, blocks, "more blocks, longer runs, or another metric (--decides)")
    blocks += _settings(result, _context(result, beside), dict(line))
    if not result.sure:
        blocks.append(Alert("Not every question could be settled by its looks: there may be a setting too many here"))
    return Telling(
        _keys(result), about, blocks,
        f"keen trial {result.before} {result.first}{for_game(result.before, result.trial.game)} --decides "
        f"{result.metric}, to see how much of it that is; keen report makes a page of this")


def hunt_figures(result: Hunt, beside: "Beside") -> Figures:
    """Return the figure of the trial that a hunt began with, and its main part."""
    return trial_figures(result.trial, beside)


def _line(beside: "Beside") -> Line:
    return [(version.reference, version.note) for version in beside.versions]


def _context(result: Hunt, beside: "Beside") -> Context:
    """What is known of the version that was found and the one before it; else of the newest and the oldest."""
    oldest, *_, newest = beside.versions
    return beside.context(result.trial.game, beside.find(result.before or oldest.reference),
                          beside.find(result.first or newest.reference))


def _settings(result: Hunt, context: Context, notes: Mapping[str, str]) -> list[Block]:
    """Return what the version that was found changed, and which of it does it."""
    rows = [[edit.key, edit.before, edit.after, "does it" if edit.key in result.settings else "is not needed for it"]
            for edit in context.changes]
    alone = " None of them brings the change about without the others." * (len(result.settings) > 1)
    note = f" (\"{notes[result.first]}\")" if notes.get(result.first) else ""
    return [Text(f"Of what {result.first}{note} changed, this brings the change of {TITLES[result.metric]} about:"
                 f"{alone}"),
            Table(["setting", "before", "since", ""], rows, code=(0,))]


def _each(result: Hunt, context: Context, line: Line) -> list[Block]:
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
        f"That it was {result.first} is {result.how_sure} sure, by the {counted(result.runs, 'run')} of this "
        f"hunt; it was to be wrong in {100 * error:g} of 100 such hunts at most. How large the change is was not "
        f"taken for known.")]
    if not result.sure:
        blocks.append(Text("Not every question about its settings could be settled: there may be one too many among "
                           "those that are named."))
    return [*blocks, *excluded(result.excluded, result.doubts)]


def _plays(result: Hunt, line: Line, hunt: HuntPlan) -> str:
    """Return the command that plays it again."""
    plan, (first, _), (last, _) = hunt.trial, line[0], line[-1]
    profile = profile_of(first)
    game = for_game(first, result.trial.game)
    return (f"hunt {profile} --since {first} --until {last} --decides {plan.decides.metrics} "
            f"--matters {plan.decides.told} "
            f"{f'--blocks {plan.blocks} ' * (not plan.sized)}--seconds {plan.seconds:g} --error {hunt.error:g} "
            f"--most {hunt.most_runs} --seed {plan.seed}{game}")


def _keys(result: Hunt) -> list[KeyFigure]:
    """Return a hunt in key figures: what changed, since which version, and because of which settings."""
    trial = result.trial
    if not result.first:
        nothing = f"No change that matters was found from {trial.before} to {trial.after}."
        return [KeyFigure(nothing), *keys_of(trial, MOST_KEYS - 1)]
    causes = listed(result.settings)
    is_ = "is" if len(result.settings) == 1 else "are"
    return [key_of(trial, trial[result.metric]),
            KeyFigure(f"It changed with {result.first} ({result.how_sure} sure).", "", "Since", result.first,
                      f"{result.how_sure} sure"),
            KeyFigure(f"The cause {is_} {causes}.", "", "Because of", causes, "the least that brings the change about")]


def also_changed(result: Hunt) -> list[Block]:
    """Return that it was not this version alone, or not this metric alone, where that was seen."""
    blocks: list[Block] = [Text("It was not that version alone: another in the line has a part in it.")] * result.more
    changed = [metric.name for metric in result.trial.decisive
               if metric.name != result.metric and metric.verdict in ("better", "worse")]
    return [*blocks, *(Text(f"{capital(TITLES[name])} changed, too. To find since when: keen hunt --decides {name}")
                       for name in changed if result.first)]
