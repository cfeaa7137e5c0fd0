"""`keen show`: what holds for a game, and why."""

from typing import Annotated

import typer

from keenlattice.cli.options import REFERENCE, Book, Json, Rig


def show(
    reference: Annotated[str, typer.Argument(metavar="VERSION", help=REFERENCE)],
    all_: Annotated[bool, typer.Option("--all", help="Show what is at stock, too.")] = False,
    book: Book = None, rig: Rig = "standin", json: Json = False,
) -> None:
    """Show the effective value of each setting, and the layer that it comes from."""
    from keenlattice.cli.changes import value_text
    from keenlattice.cli.output import emit_json, say, table
    from keenlattice.cli.session import begin
    from keenlattice.cli.survey import show_findings
    from keenlattice.profile.checks import findings
    from keenlattice.profile.layers import resolve
    from keenlattice.profile.version import WHOLE_RIG

    session = begin(book, rig)
    version, catalog = session.find(reference), session.rig.catalog()
    own = {} if version.profile == WHOLE_RIG else version.entries
    rig_wide = version.entries if version.profile == WHOLE_RIG else session.rig_wide()
    effective = resolve(catalog, rig_wide, own)
    unknown = sorted(key for key in version.entries if key not in catalog)
    if json:
        emit_json("show", {"version": version.reference, "note": version.note, "unknown": unknown, "settings": [
            {"setting": one.key, "value": one.value, "unit": catalog[one.key].unit, "layer": one.layer,
             "shadows": [{"layer": layer, "value": value} for layer, value in one.shadows]}
            for one in effective.values()]})
        return
    shown = [one for one in effective.values() if all_ or one.layer != "stock"]
    say(f"{version.reference}{f': {version.note}' if version.note else ''}", "bold")
    if shown:
        table(["setting", "value", "from", "instead of"], [
            [one.key, value_text(catalog, one.key, one.value), one.layer,
             ", ".join(f"{value_text(catalog, one.key, value)} ({layer})" for layer, value in one.shadows)
             + (": no change" if one.in_vain else "")] for one in shown])
    if hidden := len(effective) - len(shown):
        say(f"{hidden} other settings are at stock (--all shows them).", "dim")
    for key in unknown:
        say(f"! {key} is set here, but the rig {session.rig.name} does not have it: kept, and not applied")
    say()
    show_findings(findings(effective, session.rig.facts()))
