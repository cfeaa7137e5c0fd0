"""`keen pack`: what a shared pack would do here, taking it over, and writing one."""

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from keenlattice.cli.complete import references
from keenlattice.cli.options import REFERENCE, Book, Json, Rig

if TYPE_CHECKING:
    from keenlattice.catalog.values import Value
    from keenlattice.cli.session import Session
    from keenlattice.profile.offer import Here, OfferedRule, OfferedSetting
    from keenlattice.profile.pack import Claim
    from keenlattice.profile.version import Version

app = typer.Typer(help="Look at a shared pack, take it over, or write one.", no_args_is_help=False)
File = Annotated[Path, typer.Argument(help="The pack, a TOML file.")]
NEW = ("changes", "inert here")  # of a setting: taking it over would make a version
Only = Annotated[list[int] | None, typer.Option("--rule", help="Only this rule, by its number; several if you like.")]


@app.command()
def look(file: File, book: Book = None, rig: Rig = "standin", json: Json = False) -> None:
    """Show what a pack would change on this rig. Changes nothing."""
    from keenlattice.cli.output import emit_json, hint, say
    from keenlattice.cli.session import begin
    from keenlattice.profile.offer import offer
    from keenlattice.profile.pack import read_pack

    pack = read_pack(file)
    session = begin(book, rig)
    offers = offer(pack, here(session))
    if json:
        emit_json("pack", {"title": pack.title, "author": pack.author, "licence": pack.licence,
                           "rules": [_rule_json(one) for one in offers]})
        return
    by = f", by {pack.author}" if pack.author else ""
    say(f"{pack.title}{by} ({pack.licence or 'no licence given'})", "bold")
    if pack.note:
        say(pack.note)
    for one in offers:
        _show_rule(session, one)
    claims = any(one.rule.claim for one in offers)
    say("\nNothing was changed.", "dim")
    if any(each.status in NEW for one in offers if not one.fails for each in one.settings):
        hint(f"keen pack adopt {file}   or one rule: --rule 1"
             + f"   or see what holds here: keen trial --claims {file}" * claims)
    elif claims:
        hint(f"keen trial --claims {file}, to see what holds here")


@app.command()
def adopt(file: File, only: Only = None, note: Annotated[str, typer.Option("--note", "-m", help="Why.")] = "",
          book: Book = None, rig: Rig = "standin", json: Json = False) -> None:
    """Take a pack's rules over, as new versions. The rig is not touched before `keen apply`."""
    from keenlattice.cli.changes import changes_json, show_changes
    from keenlattice.cli.output import emit_json, hint, say
    from keenlattice.cli.session import begin
    from keenlattice.errors import UsageError
    from keenlattice.profile.compare import changes
    from keenlattice.profile.offer import adopted, offer
    from keenlattice.profile.pack import read_pack

    pack = read_pack(file)
    session = begin(book, rig)
    offers = offer(pack, here(session))
    if odd := [number for number in only or [] if not 1 <= number <= len(offers)]:
        raise UsageError(f"the pack has no rule {odd[0]}; it has 1 to {len(offers)}")
    chosen = tuple(one for one in offers if not only or one.number in only)
    made = []
    with session.book.together():  # all of its versions, or none
        for profile, entries in adopted(chosen, session.stored).items():
            before = session.find(profile)
            if found := changes(before.entries, entries):
                made.append((before, session.commit([before], entries, note or f"from the pack {pack.title}"), found))
    for before, after, found in made if not json else ():
        say(f"{after.reference} made from {before.reference}", "bold")
        show_changes(session.rig.catalog(), found)
    left_out = [f"{one.key}: {one.why}" for rule in chosen if not rule.fails for one in rule.settings
                if one.status in ("refused here", "unknown here")]
    failing = [f"rule {one.number}: {one.fails}" for one in chosen if one.fails]
    if json:
        emit_json("adopt", {"versions": [
            {"before": before.reference, "after": after.reference, "changes": changes_json(found)}
            for before, after, found in made], "left_out": left_out, "conditions_not_met": failing})
        return
    for line in (*left_out, *failing):
        say(f"! {line}")
    say("\nNothing is on the rig yet." if made else "Nothing changes: all that fits this rig holds already.")
    if made:
        hint("keen apply, for each of them; or first measure: keen trial BEFORE AFTER")


