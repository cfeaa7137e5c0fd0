"""Form 7: what came out of trials is kept with the studies, in one table, and found there by its versions.

Before form 5 a trial was its result and a list of captures; the rest of a study is made of that. Somebody else may have
written it: what is not as it should be is carried over as it is, and told when it is read.
"""

import json
import sqlite3
from typing import Any

from keenlattice._safejson import parse_json
from keenlattice.profile.version import stock

PLAN = ("blocks", "seconds", "seed", "decides", "matters_pct", "early", "few_switches", "repeats", "warm_up_s")


def trials_alone(connection: sqlite3.Connection) -> list[tuple[Any, ...]]:
    """The rows of the table of trials that no study has."""
    known = {number for (number,) in connection.execute("SELECT number FROM studies WHERE result IS NOT NULL")}
    rows = connection.execute(
        "SELECT time, rig, game, before, after, result, captures FROM trials ORDER BY number").fetchall()
    return [tuple(row) for row in rows if _study_of(row[5]) not in known]


def _study_of(result: object) -> object:
    evidence = _table(result).get("evidence")
    number = evidence.get("study") if isinstance(evidence, dict) else None
    return number if isinstance(number, int) else None


def move(connection: sqlite3.Connection, trials: list[tuple[Any, ...]]) -> None:
    """Makes studies of these trials, and notes down of every study between which versions it is."""
    for number, plan in connection.execute("SELECT number, plan FROM studies").fetchall():
        connection.execute("UPDATE studies SET before = ?, after = ? WHERE number = ?", (*_sides(_table(plan)), number))
    for time, rig, game, before, after, result, captures in trials:
        plan = {"before": _version(connection, before), "after": _version(connection, after),
                "plan": {name: value for name, value in _table(result).items() if name in PLAN},
                "game": game if game != str(before).partition("@")[0] else None}
        made = connection.execute(
            "INSERT INTO studies (time, rig, kind, plan, result, before, after) VALUES (?, ?, 'trial', ?, ?, ?, ?)",
            (time, rig, json.dumps(plan), result, before, after))
        for place, file in enumerate(_list(captures)):
            connection.execute("INSERT INTO runs (study, place, arm, seed, file, excluded) VALUES (?, ?, ?, ?, ?, '')",
                               (made.lastrowid, place, *_run(connection, file, plan), file))


def _sides(plan: dict[str, Any]) -> tuple[str, str]:
    line = plan.get("line")
    ends = [line[0], line[-1]] if isinstance(line, list) and line else [
        _reference(plan.get(name)) for name in (("base", "base") if "base" in plan else ("before", "after"))]
    return tuple(one if isinstance(one, str) else "" for one in ends)  # type: ignore[return-value]


def _reference(kept: object) -> object:
    return kept.get("reference") if isinstance(kept, dict) else None


def _version(connection: sqlite3.Connection, reference: object) -> dict[str, Any]:
    """A version as a study keeps it."""
    profile, _, digits = str(reference).partition("@")
    row = connection.execute("SELECT entries, note FROM versions WHERE profile = ? AND substr(id, 1, ?) = ?",
                             (profile, len(digits), digits)).fetchone() if digits else None
    entries, note = (_table(row[0]), row[1]) if row else ({}, stock(profile).note)
    return {"reference": reference, "profile": profile, "entries": entries, "note": note, "stored": row is not None}


def _run(connection: sqlite3.Connection, file: object, plan: dict[str, Any]) -> tuple[str, int]:
    """Arm and seed of the run that a capture is of."""
    row = connection.execute("SELECT version, about FROM captures WHERE file = ?", (str(file),)).fetchone()
    version, about = (str(row[0]), _table(row[1])) if row else ("", {})
    after, profile = str(plan["after"]["reference"]), str(plan["after"]["profile"])
    is_after = after == f"{profile}@{version[:8]}" or (after.endswith("@stock") and version == stock(profile).id)
    seed = about.get("seed")
    return "after" if is_after and plan["before"] != plan["after"] else "before", seed if isinstance(seed, int) else 0


def _table(text: object) -> dict[str, Any]:
    found = _parsed(text)
    return found if isinstance(found, dict) else {}


def _list(text: object) -> list[Any]:
    found = _parsed(text)
    return [one for one in found if isinstance(one, str)] if isinstance(found, list) else []


def _parsed(text: object) -> object:
    try:
        return parse_json(text, finite=False) if isinstance(text, str) else None
    except ValueError:
        return None
