"""Recordings of any recorder's: equal numbers whatever the shape, damage named with its line, nothing guessed."""

import bz2
import gzip
import json
import lzma
import os
import subprocess
import sys
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import Keen, as_json
from keenlattice.catalog.load import add_own_settings
from keenlattice.errors import CaptureError, KeenLatticeError
from keenlattice.measure.capture import Capture
from keenlattice.measure.columns import ColumnMap, column_map
from keenlattice.measure.header import header_of
from keenlattice.measure.ingesting import DamagedRecording, ingest
from keenlattice.measure.parquet import read_capture, write_capture
from keenlattice.measure.proposal import propose
from keenlattice.measure.rows import read_text, write_text
from keenlattice.measure.sensors import read_sound
from keenlattice.profile.pack import read_pack

FRAMES = np.round(8 * np.exp(np.random.default_rng(1).normal(0, 0.1, 300)), 4)
SHOWN = np.round(np.concatenate(([0.0], np.cumsum(FRAMES))), 4)
STAMPS = ColumnMap(name="m", time="t", means="stamps", unit="ms")


def shapes(folder: Path) -> dict[str, tuple[Path, ColumnMap]]:
    """One run in ten shapes."""
    found = {}

    def add(name: str, content: bytes, **fields: object) -> None:
        (folder / name).write_bytes(content)
        found[name] = (folder / name, column_map(name="m", **fields))

    stamps = dict(time="t", means="stamps")
    plain = "t,x\n" + "".join(f"{t:.4f},1\n" for t in SHOWN)
    add("plain.csv", plain.encode(), **stamps, unit="ms")
    add("bom.csv", b"\xef\xbb\xbf" + plain.encode(), **stamps, unit="ms")
    add("utf16.csv", plain.encode("utf-16"), **stamps, unit="ms")
    add("packed.csv.gz", gzip.compress(plain.encode()), **stamps, unit="ms")
    add("packed.csv.bz2", bz2.compress(plain.encode()), **stamps, unit="ms")
    add("packed.csv.xz", lzma.compress(plain.encode()), **stamps, unit="ms")
    add("seconds.tsv", ("# said\nt\tx\n" + "".join(f"{t / 1000:.7f}\ta\n" for t in SHOWN)).encode(), **stamps, unit="s")
    commas = "Vorspann\r\n\r\nx;dt\r\n" + "".join(f"a;{f * 1000:.1f}\r\n".replace(".", ",") for f in FRAMES)
    add("commas.csv", commas.encode("latin-1"), time="dt", means="intervals", unit="us")
    lines = "".join(json.dumps({"t": round(t * 1e6), "x": None}) + "\n" for t in SHOWN)
    add("lines.jsonl", lines.encode(), **stamps, unit="ns")
    add("single.txt", "".join(f"{round(t * 10_000)}\n" for t in SHOWN).encode(), time="column 1", means="stamps",
        unit="ticks", ticks_per_s=1e7)
    pq.write_table(pa.table({"t": SHOWN, "x": ["a"] * SHOWN.size}), folder / "p.parquet")
    found["p.parquet"] = (folder / "p.parquet", STAMPS)
    return found


def test_one_run_in_many_shapes_gives_equal_numbers(tmp_path: Path) -> None:
    for name, (path, columns) in shapes(tmp_path).items():
        found = ingest(path, columns)
        assert found.damage == (), name
        assert found.capture.shown_ms == pytest.approx(SHOWN, abs=1e-6), name


def rows(*lines: str) -> bytes:
    return ("t,p,d,m\n" + "\n".join(lines) + "\n").encode()


def stamps(count: int = 60, start: float = 0.0) -> list[str]:
    return [f"{start + 8 * number:.1f},orbit,0,one" for number in range(count)]


@pytest.mark.parametrize(("place", "line", "says", "left"), [
    (20, "12.0,orbit,0,one", "line 22: time runs backwards by 140 ms", 60),
    (20, "152.0,orbit,0,one", "line 22: time does not move on", 60),
    (20, ",orbit,0,one", "line 22: no number", 60), (20, "x,orbit,0,one", "line 22: no number", 60),
    (20, "1,2", "line 22: 2 cells instead of 4", 60), (60, "4", "line 62: 1 cells instead of 4", 60)])
def test_damage_is_named_with_its_line_and_left_out_if_asked(tmp_path: Path, place: int, line: str, says: str,
                                                             left: int) -> None:
    lines = stamps()
    lines.insert(place, line)
    (tmp_path / "f.csv").write_bytes(rows(*lines))
    with pytest.raises(DamagedRecording, match=says):
        ingest(tmp_path / "f.csv", STAMPS)
    found = ingest(tmp_path / "f.csv", STAMPS, repair=True)
    assert found.capture.shown_ms == pytest.approx(8.0 * np.arange(left))
    assert found.capture.about["repaired"][0]["count"] == 1


