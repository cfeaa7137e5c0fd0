"""Sentences, tables and figures: no more digits than were measured, nothing cut, nothing overlapping."""

import itertools
import math
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from matplotlib.figure import Figure
from matplotlib.text import Text

from keenlattice.cli.output import say, styled, table
from keenlattice.errors import KeenLatticeError
from keenlattice.measure.capture import Capture
from keenlattice.profile.version import Entries, Version, stock
from keenlattice.report.figure_of_capture import capture_figure, compare_figure
from keenlattice.report.frames import frame_times, recurring
from keenlattice.report.style import DPI, LINES, SIZE_INCHES, new_figure, save
from keenlattice.report.words import rounded
from keenlattice.rig.standin.machine import Standin
from keenlattice.study.deciding import Deciding
from keenlattice.study.trial.figure import trial_figure, typical_block
from keenlattice.study.trial.plan import TrialPlan
from keenlattice.study.trial.play import run_trial
from keenlattice.study.trial.result import MetricResult, Trial, Verdict
from keenlattice.study.trial.words import amount, key_of, percent
from keenlattice.workspace.workspace import Workspace


def result_of(low: float | None, high: float | None, verdict: str = "unclear") -> MetricResult:
    middle = None if low is None or high is None else (low + high) / 2
    after = None if middle is None else 10 * (1 + middle / 100)
    return MetricResult("frame_ms_mean", "ms", None if low is None else 10.0, after, middle, low, high,
                        verdict, 0.95, 8)  # type: ignore[arg-type]


@pytest.mark.parametrize(("value", "uncertainty", "text"), [
    (32.1734, 0.8, "32.2"), (32.1734, 0.05, "32.17"), (32.1734, 4, "32"), (245.6, 30, "246"),
    (1.23456, 0.0001, "1.235"),
])
def test_as_many_digits_as_the_uncertainty_leaves(value: float, uncertainty: float, text: str) -> None:
    assert rounded(value, uncertainty) == text


@pytest.mark.parametrize(("low", "high", "change", "interval"), [
    (-25.04, -22.83, "-23.9 %", "-25.0 to -22.8 %"), (-0.04, 0.03, "0 %", "0 to 0 %"),
    (-76.1, -36.9, "-56 %", "-76 to -37 %"), (0.52, 1.9, "+1.2 %", "+0.5 to +1.9 %"),
])
def test_a_change_and_its_interval(low: float, high: float, change: str, interval: str) -> None:
    assert percent(result_of(low, high)) == (change, interval)


def test_a_sentence_for_each_verdict() -> None:
    for metric, told in ((result_of(5, 9, "worse"), "is worse: "), (result_of(-1, 9), "is unclear: "),
                         (result_of(-1, 1, "no difference that matters"), "shows no difference that matters: "),
                         (result_of(None, None), "is unclear: fewer than two blocks")):
        trial = Trial("g", "a", "b", TrialPlan(decides=Deciding(metric.name)), (metric,))
        assert told in key_of(trial, metric).sentence
    assert amount(result_of(None, None), None) == "-"


words = st.text(st.characters(codec="ascii", exclude_categories=("Cc", "Zs")), min_size=1, max_size=12)
cells = st.lists(words, max_size=6).map(" ".join)


@given(st.integers(40, 140), st.lists(st.tuples(words, cells, cells), max_size=5))
def test_a_table_fits_its_width_and_loses_nothing(columns: int, rows: list[tuple[str, str, str]]) -> None:
    import contextlib
    import io
    import os
    from unittest import mock

    printed = io.StringIO()
    with mock.patch.dict(os.environ, COLUMNS=str(columns)), contextlib.redirect_stdout(printed):
        table(["name", "one", "other"], rows)
    lines = printed.getvalue().splitlines()
    assert all(len(line) <= columns for line in lines)
    told = "".join(printed.getvalue().split())
    assert sorted(told) == sorted("".join(itertools.chain("name", "one", "other", *("".join(row).replace(" ", "")
                                                                                   for row in rows))))


def test_into_a_pipe_lines_are_whole_and_plain(capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
                                               ) -> None:
    monkeypatch.delenv("COLUMNS", raising=False)
    say("word " * 100 + "[bold]", "bold red")
    assert capsys.readouterr().out == ("word " * 100 + "[bold]").strip() + "\n"
    assert styled("better", "bold green") == "better"


