"""What players get wrong at the keyboard: one clear line, the right exit code, and nothing changed."""

import contextlib
import sqlite3
from pathlib import Path

import pytest

from conftest import Keen

MISTAKES = [
    (["edit", "brass-orbit", "frame.queue-dept=1"], 2, "nearest: frame.queue-depth"),
    (["edit", "brass-orbit", "frame.queue-depth=9"], 2, "it takes 1 to 6 frames"),
    (["edit", "brass-orbit", "frame.queue-depth=soon"], 2, "cannot be 'soon'"),
    (["edit", "brass-orbit", "frame.queue-depth"], 2, "write SETTING=VALUE"),
    (["edit", "brass-orbit", "timer.resolution=0.5"], 2, "keen edit rig"),
    (["edit", "brass-orbit", "frame.cap== refrsh - 3"], 2, "no fact named 'refrsh'"),
    (["edit", "brass-orbit", "frame.cap== refresh * 50"], 2, "gives 3000"),
    (["edit", "brass-orbit", "frame.cap== 2 **"], 2, "cannot be read"),
    (["show", "brass-orbit", "frame.cpa"], 2, "nearest: frame.cap"),
    (["show", "rig", "interrupt.mode"], 2, "set per device"),
    (["catalog", "--needs", "luck"], 2, "there are driver, game, machine, rights"),
    (["history", "brass-orbit", "--label", "tuesday"], 2, "not a kept version"),
    (["merge", "--revert", "brass-orbit"], 2, "nothing that could be taken back"),
    (["merge", "brass-orbit", "rig"], 2, "two profiles"),
    (["rig", "restart", "computer"], 2, "there are game, driver and machine"),
    (["rig", "restart", "machine", "--rig", "here"], 2, "is yours to restart"),
    (["rig", "chore", "dishes"], 2, "there are update-driver"),
    (["drift", "--adopt", "--put-back"], 2, "choose one"),
    (["rig", "match", "tidewate"], 2, "nearest: tidewater"),
    (["pack", "look", "nowhere.toml"], 1, "cannot read the pack"),
    (["pack", "write", "p.toml", "brass-orbit"], 2, "nothing to write"),
    (["compare", "a.toml", "b.toml"], 2, "compare each with a version"),
    (["edit", "bras-orbit", "frame.cap=60"], 2, "nearest: brass-orbit"),
    (["show", "brass-orbit@ffff"], 2, "keen history brass-orbit"),
    (["show", "brass-orbit@applied"], 2, "keen apply"),
    (["show", "brass-orbit", "--rig", "heer"], 2, "nearest: here"),
    (["catalog", "qqqq"], 2, "no setting or word"),
    (["trial", "brass-orbit", "tidewater-rally"], 2, "two profiles"),
    (["trial", "rig", "rig"], 2, "--game"),
    (["trial", "brass-orbit", "brass-orbit", "--blocks", "1"], 2, "one run of each proves nothing"),
    (["trial", "brass-orbit", "brass-orbit", "--decides", "fpz"], 2, "nearest: fps"),
    (["trial", "brass-orbit", "brass-orbit", "--matters", "nan"], 2, "write per cent, ms or fps"),
    (["trial", "brass-orbit", "brass-orbit", "--figure", "no/f.png"], 2, "there is no folder no"),
    (["measure", "brass-orbit", "--seconds", "0"], 2, "0.5 to 7200 s"),
    (["measure", "pinball"], 2, "no game named"),
    (["apply", "brass-orbit"], 0, ""),
    (["undo"], 2, "nothing has been applied"),
    (["aply"], 2, "keen --help"),
    (["pool", "read"], 2, "say where the evidence is"),
    (["pool", "read", "nowhere"], 1, "is not there"),
    (["pool", "read", "--add", "nowhere"], 2, "no pool yet"),
    (["pool", "read", "nowhere", "--decides", "fpz"], 2, "nearest: fps"),
    (["pool", "read", "nowhere", "--matters", "90"], 2, "between 0 and 50 %"),
    (["pool", "look"], 2, "there is no pool yet"),
    (["pool", "write", "all.csv"], 2, "has to end in .jsonl or .parquet"),
    (["pool", "write", "all.jsonl"], 2, "none was begun yet"),
    (["edit"], 2, "keen edit --help"),
    (["show", "brass-orbit", "--book", "/proc/keen-lattice"], 1, "--book"),
    (["show", "brass-orbit", "--book", "/etc"], 1, "no logbook"),
    (["shwo", "brass-orbit"], 2, "Did you mean 'show'? See"),
    (["--rig", "here", "survey"], 2, "options come after the command"),
    (["measure", "Brass", "Orbit"], 2, "takes quotes around it"),
    (["measure", "Brass Orbit"], 2, "nearest: brass-orbit"),
    (["show", "brass-orbit", "--al"], 2, "--all"),
    (["edit", "brass-orbit", "sync.vertical=onn"], 2, "it takes off, on"),
    (["edit", "brass-orbit", "frame.cap=60", "frame.cap=90"], 2, "given twice"),
    (["edit", "brass-orbit", "interrupt.mode@gpu7=message"], 2, "one of gpu0, gpu1"),
    (["screen", "brass-orbit", "brass-orbit"], 2, "settings that differ"),
    (["hunt", "brass-orbit"], 2, "the same version"),
    (["tune", "brass-orbit"], 2, "--try SETTING=VALUE,VALUE"),
    (["tune", "brass-orbit", "--try", "frame.cap=60,90", "--keep", "frame_ms_p99=8"], 2, "METRIC<VALUE"),
    (["studies", "resume"], 2, "left unfinished"),
    (["studies", "again", "3"], 2, "there is no study 3"),
    (["undo", "--to", "9"], 2, "keen undo --list"),
    (["undo", "--to", "1"], 2, "keen undo --list"),
    (["report"], 2, "nothing has been measured"),
    (["report", "brass-orbit", "--out", "page.pdf"], 2, ".html or .md"),
    (["draw", "nowhere.parquet", "--out", "a.png"], 1, "nowhere.parquet"),
    (["ingest", "nowhere.csv"], 1, "nowhere.csv"),
    (["latency", "nowhere.wav"], 1, "nowhere.wav"),
    (["rig", "sheet", "--tick", "1"], 2, "no run sheet is open"),
    (["rig", "chore", "--yes"], 2, "name it, too"),
    (["show", "brass-orbit", "frame.cap", "--all"], 2, "leave one of them out"),
    (["compare", "brass-orbit", "brass-orbit", "--markdown", "--json"], 2, "choose one"),
    (["undo", "--list", "--to", "1"], 2, "--to does not go with --list"),
    (["catalog", "sync", "--add", "x.toml"], 2, "does not go with --add"),
    (["history", "brass-orbit", "--label", "x", "--most", "3"], 2, "--most does not go with --label"),
    (["merge", "brass-orbit", "--revert", "brass-orbit"], 2, "a merge takes two versions"),
    (["rig", "game", "orbit", "--command", "it's", "--rig", "byhand"], 2, "cannot be cut into words"),
    (["rig", "game", "orbit", "--answers-at", "10,20,abc", "--rig", "byhand"], 2, "write X,Y"),
    (["rig", "game", "orbit", "--answers-at", "\u00b2,1", "--rig", "byhand"], 2, "write X,Y"),
    (["measure", "brass-orbit", "--seed", "-1"], 2, "a seed is"),
    (["screen", "brass-orbit", "brass-orbit", "--seed", "-1"], 2, ""),
    (["undo", "--to", "12345678901234567890"], 2, "keen undo --list"),
    (["history", "brass-orbit", "--most", "12345678901234567890"], 1, "no number so large"),
    (["tune", "rig", "--step", "gpu.core-offset@gpu0=1e-300", "--game", "brass-orbit"], 2, "take larger ones"),
    (["edit", "brass-orbit", "frame.cap=60", "-m", "caf\udce9"], 2, "is not UTF-8 text"),
    (["pack", "look", "/dev/zero"], 1, "not a regular file"),
    (["catalog", "--add", "/dev/zero"], 1, "not a regular file"),
    (["trial", "brass-orbit", "brass-orbit", "--map", "x"], 2, "--map does not go with"),
    (["studies", "claims", "p.toml", "--matters", "3"], 2, "No such option"),
    (["studies", "resume", "--blocks", "9"], 2, "No such option"),
    (["tune", "rig", "--step", "a=1", "--warm-up", "3"], 2, "--warm-up does not go with --step"),
    (["studies", "resume", "4"], 2, "there is no study 4"),
    (["tune", "brass-orbit", "--margin", "3"], 2, "--margin does not go with"),
    (["ingest", "nowhere.csv", "--unit", "s"], 2, "--unit does not go with"),
    (["takeover", "--book", "nowhere"], 2, "there is no logbook in nowhere"),
    (["rig", "recover", "--finish", "--undo"], 2, "choose one"),
]


