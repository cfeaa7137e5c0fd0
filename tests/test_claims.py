"""Claims with evidence: written into a pack, shown beside it, repeated here; and work spread over other executors."""

import tomllib
from collections.abc import Iterator
from concurrent.futures import Executor, ProcessPoolExecutor, ThreadPoolExecutor
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import Keen, as_json
from keenlattice.errors import CaptureError
from keenlattice.measure.many import metrics_of_dataset
from keenlattice.measure.parquet import write_capture
from keenlattice.measure.resample import quantile_interval, resampled_quantiles
from keenlattice.profile.pack import Claim
from keenlattice.rig.standin.machine import Standin
from keenlattice.rig.standin.pipeline import simulate_many
from keenlattice.study.trial.result import MetricResult, held

PACK = Path(__file__).parent.parent / "examples" / "packs" / "pinball-league.toml"


@pytest.mark.parametrize(("direction", "least", "low", "high", "says"), [
    ("down", 10, -15, -11, "holds"), ("down", 10, -15, -9, "unclear"), ("down", 10, -9, -7, "does not hold"),
    ("down", 10, 3, 4, "does not hold"), ("up", 5, 6, 9, "holds"), ("up", 5, -1, 4, "does not hold"),
    ("up", 0, 0.1, 4, "holds"), ("down", 0, -3, 1, "unclear"), ("up", 0, -3, 0, "does not hold")])
def test_whether_a_claim_holds(direction: str, least: float, low: float, high: float, says: str) -> None:
    one = MetricResult("fps_mean", "fps", 1.0, 1.0, (low + high) / 2, low, high, "unclear", 0.95, 8)
    assert held(Claim(metric="fps_mean", direction=direction, at_least_pct=float(least)),
                one) == says  # type: ignore[arg-type]
    assert held(Claim(metric="fps_mean", direction="up", at_least_pct=0.0), replace(one, low_pct=None)) == "unclear"


def test_evidence_travels_with_its_claim_and_is_repeated(keen: Keen, tmp_path: Path) -> None:
    keen("edit", "brass-orbit", "frame.queue-depth=1", "-m", "flippers sooner")
    write = ["pack", "write", "mine.toml", "brass-orbit", "--evidence"]
    assert "keen trial brass-orbit@stock" in keen(*write, code=2).stderr
    done = as_json(keen("trial", "brass-orbit@stock", "brass-orbit", "--decides", "latency_ms_median", "--matters", "5",
                        "--seconds", "10", "--seed", "1", "--json"))
    keen(*write)
    (rule,) = tomllib.loads((tmp_path / "mine.toml").read_text())["rule"]
    claim = rule["claim"][0]
    high = done["metrics"][0]["high_pct"]
    assert (claim["metric"], claim["direction"]) == ("latency_ms_median", "down")
    assert claim["at_least_pct"] == pytest.approx(-0.8 * high, abs=0.11)
    assert claim["evidence"][0]["high_pct"] == pytest.approx(high, abs=0.01) and claim["evidence"][0]["blocks"] <= 8
    assert "Its author measured -" in keen("pack", "look", "mine.toml").stdout
    words = ["studies", "claims", "mine.toml", "--book", "elsewhere", "--seconds", "10", "--seed", "2"]
    assert "so it holds on this rig, too" in keen(*words).stdout
    (tmp_path / "mine.toml").write_text((tmp_path / "mine.toml").read_text().replace('"down"', '"up"'))
    assert {one["here"] for one in as_json(keen(*words, "--json"))["rules"][0]["claims"]} == {"does not hold"}
    pack = as_json(keen("studies", "claims", str(PACK), "--book", "elsewhere", "--seconds", "5", "--json"))
    assert [(one["rule"], bool(one["not_repeated"])) for one in pack["rules"]] == [(1, False), (3, True)]
    keen("edit", "brass-orbit", "frame.queue-depth=2", "antialias.gamma=off")
    (tmp_path / "bare.toml").write_text('format = "keen-lattice/pack/1"\ntitle = "x"\n[[rule]]\ngame = "rig"\n')
    assert "claims nothing" in keen("studies", "claims", "bare.toml", code=2).stderr


@given(st.integers(25, 400), st.sampled_from([0.5, 0.9, 0.99, 0.999]), st.integers(1, 40), st.integers(0, 1000))
def test_resampled_quantiles_are_those_of_the_resamples(size: int, share: float, block: int, seed: int) -> None:
    frames = 8 * np.exp(np.random.default_rng(seed).normal(0, 0.3, size))
    block = min(block, size)
    found = resampled_quantiles(frames, share, block, 20, np.random.default_rng(seed))
    starts = np.random.default_rng(seed).integers(0, size, (20, -(-size // block)))
    plain = [np.quantile(frames[((row[:, None] + np.arange(block)) % size).ravel()], share) for row in starts]
    assert found == pytest.approx(plain, rel=1e-12)


@contextmanager
def two_workers() -> Iterator[Executor]:
    distributed = pytest.importorskip("distributed", reason="no cluster is installed")
    Client, LocalCluster = distributed.Client, distributed.LocalCluster  # noqa: N806

    with (LocalCluster(n_workers=2, threads_per_worker=1, processes=True, dashboard_address=None) as cluster,
          Client(cluster) as client):
        yield client.get_executor()


@pytest.mark.parametrize("executor", [lambda: ThreadPoolExecutor(2), lambda: ProcessPoolExecutor(2), two_workers])
def test_results_are_equal_whatever_they_are_spread_over(rig: Standin, tmp_path: Path, executor: object) -> None:
    line = rig.pipeline("brass-orbit")
    here = simulate_many(line, 4, range(6))
    runs = [capture.frame_ms for capture in here]
    with executor() as spread_over:  # type: ignore[operator]
        there = simulate_many(line, 4, range(6), spread_over)
        assert all(np.array_equal(one.shown_ms, other.shown_ms) and np.array_equal(one.answer_ms, other.answer_ms, True)
                   for one, other in zip(here, there, strict=True))
        assert quantile_interval(runs, resamples=200, executor=spread_over) == quantile_interval(runs, resamples=200)
        for number, capture in enumerate(here):
            write_capture(capture, tmp_path / f"{number}.parquet")
        (tmp_path / "0-cut.parquet").write_bytes(b"PAR1")
        many = metrics_of_dataset(tmp_path, ["fps_mean"], spread_over)
        assert many == metrics_of_dataset(tmp_path, ["fps_mean"]) and len(many.table()) == 6
        assert many._repr_html_().count("6 captures") == 1
        assert [one.file for one in many.captures if one.refused] == ["0-cut.parquet"]
    middle, low, high = quantile_interval(runs)
    assert low < middle < high
    for bad in ({"runs": []}, {"runs": [np.ones(5)]}, {"runs": runs, "share": 0.2}):
        with pytest.raises(CaptureError):
            quantile_interval(**bad)  # type: ignore[arg-type]
