"""`keen apply`: a version onto the rig, with a way back."""

from typing import TYPE_CHECKING, Annotated

import typer

from keenlattice.cli.complete import references
from keenlattice.cli.options import REFERENCE, Book, Json, Rig, Yes

if TYPE_CHECKING:
    from keenlattice.catalog.model import Catalog
    from keenlattice.cli.session import Session
    from keenlattice.profile.version import Version
    from keenlattice.rig.apply import Preview, Step
    from keenlattice.rig.base import Rig as RigProtocol


def apply(
    reference: Annotated[str, typer.Argument(autocompletion=references, metavar="VERSION", help=REFERENCE)],
    yes: Yes = False, book: Book = None, rig: Rig = "standin", json: Json = False,
) -> None:
    """Put a version on the rig. Shows every step and asks; `keen undo` takes it back."""
    from keenlattice.cli.output import confirmed, emit_json, hint, say
    from keenlattice.cli.session import begin
    from keenlattice.errors import RefusedByRig
    from keenlattice.rig.apply import apply as put_on
    from keenlattice.rig.apply import preview
    from keenlattice.rig.lock import locked
    from keenlattice.rig.places import path_of

    session = begin(book, rig)
    version = session.find(reference)
    with locked(session.rig, f"preview of {version.reference}"):
        plan = preview(session.rig, version)
    if not plan.changes and not json:
        say(f"Nothing changes: the rig {session.rig.name} holds {version.reference} already.")
    _warn_of_facts(session, plan)
    if not json:
        _show(session.rig.catalog(), plan, session.rig)
    if plan.refused:
        gone = " ".join(f"{key}=" for key in plan.refused)
        raise RefusedByRig(f"{'; '.join(dict.fromkeys(plan.refused.values()))}: nothing was written; leave it out with "
                           f"`keen edit {version.profile} {gone}`")
    question = "Write the run sheet for this?" if rig == "byhand" else f"Apply this to the rig {session.rig.name}?"
    if plan.changes and not confirmed(question, yes):
        say("Nothing was changed.")
        return
    if rig == "byhand" and plan.changes:
        hand_out(session, version, json)
        return
    done = put_on(session.rig, session.book, version, plan) if plan.changes else plan
    if json:
        emit_json("apply", {"version": version.reference, "rig": session.rig.name, "restart": done.restart,
                            "changes": _changes_in_order(done), "unknown": list(done.unknown),
                            "places": [str(path_of(place, session.rig.home)) for place in done.places]})
        return
    if done.changes:
        say(f"\nApplied {version.reference}, and read back: it took. A restore point is kept.")
        if rig == "standin" and done.restart in ("driver", "machine"):
            hint(f"keen restart {done.restart}", "for what waits")
        hint("keen undo", "to go back")


def _warn_of_facts(session: "Session", plan: "Preview") -> None:
    """Says of a formula that it comes to something else once the rig-wide profile, too, is on the rig."""
    from keenlattice.cli.changes import value_text
    from keenlattice.cli.output import warn
    from keenlattice.profile.formula import is_formula

    formulas = [one for one in plan.changes if is_formula(plan.version.entries.get(one.key))]
    under = session.effective(plan.version) if formulas else {}
    for one in formulas:
        value = under[one.key].value if one.key in under else None
        if value is not None and value != one.after:
            now, then = (value_text(session.rig.catalog(), one.key, each) for each in (one.after, value))
            warn(f"{one.key} comes to {now} on the rig as it is, and to {then} once the rig-wide profile is on it: "
                 "apply rig first, and restart what has to")


def hand_out(session: "Session", version: "Version", json: bool) -> None:
    """Of a rig that is changed by hand, the run sheet is all that can be written."""
    from keenlattice.cli.output import emit_json, hint, say
    from keenlattice.cli.sheet import by_hand, show_sheet
    from keenlattice.rig.byhand.sheets import sheet_to_apply

    sheet = sheet_to_apply(by_hand(session), session.book, version)
    if json:
        emit_json("sheet", {"sheet": sheet.to_json()})
        return
    say()
    show_sheet(sheet)
    say("\nNothing is set yet: take these steps yourself, and tick them off.")
    hint("keen sheet --ask, or keen sheet --out sheet.html to print it")


def _show(catalog: "Catalog", plan: "Preview", rig: "RigProtocol") -> None:
    """The steps in their order, what each needs, where they write, and what is refused."""
    from pathlib import Path

    from keenlattice.cli.changes import value_text
    from keenlattice.cli.output import say, shown_path, table

    for key in plan.unknown:
        say(f"! {key} is left out: the rig {rig.name} does not have it")
    if not plan.steps:
        return
    rows = [[str(number) if one is step.changes[0] else "", one.key, value_text(catalog, one.key, one.before),
             value_text(catalog, one.key, one.after), _needs(plan, step)]
            for number, step in enumerate(plan.steps, 1) for one in step.changes]
    table(["step", "setting", "on the rig", plan.version.reference, "needs"], rows)
    if plan.places and rig.name != "byhand":
        inside = [place for place in plan.places if not Path(place).is_absolute()]
        whole = [shown_path(Path(place)) for place in plan.places if place not in inside]
        say("writes " + " and ".join([*whole, *([f"{', '.join(inside)} in {shown_path(rig.home)}"] if inside else [])]),
            "dim")


def _needs(plan: "Preview", step: "Step") -> str:
    if any(one.key in plan.refused for one in step.changes):
        return "REFUSED HERE"
    parts = ["rights"] * step.rights + [f"restart of the {step.restart}"] * (step.restart != "none")
    return ", ".join(parts) or "-"


def _changes_in_order(plan: "Preview") -> list[dict[str, object]]:
    return [{"step": number, "setting": one.key, "before": one.before, "after": one.after, "rights": step.rights,
             "restart": step.restart} for number, step in enumerate(plan.steps, 1) for one in step.changes]
