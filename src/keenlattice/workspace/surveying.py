"""A rig in blocks: what is clearly wrong, and what is there."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING

from keenlattice.blocks import Alert, Block, KeyFigure, Table, Telling, Text
from keenlattice.errors import counted
from keenlattice.report.words import alert_of, capital, fact
from keenlattice.rig.find import described

if TYPE_CHECKING:
    from keenlattice.catalog.values import Restart
    from keenlattice.profile.checks import Finding
    from keenlattice.workspace.opened import Opened
    from keenlattice.workspace.rig_results import Survey

LONG_FACT = 50  # letters: a longer one has its own line


def tell_survey(opened: "Opened", survey: "Survey") -> Telling:
    """Return what is clearly wrong with a rig, what it is made of, and what is applied to it."""
    blocks = [*_facts(survey), Table(["game", "title", "applied"], [
        [name, survey.titles[name], survey.applied.get(name, "-")] for name in survey.games], code=(0,))]
    if survey.asked and survey.settings:
        blocks.append(Text(f"{counted(survey.settings, 'setting')} can be written from here, {len(survey.asked)} are "
                           "asked of you: keen catalog says which", aside=True))
    if "rig" in survey.applied:
        blocks.append(Text(f"Rig-wide profile applied: {survey.applied['rig']}", aside=True))
    blocks += [*restarts(survey.pending), *(
        Alert(f"No longer as applied: {version} ({counted(count, 'setting')})", "keen drift", "To see what")
        for version, count in survey.slipped.items()), *map(alert_of, _wrong_first(survey.findings))]
    if survey.games and "refresh_hz" in survey.facts and "frame.cap" in opened.rig.catalog():
        blocks.append(Text("Facts are named as formulas call them: "
                           f"keen edit {survey.games[0]} frame.cap=\"= refresh - 3\"", aside=True))
    return Telling([KeyFigure(how_it_stands(survey.findings))], f"Rig {survey.rig} ({described(opened.kind)})", blocks,
                   _fixing(survey))


def _fixing(survey: "Survey") -> str:
    if not survey.games:
        return ""
    show = f"keen show {survey.games[0]}"
    return f"keen edit rig SETTING=VALUE, to fix what is wrong; or {show}" if survey.findings else show


def _facts(survey: "Survey") -> Iterator[Block]:
    rows = [fact(name, str(value)) for name, value in survey.facts.items()
            if not name.startswith(survey.devices or ("-",)) and len(str(value)) <= LONG_FACT]
    half = (len(rows) + 1) // 2
    yield Table(["", "", "", ""], [[*left, *right] for left, right in zip(
        rows[:half], [*rows[half:], ["", ""]], strict=False)], code=(0, 2))
    yield from (Text(f"{capital(name)}: {value}") for name, value in survey.facts.items()
                if len(str(value)) > LONG_FACT)
    if survey.devices:
        yield Table(["device", "interrupts"], [
            [device, _interrupts(survey.facts, device)] for device in survey.devices], code=(0,))


def _interrupts(facts: Mapping[str, object], device: str) -> str:
    if mode := facts.get(f"{device}_mode"):  # a rig that tells how it is, and not only what it could
        messages = f" ({facts[f'{device}_messages']})" * (mode == "message")
        return (f"{mode}{messages}, {facts[f'{device}_interrupts']} so far, on cores {facts[f'{device}_cores']}"
                + ", shares its line" * bool(facts[f"{device}_shares_line"]))
    by_message = facts.get(f"{device}_message")
    can = "not known" if by_message is None else "line or message" if by_message else "line only"
    return can + (", shares its line" if facts.get(f"{device}_shares_line") else "")


def how_it_stands(findings: "Sequence[Finding]") -> str:
    """Return in a sentence how much the checks found."""
    wrong = sum(finding.kind == "wrong" for finding in findings)
    unknown = sum(finding.kind == "not known" for finding in findings)
    rest = [*([f"{len(findings) - wrong - unknown} more worth a look"] if len(findings) > wrong + unknown else []),
            *([f"{unknown} not known, to be looked at"] if unknown else [])]
    lead = f"{counted(wrong, 'setting is', 'settings are')} clearly wrong" if wrong else "Nothing is clearly wrong"
    return f"{lead}{'; ' * bool(rest)}{', '.join(rest)}."


def _wrong_first(findings: "Sequence[Finding]") -> "list[Finding]":
    order = {"wrong": 0, "not known": 2}
    return sorted(findings, key=lambda finding: order.get(finding.kind, 1))


def checks_in_blocks(findings: "Sequence[Finding]") -> list[Block]:
    """Return what the checks found: how much that is, and each with what to do about it."""
    return [Text(how_it_stands(findings)), *map(alert_of, _wrong_first(findings))]


def restarts(pending: "Mapping[str, Restart]") -> list[Block]:
    """Return what is written, and waits for a restart."""
    return [Alert(f"Waits for a restart of the {kind}: "
                  f"{', '.join(key for key, restart in pending.items() if restart == kind)}")
            for kind in dict.fromkeys(pending.values())]


def with_pool(telling: Telling, answers: Mapping[str, str]) -> Telling:
    """Return a telling with what the pool says of some settings, if there is one."""
    lines = [Text(f"The pool says of {key}: {words}") for key, words in answers.items()]
    return replace(telling, blocks=[*telling.blocks, *lines])
