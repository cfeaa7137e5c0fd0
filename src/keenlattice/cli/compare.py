"""`keen compare`: what differs between two versions, and what that did where it was measured."""

from itertools import groupby
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from keenlattice.cli.complete import references
from keenlattice.cli.options import REFERENCE, Book, Json, Rig

if TYPE_CHECKING:
    from keenlattice.cli.session import Session
    from keenlattice.profile.version import Version
    from keenlattice.trial.result import TrialResult

Row = dict[str, Any]


def compare(
    before: Annotated[str, typer.Argument(
        autocompletion=references, help=f"{REFERENCE} GAME@now is what the rig holds; a .toml file is a pack.")],
    after: Annotated[str, typer.Argument(autocompletion=references, help="The other one.")],
    markdown: Annotated[bool, typer.Option("--markdown", help="Print it as Markdown, for a forum.")] = False,
    book: Book = None, rig: Rig = "standin", json: Json = False,
) -> None:
    """Show what differs between two versions, packs or the rig, with the measured effect where there is one."""
    from keenlattice.cli.output import emit_json, harmless, say
    from keenlattice.cli.session import begin
    from keenlattice.trial.result import TrialResult

    session = begin(book, rig)
    one, other = _sides(session, before, after)
    rows, kept = differing(session, one, other), session.book.trials(one.reference, other.reference)
    trials = [TrialResult.of_json(content) for content in kept]  # held against their form, whoever has written them
    if json:
        emit_json("compare", {"before": one.reference, "after": other.reference, "changes": rows, "trials": kept})
    elif markdown:
        print(harmless(_as_markdown(session, one, other, rows, trials)))
    elif not rows:
        say(f"{one.reference} and {other.reference} set the same.")
    else:
        _show(session, one, other, rows, trials)


def _sides(session: "Session", before: str, after: str) -> "tuple[Version, Version]":
    from keenlattice.errors import UsageError

    if all(text.endswith(".toml") for text in (before, after)):
        raise UsageError("two packs cannot be compared with each other: compare each with a version")
    if before.endswith(".toml"):
        other = session.find(after)
        return _of_pack(session, Path(before), other.profile), other
    one = session.find(before)
    return one, _of_pack(session, Path(after), one.profile) if after.endswith(".toml") else session.find(after)


def _of_pack(session: "Session", file: Path, profile: str) -> "Version":
    """What a pack sets for a profile on this rig, as if it were a version."""
    from keenlattice.cli.pack import here
    from keenlattice.profile.offer import adopted, offer
    from keenlattice.profile.pack import read_pack
    from keenlattice.profile.version import Version

    pack = read_pack(file)
    entries = adopted(offer(pack, here(session)), lambda _: {}).get(profile, {})
    return Version(profile, entries, note=pack.title)


def differing(session: "Session", one: "Version", other: "Version") -> list[Row]:
    """Every setting that is stored differently, by domain, with what holds on either side and whether it is inert."""
    from keenlattice.profile.compare import changes

    sides = [session.effective(version) for version in (one, other)]
    inert = [{finding.settings[0]: finding.why for finding in session.findings(side) if finding.kind == "inert"}
             for side in sides]
    return [{"setting": change.key, "before": change.before, "after": change.after,
             "effective_before": getattr(sides[0].get(change.key), "value", None),
             "effective_after": getattr(sides[1].get(change.key), "value", None),
             "inert": inert[1].get(change.key) or inert[0].get(change.key, "")}
            for change in changes(one.entries, other.entries)]


def in_words(session: "Session", row: Row) -> list[str]:
    """One row in words: the setting, both sides (stored, and what holds if that differs), and a remark."""
    from keenlattice.catalog.values import same
    from keenlattice.cli.changes import value_text

    catalog, key = session.rig.catalog(), row["setting"]
    cells = [key]
    for side in ("before", "after"):
        text = value_text(catalog, key, row[side])
        effective = row[f"effective_{side}"]
        if effective is not None and not same(effective, row[side]):
            text += f" ({value_text(catalog, key, effective)})"
        cells.append(text)
    known = "" if key in catalog else "not on this rig"
    alike = "no effect: holds either way" if same(row["effective_before"], row["effective_after"]) and not known else ""
    return [*cells, (f"inert: {row['inert']}" if row["inert"] else "") or known or alike]


def _show(session: "Session", one: "Version", other: "Version", rows: list[Row],
                 trials: "list[TrialResult]") -> None:
    from keenlattice.cli.output import hint, say, table
    from keenlattice.cli.trial import show_metrics

    cells = []
    for domain, group in groupby(rows, key=lambda row: row["setting"].partition(".")[0]):
        cells.append([domain, "", "", ""])
        for row in group:
            first, *sides, remark = in_words(session, row)
            cells.append([f"  {first}", *sides, "inert" if row["inert"] else remark])
    say(f"Settings that differ: {len(rows)}. In brackets what each comes to, or inherits.", "dim")
    table(["setting", _head(one), _head(other), ""], cells)
    for row in rows:
        if row["inert"]:
            say(f"! {row['setting']}: {row['inert']}")
    say()
    if trials:
        plan = trials[0].plan
        say(f"Measured in {plan.blocks} blocks of {plan.seconds:g} s runs on {trials[0].rig}:")
        show_metrics(trials[0])
    elif one.profile == other.profile and all(side.time or not side.entries for side in (one, other)):
        runs = [session.book.captures_of(session.rig_name, side.profile, side.id if side.time else "stock")
                for side in (one, other)]
        if all(runs):
            say(f"Single runs of both are kept ({len(runs[0])} and {len(runs[1])}): no verdict can be had of them, "
                "since they were not played in turn. A trial gives one.")
        else:
            say("What that does has not been measured.")
        hint(f"keen trial {one.reference} {other.reference}")


def _head(version: "Version") -> str:
    from keenlattice.profile.version import stock

    if not version.time and version != stock(version.profile):  # what the rig holds, or a pack
        return version.note
    return f"{version.profile} @{version.reference.partition('@')[2]}"


def _as_markdown(session: "Session", one: "Version", other: "Version", rows: list[Row],
                 trials: "list[TrialResult]") -> str:
    from keenlattice.report.words import TITLES, amount, percent

    lines = [f"**{_head(one)}** against **{_head(other)}**", "", "| setting | before | after | |", "|---|---|---|---|"]
    lines += ["| " + " | ".join(cell.replace("|", "\\|") for cell in in_words(session, row)) + " |" for row in rows]
    if trials:
        plan = trials[0].plan
        lines += ["", f"Measured in {plan.blocks} blocks of {plan.seconds:g} s runs:", "",
                  "| | before | after | change | verdict |", "|---|---|---|---|---|"]
        for result in trials[0].metrics:
            lines.append(f"| {TITLES[result.name]}, {result.unit} | {amount(result, result.before)} | "
                         f"{amount(result, result.after)} | {percent(result)[1]} | {result.verdict} |")
    return "\n".join(lines)
