"""`keen show`: what holds for a game, and why."""

from collections.abc import Mapping
from typing import TYPE_CHECKING, Annotated

import typer

from keenlattice.cli.complete import references, settings
from keenlattice.cli.options import REFERENCE, Book, Json, Rig

if TYPE_CHECKING:
    from keenlattice.cli.session import Session
    from keenlattice.profile.layers import Effective
    from keenlattice.profile.version import Version


def show(
    reference: Annotated[str, typer.Argument(autocompletion=references, metavar="VERSION", help=REFERENCE)],
    setting: Annotated[str, typer.Argument(autocompletion=settings, help="One setting, for its whole story.")] = "",
    all_: Annotated[bool, typer.Option("--all", help="Show what is at stock, too.")] = False,
    book: Book = None, rig: Rig = "standin", json: Json = False,
) -> None:
    """Show the effective value of each setting, and the layer that it comes from; or all about one."""
    from keenlattice.cli.output import emit_json, hint, say, table
    from keenlattice.cli.session import begin
    from keenlattice.cli.survey import show_findings

    session = begin(book, rig)
    version, catalog = session.find(reference), session.rig.catalog()
    effective = session.effective(version)
    unknown = sorted(key for key in version.entries if key not in catalog)
    if setting:
        _known_here(session, setting, effective)
    if json:
        emit_json("show", {"version": version.reference, "note": version.note, "unknown": unknown, "settings": [
            {"setting": one.key, "value": one.value, "stored": one.stored, "unit": catalog[one.key].unit,
             "layer": one.layer, "shadows": [{"layer": layer, "value": value} for layer, value in one.shadows]}
            for one in effective.values() if setting in ("", one.key)]})
        return
    if setting:
        _whole_story(session, version, effective[setting])
        return
    shown = [one for one in effective.values() if all_ or one.layer != "stock"]
    say(f"{version.reference}{f': {version.note}' if version.note else ''}", "bold")
    if shown:
        table(["setting", "value", "from", "instead of"], [
            [one.key, value_of(session, one), one.layer, _instead_of(session, one)] for one in shown])
    if hidden := len(effective) - len(shown):
        say(f"{hidden} other settings are at stock (--all shows them).", "dim")
    for key in unknown:
        say(f"! {key} is set here, but the rig {session.rig.name} does not have it: kept, and not applied")
    say()
    show_findings(session.findings(effective))
    if version.entries and version.profile != "rig":
        hint(_next(session, version))


def _next(session: "Session", version: "Version") -> str:
    """What is still to be done with a version: what has been done is not advised again."""
    before, applied = f"{version.profile}@stock", session.book.last_apply(session.rig_name, version.profile)
    measured = bool(session.book.trials(before, version.reference))
    first = (f"keen compare {before} {version.reference}, for what it did" if measured else
             f"keen trial {before} {version.reference}, to see what that does")
    on_it = applied is not None and applied.version == version.id
    return first + f"; or keen apply {version.reference}" * (not on_it)


def value_of(session: "Session", one: "Effective") -> str:
    """What holds, and the formula that it comes from, if it does."""
    from keenlattice.catalog.values import same
    from keenlattice.cli.changes import value_text

    value = "nothing here" if one.problem else value_text(session.rig.catalog(), one.key, one.value)
    return value if same(one.stored, one.value) else f"{value}  ({one.stored})"


def _instead_of(session: "Session", one: "Effective") -> str:
    from keenlattice.cli.changes import value_text

    hidden = [f"{value_text(session.rig.catalog(), one.key, value)} ({layer})" for layer, value in one.shadows]
    return ", ".join(hidden) + (": no change" if one.in_vain else "")


def _known_here(session: "Session", setting: str, effective: "Mapping[str, Effective]") -> None:
    from keenlattice.errors import UsageError

    one = session.rig.catalog()[setting]
    if setting not in effective:
        raise UsageError(f"{one.name} is set per device, and no layer sets it as {setting}; "
                         f"the devices are {', '.join(session.rig.devices())}")


def _whole_story(session: "Session", version: "Version", one: "Effective") -> None:
    """One setting: what holds and why, who set it when, what it trades, what the checks say."""
    from keenlattice.cli.catalog import tell
    from keenlattice.cli.output import say
    from keenlattice.cli.survey import show_findings

    say(f"{one.key} under {version.reference}: {value_of(session, one)}", "bold")
    say(f"from the {one.layer} layer" + (f", instead of {_instead_of(session, one)}" if one.shadows else ""))
    if one.problem:
        say(f"! {one.problem}")
    for past in set_by(session, version, one):
        say(f"set by {past.author or 'somebody'} in {past.reference}, {past.time[:10]}"
            f"{f': {past.note}' if past.note else ''}")
    say()
    tell(session.rig.catalog()[one.key])
    if about := [found for found in session.findings(session.effective(version)) if one.key in found.settings]:
        say()
        show_findings(about)


def set_by(session: "Session", version: "Version", one: "Effective") -> "list[Version]":
    """The version that gave the setting its present value: back along the first parents, while they have it too."""
    if one.layer == "stock":
        return []
    holder = version if one.layer == "game" or version.profile == "rig" else session.book.latest("rig")
    while holder is not None and holder.parents:
        parent = session.book.version(holder.profile, holder.parents[0])
        if parent.entries.get(one.key) != one.stored:
            break
        holder = parent
    return [holder] if holder is not None and holder.time else []
