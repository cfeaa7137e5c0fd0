"""A trial of files that a player recorded before any plan: known truths, and what is refused."""

import os
from pathlib import Path

import numpy as np
import pytest

import keenlattice
from keenlattice import KeenLatticeError, UsageError, Workspace

RUNS, FRAMES = 8, 600


@pytest.fixture
def ws(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Workspace:
    monkeypatch.chdir(tmp_path)
    return Workspace(tmp_path / "book")


def record(means: dict[str, float], seed: int, drift: float = 0.0, in_turn: bool = True) -> list[str]:
    """Write runs of two labels, played in turn or one after the other, on a machine that drifts; their order."""
    random, (first, second) = np.random.default_rng(seed), means
    labels = [label for run in range(RUNS) for label in ((first, second) if run % 2 else (second, first))]
    order, counts = [], dict.fromkeys(means, 0)
    for place, label in enumerate(labels if in_turn else sorted(labels)):
        counts[label] += 1
        level = means[label] * np.exp(drift * place / (2 * RUNS) + random.normal(0, 0.004))
        frames = random.gamma(40, level / 40, FRAMES)
        order.append(f"{label}-{counts[label]}.csv")
        Path(order[-1]).write_text("\n".join(["t [ms]", *(f"{at:.3f}" for at in np.cumsum(frames))]))
        os.utime(order[-1], (1e9 + 60 * place, 1e9 + 60 * place))
    return order


BOTH = {"quick": "quick-*.csv", "stock": "stock-*.csv"}


def test_a_difference_is_found_in_one_call(ws: Workspace) -> None:
    order = record({"quick": 7.6, "stock": 8.0}, seed=1)
    told = ws.trial_of_files(BOTH, order=order, decides="frame_ms_mean")
    assert told.result.deciding.verdict == "worse" and told.result.doubts == ()
    assert told.result.deciding.low_pct < 100 * (8 / 7.6 - 1) < told.result.deciding.high_pct  # type: ignore[operator]
    dated = ws.trial_of_files(BOTH, decides="frame_ms_mean")
    assert dated.result.metrics == told.result.metrics and "when their files were saved" in dated.result.doubts[0]
    assert ws.studies.recompute(dated.number).runs == 2 * RUNS
    page = told.report().html()
    assert "drawn at random" not in page and "Quill" not in page and "this rig" not in page and "keen trial" not in page
    assert len(ws.studies.runs(told.number).table()) == 2 * RUNS


@pytest.mark.long
def test_alike_files_are_told_apart_in_at_most_one_of_twenty(ws: Workspace) -> None:
    words = []
    for seed in range(20):
        order = record({"quick": 8.0, "stock": 8.0}, seed=seed, drift=0.05)
        words.append(ws.trial_of_files(BOTH, order=order, decides="frame_ms_mean").result.deciding.verdict)
    assert sum(word in ("better", "worse") for word in words) <= 3  # 1 is expected at most; 4 come in one of 60


def test_no_word_where_one_version_came_after_the_other(ws: Workspace) -> None:
    order = record({"quick": 8.0, "stock": 8.0}, seed=3, drift=0.1, in_turn=False)
    result = ws.trial_of_files(BOTH, order=order, decides="frame_ms_mean").result
    assert result.deciding.verdict == "unclear" and "have to be played in turn" in result.doubts[0]
    assert result.deciding.n == RUNS and result.deciding.low_pct is not None  # it is described all the same


@pytest.mark.parametrize(("files", "says"), [
    ({"a": "stock-1.csv"}, "1 version: a trial of files takes two"),
    ({"a": "stock-1.csv", "b": "nothing-*.csv"}, "no file matches nothing-*.csv"),
    ({"a": "stock-1.csv", "b": "gone.csv"}, "gone.csv: "),
    ({"a": "stock-*.csv", "b": "quick-1.csv"}, "8 of a and 1 of b"),
    ({"a": "stock-1.csv", "b": "stock-1.csv"}, "stock-1.csv is named twice"),
    ({"a": "stock-1.csv", "b": "words.csv"}, "words.csv"), ({"a": [], "b": []}, "0 of a and 0 of b"),
    ({"a" * 300_000: "stock-*.csv", "b": "quick-*.csv"}, "is not a label"),
    ({"brass-orbit@stock": "stock-*.csv", "brass-orbit@nothing": "quick-*.csv"}, "no version named"),
    ({"brass-orbit@stock": "stock-*.csv", "tidewater-rally@stock": "quick-*.csv"}, "are of two profiles")])
def test_what_cannot_be_compared_is_one_line_and_leaves_nothing(ws: Workspace, files: dict[str, str],
                                                                 says: str) -> None:
    record({"quick": 8.0, "stock": 8.0}, seed=1)
    Path("words.csv").write_text("name\nfoo\nbar\n")
    with pytest.raises(KeenLatticeError) as refused:
        ws.trial_of_files(files)
    assert says in str(refused.value) and "\n" not in str(refused.value)
    with keenlattice.open(ws.book.folder) as again:
        assert again.studies.list().studies == ()


def test_runs_of_a_version_that_a_label_names_are_kept_as_its_runs(ws: Workspace) -> None:
    record({"quick": 7.6, "stock": 8.0}, seed=1)
    quick = ws.edit("brass-orbit", {"frame.queue-depth": 1})
    trial = ws.trial_of_files({"brass-orbit@stock": "stock-*.csv", quick.after.reference: "quick-*.csv"})
    assert len(ws.recordings.of(quick)) == RUNS and trial.report().html().count("frame.queue-depth")
    assert ws.compare("brass-orbit@stock", quick).trials == (trial.result,)
    with pytest.raises(UsageError, match="none was begun yet"):  # nobody has told of which machine they are
        ws.pool.write_evidence("mine.jsonl")
