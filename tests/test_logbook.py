"""The logbook: what it keeps stays as it was, and what is not a logbook is left alone."""

import getpass
import os
import sqlite3
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import keenlattice
from keenlattice.errors import BookError, CaptureError, KeenLatticeError, UnknownName, UsageError
from keenlattice.logbook import takeover
from keenlattice.logbook.book import Logbook, find
from keenlattice.logbook.repair import FORMS
from keenlattice.logbook.takeover import take_over
from keenlattice.profile.version import stock

GAMES = ["brass-orbit", "tidewater-rally"]


def test_versions_are_kept_in_a_line(book: Logbook) -> None:
    first = book.commit("brass-orbit", {"frame.cap": 162}, note="one")
    second = book.commit("brass-orbit", {"frame.cap": 160, "sync.vertical": "on"}, note="two")
    book.commit("rig", {"display.refresh": 165})
    assert second.parents == (first.id,)
    with Logbook(book.folder) as again:
        assert again.history("brass-orbit") == [second, first]
        assert again.history("brass-orbit", 1) == [second]
        assert again.version("brass-orbit", first.id[:6]) == first
        assert again.profiles() == ["brass-orbit", "rig"]


def test_a_version_tampered_with_is_found_out(book: Logbook) -> None:
    version = book.commit("brass-orbit", {"frame.cap": 162})
    with sqlite3.connect(book.folder / "logbook.sqlite") as raw:
        raw.execute("UPDATE versions SET entries = replace(entries, '162', '163')")
    with pytest.raises(BookError, match=version.id[:8]):
        book.latest("brass-orbit")


def test_references(book: Logbook) -> None:
    assert find(book, "brass-orbit", "juniper", lambda: GAMES).entries == {}
    version = book.commit("brass-orbit", {"frame.cap": 162})
    assert find(book, "brass-orbit", "juniper", lambda: GAMES) == version
    assert find(book, version.reference, "juniper", lambda: GAMES) == version
    assert find(book, "brass-orbit@stock", "juniper", lambda: GAMES).entries == {}
    with pytest.raises(UsageError, match="nothing of brass-orbit has been applied"):
        find(book, "brass-orbit@applied", "juniper", lambda: GAMES)
    book.add_apply("juniper", kind="apply", profile="brass-orbit", version=version.id)
    book.commit("brass-orbit", {"frame.cap": 120})
    assert find(book, "brass-orbit@applied", "juniper", lambda: GAMES) == version


@pytest.mark.parametrize("reference", ["bras-orbit", "brass-orbit@zz", "brass-orbit@", "brass-orbit@00000000",
                                       "tidewater-rally@applied2", "", "@", "brass-orbit@%"])
def test_what_is_not_there_is_said_with_what_is(book: Logbook, reference: str) -> None:
    book.commit("brass-orbit", {"frame.cap": 162})
    with pytest.raises(UnknownName):
        find(book, reference, "juniper", lambda: GAMES)


def test_too_few_digits(book: Logbook) -> None:
    for cap in range(60, 100):  # 40 ids over 16 first digits: two must share one
        book.commit("brass-orbit", {"frame.cap": cap})
    firsts = [version.id[0] for version in book.history("brass-orbit")]
    shared = next(digit for digit in firsts if firsts.count(digit) > 1)
    with pytest.raises(UsageError, match="more digits"):
        book.version("brass-orbit", shared)


def test_a_folder_of_other_things_is_left_alone(tmp_path: Path) -> None:
    (tmp_path / "holiday.txt").write_text("sun")
    with pytest.raises(BookError, match="no logbook"):
        Logbook(tmp_path)
    assert [path.name for path in tmp_path.iterdir()] == ["holiday.txt"]
    with pytest.raises(BookError, match="is a file"):
        Logbook(tmp_path / "holiday.txt")


