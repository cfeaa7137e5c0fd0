"""What surrounds a result in a report: what changed and why, what is wrong or has slipped, on which rig."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import field
from typing import TYPE_CHECKING

from keenlattice.blocks import Alert, Block, Commands, Fold, KeyFigure, Report, Table, Text
from keenlattice.errors import counted
from keenlattice.profile.checks import Finding
from keenlattice.profile.version import own_key, split
from keenlattice.quickly import dataclass
from keenlattice.report.words import alert_of, capital, fact, facts_in_brief

if TYPE_CHECKING:
    from matplotlib.figure import Figure

MOST_DOUBTS = 3
SEED_DRAWS = "Seed {} draws everything that is drawn."


@dataclass(frozen=True)
class Changed:
    """One setting that differs, in words.

    Args:
        before, after: what is stored, and in brackets what that amounts to.
        layer: where what holds afterwards comes from.
        reason: the note of the version that set it.
        trades: what the catalog says that it trades.
        remark: why it does nothing here, if that is known.
    """

    key: str
    title: str
    before: str
    after: str
    layer: str = ""
    reason: str = ""
    trades: str = ""
    remark: str = ""


@dataclass(frozen=True)
class Context:
    """What is known beside the result; all of it may be empty.

    Args:
        game: the game's title.
        changes: what differs between the two versions.
        findings: what the checks find under the second of them.
        slipped: of a version that was applied, the settings that the rig no longer holds, in words.
        waiting: setting to the restart that it waits for.
        facts, kind: the rig's.
        rig: its name, for commands as `--rig` takes it.
        plays: whether games are played on it from here.
        applied: the game's version that is on the rig, as a reference.
        of_pack: the second version's reference, if it was made of a pack for this and is in no history.
        software, time: what made the report, and when.
    """

    game: str = ""
    changes: tuple[Changed, ...] = ()
    findings: tuple[Finding, ...] = ()
    slipped: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    waiting: Mapping[str, str] = field(default_factory=dict)
    facts: Mapping[str, object] = field(default_factory=dict)
    kind: str = ""
    rig: str = ""
    plays: bool = True
    applied: str = ""
    of_pack: str = ""
    software: str = ""
    time: str = ""

    @property
    def made(self) -> str:
        """What made it, and when; "" if that is not known."""
        return f"Made with Keen Lattice {self.software}, {self.time}." if self.software else ""

    def given(self, reference: str) -> str:
        """What a command is given for a version: of one that was made of a pack, the pack's file."""
        return "FILE" if reference == self.of_pack else reference

    def command(self, text: str) -> str:
        """A command, for this rig."""
        return f"keen {text}" + (f" --rig {self.rig}" if self.rig not in ("", "standin") else "")


def what_changed(context: Context) -> list[Block]:
    """The settings that differ, each with its reason and layer; what is wrong with them; what has slipped since."""
    if not context.changes:
        return [Text("The two versions set the same.")]
    rows = [[change.key, change.before, change.after, change.layer, _why(change)] for change in context.changes]
    keys = {own_key(item.key) for item in context.changes}
    about = [finding for finding in context.findings if keys & set(finding.settings)]
    alerts: list[Block] = [alert_of(finding) for finding in about]
    for version, settings in context.slipped.items():
        if own := [text for text in settings if text.partition(":")[0] in keys]:
            alerts.append(Alert(f"{version} was applied, and the rig no longer holds {'; '.join(own)}",
                                f"{context.command('drift --put-back')} brings it back"))
    waits = [key for key in context.waiting if key in keys]
    if waits:
        alerts.append(Alert(f"{', '.join(waits)}: written, and not in effect before the "
                            f"{context.waiting[waits[0]]} restarts"))
    return [Table(["setting", "before", "after", "layer", "why"], rows, code=(0,)), *alerts]


def _why(changed: Changed) -> str:
    note = f"“{changed.reason}”. " if changed.reason else ""
    return f"{note}{changed.trades}" + (f" Here: {changed.remark}." if changed.remark else "")


