"""How a rig, its facts, and an apply before it is done are shown."""

import shlex
import sys
from pathlib import Path
from typing import TYPE_CHECKING

from keenlattice.cli.output import say, shown_path, table, warn
from keenlattice.cli.terminal import is_terminal
from keenlattice.errors import UsageError
from keenlattice.report.words import facts_in_brief
from keenlattice.workspace.profile_results import value_text

if TYPE_CHECKING:
    from keenlattice.catalog.model import Catalog
    from keenlattice.rig.base import Asks, FactValue
    from keenlattice.rig.gamelist import Listed
    from keenlattice.workspace.facts import FactsResult
    from keenlattice.workspace.rig_results import AppliedChange, ApplyResult, RestorePoints, Survey
    from keenlattice.workspace.workspace import Workspace


def show_rig_briefly(survey: "Survey", described: str) -> None:
    """The rig in two lines."""
    say(f"{survey.rig} ({described}): {facts_in_brief(survey.facts)}.")
    say(f"Games: {', '.join(survey.titles.values())}.")


def all_of_game(listed: "Listed") -> str:
    """All that is known of a game: what was said earlier and not taken out holds, too."""
    parts = [f"runs as {', '.join(listed.game.executables) or 'nothing that was told'}"]
    parts += [f"started by {shlex.join(listed.command)}"] if listed.command else []
    parts += [f"in the folder {listed.folder}"] if listed.folder else []
    parts += [f"its settings in {listed.file}"] if listed.file else []
    parts += [f"answers at {listed.answers_at[0]},{listed.answers_at[1]}"] if listed.answers_at else []
    parts += [f"clicked at {listed.clicks_at[0]},{listed.clicks_at[1]}"] if listed.clicks_at else []
    parts += [f"draws by {listed.api}"] if listed.api else []
    parts += [f"known as {' '.join(str(word) for word in fields)}" for fields in (listed.application, listed.engine)
              if fields]
    return "; ".join([*parts, *(["left running"] if listed.leave_running else [])])


def parsed(given: list[str]) -> "dict[str, FactValue | None]":
    """Facts as they were typed in, NAME=VALUE; NAME= is None.

    Raises:
        UsageError: not of that form.
    """
    result: dict[str, FactValue | None] = {}
    for text in given:
        name, equals, value = (part.strip() for part in text.partition("="))
        if not equals or not name:
            raise UsageError(f"{text!r}: write NAME=VALUE")
        result[name] = _value(value)
    return result


def _value(text: str) -> "FactValue | None":
    """A number, yes or no, or the text itself; None for nothing."""
    if text.lower() in ("true", "yes", "false", "no"):
        return text.lower() in ("true", "yes")
    for kind in (int, float):
        try:
            return kind(text)
        except ValueError:
            continue
    return text or None


def asked(ws: "Workspace") -> "FactsResult":
    """Asks for the facts one by one; each answer is kept at once.

    Raises:
        UsageError: nobody is there to be asked.
    """
    import typer

    if not is_terminal(sys.stdin):
        raise UsageError("nobody can be asked here; give NAME=VALUE, or --from a file")
    facts = ws.rig.facts.list()
    for name, question in ws.rig.facts.questions().items():
        while True:
            value = str(facts.facts.get(name, ""))
            answer = typer.prompt(question, default=value, show_default=bool(value)).strip()
            try:
                facts = ws.rig.facts.tell({name: _value(answer)})
                break
            except UsageError as error:
                say(f"! {error}")
    return facts


def show_steps(catalog: "Catalog", plan: "ApplyResult", home: Path, asking: "Asks | None" = None) -> None:
    """The steps in their order, what each needs, where they write, and what is refused."""
    from keenlattice.rig.base import ByHand, unknown_on

    for key in plan.unknown:
        say(f"! {key} is left out: the rig {plan.rig} does not have it")
    if plan.without_rights:
        advice = plan.with_rights
        say(f"! {', '.join(plan.without_rights)}: left out, for want of rights. {advice[0].upper()}{advice[1:]}")
    if not plan.changes:
        return
    first = {change.step: change.setting for change in reversed(plan.changes)}
    seen, unknown = (asking.seen_before(plan.version.profile), unknown_on(asking)) if asking else ({}, frozenset())

    def now(change: "AppliedChange") -> str:
        held = seen.get(change.setting) if change.before is None else change.before
        if held is None and catalog[change.setting].name in unknown:
            return "not known"
        return value_text(catalog, change.setting, held)

    table(["step", "setting", "on the rig", plan.version.reference, "needs"], [
        [str(change.step) if first[change.step] == change.setting else "", change.setting,
         now(change), value_text(catalog, change.setting, change.after), _needs(plan, change)]
        for change in plan.changes])
    if plan.at_start:
        say(f"! {', '.join(plan.at_start)}: written to no file of the game or the system. It holds only for a "
            "game that keen starts, for a run or by keen play; started in another way, the game does without")
    if plan.places and not isinstance(asking, ByHand):
        inside = [str(Path(place).relative_to(home)) for place in plan.places if Path(place).is_relative_to(home)]
        elsewhere = [shown_path(Path(place)) for place in plan.places if not Path(place).is_relative_to(home)]
        say("writes " + " and ".join([*elsewhere, *([f"{', '.join(inside)} in {shown_path(home)}"] if inside else [])]),
            "dim")


def _needs(plan: "ApplyResult", applied: "AppliedChange") -> str:
    if any(change.setting in plan.refused for change in plan.changes if change.step == applied.step):
        return "REFUSED HERE"
    if applied.setting in plan.at_start:
        return "keen to start the game"
    parts = ["rights"] * applied.rights + [f"restart of the {applied.restart}"] * (applied.restart != "none")
    return ", ".join(parts) or "-"


def warn_of_facts(catalog: "Catalog", plan: "ApplyResult") -> None:
    """Says of a formula that it gives something else once the rig-wide profile, too, is on the rig."""
    for key, values in plan.otherwise.items():
        now, then = (value_text(catalog, key, value) for value in values)
        warn(f"{key} gives {now} on the rig as it is, and {then} once the rig-wide profile is on it: apply rig "
             "first, and restart what has to")


def show_points(points: "RestorePoints") -> None:
    """What was done to the rig, the newest first, and what of it is in force."""
    if not points.points:
        say(f"Nothing has been done to the rig {points.rig} yet: there is nothing to go back to.")
        return
    table(["number", "when", "what", "name", ""], [
        [str(point.done.number), point.done.time[:16].replace("T", " "),
         f"chore {point.done.what}" if point.done.kind in ("chore", "done") else point.done.title, point.name,
         "in force" if point.in_force else {"done": "for good", "seen": "looked at"}.get(point.done.kind, "")]
        for point in reversed(points.points)], right=[0])
    say("\nTo go back to before one of them: keen undo --to NUMBER, or a name in quotes. What came after it is then "
        "undone, too.", "dim")