@pytest.mark.parametrize("content", [b"", b"not a database", b"SQLite format 3\0" + b"\xff" * 200])
def test_a_damaged_logbook_is_said_so(tmp_path: Path, content: bytes) -> None:
    (tmp_path / "logbook.sqlite").write_bytes(content)
    with pytest.raises(BookError, match="logbook"):
        Logbook(tmp_path)
    assert (tmp_path / "logbook.sqlite").read_bytes() == content


def test_a_newer_form_is_not_touched(book: Logbook) -> None:
    with sqlite3.connect(book.folder / "logbook.sqlite") as raw:
        raw.execute("PRAGMA user_version = 99")
    with pytest.raises(BookError, match="update it"):
        Logbook(book.folder)


def test_labels_and_lines(book: Logbook) -> None:
    first = book.commit("brass-orbit", {"frame.cap": 162})
    one = book.commit("brass-orbit", {"frame.cap": 160})
    other = book.commit("brass-orbit", {"frame.cap": 158}, parents=[first])
    both = book.commit("brass-orbit", {"frame.cap": 159}, parents=[one, other])
    apart = book.commit("brass-orbit", {"frame.cap": 1}, parents=[stock("brass-orbit")])
    assert book.common_ancestor(one, other) == first
    assert book.common_ancestor(both, other) == other
    assert book.common_ancestor(both, apart) == stock("brass-orbit")
    book.label(first, "tuesday")
    book.label(one, "tuesday")
    assert find(book, "brass-orbit@tuesday", "juniper", lambda: GAMES) == one
    assert book.labels("brass-orbit") == {one.id: ["tuesday"]}
    for bad in ("stock", "now", "cafe", "Tuesday", "", "a b", "../x"):
        with pytest.raises(UsageError, match="cannot be a label"):
            book.label(one, bad)


def test_a_transaction_hides_nobodys_error(book: Logbook) -> None:
    with pytest.raises(FileNotFoundError, match="elsewhere"), book.together():
        book.commit("brass-orbit", {"frame.cap": 1})
        raise FileNotFoundError("elsewhere")
    assert book.latest("brass-orbit") is None
    with pytest.raises(KeyError), book.together():
        book._connection.execute("ROLLBACK")  # as a full disk does by itself
        raise KeyError("the cause")
    with book.together(), book.together():  # one within another is part of it
        book.commit("brass-orbit", {"frame.cap": 2})
    assert len(book.history("brass-orbit")) == 1


def test_nobody_has_to_have_a_name(book: Logbook, monkeypatch: pytest.MonkeyPatch) -> None:
    def nameless() -> str:
        raise OSError("no USERNAME")

    monkeypatch.setattr(getpass, "getuser", nameless)
    assert keenlattice.Workspace(book).edit("brass-orbit", {"frame.cap": 60}).version.author == ""


def failing(*_: object) -> None:
    raise RuntimeError("stopped")


def test_a_takeover_that_is_cut_short_leaves_the_logbook_as_it_was(book: Logbook, monkeypatch: pytest.MonkeyPatch
                                                                   ) -> None:
    book.commit("brass-orbit", {"frame.cap": 160})
    book.add_apply("juniper", kind="apply", profile="brass-orbit", version=book.history("brass-orbit")[0].id)
    monkeypatch.setenv("KEEN_STATE", str(book.folder.parent / "another-user"))
    with monkeypatch.context() as stopped, pytest.raises(RuntimeError):
        stopped.setattr(takeover, "forget_applies", failing)
        take_over(book.folder)
    with Logbook(book.folder) as theirs:
        assert theirs.elsewhere and len(theirs.history("brass-orbit")) == 1
    with take_over(book.folder) as ours:
        assert not ours.elsewhere and ours.in_force("juniper") == []


texts = st.text(st.characters(codec="utf-8"), max_size=20)
values = st.booleans() | st.integers(-2**53, 2**53) | st.floats(allow_nan=False, allow_infinity=False) | texts


