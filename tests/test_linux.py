"""The real driver stack: our scene under Xvfb, rendered in software, measured from outside.

Where Mesa, Xvfb or the extra is missing these tests are skipped and say so; `make test` installs them where it can.
"""

import os
import signal
import subprocess
import time
from collections.abc import Callable
from dataclasses import replace
from functools import cache
from pathlib import Path

import numpy as np
import pytest

from conftest import KEEN, as_json, environment
from keenlattice.errors import KeenLatticeError, NeedsInstalling, RigError
from keenlattice.logbook.book import Logbook
from keenlattice.measure.metrics import metrics_of
from keenlattice.profile.version import Version, stock
from keenlattice.rig.applying import apply
from keenlattice.rig.linux.driver import Driver, ask, settings_of
from keenlattice.rig.linux.machine import LinuxRig
from keenlattice.rig.linux.play import check_installed, scene_running
from keenlattice.rig.linux.x11.probe import Probe
from keenlattice.rig.undoing import undo
from keenlattice.study.deciding import Deciding
from keenlattice.study.screen.plan import ScreenPlan, factors_of
from keenlattice.study.screen.play import run_screen
from keenlattice.study.trial.concluding import conclude
from keenlattice.study.trial.plan import TrialPlan
from keenlattice.study.trial.play import run_trial

FILTER = {"mesa.pp_jimenezmlaa": 8}
MINE = b"<?xml version='1.0'?>\n<driconf>\n  <!-- mine --><device/>\n</driconf>\n"


@cache
def _missing() -> str:
    try:
        check_installed()
        ask()
    except KeenLatticeError as error:
        return str(error)
    return ""


def untimed_driver(test: Callable[..., None]) -> Callable[..., None]:
    """A test on the real driver: skipped where there is none. How fast anything is does not matter to it."""
    why = _missing()
    return pytest.mark.skipif(bool(why), reason=why or "all there")(test)


def real_driver(test: Callable[..., None]) -> Callable[..., None]:
    """A test on the real driver that is timed, so that nothing else may run beside it."""
    return pytest.mark.real(untimed_driver(test))


@pytest.fixture
def linux(tmp_path: Path) -> LinuxRig:
    (tmp_path / "home").mkdir()
    return LinuxRig(tmp_path / "state", tmp_path / "home" / ".drirc")


@real_driver
def test_the_driver_says_what_it_is_and_what_it_takes(linux: LinuxRig) -> None:
    assert linux.facts()["gpu"] and int(linux.facts()["driver_options"]) > 20
    quality = linux.catalog()["mesa.pp_jimenezmlaa"]
    assert (quality.kind, quality.low, quality.high, quality.stock) == ("whole", 0, 32, 0)
    assert linux.catalog()["mesa.transcode_etc"].kind == "switch" and "mesa.mesa_glthread" not in linux.catalog()
    assert linux.catalog()["driver.threaded-submission"].allowed() == "on, off"
    assert linux.catalog()["sync.vertical"].allowed() == "off, on, game decides"


def test_a_driver_that_gives_no_answer_leaves_the_rest_to_be_seen(linux: LinuxRig, monkeypatch: pytest.MonkeyPatch,
                                                                  tmp_path: Path) -> None:
    (tmp_path / "slow.py").write_text("import time; time.sleep(60)")
    monkeypatch.setattr("keenlattice.rig.linux.driver.QUERY", tmp_path / "slow.py")
    monkeypatch.setattr("keenlattice.rig.linux.children.ANSWERS_WITHIN_S", 0.2)
    facts = linux.facts()
    assert "no answer in 0.2 s" in str(facts["driver"]) and facts["driver_options"] == 0 and facts["ram_mib"]
    assert not [one for one in linux.catalog() if one.domain == "mesa"]


@real_driver
def test_what_is_recorded_from_outside_agrees_with_the_scene(linux: LinuxRig) -> None:
    capture = linux.play("scene", 3, 1)
    numbers = metrics_of(capture)
    assert numbers["frame_ms_p50"] == pytest.approx(capture.about["scene_frame_ms_p50"], rel=0.05)
    assert 2.5 < capture.seconds < 3.5
    answered = np.isfinite(capture.answer_ms)
    assert answered.sum() >= 10 and answered.mean() > 0.9
    assert numbers["latency_ms_median"] > 0.8 * numbers["frame_ms_p50"]


@real_driver
def test_a_filter_that_costs_is_found_to_cost(linux: LinuxRig) -> None:
    linux.config.write_bytes(MINE)
    runs: dict[str, list[dict[str, float]]] = {"before": [], "after": []}
    plan = TrialPlan(4, 1.5, 1, Deciding("frame_ms_mean", 20))
    result = run_trial(linux, stock("scene"), Version("scene", FILTER), plan,
                       on_run=lambda run: runs[run.arm].append(metrics_of(run.capture)))
    assert result["frame_ms_mean"].verdict == "worse", result
    latency = conclude(replace(plan, decides=Deciding("latency_ms_median", 20)), runs["before"], runs["after"])[0]
    assert latency.verdict == "worse", latency
    assert linux.config.read_bytes() == MINE


