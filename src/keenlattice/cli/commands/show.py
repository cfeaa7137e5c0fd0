"""`keen show`: what holds for a game, and why."""

from typing import TYPE_CHECKING, Annotated

import typer

from keenlattice.cli.begin import begin
from keenlattice.cli.complete import settings
from keenlattice.cli.options import Book, Json, Rig, Version
from keenlattice.cli.output import emit, hint, say
from keenlattice.errors import UsageError

if TYPE_CHECKING:
    from keenlattice.catalog.model import Catalog
    from keenlattice.workspace.profile_results import ShowResult


def show(
    reference: Version,
    setting: Annotated[str, typer.Argument(autocompletion=settings, help="One setting, for its whole story.")] = "",
    all_: Annotated[bool, typer.Option("--all", help="Show what is at stock, too.")] = False,
    book: Book = None, rig: Rig = "", json: Json = False,
) -> None:
    """Show the effective value of each setting, and the layer that it comes from; or all about one."""
    from keenlattice.cli.views.settings import show_effective, show_findings, show_of_pool, tell_what_is_not_held

    if setting and all_:
        raise UsageError(f"--all shows every setting, and {setting} was asked for: leave one of them out")
    ws = begin(book, rig)
    result, catalog = ws.show(reference, setting), ws.opened.rig.catalog()
    if json:
        emit(result)
        return
    entries = result.version.entries
    asked = {key: value for key, value in entries.items() if setting in ("", key)}
    of_pool = ws.pool.about(asked, result.version.profile) if ws.opened.newest_pool else {}
    if setting:
        _whole_story(catalog, result)
        show_of_pool(of_pool)
        return
    say(result._caption(), "bold")
    show_effective(catalog, [setting.effective for setting in result.settings], everything=all_)
    for key in result.unknown:
        say(f"! {key} is set here, but the rig {ws.opened.rig_name} does not have it: kept, and not applied")
    tell_what_is_not_held(catalog, result)
    say()
    show_of_pool(of_pool)
    show_findings(result.findings)
    if result.version.entries and result.version.profile != "rig":
        hint(_next(result))


def _next(result: "ShowResult") -> str:
    """What is still to be done with a version: what has been done is not advised again."""
    before, after = f"{result.version.profile}@stock", result.version.reference
    if result.planned:
        return "keen apply rig, which comes before the game's own version"
    first = (f"keen compare {before} {after}, for what it did" if result.measured else
             f"keen trial {before} {after}, to see what that does")
    return first + f"; or keen apply {after}" * (not result.applied)


def _whole_story(catalog: "Catalog", result: "ShowResult") -> None:
    """One setting: what holds and why, who set it when, what it trades, what the checks say."""
    from keenlattice.cli.views.settings import instead_of, show_findings, show_setting, value_of

    effective, past = result.settings[0].effective, result.set_by
    say(f"{effective.key} under {result.version.reference}: {value_of(catalog, effective)}", "bold")
    if effective.layer == "unknown":
        say("no profile sets it, and nobody has said what it is at")
    else:
        say(f"from the {effective.layer} layer" + (f", instead of {instead_of(catalog, effective)}"
                                                   if effective.is_set else ""))
    if effective.problem:
        say(f"! {effective.problem}")
    if past:
        say(f"set by {past.author or 'somebody'} in {past.reference}, {past.time[:10]}"
            f"{f': {past.note}' if past.note else ''}")
    say()
    show_setting(catalog[effective.key])
    if result.findings:
        say()
        show_findings(result.findings)