@given(st.dictionaries(texts, values, max_size=6), texts, texts)
def test_a_version_survives_the_logbook(tmp_path_factory: pytest.TempPathFactory, entries: dict, note: str, author: str
                                        ) -> None:
    with Logbook(tmp_path_factory.mktemp("book")) as book:
        made = book.commit("brass-orbit", entries, note=note, author=author)
        kept = book.latest("brass-orbit")
    assert kept == made and kept.id == made.id
    assert [type(value) for value in kept.entries.values()] == [type(value) for value in made.entries.values()]


@pytest.mark.parametrize(("profile", "entries", "note"), [
    ("Brass Orbit", {}, ""), ("../x", {}, ""), ("brass-orbit", {"frame.cap": float("nan")}, ""),
    ("brass-orbit", {"frame.cap": [1]}, ""), ("brass-orbit", {}, "x" * 30_000)])
def test_what_could_not_be_read_again_is_not_kept(book: Logbook, profile: str, entries: dict, note: str) -> None:
    with pytest.raises(UsageError, match="the logbook cannot keep"):
        book.commit(profile, entries, note=note)
    assert book.profiles() == []


def test_a_folder_that_cannot_be_a_logbook_leaves_nothing_among_the_state(tmp_path: Path) -> None:
    before = sorted((Path(os.environ["KEEN_STATE"]) / "books").glob("*"))
    (tmp_path / "holiday.txt").write_text("sun")
    for folder in (tmp_path, tmp_path / "holiday.txt", Path("/proc/keen-lattice")):
        with pytest.raises(BookError):
            Logbook(folder)
    assert sorted((Path(os.environ["KEEN_STATE"]) / "books").glob("*")) == before


A_TIME, AN_ID = "2026-11-30T10:00:00+00:00", "0" * 64
A_ROW: dict[str, dict[str, object]] = {
    "versions": {"id": AN_ID, "profile": "rig", "entries": {}, "parents": [], "note": "", "author": "",
                 "time": A_TIME},
    "labels": {"profile": "rig", "label": "x", "version": AN_ID},
    "applies": {"time": A_TIME, "rig": "juniper", "kind": "apply", "profile": "rig", "version": AN_ID, "what": "",
                "target": None, "token": ""},
    "sheets": {"time": A_TIME, "rig": "juniper", "sheet": {}},
    "captures": {"file": "a.parquet", "time": A_TIME, "rig": "juniper", "game": "brass-orbit", "version": "",
                 "about": {}},
    "maps": {"name": "a", "header": ["x"], "map": {}},
    "studies": {"time": A_TIME, "rig": "juniper", "kind": "trial", "plan": {}, "result": None, "before": "",
                "after": ""},
    "runs": {"study": 1, "place": 0, "arm": "before", "seed": 1, "file": "", "excluded": ""}}
ANYTHING = st.one_of(
    st.none(), st.booleans(), st.integers(), st.integers(-2**70, 2**70), st.floats(), st.binary(max_size=4),
    st.text(max_size=30), st.text("ab\ud800\x00\u00e9", max_size=3), st.just("x" * 20_000), st.just("x" * 20_001),
    st.recursive(st.none() | st.floats() | st.integers(0, 10**30) | st.text(max_size=3),
                 lambda inner: st.lists(inner, max_size=2) | st.dictionaries(st.text(max_size=3), inner, max_size=2)))


@pytest.fixture(scope="module")
def shared_book(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Logbook]:
    with pytest.MonkeyPatch.context() as patch, Logbook(tmp_path_factory.mktemp("law") / "book") as shared:
        patch.setenv("KEEN_STATE", str(tmp_path_factory.getbasetemp() / "state"))
        yield shared


