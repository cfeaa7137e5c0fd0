"""Evidence of many rigs: known truths of the model, copies and liars, what strangers write, and a league from start to
end."""

import json
import sqlite3
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from league import FleetPlan, evidence_of, play_fleet
from scipy.optimize import minimize_scalar

import keenlattice
from conftest import Keen
from keenlattice.errors import BookError, UsageError
from keenlattice.study import (
    EvidenceError,
    EvidencePlan,
    EvidenceRecord,
    Found,
    Pool,
    PoolPlan,
    Switch,
    flattened,
    pool_evidence,
    read_evidence,
)
from keenlattice.study.pool.evidence import digest, schema
from keenlattice.study.pool.meta import Rigs, moderated, pooled, tau2_of
from keenlattice.study.pool.words import change_does

PLAN = PoolPlan(("made up",), "frame_ms_mean")
DOCS = Path(__file__).parent.parent / "docs"


def record(rig: int, effect: float, error: float = 0.004, study: int = 0, **more: object) -> EvidenceRecord:
    """What a rig says of one change."""
    found = Found(metric="frame_ms_mean", decides=True, log_ratio=effect, error=error, dof=8.0, blocks=8,
                  matters_pct=1.0, verdict="unclear")
    one = EvidenceRecord(
        rig=digest("rig", rig), study=digest("study", rig, study), kind="trial", state="finished", game="brass-orbit",
        change=(Switch(setting="gpu.clock-policy", before="with-load", after="hold-high"),), found=(found,),
        played=EvidencePlan(seconds=20.0, warm_up_s=0.0, planned=8, repeats=1, early=True, seed=1000 * rig + study),
        software="0.4", day="2026-11-20", facts={"cores": 8.0}, limited_by={"GPU": 60.0, "CPU": 40.0})
    return one.model_copy(update=more)


def of(records: list[EvidenceRecord]) -> Pool:
    return pool_evidence(flattened(records), PLAN)


def only(records: list[EvidenceRecord]) -> "keenlattice.study.PooledMetric":
    """What is pooled of one change and one metric."""
    return of(records).changes[0].metrics[0]


def rigs(effects: np.ndarray, variances: np.ndarray) -> Rigs:
    return Rigs(effects, variances, np.zeros(1, dtype=np.intp))


def test_the_variance_of_true_effects_is_the_likeliest_one() -> None:
    random = np.random.default_rng(4)
    for size in (3, 8, 50):
        v = random.uniform(0.2, 3.0, size)
        y = random.normal(1.0, 1.5, size) + random.normal(0.0, np.sqrt(v))

        def unlikely(tau2: float, y: np.ndarray = y, v: np.ndarray = v) -> float:
            w = 1 / (v + tau2)
            mean = float((w * y).sum() / w.sum())
            return float(-np.log(w).sum() + np.log(w.sum()) + (w * (y - mean) ** 2).sum()) / 2

        best = minimize_scalar(unlikely, bounds=(0, 60), method="bounded", options={"xatol": 1e-10}).x
        assert tau2_of(rigs(y, v))[0] == pytest.approx(best, abs=1e-4)


def test_with_equal_errors_the_mean_and_its_interval_are_those_of_a_t_test() -> None:
    y = np.array([-0.05, -0.02, -0.08, 0.01, -0.03, -0.06])
    found = pooled(rigs(y, np.full(6, 1e-4)))
    assert found.tau2[0] == pytest.approx(y.var(ddof=1) - 1e-4)
    assert found.mean[0] == pytest.approx(y.mean()) and found.error[0] == pytest.approx(y.std(ddof=1) / 6 ** 0.5)


@given(st.permutations(range(12)), st.integers(0, 11))
@settings(max_examples=25, deadline=None)
def test_neither_the_order_nor_copies_of_evidence_change_what_is_pooled(order: list[int], copied: int) -> None:
    all_ = [record(rig, 0.01 * rig - 0.06) for rig in range(12)]
    copy = all_[copied].model_copy(update={"rig": digest("somebody else"), "software": "9"})
    assert of([all_[one] for one in order]).changes == of(all_).changes
    mixed, one = of([all_[one] for one in order] + [copy]), only(all_)
    assert (mixed.copies, mixed.rigs) == (1, 12) and mixed.changes[0].telling.mean and one.mean
    assert mixed.changes[0].telling.mean.pct == pytest.approx(one.mean.pct)  # named otherwise, so added up otherwise