def the_rig(context: Context) -> list[Block]:
    """The rig's facts, what is wrong with it beside what was changed, and what has slipped on it."""
    keys = {own_key(item.key) for item in context.changes}
    alerts: list[Block] = [alert_of(finding) for finding in context.findings if not keys & set(finding.settings)]
    for version, settings in context.slipped.items():
        if slipped := [text for text in settings if text.partition(":")[0] not in keys]:
            alerts.append(Alert(f"{version} was applied, and the rig no longer holds {'; '.join(slipped)}",
                                context.command("drift") + " says what to do"))
    rows = [fact(name, str(value)) for name, value in context.facts.items()]
    if not rows:
        return [Text("Its facts were not recorded."), *alerts]
    summary = Text(f"{context.kind}{': ' * bool(context.kind)}{facts_in_brief(context.facts)}.")
    return [summary, *alerts, Fold(f"All {len(rows)} facts", [Table(["fact", ""], rows, code=(0,))])]


def how_to_go_back(context: Context, before: str, after: str, tried: bool) -> list[Block]:
    """What is on the rig, and the commands to put either version on it, or to take it off again.

    Args:
        tried: whether the versions were only tried, so that the rig was put back by itself.
    """
    state = "The rig was put back to what it held before, by itself. " if tried else ""
    now = (f"On it now: {context.applied}." if context.applied else "No version of this game has been applied to it.")
    to_have = ([context.command("pack adopt FILE") + "    # to have what the pack sets; then keen apply"]
               if after == context.of_pack else
               [f"{context.command(command)}    # to have what was measured last" for command in applying(after)])
    return [Text(state + now), Commands([
        *to_have, *(f"{context.command(command)}    # to have what was there before" for command in applying(before)),
        f"{context.command('undo')}    # takes the newest apply off, byte for byte; keen undo --list shows all"])]


def applying(reference: str) -> list[str]:
    """Return the commands that apply a version; of two profiles together both, the rig's first.

    >>> applying("brass-orbit@stock+rig@1a2b3c4d")
    ['apply rig@1a2b3c4d', 'apply brass-orbit@stock']
    """
    return [f"apply {part}" for part in reversed(split(reference))]


def to_repeat(context: Context, commands: Sequence[str], drawn: str, study: str = "") -> list[Block]:
    """The commands that play it again, the one that computes it again, and what made the numbers.

    Args:
        study: the command that computes it again, such as `studies again 7`; "" if the logbook does not have it.
    """
    lines = [f"{context.command(command)}    # plays it again" for command in commands]
    if study:
        lines.append(f"{context.command(study)}    # computes it again from the kept runs")
    return [Commands(lines), Text(f"{context.made} {drawn}".strip())]


def page_of_two(context: Context, before: str, after: str, *, title: str, keys: Sequence[KeyFigure],
                did: Sequence[Block], each_change: Sequence[Block], sure: Sequence[Block], plays: str, drawn: str,
                number: int | None = None, changed: Sequence[Block] | None = None,
                figure: "Callable[[], Figure] | None" = None) -> Report:
    """Return the page about a study of two versions that were tried on the rig.

    Args:
        before, after: their references.
        plays: the command that plays it again.
        drawn: what is drawn in it, and what its command has to be given.
        number: the study's in the logbook, if it can be computed again.
        changed: what differs between the two; as the context has it, if not given.
        title, keys, did, each_change, sure, figure: as in `Report`.
    """
    return Report(
        title, keys, what_changed(context) if changed is None else changed, did, each_change, sure,
        the_rig(context), to_repeat(context, [plays], drawn, again(number)),
        how_to_go_back(context, before, after, tried=True), figure, made=context.made)


def again(number: int | None) -> str:
    """The command that computes a study again, if it has a number."""
    return "" if number is None else f"studies again {number}"


def for_game(reference: str, game: str) -> str:
    """The option that names the game, which a version of the rig-wide profile leaves open."""
    return f" --game {game}" * (reference.partition("@")[0] != game)


def excluded(runs: Sequence[str], doubts: Sequence[str] = ()) -> list[Block]:
    """The runs that went wrong, which count in nothing; and what speaks against some that count, the first of it."""
    return [*(Alert(f"{run}: it does not count, and was played again") for run in runs),
            *(Alert(capital(doubt)) for doubt in doubts[:MOST_DOUBTS]),
            *([Alert(counted(len(doubts) - MOST_DOUBTS, "more such run"))] if len(doubts) > MOST_DOUBTS else [])]
