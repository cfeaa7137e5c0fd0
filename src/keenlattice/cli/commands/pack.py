"""`keen pack`: what a shared pack would do here, taking it over, and writing one."""

from pathlib import Path
from typing import Annotated

import typer

from keenlattice.cli.begin import begin
from keenlattice.cli.complete import references
from keenlattice.cli.options import Book, Json, Note, Rig, Version
from keenlattice.cli.output import emit, hint, say
from keenlattice.cli.views.blocks import show_telling
from keenlattice.errors import counted
from keenlattice.workspace.surveying import with_pool

app = typer.Typer(rich_markup_mode=None, no_args_is_help=False, add_completion=False)
File = Annotated[Path, typer.Argument(help="The pack, a TOML file.")]
Only = Annotated[list[int] | None, typer.Option("--rule", help="Only this rule, by its number; several if you like.")]


@app.command()
def look(file: File, book: Book = None, rig: Rig = "", json: Json = False) -> None:
    """Show what a pack would change on this rig. Changes nothing."""
    ws = begin(book, rig)
    pack = ws.profiles.packs.look(file)
    if json:
        emit(pack)
        return
    telling = pack.telling()
    for rule in pack.rules:
        telling = with_pool(telling, ws.pool.about(rule.offered.rule.set_, rule.offered.rule.game))
    show_telling(telling)
    claims = any(rule.offered.rule.claim for rule in pack.rules)
    say("\nNothing was changed.", "dim")
    if any(rule.is_new for rule in pack.rules):
        hint(f"keen pack adopt {file}   or one rule: --rule 1"
             + f"   or see what holds here: keen studies claims {file}" * claims)
    elif claims:
        hint(f"keen studies claims {file}, to see what holds here")


@app.command()
def adopt(file: File, only: Only = None, note: Note = "", book: Book = None, rig: Rig = "",
          json: Json = False) -> None:
    """Take a pack's rules over, as new versions. The rig is not touched before `keen apply`."""
    from keenlattice.cli.views.changes import show_changes

    ws = begin(book, rig)
    made = ws.profiles.packs.adopt(file, only or (), note)
    if json:
        emit(made)
        return
    for version in made.versions:
        say(f"{version.after.reference} made from {version.before.reference}", "bold")
        show_changes(ws.rig.machine.catalog(), version.changes)
    for line in (*made.left_out, *made.conditions_not_met):
        say(f"! {line}")
    say("\nNothing is on the rig yet." if made.versions else
        "Nothing changes: all that fits this rig holds already.")
    if made.versions:
        first = made.versions[0]
        profile = first.after.profile
        hint(f"first measure it: keen trial {first.before.reference} {first.after.reference}"
             f"{ws.opened.for_game(profile)}; or keen apply {profile}")


@app.command()
def write(
    file: Annotated[Path, typer.Argument(help="The pack to write; if there is one, the rule is added to it.")],
    reference: Version,
    since: Annotated[str, typer.Option(
        "--since", autocompletion=references, help="Only what differs from this version.")] = "",
    title: Annotated[str, typer.Option("--title", help="What the pack is for.")] = "",
    author: Annotated[str, typer.Option("--author", help="Who made it.")] = "",
    licence: Annotated[str, typer.Option("--licence", help="The licence under which others may use it.")] = "",
    when: Annotated[str, typer.Option("--when", help="A condition over facts, such as 'refresh >= 144'.")] = "",
    evidence: Annotated[bool, typer.Option("--evidence", help="With what your newest trial of it against --since "
                                           "found, as claims.")] = False,
    book: Book = None, rig: Rig = "",
) -> None:
    """Write a version, or what differs between two, into a pack that others can take over."""
    ws = begin(book, rig)
    count = ws.profiles.packs.write(file, reference, since, title=title, author=author, licence=licence, when=when,
                                    evidence=evidence)
    version = ws.profiles.find(reference).reference
    say(f"{file}: {counted(count, 'setting')} of {version}. Look at it as others will: keen pack look {file}")