def test_who_passes_on_a_copied_logbook_is_the_same_rig_with_all_that_is_played_later() -> None:
    mine = [record(rig, -0.03) for rig in range(6)]
    copied = mine[0].model_copy(update={"rig": digest("a copy")})
    later = record(0, -0.031, study=1).model_copy(update={"rig": digest("a copy")})
    assert of([*mine, copied, later]).rigs == 6


def test_a_rig_that_tried_it_often_has_one_voice() -> None:
    often = [record(0, -0.2 + 0.001 * study, study=study) for study in range(50)]
    others = [record(rig, 0.001 * rig) for rig in range(1, 20)]
    found = only([*often, *others])
    assert (found.rigs, found.studies) == (20, 69) and found.mean is not None and found.mean.pct > -2.5


@pytest.mark.parametrize(("effects", "told"), [
    ([-0.06 - 0.001 * (one % 5) for one in range(20)], "helps everywhere"),
    ([0.06 + 0.001 * (one % 5) for one in range(20)], "hurts everywhere"),
    ([0.001 * (one % 3 - 1) for one in range(20)], "nothing that matters anywhere"),
    ([-0.06 if one % 5 else 0.001 for one in range(40)], "helps on about 80 of 100 rigs; on which is not known"),
    ([-0.06 if one % 2 else 0.06 for one in range(40)], "helps some and hurts some"),
    ([-0.06 - 0.001 * one for one in range(4)], "not known")])
def test_a_word_says_what_all_rigs_say_and_few_rigs_say_nothing(effects: list[float], told: str) -> None:
    assert only([record(rig, one) for rig, one in enumerate(effects)]).told == told


def test_a_fact_that_parts_the_rigs_is_named_and_tells_what_to_expect_here() -> None:
    random, records = np.random.default_rng(2), []
    for rig in range(40):
        limits = {"GPU": 90.0} if rig % 2 else {"CPU": 90.0}
        effect = (-0.08 if rig % 2 else 0.0) + random.normal(0, 0.006)
        records.append(record(rig, effect, limited_by=limits, facts={"cores": 4.0 + rig % 3 * 4}))
    found = only(records)
    assert found.told == "helps where the GPU is the limit"
    assert [(side.where, side.word, side.rigs) for side in found.sides] == [
        ("where the GPU is the limit", "helps", 20), ("where the GPU is not the limit", "nothing that matters", 20)]
    here, there = found.here({"cores": 8}, {"GPU": 95.0}), found.here({"cores": 8}, {"CPU": 95.0})
    assert here and there and here.high_pct < -4 and there.low_pct > -4 and abs(there.pct) < 2


def test_a_tenth_of_liars_bring_no_word_about_and_the_bounds_hold_what_the_honest_say() -> None:
    random = np.random.default_rng(3)
    honest = [record(rig, random.normal(0, 0.004)) for rig in range(45)]
    liars = [record(100 + rig, -0.4, error=1e-6) for rig in range(5)]
    alone, together = only(honest), only([*honest, *liars])
    assert alone.mean and together.bounds and together.bounds[0] < alone.mean.pct < together.bounds[1]
    assert not together.told.startswith("helps")


@pytest.mark.parametrize(("frames", "said"), [
    (0.0, "helps everywhere (median latency)"), (0.06, "helps everywhere (median latency); hurts mean frame time")])
def test_what_a_gain_costs_is_told_beside_it(frames: float, said: str) -> None:
    records = []
    for rig in range(12):
        one = record(rig, frames + rig / 1e4)
        wait = one.found[0].model_copy(update={"metric": "latency_ms_median", "log_ratio": -0.1 - rig / 1e4})
        records.append(one.model_copy(update={"found": (*one.found, wait)}))
    assert change_does(pool_evidence(flattened(records), PoolPlan(("made up",))).changes[0]) == said