def test_a_gap_is_named_and_the_longest_stretch_kept(tmp_path: Path) -> None:
    (tmp_path / "f.csv").write_bytes(rows(*stamps(30), "", *stamps(90, 9000.0)))
    with pytest.raises(DamagedRecording, match=r"line 33: a gap of 8\.8 s"):
        ingest(tmp_path / "f.csv", STAMPS)
    assert ingest(tmp_path / "f.csv", STAMPS, repair=True).capture.shown_ms.size == 90


def test_comments_and_repeated_headers_are_no_damage(tmp_path: Path) -> None:
    lines = stamps()
    lines[10:10] = ["# a remark", "t,p,d,m", ""]
    (tmp_path / "f.csv").write_bytes(rows(*lines))
    assert ingest(tmp_path / "f.csv", STAMPS).capture.shown_ms.size == 60


def test_programs_dropped_frames_and_segments_are_told_apart(tmp_path: Path) -> None:
    lines = [line.replace("orbit,0", f"{'rally' if number % 3 == 0 else 'orbit'},{int(number % 10 == 1)}").replace(
        "one", "one" if number < 30 else "two") for number, line in enumerate(stamps(100))]
    (tmp_path / "f.csv").write_bytes(rows(*lines))
    columns = column_map(**{**STAMPS.model_dump(), "process": "p", "dropped": "d", "marker": "m"})
    with pytest.raises(CaptureError, match=r"several programs: orbit \(66 rows\), rally \(34 rows\)"):
        ingest(tmp_path / "f.csv", columns)
    with pytest.raises(CaptureError, match="nothing of nobody; it holds orbit, rally"):
        ingest(tmp_path / "f.csv", columns, process="nobody")
    found = ingest(tmp_path / "f.csv", columns, process="orbit")
    kept = [8.0 * number for number in range(100) if number % 3 and number % 10 != 1]
    assert found.capture.shown_ms == pytest.approx(np.array(kept) - kept[0]) and found.dropped_frames == 66 - len(kept)
    assert list(found.segments) == ["one", "two"] and found.segments["two"][0] == 240 - kept[0] + 8 * 2


@pytest.mark.parametrize(("fields", "says"), [
    ({"unit": "ns"}, "unit cannot be right"), ({"unit": "s"}, "unit cannot"), ({"time": "nothing"}, "it has t, p, d")])
def test_what_cannot_be_right_is_refused(tmp_path: Path, fields: dict[str, str], says: str) -> None:
    (tmp_path / "f.csv").write_bytes(rows(*[f"{8000 * n}.5,o,0,m" for n in range(60)] if fields.get("unit") == "s"
                                          else stamps()))
    with pytest.raises(CaptureError, match=says):
        ingest(tmp_path / "f.csv", STAMPS.model_copy(update=fields))
    for bad in ({"unit": "ticks"}, {"unit": "fortnights"}, {"name": "Not A Name"}):
        with pytest.raises(CaptureError, match=next(iter(bad)) if "ticks" not in bad.values() else "ticks_per_s"):
            column_map(**{**STAMPS.model_dump(), **bad})


@pytest.mark.parametrize(("header", "values", "time", "means", "unit"), [
    (["n", "t"], [(n, 8e-3 * n) for n in range(50)], "t", "stamps", "s"),
    (["frame_ms"], [(f,) for f in FRAMES[:50]], "frame_ms", "intervals", "ms"),
    (["frame [us]", "gpu [us]"], [(f * 1000, f * 600) for f in FRAMES[:50]], "frame [us]", "intervals", "us"),
    (["t"], [(n,) for n in range(50)], None, None, None),
    (["a", "b"], [("x", "y")] * 50, None, None, None),
    (["a", "b"], [(f, f + 1) for f in FRAMES[:50]], None, None, None)])
def test_what_the_data_tell_is_proposed_and_no_more(header: list[str], values: list[tuple[object, ...]],
                                                    time: str | None, means: str, unit: str) -> None:
    found = propose(header, [[str(cell) for cell in row] for row in values]).found
    assert (found and (found.time, found.means, found.unit)) == (time and (time, means, unit))
    if "gpu [us]" in header:
        assert found and (found.gpu, found.stage_unit) == ("gpu [us]", "us")