@real_driver
def test_a_version_against_itself_is_neither_better_nor_worse(linux: LinuxRig) -> None:
    result = run_trial(linux, stock("scene"), stock("scene"), TrialPlan(4, 1, 3, Deciding("frame_ms_mean", 20)))
    assert result["frame_ms_mean"].verdict in ("unclear", "no difference that matters")
    assert result["latency_ms_median"].verdict in ("unclear", "no difference that matters")
    assert not linux.config.exists()


@real_driver
def test_the_one_of_six_options_that_acts_is_found(linux: LinuxRig) -> None:
    options = {"mesa.force_glsl_abs_sqrt": True, "mesa.allow_glsl_relaxed_es": True, "mesa.force_gl_names_reuse": True,
               "mesa.allow_extra_pp_tokens": True, "mesa.transcode_etc": True, **FILTER}
    plan = ScreenPlan(factors_of({}, options), rounds=1, seconds=1, seed=1, decides=Deciding(matters_pct=20),
                      folded=False)
    result = run_screen(linux, stock("scene"), Version("scene", options), plan)
    standing = {one.settings[0]: one.telling.standing for one in result.factors}
    assert standing.pop("mesa.pp_jimenezmlaa") == "worse" and result.factors[0].settings == ("mesa.pp_jimenezmlaa",)
    assert set(standing.values()) <= {"does nothing that matters", "unclear"} and result.runs == 12
    assert not linux.config.exists()


@real_driver
@pytest.mark.parametrize("content", [None, MINE])
def test_apply_and_undo_leave_the_file_byte_for_byte(linux: LinuxRig, book: Logbook, content: bytes | None) -> None:
    if content:
        linux.config.write_bytes(content)
    apply(linux, book, book.commit("scene", FILTER))
    assert b'executable="keen-scene"' in linux.config.read_bytes()
    assert linux.values(linux.state(), "scene") == FILTER
    assert undo(linux, book).exactly
    assert (linux.config.read_bytes() if linux.config.exists() else None) == content


@untimed_driver
def test_a_kill_in_mid_trial_and_then_any_command(tmp_path: Path) -> None:
    config = tmp_path / ".drirc"
    config.write_bytes(MINE)
    env = environment(tmp_path, KEEN_BOOK=str(tmp_path / "book"), KEEN_RIG="here")
    keen: Callable[..., subprocess.CompletedProcess[str]] = lambda *words: subprocess.run(  # noqa: E731
        [*KEEN, *words], env=env, capture_output=True, text=True, check=True)
    keen("edit", "scene", "mesa.pp_jimenezmlaa=8")
    trial = subprocess.Popen([*KEEN, "trial", "scene@stock", "scene", "--seconds", "2"], env=env,
                             stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    until = time.monotonic() + 60
    while config.read_bytes() == MINE and time.monotonic() < until:
        time.sleep(0.01)
    assert config.read_bytes() != MINE
    trial.send_signal(signal.SIGKILL)
    trial.wait()
    said = keen("history", "scene")
    assert "was cut short" in said.stderr
    assert config.read_bytes() == MINE
    assert as_json(keen("history", "scene", "--json"))["versions"]
    time.sleep(0.5)
    assert str(tmp_path) not in subprocess.run(["ps", "-eo", "args"], capture_output=True, text=True, check=True).stdout


def test_what_is_missing_is_named_with_what_installs_it(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.delenv("DISPLAY", raising=False)
    monkeypatch.setenv("PATH", str(tmp_path))
    monkeypatch.setattr("keenlattice.rig.linux.play.EXTRA", {})
    with pytest.raises(NeedsInstalling, match="apt-get install xvfb"):
        check_installed()
    monkeypatch.setattr("keenlattice.rig.linux.play.EXTRA", {"no_such_module": "such-a-package"})
    with pytest.raises(NeedsInstalling, match="pip install such-a-package"):
        check_installed()
    with pytest.raises(RigError, match="no X display"):
        Probe(":987")


def test_what_a_scene_said_last_is_told_though_we_gave_up_first(tmp_path: Path) -> None:
    with pytest.raises(RigError, match="the scene ended with exit code 1: no display"), scene_running(
            ":98765", tmp_path, tmp_path / "stamps") as scene:
        scene.wait(20)
        raise RigError("the game's window went away")


def test_an_odd_description_of_options_is_refused_and_an_odd_type_left_out() -> None:
    text = "<driinfo><option name='{}' type='{}' default='{}'><description text='x'/></option></driinfo>"
    assert settings_of(Driver("d", "v", "r", text.format("one", "nightmare", "0"))) == []
    (found,) = settings_of(Driver("d", "v", "r", text.format("One", "float", "0.5")))
    assert (found.name, found.stock) == ("mesa.one", 0.5)
    for odd in (text.format("one", "int", "zero"), text.format("o ne", "int", "1"), text[:40]):
        with pytest.raises(RigError, match="not understood"):
            settings_of(Driver("d", "v", "r", odd))


@real_driver
def test_a_scene_that_cannot_open_a_window_is_said_so(linux: LinuxRig, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("DISPLAY", ":987")
    with pytest.raises(RigError, match=":987"):
        linux.play("scene", 1, 1)
    assert "DISPLAY" in os.environ