def test_whatever_was_begun_counts_and_what_a_pack_claims_does_not() -> None:
    nothing = record(50, 0.0).found[0].model_copy(update=dict.fromkeys(("log_ratio", "error", "dof")))
    found = of([*(record(rig, -0.05) for rig in range(6)), record(50, 0.0, state="not finished", found=(nothing,)),
                record(60, -0.5, state="claimed")])
    one = found.changes[0].metrics[0]
    assert (found.claimed, one.rigs, one.silent) == (1, 6, 1) and one.mean and one.mean.pct > -10


def test_moderated_variances_believe_nobody_who_claims_to_know_it_exactly() -> None:
    v = moderated(np.r_[np.full(20, 1e-4), 1e-18], np.r_[np.full(20, 6.0), 1e6], np.zeros(21, dtype=np.intp))
    assert v[-1] >= 0.1 * v[0] and v[0] == pytest.approx(1e-4, rel=0.1)


def mangled(draw: st.DrawFn) -> bytes:
    line = record(1, -0.02).line().encode()
    place = draw(st.integers(0, len(line) - 1))
    return draw(st.sampled_from([
        line[:place], line[:place] + draw(st.binary(max_size=4)) + line[place + 1:],
        line.replace(b"-0.02", draw(st.sampled_from([b"NaN", b"1e999", b'"x"', b"null", b"-9", b"[]", b"true"]))),
        line.replace(b'"cores":8.0', draw(st.sampled_from(
            [b'"cores":NaN', b'"a\\u0000":1', b'"x":{"y":1}', b'"x":1e99']))),
        b"[" * 5000, line.replace(b"gpu.clock-policy", b"../../x"), line * 200])) or b"?"


@given(st.composite(mangled)())
@settings(max_examples=100, deadline=None)
def test_mangled_records_are_left_out_each_in_one_line(tmp_path_factory: pytest.TempPathFactory, bad: bytes) -> None:
    file = tmp_path_factory.mktemp("evidence") / "x.jsonl"
    file.write_bytes(record(2, -0.03).line().encode() + b"\n" + bad.replace(b"\n", b" ") + b"\n")
    found = read_evidence([file])
    assert 1 <= len(found.table) <= 2 and len(found.refused) == 2 - len(found.table)
    assert all("\n" not in one and str(file) in one for one in found.refused)
    ratios = [one for one in found.table["log_ratio"].to_pylist() if one is not None]
    assert all(abs(one) <= 5 for one in ratios)
    pool_evidence(found.table, PLAN)


HOSTILE = {"rig": "../../etc", "metric": "x; drop", "log_ratio": 7.0, "error": -1.0, "dof": 0.0, "blocks": -1.0,
           "change": '[{"setting":"a","before":1}]', "facts": '{"cores":{"x":1}}', "limited_by": '{"GPU":1e9}',
           "seconds": 0.0, "seed": -1, "repeats": 1e9, "verdict": "splendid",
           "state": "won", "day": "yesterday", "software": "\x1b[2J",
           "game": "A B", "kind": "story", "study": ""}


@pytest.mark.parametrize("column", HOSTILE)
def test_a_row_of_parquet_that_breaks_the_form_is_left_out(tmp_path: Path, column: str) -> None:
    table = flattened([record(1, -0.02), record(2, -0.03)])
    rows = table.to_pylist()
    rows[0][column] = HOSTILE[column]
    pq.write_table(pa.Table.from_pylist(rows, table.schema), tmp_path / "x.parquet")
    found = read_evidence([tmp_path])
    assert found.table.to_pylist() == rows[1:] and len(found.refused) == 1 and "1 rows left out" in found.refused[0]


def test_what_is_no_evidence_is_one_line_and_the_rest_is_read(tmp_path: Path) -> None:
    (tmp_path / "good.jsonl").write_text(record(1, -0.02).line() + "\n")
    (tmp_path / "text.parquet").write_text("no parquet")
    (tmp_path / "wrong.jsonl").write_bytes(record(1, -0.02).line().encode() + b"\nx" * 100_000)
    (tmp_path / "cut.parquet").write_bytes(b"PAR1" + b"\0" * 40 + b"PAR1")
    pq.write_table(pa.table({"x": [1]}), tmp_path / "other.parquet")
    (tmp_path / "bad.toml").write_text("format = 3")
    (tmp_path / "book").mkdir()
    (tmp_path / "book" / "logbook.sqlite").write_bytes(b"SQLite format 3\0" + b"x" * 200)
    found = read_evidence([tmp_path])
    assert len(found.table) == 1 and len(found.refused) == 6 and not any("\n" in one for one in found.refused)
    with pytest.raises(EvidenceError, match="is not there"):
        read_evidence([tmp_path / "nowhere"])