@pytest.mark.parametrize("table", FORMS)
@given(data=st.data())
@settings(max_examples=200)
def test_nothing_that_can_be_written_is_refused_when_it_is_read(shared_book: Logbook, table: str,
                                                               data: st.DataObject) -> None:
    row = {**A_ROW[table], data.draw(st.sampled_from(sorted(A_ROW[table]))): data.draw(ANYTHING)}
    shared_book.update(f"DELETE FROM {table}")
    try:
        shared_book.keep(table, FORMS[table], row)
    except KeenLatticeError:
        assert not shared_book.rows(tuple, f"SELECT * FROM {table}")
    else:
        assert len(shared_book.rows(FORMS[table], f"SELECT * FROM {table}")) == 1


def test_a_row_that_an_earlier_version_wrote_beyond_its_limits_is_repaired(book: Logbook) -> None:
    ws = keenlattice.Workspace(book)
    ws.edit("brass-orbit", {"frame.queue-depth": 1})
    ws.apply("brass-orbit")
    with sqlite3.connect(book.folder / "logbook.sqlite") as raw:
        raw.execute("UPDATE applies SET what = ?", ("undo of " * 4000,))
        raw.execute("INSERT INTO maps VALUES ('My Recorder', '[\"ms\"]', '{}')")
        raw.execute("INSERT INTO studies (time, rig, kind, plan, before, after) "
                    "VALUES (?, 'juniper', 'trial', '{}', '', '')", (A_TIME,))
    with pytest.raises(BookError, match=r"ws\.repair\(\)"):
        ws.undo()
    applies, maps, studied = ws.repair()
    assert "32,000 letters" in applies and "my-recorder" in maps and "set-aside.jsonl" in studied
    assert ws.repair() == [] and list(book.maps()) == ["my-recorder"] and ws.studies.list().studies == ()
    assert ws.undo().exactly


def test_going_back_and_forth_a_hundred_times_keeps_the_logbook_readable(book: Logbook) -> None:
    ws = keenlattice.Workspace(book)
    ws.edit("brass-orbit", {"frame.queue-depth": 1})
    ws.apply("brass-orbit")
    for _ in range(30):
        ws.undo(to=1)
    assert max(len(point.done.title) for point in ws.rig.restore_points().points) < 200


@pytest.mark.parametrize("wrong", [{"blocks": "8"}, {"seconds": "2"}, {"decides": 5}, {"seed": "x"}, {"blocks": 2.5}])
def test_a_plan_of_a_wrong_type_leaves_no_row(book: Logbook, wrong: dict[str, object]) -> None:
    ws = keenlattice.Workspace(book)
    ws.edit("brass-orbit", {"frame.queue-depth": 1})
    with pytest.raises(UsageError):
        ws.trial("brass-orbit@stock", "brass-orbit",
                 **{"seconds": 1, "blocks": 2, **wrong})  # type: ignore[typeddict-item]
    assert ws.studies.list().studies == ()


def test_a_capture_that_was_exchanged_is_found_out(book: Logbook) -> None:
    ws = keenlattice.Workspace(book)
    ws.edit("brass-orbit", {"frame.queue-depth": 1})
    trial = ws.trial("brass-orbit@stock", "brass-orbit", blocks=2, seconds=2, seed=1)
    first, second, *_ = sorted((book.folder / "captures").iterdir())
    first.write_bytes(second.read_bytes())
    with pytest.raises(CaptureError, match="is not the file that was kept"):
        trial.captures()
    with pytest.raises(CaptureError, match="is not the file that was kept"):
        ws.studies.recompute(1)
    assert "is not the file that was kept" in trial.report().without


def test_a_capture_of_millions_of_equal_rows_is_refused_at_once(tmp_path: Path) -> None:
    import pyarrow as pa
    import pyarrow.parquet as pq

    from keenlattice.measure.parquet import read_capture

    one = pa.table({"kind": pa.array(["frame"] * 1_000_000).dictionary_encode(), "at_ms": np.zeros(1_000_000)})
    with pq.ParquetWriter(tmp_path / "long.parquet", one.schema) as writer:
        for _ in range(13):
            writer.write_table(one)
    with pytest.raises(CaptureError, match="no capture is so long"):
        read_capture(tmp_path / "long.parquet")