@pytest.fixture(scope="module")
def drawn(tmp_path_factory: pytest.TempPathFactory) -> tuple[Trial, dict[str, list[Capture]]]:
    captures: dict[str, list[Capture]] = {"before": [], "after": []}
    entries: Entries = {"frame.cap": 160}
    result = run_trial(Standin(tmp_path_factory.mktemp("rig")), stock("brass-orbit"), Version("brass-orbit", entries),
                       TrialPlan(4, 10, 1), on_run=lambda run: captures[run.arm].append(run.capture))
    return result, captures


def test_no_text_of_the_figure_overlaps_or_is_cut(drawn: tuple[Trial, dict[str, list[Capture]]]) -> None:
    result, captures = drawn
    assert_clear(trial_figure(result, captures["before"], captures["after"]), 40)


WHOLE = (SIZE_INCHES[0] * DPI, SIZE_INCHES[1] * DPI)


def assert_clear(figure: Figure, least: int, size: tuple[float, float] = WHOLE) -> None:
    """No text lies over another, or runs off the figure."""
    renderer = figure.canvas.get_renderer()  # type: ignore[attr-defined]
    figure.draw(renderer)
    boxes = [(text.get_text(), text.get_window_extent(renderer)) for text in figure.findobj(Text)
             if text.get_visible() and text.get_text().strip()]  # type: ignore[attr-defined]
    assert len(boxes) > least
    width, height = size
    for text, box in boxes:
        assert box.x0 >= -1 and box.y0 >= -1 and box.x1 <= width + 1 and box.y1 <= height + 1, text
    for (one, first), (other, second) in itertools.combinations(boxes, 2):
        wide = min(first.x1, second.x1) - max(first.x0, second.x0)
        high = min(first.y1, second.y1) - max(first.y0, second.y0)
        assert wide < 2 or high < 2, (one, other)


def test_every_axis_of_the_figure_has_its_unit(drawn: tuple[Trial, dict[str, list[Capture]]]) -> None:
    result, captures = drawn
    axes = trial_figure(result, captures["before"], captures["after"]).axes
    assert len(axes) == 5
    assert all("ms" in one.get_ylabel() + one.get_xlabel() or "%" in one.get_xlabel() for one in axes)
    block = typical_block(result, captures["before"], captures["after"])
    assert 0 <= block < 4


def test_a_spike_is_never_lost_in_a_long_strip(drawn: tuple[Trial, dict[str, list[Capture]]]) -> None:
    frames = np.full(200_000, 4.0)
    frames[[10, 99_999, 150_000]] = (30.0, 40.0, 900.0)
    axes = frame_times(new_figure().add_subplot(), Capture(np.concatenate(([0.0], np.cumsum(frames)))), "black", 50.0)
    tops = [segment[1][1] for segment in axes.collections[0].get_segments()]  # type: ignore[attr-defined]
    assert max(tops) == 50.0 and sum(math.isclose(top, 30) or math.isclose(top, 40) for top in tops) == 2
    assert any("1 longer than 50 ms, to 900 ms" in text.get_text() for text in axes.texts)


def test_a_figure_that_cannot_be_written_is_said_so(tmp_path: Path, drawn: tuple[Trial, dict[str, list[Capture]]]
                                                     ) -> None:
    result, captures = drawn
    with pytest.raises(KeenLatticeError, match=r"f\.png"):
        save(trial_figure(result, captures["before"], captures["after"]), tmp_path / "no" / "f.png")
    nothing = [Capture(one.shown_ms) for one in captures["before"]]
    assert trial_figure(result, nothing, nothing)  # without latency, the figure says so instead of failing


def test_several_runs_are_drawn_the_first_over_the_last(drawn: tuple[Trial, dict[str, list[Capture]]]) -> None:
    _, captures = drawn
    before, after = captures["before"][0], captures["after"][0]
    figure = compare_figure({"as it was": before, "again": captures["before"][1], "flippers sooner": after}, "orbit")
    assert_clear(figure, 40)
    strips, budget = figure.axes[:2], figure.axes[-1]
    assert strips[0].get_ylim() == strips[1].get_ylim()
    curves = figure.axes[2]
    assert {text.get_text() for text in curves.texts} == {"as it was", "again", "flippers sooner"}
    assert len({str(dashes) for _, dashes in LINES}) == len(LINES) > len(curves.lines) == 3  # told apart without colour
    ends = [max(bar.get_x() + bar.get_width() for bar in budget.patches[side * 6:side * 6 + 6]) for side in (0, 1)]
    assert ends == pytest.approx([before.latency_ms.mean(), after.latency_ms.mean()])  # the stages add up to it
    bare = {"one": Capture(before.shown_ms), "other": Capture(after.shown_ms)}
    assert "stages not known" in [text.get_text() for text in compare_figure(bare, "no clicks").axes[-1].texts]