def test_captures_survive_text(tmp_path: Path) -> None:
    clicks = np.array([5.0, 50.1])
    one = Capture(SHOWN, clicks, np.array([25.3, np.nan]), SHOWN / 3, np.empty(0), {"game": "orbit, \u2605"},
                  {"device": np.array([1.5, np.nan]), "gpu": np.array([4.25, 0.1])})
    write_text(one, tmp_path / "c.csv")
    other = read_text(tmp_path / "c.csv")
    for name in ("shown_ms", "click_ms", "answer_ms", "cpu_ms", "gpu_ms"):
        assert np.array_equal(getattr(one, name), getattr(other, name), equal_nan=True), name
    write_capture(one, tmp_path / "c.parquet")
    for again in (other, read_capture(tmp_path / "c.parquet")):
        assert again.about == one.about and list(again.stage_ms) == ["device", "gpu"]
        assert all(np.array_equal(again.stage_ms[name], one.stage_ms[name], equal_nan=True) for name in one.stage_ms)
    for stage, times in (("device", np.zeros(3)), ("fortune", np.zeros(2))):
        with pytest.raises(CaptureError, match=f"of the stage {stage}"):
            Capture(SHOWN, clicks, clicks, stage_ms={stage: times})
    for text in ("", "kind\n", "# keen-lattice capture {}\nkind,at_ms,answer_ms,cpu_ms,gpu_ms\nframe,x,,,\n"):
        (tmp_path / "bad.csv").write_text(text)
        with pytest.raises(CaptureError, match=r"bad\.csv"):
            read_text(tmp_path / "bad.csv")


def parquet_of(**columns: list[float]) -> bytes:
    sink = pa.BufferOutputStream()
    pq.write_table(pa.table(columns), sink)
    return sink.getvalue().to_pybytes()


SEEDS = [b"t,x\n0.0,a\n8.1,b\n16.4,a\n24.2,b\n33.0,a\n41.1,c\n", "t;x\n0,0;ä\n8,1;b\n16,4;c\n24,1;d\n".encode("utf-16"),
         b'{"t": 0}\n{"t": 8.5}\n{"t": 17}\n{"t": 25.4}\n', b"0\n8\n16\n24\n33\n",
         gzip.compress(b"t,x\n0.0,a\n8.1,b\n16.4,a\n24.2,b\n"), parquet_of(t=[0.0, 8.1, 16.4, 24.2, 33.0])]


edits_of = st.lists(st.tuples(st.floats(0, 1), st.binary(max_size=6), st.integers(0, 5)), max_size=4)


@given(st.sampled_from(SEEDS), edits_of)
def test_mangled_files_are_read_or_refused_in_one_line(tmp_path_factory: pytest.TempPathFactory, seed: bytes,
                                                       edits: list[tuple[float, bytes, int]]) -> None:
    content = bytearray(seed)
    for place, put_in, cut in edits:
        at = int(place * len(content))
        content[at:at + cut] = put_in
    path = tmp_path_factory.getbasetemp() / ("mangled.gz" if seed.startswith(b"\x1f") else "mangled")
    path.write_bytes(bytes(content))
    try:
        header, _ = header_of(path)
        columns = STAMPS.model_copy(update={"time": header[0]})
        capture = ingest(path, columns).capture
    except KeenLatticeError as error:
        assert "\n" not in str(error)
    else:
        # what is read is a run: it moves on, and at a rate that there can be
        assert (np.diff(capture.shown_ms) > 0).all() and 1 <= 1000 / np.median(capture.frame_ms) <= 20_000


def test_a_stray_quote_swallows_no_line(tmp_path: Path) -> None:
    """The quick reader took it for the beginning of a text that goes on over lines: frames were gone without a word."""
    rows = [f"{8 * number},{chr(34) * (number % 60 == 7)}orbit" for number in range(300)]
    path = tmp_path / "stray.csv"
    path.write_text("t,program\n" + "\n".join(rows) + "\n")
    columns = STAMPS.model_copy(update={"time": "t", "process": "program"})
    found = ingest(path, columns)
    assert found.capture.frame_ms.size == 299 and set(found.capture.frame_ms) == {8.0} and not found.damage
    path.write_text("t,x\n" + "".join(f"\"{8 * number}\",a\n" for number in range(300)))
    assert ingest(path, STAMPS.model_copy(update={"time": "t"})).capture.frame_ms.size == 299


