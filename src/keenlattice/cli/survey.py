"""`keen survey`: what the rig is, what is set on it, and what is plainly wrong."""

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING

from keenlattice.cli.options import Book, Json, Rig

if TYPE_CHECKING:
    from keenlattice.cli.session import Session
    from keenlattice.profile.checks import Finding

KINDS = {"standin": "a fictional stand-in", "linux": "this machine", "byhand": "changed by hand"}


def survey(book: Book = None, rig: Rig = "standin", json: Json = False) -> None:
    """Look at the rig: its hardware, its games, what is applied, and what is plainly wrong."""
    from keenlattice.cli.output import emit_json, say
    from keenlattice.cli.session import begin
    from keenlattice.rig.drift import find_drift

    session = begin(book, rig)
    wrong = session.findings(session.effective(session.find("rig@now")))
    applied = {name: last.version[:8] for name in ["rig", *session.games]
               if (last := session.book.last_apply(session.rig_name, name))}
    pending, slipped = session.rig.pending(), find_drift(session.rig, session.book)
    if json:
        emit_json("survey", {"pending": dict(pending), "drift": [one.version.reference for one in slipped],
                             "rig": session.rig_name, "facts": dict(session.rig.facts()), "games": session.games,
                             "devices": list(session.rig.devices()), "applied": applied,
                             "findings": [one.model_dump() for one in wrong]})
        return
    show_rig(session, applied)
    for what in dict.fromkeys(pending.values()):
        say(f"! waits for a restart of the {what}: {', '.join(key for key in pending if pending[key] == what)}")
    for one in slipped:
        say(f"! no longer as applied: {one.version.reference} ({len(one.changes)} settings); see `keen drift`")
    show_findings(wrong)
    _say_what_next(session, bool(wrong))


def _say_what_next(session: "Session", wrong: bool) -> None:
    from keenlattice.cli.output import hint, say

    facts, games = session.rig.facts(), session.games
    if not games:
        hint("keen game NAME --executable FILE, to tell it of a game")
        return
    if "refresh_hz" in facts and "frame.cap" in session.rig.catalog():
        say(f"\nFacts are named as formulas call them: keen edit {games[0]} frame.cap='= refresh - 3'", "dim")
    hint(f"keen edit rig SETTING=VALUE, to mend what is wrong; or keen show {games[0]}" if wrong else
         f"keen show {games[0]}")


def show_rig_briefly(session: "Session") -> None:
    """The rig in two lines."""
    from keenlattice.cli.output import say
    from keenlattice.report.words import facts_in_brief

    say(f"{session.rig_name} ({KINDS[session.kind]}): {facts_in_brief(session.rig.facts())}.")
    say(f"Games: {', '.join(game.title for game in session.rig.games())}.")


def show_rig(session: "Session", applied: Mapping[str, str]) -> None:
    """The rig's facts, devices and games."""
    from keenlattice.cli.output import say, table
    from keenlattice.report.words import fact

    say(f"Rig {session.rig_name} ({KINDS[session.kind]})", "bold")
    facts, devices = session.rig.facts(), session.rig.devices()
    rows = [fact(name, str(value)) for name, value in facts.items() if not name.startswith(devices or ("-",))]
    half = (len(rows) + 1) // 2
    columns = zip(rows[:half], [*rows[half:], ["", ""]], strict=False)
    table(["", "", "", ""], [[*left, *right] for left, right in columns])
    if devices:
        say()
        table(["device", "interrupts"], [[device, _interrupts(facts, device)] for device in devices])
    say()
    table(["game", "title", "applied"], [[game.name, game.title, applied.get(game.name, "-")]
                                         for game in session.rig.games()])
    if "rig" in applied:
        say(f"rig-wide profile applied: {applied['rig']}")
    say()


def _interrupts(facts: Mapping[str, object], device: str) -> str:
    if mode := facts.get(f"{device}_mode"):  # a rig that tells how it is, and not only what it could
        messages = f" ({facts[f'{device}_messages']})" * (mode == "message")
        return (f"{mode}{messages}, {facts[f'{device}_interrupts']} so far, on cores {facts[f'{device}_cores']}"
                + ", shares its line" * bool(facts[f"{device}_shares_line"]))
    can = "line or message" if facts.get(f"{device}_message") else "line only"
    return can + (", shares its line" if facts.get(f"{device}_shares_line") else "")


def show_findings(found: "Sequence[Finding]") -> None:
    """What the checks found, the plainly wrong first, each with what to do."""
    from keenlattice.cli.output import say

    wrong = [one for one in found if one.kind == "wrong"]
    other = [one for one in found if one.kind != "wrong"]
    if not found:
        say("Nothing is plainly wrong.")
    for title, some in (("Plainly wrong", wrong), ("Worth a look", other)):
        if some:
            say(f"{title} ({len(some)})", "bold")
        for one in some:
            kind = "" if one.kind == "wrong" else f"{one.kind}: "
            say(f"! {kind}{', '.join(one.settings)}: {one.why}")
            say(f"  to mend it: {one.what_to_do}", "dim")