@app.command()
def write(
    file: Annotated[Path, typer.Argument(help="The pack to write; one that is there gets the rule added.")],
    reference: Annotated[str, typer.Argument(autocompletion=references, metavar="VERSION", help=REFERENCE)],
    since: Annotated[str, typer.Option(
        "--since", autocompletion=references, help="Only what differs from this version.")] = "",
    title: Annotated[str, typer.Option("--title", help="What the pack is for.")] = "",
    author: Annotated[str, typer.Option("--author")] = "",
    licence: Annotated[str, typer.Option("--licence", help="Under which others may use it.")] = "",
    when: Annotated[str, typer.Option("--when", help="A condition over facts, such as 'refresh >= 144'.")] = "",
    evidence: Annotated[bool, typer.Option("--evidence", help="With what your newest trial of it against --since "
                                           "found, as claims.")] = False,
    book: Book = None, rig: Rig = "standin",
) -> None:
    """Write a version, or what differs between two, into a pack that others can take over."""
    from pydantic import ValidationError

    from keenlattice.cli.output import say
    from keenlattice.cli.session import begin
    from keenlattice.errors import UsageError
    from keenlattice.files import replace_file
    from keenlattice.profile.compare import changes
    from keenlattice.profile.pack import Rule, pack_text, parse_pack, read_pack, with_rules

    session = begin(book, rig)
    version = session.find(reference)
    found = changes(session.find(since).entries if since else {}, version.entries)
    if not found:
        raise UsageError(f"{version.reference} has nothing to write" + f" that {since} has not" * bool(since))
    try:
        rule = Rule(game=version.profile, when=when, reason=version.note,
                    claim=_claims(session, since, version) if evidence else [],
                    unset=[one.key for one in found if one.after is None],
                    set={one.key: one.after for one in found if one.after is not None})
    except ValidationError as error:
        first = error.errors()[0]
        raise UsageError(f"{'.'.join(map(str, first['loc']))}: {first['msg']}") from None
    if file.exists():
        read_pack(file)  # says so if it is none
        text = with_rules(file.read_text(encoding="utf-8"), [rule])
    else:
        text = pack_text(title or f"{version.profile}: {version.note or 'settings'}", author, licence, [rule])
    parse_pack(text.encode(), str(file))
    replace_file(file, text.encode())
    say(f"{file}: {len(found)} settings of {version.reference}. Look at it as others will: keen pack look {file}")


def _claims(session: "Session", since: str, version: "Version") -> "list[Claim]":
    """What the newest trial of a version against another lets claim.

    Raises:
        UsageError: there is none, or it found nothing that could be claimed.
    """
    from keenlattice.errors import UsageError
    from keenlattice.trial.claims import claims_of
    from keenlattice.trial.kept import evidence
    from keenlattice.trial.result import TrialResult

    before = session.find(since or f"{version.profile}@stock").reference
    kept = session.book.trials(before, version.reference)
    if not kept:
        raise UsageError(f"no trial of {before} against {version.reference} is kept: keen trial {before} "
                         f"{version.reference}")
    about = evidence(kept[0])
    found = claims_of(TrialResult.of_json(kept[0]), about.software, about.time)
    if not found:
        raise UsageError(f"the newest trial of {before} against {version.reference} found nothing better or worse: "
                         "there is nothing to claim")
    return found


def here(session: "Session") -> "Here":
    """The rig, as far as a pack is held against it."""
    from keenlattice.errors import RigError
    from keenlattice.profile.offer import Here

    rig, state = session.rig, session.rig.state()

    def refuses(profile: str, key: str, value: "Value") -> str:
        try:
            rig.changed(state, profile, {key: value})
        except RigError as error:
            return str(error)
        return ""

    return Here(rig.catalog(), rig.facts(), session.stored, refuses, rig.devices())


def with_rules_of(session: "Session", offers: "Sequence[OfferedRule]", before: "Version", note: str) -> "Version":
    """A version with rules taken over that are known on this rig; it is in no history."""
    from keenlattice.profile.offer import adopted
    from keenlattice.profile.version import Version

    entries = adopted(tuple(offers), lambda _: before.entries).get(before.profile, {})
    known = {key: value for key, value in entries.items() if key in session.rig.catalog()}
    return Version(before.profile, known, note=note)


def _rule_json(one: "OfferedRule") -> dict[str, object]:
    return {"number": one.number, "game": one.rule.game, "when": one.rule.when, "condition_fails": one.fails,
            "reason": one.rule.reason, "claims": [claim.model_dump() for claim in one.rule.claim],
            "settings": [{"setting": each.key, "now": each.now, "offered": each.offered, "comes_to": each.comes_to,
                          "status": each.status, "why": each.why} for each in one.settings]}


def _show_rule(session: "Session", one: "OfferedRule") -> None:
    from keenlattice.cli.output import say, table
    from keenlattice.trial.claims import told

    say(f"\n{one.number}. {one.rule.game}" + (f", where {one.rule.when}" if one.rule.when else "")
        + (f": {one.rule.reason}" if one.rule.reason else ""), "bold")
    if one.fails:
        say(f"! its condition does not hold: {one.fails}")
    else:
        table(["setting", "now", "offered", "here"], [_row(session, each) for each in one.settings])
    for claim in one.rule.claim:
        say(f"claims: {told(claim)}" + (" (no evidence comes with it)" if not claim.evidence else ""), "dim")
        for evidence in claim.evidence:
            say(f"  its author measured {evidence.told()}", "dim")


def _row(session: "Session", each: "OfferedSetting") -> Sequence[str]:
    from keenlattice.catalog.values import same
    from keenlattice.cli.changes import value_text

    catalog = session.rig.catalog()
    offered = value_text(catalog, each.key, each.offered)
    if each.comes_to is not None and not same(each.comes_to, each.offered):
        offered += f", here {value_text(catalog, each.key, each.comes_to)}"
    return (each.key, value_text(catalog, each.key, each.now), offered,
            each.status + (f": {each.why}" if each.why else ""))