def of_one_value(rows: int) -> bytes:
    """A Parquet file of a few kilobytes that stands for any number of rows."""
    sink = pa.BufferOutputStream()
    with pq.ParquetWriter(sink, pa.schema({"t": pa.float64()}), compression="zstd") as writer:
        part = pa.table({"t": np.zeros(10_000_000)})
        for _ in range(rows // 10_000_000):
            writer.write_table(part, row_group_size=10_000_000)
    return sink.getvalue().to_pybytes()


HOSTILE = {"line.csv.gz": lambda: gzip.compress(b"t\n" + b"9" * 200_000_000, 1),
           "rows.csv.gz": lambda: gzip.compress(b"t\n" + b"8\n" * 100_000_000, 1),
           "line.json": lambda: b'{"t": [' + b"0," * 3_000_000 + b"0]}", "deep.json": lambda: b'{"t":' * 60_000,
           "cells.csv": lambda: b"1\n,\n" * 16_000, "wide.csv": lambda: b"," * 64_000 + b"\n" + b"1," * 32_000,
           "markers.csv": lambda: b"t,m\n" + b"".join(b"%d,%d\n" % (8 * one, one % 2) for one in range(60_000)),
           "rows.parquet": lambda: of_one_value(80_000_000), "empty.parquet": lambda: parquet_of(t=[])}


@pytest.mark.parametrize("name", HOSTILE)
def test_a_recording_of_hostile_shape_is_refused_soon_and_in_little_memory(tmp_path: Path, name: str,
                                                                           hang: None) -> None:
    path = tmp_path / name
    path.write_bytes(HOSTILE[name]())
    code = f"""
import resource, sys
from pathlib import Path
from keenlattice.errors import KeenLatticeError
from keenlattice.measure.columns import column_map
from keenlattice.measure.ingesting import ingest
from keenlattice.measure.header import header_of
path = Path({str(path)!r})
try:
    header = header_of(path)[0]
    marker = "m" if "m" in header else None
    ingest(path, column_map(name="x", time=header[0], means="stamps", unit="ms", marker=marker))
except KeenLatticeError as error:
    print(len(str(error).splitlines()), resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024)
"""
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, timeout=60, check=False)
    assert done.returncode == 0, done.stderr
    lines, mib = map(int, done.stdout.split())
    assert lines == 1 and mib < 1500


@pytest.mark.parametrize("name", ["pipe", "zero", "folder"])
def test_what_is_no_file_is_not_waited_for(tmp_path: Path, name: str, hang: None) -> None:
    path = tmp_path / name
    {"pipe": lambda: os.mkfifo(path), "zero": lambda: path.symlink_to("/dev/zero"), "folder": path.mkdir}[name]()
    for read in (header_of, read_text, read_capture, read_sound, read_pack,
                 lambda one: add_own_settings(one, tmp_path)):
        with pytest.raises((KeenLatticeError, OSError), match=r"folder|regular"):
            read(path)


def test_a_map_is_given_once_and_found_again(keen: Keen, tmp_path: Path) -> None:
    sample = Path(__file__).parent.parent / "examples" / "recordings" / "odd.csv"
    assert "say --yes" in keen("ingest", str(sample), code=2).stderr
    proposed = as_json(keen("ingest", str(sample), "--yes", "--json"))
    assert (proposed["columns"]["time"], proposed["columns"]["unit"], proposed["frames"]) == ("Zeit [us]", "us", 1200)
    given_map = ["--time", "Zeit [us]", "--means", "intervals", "--unit", "us", "--marker", "Marke",
                 "--dropped", "Bild=0", "--name", "friends-box"]
    once = as_json(keen("ingest", str(sample), *given_map, "--of", "brass-orbit", "--json"))
    again = as_json(keen("ingest", str(sample), "--json", "--out", "out.csv"))
    assert once["metrics"] == again["metrics"] and again["columns"]["name"] == "friends-box"
    assert once["dropped_frames"] == 3 and list(once["segments"]) == ["warm-up", "multiball"] and once["capture"]
    assert read_text(tmp_path / "out.csv").frame_ms.size == once["frames"]
    assert "by the map friends-box" in keen("ingest", str(sample), "--map", "friends-box").stdout
    for words in (["--map", "nobodys"], ["--time", "x", "--dropped", "y"], ["--out", "x.doc"], ["--of", "nothing"]):
        keen("ingest", str(sample), *words, code=2)
    (tmp_path / "empty.csv").write_text("")
    assert "nothing was recorded" in keen("ingest", "empty.csv", code=1).stderr
    keen("ingest", "nowhere.csv", code=1)


def test_a_rate_is_never_proposed_as_times() -> None:
    rows = [[str(number), f"{60 + number % 3}", f"{16.6 + number % 3 / 10}"] for number in range(30)]
    for name in ("fps", "avg fps", "FPS_now", "gpu %", "refresh_hz"):
        assert propose(["frame", name, "note"], [[one[0], one[1], "x"] for one in rows]).found is None
        proposed = propose(["frame", name, "frame ms"], rows).found
        assert proposed is not None and proposed.time == "frame ms"