@pytest.mark.parametrize("odd", ["an error of next to nothing", "texts without end"])
def test_a_record_that_could_not_be_kept_is_left_out_and_the_others_are_pooled(tmp_path: Path, odd: str) -> None:
    strange = record(3, -0.02, error=1e-12) if odd.startswith("an error") else record(3, -0.02, change=tuple(
        Switch(setting=f"a.b{number}", before="x" * 400, after="y" * 400) for number in range(30)))
    lines = [record(rig, -0.03).line() for rig in range(10, 16)]
    (tmp_path / "x.jsonl").write_text("\n".join([*lines, strange.line()]))
    with keenlattice.open(tmp_path / "book") as ws:
        played = ws.pool.read(tmp_path / "x.jsonl")
        assert played.result.rigs == 6 and len(played.result.refused) == 1
        assert ws.studies.recompute(played.number).equal


def test_a_logbook_tells_what_was_tried_and_who_tampered_with_it_is_named(keen: Keen, tmp_path: Path) -> None:
    keen("edit", "brass-orbit", "frame.queue-depth=1")
    keen("trial", "brass-orbit@stock", "brass-orbit", "--blocks", "2", "--seconds", "5", "--seed", "1")
    found = read_evidence([tmp_path / "book"])
    assert found.refused == () and len(found.table)
    with sqlite3.connect(tmp_path / "book" / "logbook.sqlite") as connection:
        connection.execute("UPDATE studies SET result = '{\"metrics\": 3}' WHERE result IS NOT NULL")
    connection.close()
    worse = read_evidence([tmp_path / "book"])
    assert worse.refused and all("\n" not in line for line in worse.refused)


def test_a_pool_of_claims_alone_knows_nothing_and_says_why(keen: Keen, tmp_path: Path) -> None:
    keen("edit", "brass-orbit", "frame.queue-depth=1")
    keen("trial", "brass-orbit@stock", "brass-orbit", "--blocks", "4", "--seconds", "10", "--seed", "1")
    pack = str(tmp_path / "mine.toml")
    keen("pack", "write", pack, "brass-orbit", "--since", "brass-orbit@stock", "--evidence")
    said = keen("pool", "read", pack).stdout
    assert "No change was tried on any rig" in said and "claims of packs are not counted" in said
    assert "frame.queue-depth" in keen("pool", "order", "brass-orbit@stock", pack).stdout
    assert keen("report", "--out", str(tmp_path / "x.html")).stdout


def test_the_schema_in_the_docs_is_the_form_of_a_record() -> None:
    import jsonschema

    told = json.loads((DOCS / "evidence.schema.json").read_text())
    assert told == schema()
    jsonschema.validate(json.loads(record(1, -0.02).line()), told)


LEAGUE = FleetPlan(players=6, tries=7, seconds=1.0, screens=True)


def test_a_league_that_was_stopped_goes_on_and_is_equal_whatever_plays_it(tmp_path: Path) -> None:
    play_fleet(replace(LEAGUE, players=3), tmp_path / "one")
    with ThreadPoolExecutor(2) as executor:
        play_fleet(LEAGUE, tmp_path / "one", executor)
        first, second = (sorted(path.read_bytes() for path in play_fleet(LEAGUE, tmp_path / name))
                         for name in ("one", "two"))
        assert first == second
        table = read_evidence([tmp_path / "one"], executor).table
        assert table.equals(read_evidence([tmp_path / "two"]).table)
        assert pool_evidence(table, PLAN, executor=executor).to_json() == pool_evidence(table, PLAN).to_json()
    with pytest.raises(UsageError, match="played otherwise"):
        play_fleet(replace(LEAGUE, tries=5), tmp_path / "one")