def test_hitches_that_recur_are_drawn_and_named() -> None:
    frames = 8 * np.exp(np.random.default_rng(1).normal(0, 0.08, 6000))
    for at in np.arange(1000, 45_000, 1500):
        frames[np.searchsorted(np.cumsum(frames), at)] += 25
    hitchy = Capture(np.concatenate(([0.0], np.cumsum(frames))))
    figure = capture_figure(hitchy, "hitchy")
    assert_clear(figure, 20)
    assert "every 1.5 s, 25 ms each" in [text.get_text() for text in figure.axes[1].texts]
    axes = recurring(new_figure().add_subplot(), Capture(np.arange(5000) * 8.0))
    assert [text.get_text() for text in axes.texts] == ["too few late frames to tell"]


@pytest.mark.parametrize("kind", ["full", "frames only", "long"])
def test_a_run_is_drawn_without_losing_a_spike(tmp_path: Path, kind: str) -> None:
    random = np.random.default_rng(1)
    frames = 8 * np.exp(random.normal(0, 0.08, 2_000_000 if kind == "long" else 3000))
    frames[1234] = 77.0
    shown = np.concatenate(([0.0], np.cumsum(frames)))
    stages = {"cpu_ms": shown * 0 + 3.0, "gpu_ms": shown * 0 + 7.0} if kind == "full" else {}
    clicks = np.arange(40) * 200.0 if kind == "full" else np.empty(0)
    answers = clicks + random.normal(35, 5, clicks.size)
    if answers.size:
        answers[3] = np.nan
    figure = capture_figure(Capture(shown, clicks, answers, **stages), "brass-orbit on juniper")
    course = figure.axes[0]
    tops = [path.vertices[:, 1].max() for path in course.collections[0].get_paths()]
    assert max(tops) == pytest.approx(77.0)
    texts = [text.get_text() for axes in figure.axes for text in axes.texts] + [axes.get_title("left")
                                                                              for axes in figure.axes]
    assert "77 ms" in texts and "▼ 1 stutter" in texts
    assert ("Input latency (1 of 40 clicks unanswered)" in texts) is (kind == "full")
    for name in ("f.png", "f.svg"):
        save(figure, tmp_path / name)
    assert (tmp_path / "f.svg").read_text().startswith("<?xml")


@pytest.mark.parametrize(("verdict", "low", "n", "says"), [
    ("unclear", 4.0, 8, "(+20 %, between +4 and +40); all of that matters, and yet it is not sure enough for a word."),
    ("unclear", 4.0, 3, "(+20 %, between +4 and +40); fewer than 4 blocks have no word."),
    ("unclear", -4.0, 8, "(+20 %, between -4 and +40)."), ("worse", 4.0, 8, "(+20 %, between +4 and +40).")])
def test_an_unclear_interval_beyond_what_matters_says_why(verdict: Verdict, low: float, n: int, says: str) -> None:
    metric = MetricResult("stutters_per_min", "1/min", 4.0, 4.8, 20.0, low, 40.0, verdict, 0.95, n, 1.0)
    trial = Trial("brass-orbit", "a", "b", TrialPlan(n), (metric,))
    assert key_of(trial, metric).sentence.endswith(says)


def test_runs_open_with_what_was_measured_of_them_and_nothing_else(tmp_path: Path) -> None:
    result = Workspace(tmp_path / "book").measure("brass-orbit", runs=3, seconds=5, seed=1)
    keys = result.telling().keys
    assert [key.title for key in keys] == ["Frame rate", "Latency", "Stutters"]
    assert keys[0].figure == f"{np.median([run['fps_mean'] for run in result.runs]):.0f} fps"
    unknown = replace(result, runs=tuple({**run, "latency_ms_median": math.nan} for run in result.runs))
    assert [key.title for key in unknown.telling().keys] == ["Frame rate", "Stutters"]
