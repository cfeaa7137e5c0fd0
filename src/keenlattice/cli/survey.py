"""`keen survey`: what the rig is, what is set on it, and what is plainly wrong."""

from typing import TYPE_CHECKING

from keenlattice.cli.options import Book, Json, Rig

if TYPE_CHECKING:
    from keenlattice.profile.checks import Finding


def survey(book: Book = None, rig: Rig = "standin", json: Json = False) -> None:
    """Look at the rig: its hardware, its games, what is applied, and what is plainly wrong."""
    from dataclasses import asdict

    from keenlattice.cli.output import emit_json
    from keenlattice.cli.session import begin
    from keenlattice.profile.checks import findings
    from keenlattice.profile.layers import resolve

    session = begin(book, rig)
    state = session.rig.state()
    effective = resolve(session.rig.catalog(), session.rig.values(state, "rig"), {})
    facts, wrong = session.rig.facts(), findings(effective, session.rig.facts())
    applied = {name: last.version[:8] for name in ["rig", *session.games]
               if (last := session.book.last_apply(session.rig.name, name))}
    if json:
        emit_json("survey", {"rig": session.rig.name, "facts": dict(facts), "games": session.games,
                             "devices": list(session.rig.devices()), "applied": applied,
                             "findings": [asdict(one) for one in wrong]})
        return
    show_rig(session.rig.name, rig, {name: str(value) for name, value in facts.items()},
             {game.name: game.title for game in session.rig.games()}, applied)
    show_findings(wrong)


def show_rig(name: str, kind: str, facts: dict[str, str], games: dict[str, str], applied: dict[str, str]) -> None:
    """The rig's facts and games."""
    from keenlattice.cli.output import say, table

    said = "the fictional stand-in" if kind == "standin" else "this machine"
    say(f"Rig {name} ({said})", "bold")
    table(["", ""], [_fact(name, value) for name, value in facts.items()])
    say()
    table(["game", "title", "applied"], [[game, title, applied.get(game, "-")] for game, title in games.items()])
    if "rig" in applied:
        say(f"rig-wide profile applied: {applied['rig']}")
    say()


def _fact(name: str, value: str) -> list[str]:
    """A fact with its unit behind the number instead of in the name."""
    for suffix, unit in (("_mib", "MiB"), ("_hz", "Hz"), ("_mts", "MT/s")):
        if name.endswith(suffix):
            name, value = name.removesuffix(suffix), f"{value} {unit}"
    return [name.replace("_", " "), value]


def show_findings(wrong: "tuple[Finding, ...]") -> None:
    """What the checks found, each with what to do."""
    from keenlattice.cli.output import say

    if not wrong:
        say("Nothing is plainly wrong.")
        return
    say("Plainly wrong" if len(wrong) == 1 else f"Plainly wrong ({len(wrong)} things)", "bold")
    for one in wrong:
        say(f"! {', '.join(one.settings)}: {one.why}")
        say(f"  to mend it: {one.what_to_do}", "dim")