def test_a_pool_is_equal_over_how_many_processes_it_is_computed(keen: Keen, tmp_path: Path) -> None:
    play_fleet(LEAGUE, tmp_path / "league")
    first, second = (json.loads(keen("pool", "read", str(tmp_path / "league"), "--json", *spread).stdout)
                     for spread in ([], ["--workers", "2"]))
    assert {**first, "study": 0} == {**second, "study": 0}


def test_careless_players_say_what_is_not_so() -> None:
    plan = replace(LEAGUE, tries=1, seconds=4.0, screens=False, blocks=4)
    honest = {number: evidence_of(plan, number) for number in range(6)}
    told = {number: evidence_of(replace(plan, careless=1.0), number) for number in range(6)}
    assert all(told[number] != honest[number] for number in honest)


def test_what_is_known_is_not_computed_again(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    import keenlattice.study.pool.play as play

    table = flattened([record(rig, -0.03) for rig in range(8)])
    other = flattened([record(rig, 0.01, change=(Switch(setting="sync.vertical", before="on", after="off"),))
                       for rig in range(8)])
    before, concluded, computed = pool_evidence(table, PLAN), play.concluded, []
    monkeypatch.setattr(play, "concluded", lambda chunk: computed.extend(chunk.groups) or concluded(chunk))
    both = pa.concat_tables([table, other])
    found = pool_evidence(both, PLAN, before=before)
    assert len(computed) == 1 and len(found.changes) == 2
    assert found.changes == pool_evidence(both, PLAN).changes


def test_a_logbook_and_the_evidence_written_from_it_say_the_same(tmp_path: Path) -> None:
    with keenlattice.open(tmp_path / "book") as ws:
        changed = ws.edit("brass-orbit", {"frame.queue-depth": 1})
        ws.trial("brass-orbit@stock", changed, blocks=4, seconds=2, seed=1)
        with pytest.raises(KeyboardInterrupt):
            ws.trial("brass-orbit@stock", changed, blocks=4, seconds=2, seed=2, progress=_stop)
        written = ws.pool.write_evidence(tmp_path / "mine.jsonl")
        assert (written.records, written.studies) == (2, 2)
        text = (tmp_path / "mine.jsonl").read_text()
        assert "not finished" in text and not {ws.opened.author, str(tmp_path)} & {*text.split('"')}
        book, file = (read_evidence([tmp_path / name]).table for name in ("book", "mine.jsonl"))
        assert book.drop_columns(["facts"]).to_pylist()[:8] == file.drop_columns(["facts"]).to_pylist()[:8]
        played = ws.pool.read(tmp_path / "book", tmp_path / "mine.jsonl")
        assert (played.result.copies, played.result.rigs) == (2, 1)
        assert ws.studies.recompute(played.number).equal
        again = ws.pool.read(tmp_path / "mine.jsonl", add=True)
        assert again.result.changes == played.result.changes
        with pytest.raises(BookError, match="newest pool alone"):
            ws.studies.recompute(played.number)


def _stop(done: int, _total: int) -> None:
    if done == 2:
        raise KeyboardInterrupt


def test_the_pool_stands_beside_settings_and_says_what_to_try_first(keen: Keen, tmp_path: Path) -> None:
    made = [one for number in range(20) for one in (
        record(number, -0.07 - number / 1000), record(number, number / 5000, change=(
            Switch(setting="process.io-priority", before="normal", after="high"),)))]
    (tmp_path / "all.jsonl").write_text("".join(f"{one.line()}\n" for one in made))
    keen("edit", "brass-orbit", "gpu.clock-policy=hold-high", "process.io-priority=high")
    assert "helps everywhere" not in keen("show", "brass-orbit").stdout
    assert keen("pool", "read", str(tmp_path / "all.jsonl")).stdout
    for words in (["show", "brass-orbit"], ["show", "brass-orbit", "gpu.clock-policy"], ["pool", "look"]):
        assert "helps everywhere" in keen(*words).stdout, words
    said = keen("pool", "order", "brass-orbit@stock", "brass-orbit").stdout
    assert said.index("gpu.clock-policy") < said.index("process.io-priority")


def test_evidence_holds_nothing_of_a_players_own(tmp_path: Path) -> None:
    ws = keenlattice.Workspace(tmp_path / "book")
    short = {"blocks": 2, "seconds": 2.0, "seed": 1}
    for own in ({"file.table_playername": "Ada of Elm Street"}, {"process.affinity": "0-3"},
                {"frame.queue-depth": 1, "file.table_nudgestrength": "0.9"}):
        ws.edit("brass-orbit@stock", own)
        ws.trial("brass-orbit@stock", "brass-orbit", **short)
    with pytest.raises(UsageError, match="3 are about settings or values of your own"):
        ws.pool.write_evidence(tmp_path / "mine.jsonl")
    ws.edit("brass-orbit@stock", {"frame.cap": "= refresh - 3", "process.io-priority": "high"}, note="for Ada")
    ws.trial("brass-orbit@stock", "brass-orbit", **short)
    alike = [ws.edit("brass-orbit@stock", {"frame.cap": 100}, note=note) for note in ("first", "second")]
    ws.trial(*alike, **short)  # switches nothing: neither evidence nor withheld
    written = ws.pool.write_evidence(tmp_path / "mine.jsonl")
    text = (tmp_path / "mine.jsonl").read_text()
    assert (written.studies, written.withheld) == (1, 3)
    assert not any(word in text for word in ("Ada", "/home", "Elm", "Quill", "Heron", "file."))
    (record,) = map(json.loads, text.splitlines())
    assert record["facts"]["os"] == "Marl 4"


def test_evidence_that_contradicts_itself_is_left_out(tmp_path: Path) -> None:
    good, same = record(1, -0.05), json.loads(record(2, -0.05).line())
    same["change"][0]["after"] = same["change"][0]["before"]
    twice = json.loads(record(3, -0.05).line())
    twice["found"] *= 2
    late = json.loads(record(4, -0.05).line()) | {"day": "9999-99-99"}
    (tmp_path / "a.jsonl").write_text("\n".join([good.line(), *map(json.dumps, (same, twice, late))]))
    read = read_evidence([tmp_path / "a.jsonl"])
    assert len(read.table) == 1 and len(read.refused) == 3
    assert "nothing was changed" in read.refused[0] and "given twice" in read.refused[1] and "day" in read.refused[2]
    flat = flattened([record(5, -0.05), record(5, 0.05), record(6, -0.05), record(6, -0.05)])
    pq.write_table(flat, tmp_path / "b.parquet")
    read = read_evidence([tmp_path / "b.parquet"])
    assert len(read.table) == 3 and "given twice of one study" in read.refused[0]  # a copy is not a contradiction


@pytest.mark.parametrize("column", ["rig", "found", "seed", "change"])
def test_one_file_of_a_wrong_shape_does_not_stop_the_others(tmp_path: Path, column: str) -> None:
    flat = flattened([record(1, -0.05)])
    nested = pa.array([[{"a": [1, None]}]])
    columns = {name: nested if name == column else flat[name] for name in flat.column_names}
    more = {column: nested} if column not in columns else {}
    pq.write_table(pa.table({**columns, **more}), tmp_path / "bad.parquet")
    (tmp_path / "good.jsonl").write_text(record(2, -0.05).line())
    read = read_evidence([tmp_path])
    assert len(read.table) == 1 and len(read.refused) == 1 and "\n" not in read.refused[0]


def test_two_pools_at_once_both_have_their_evidence(tmp_path: Path) -> None:
    for number in range(2):
        lines = [record(rig + 20 * number, -0.05).line() for rig in range(9)]
        (tmp_path / f"{number}.jsonl").write_text("\n".join(lines))
    keenlattice.Workspace(tmp_path / "book").close()

    def pool(number: int) -> int:
        with keenlattice.Workspace(tmp_path / "book") as ws:
            return ws.pool.read(tmp_path / f"{number}.jsonl").number

    with ThreadPoolExecutor(2) as threads:
        numbers = sorted(threads.map(pool, range(2)))
    with keenlattice.Workspace(tmp_path / "book") as ws:
        assert numbers == [1, 2] and ws.studies.recompute(2).equal