@pytest.mark.parametrize(("words", "code", "says"), MISTAKES, ids=lambda part: " ".join(part)[:40] if isinstance(
    part, list) else "")
def test_a_mistake_is_one_clear_line(keen: Keen, tmp_path: Path, words: list[str], code: int, says: str) -> None:
    done = keen(*words, code=code)
    assert says in done.stderr
    assert len(done.stderr.splitlines()) == (1 if code else 0)
    assert not [*tmp_path.rglob("state.json")]
    if (kept := tmp_path / "book" / "logbook.sqlite").exists():  # nothing is remembered of it
        with contextlib.closing(sqlite3.connect(kept)) as book:
            assert all(book.execute(f"SELECT count(*) FROM {name}").fetchone() == (0,)
                       for name in ("versions", "applies", "captures", "studies", "labels"))


@pytest.mark.parametrize(("typed", "leads"), [("diff", "keen compare"), ("games", "keen rig game"),
                                              ("list", "keen studies"), ("redo", "keen undo --redo")])
def test_what_is_no_command_leads_to_the_one_that_is_meant(keen: Keen, typed: str, leads: str) -> None:
    assert leads in keen(typed, code=2).stderr


def test_an_undo_is_taken_back_by_redo(keen: Keen) -> None:
    keen("edit", "brass-orbit", "frame.queue-depth=1", "-m", "flippers sooner")
    keen("apply", "brass-orbit", "--yes")
    assert "not an undo" in keen("undo", "--redo", "--yes", code=2).stderr
    keen("undo")
    assert "byte for byte" in keen("undo", "--redo", "--yes").stdout
    assert "flippers sooner" in keen("undo", "--list").stdout
