"""The workspace: what a command can do, a Python user can, by the same call and with the same result."""

import json
import re
import shutil
import sys
from collections.abc import Callable, Sequence
from contextlib import redirect_stdout
from dataclasses import dataclass
from io import StringIO
from pathlib import Path
from types import SimpleNamespace
from typing import Any, ClassVar

import pandas
import pytest
import typer
from league import FleetPlan, play_fleet
from matplotlib.figure import Figure
from typer.testing import CliRunner

import keenlattice
from conftest import Keen, as_json, typed
from keenlattice import Limit, Workspace
from keenlattice.blocks import KeyFigure, Telling
from keenlattice.cli.app import app
from keenlattice.cli.views.trial import show_played
from keenlattice.errors import BookError, CaptureError, UnknownName, UsageError, worded_as_commands
from keenlattice.notebook import Shown
from keenlattice.profile import Game, Version
from keenlattice.report.words import KINDS
from keenlattice.rig import Listed
from keenlattice.study import KeptVersion, Kind, Player, Spec
from keenlattice.study.form import Form
from keenlattice.study.kind import Planning
from keenlattice.study.pool.words import SORTS
from keenlattice.workspace.next_run import Waiting

EXAMPLES = Path(__file__).parent.parent / "examples"
SHORT, RUNS = ["--seconds", "2", "--seed", "1"], {"seconds": 2.0, "seed": 1}
WAYS = re.compile(r"way\(f?['\"]([^'\"]+)['\"],\s*f?['\"]([^'\"]+)")
TRIAL = ["trial", "brass-orbit@stock", "brass-orbit"]

Call = Callable[[Workspace], Any]


def waited(begin: Callable[[], object]) -> Any:
    """What a study by hand waits for, once it has begun."""
    with pytest.raises(Waiting) as waiting:
        begin()
    return waiting.value.next


STORY: list[tuple[list[str], Call]] = [
    (["status"], lambda ws: ws.status()),
    (["survey"], lambda ws: ws.rig.survey()),
    (["catalog", "sync"], lambda ws: ws.rig.settings.search("sync")),
    (["edit", "brass-orbit", "frame.cap== refresh - 3", "-m", "steady"],
     lambda ws: ws.edit("brass-orbit", {"frame.cap": "= refresh - 3"}, "steady")),
    (["history", "brass-orbit", "--label", "steady"],
     lambda ws: (ws.profiles.label("brass-orbit", "steady"), ws.profiles.history("brass-orbit"))[1]),
    (["edit", "brass-orbit", "frame.queue-depth=1"], lambda ws: ws.edit("brass-orbit", {"frame.queue-depth": 1})),
    (["edit", "brass-orbit@steady", "process.io-priority=high"],
     lambda ws: ws.edit("brass-orbit@steady", {"process.io-priority": "high"})),
    (["merge", "brass-orbit", "brass-orbit@steady", "--keep", "first"],
     lambda ws: ws.profiles.merge("brass-orbit", "brass-orbit@steady", "first")),
    (["merge", "--revert", "brass-orbit@steady", "--keep", "second"],
     lambda ws: ws.profiles.revert("brass-orbit@steady", "second")),
    (["edit", "brass-orbit", "frame.queue-depth=1"], lambda ws: ws.edit("brass-orbit", {"frame.queue-depth": 1})),
    (["show", "brass-orbit"], lambda ws: ws.show("brass-orbit")),
    (["show", "brass-orbit", "frame.queue-depth"], lambda ws: ws.show("brass-orbit", "frame.queue-depth")),
    (["compare", "brass-orbit@stock", "brass-orbit"], lambda ws: ws.compare("brass-orbit@stock", "brass-orbit")),
    (["pack", "look", "league.toml"], lambda ws: ws.profiles.packs.look("league.toml")),
    (["pack", "adopt", "league.toml", "--rule", "1"], lambda ws: ws.profiles.packs.adopt("league.toml", [1])),
    (["apply", "brass-orbit", "--yes"], lambda ws: ws.apply("brass-orbit")),
    (["undo", "--list"], lambda ws: ws.rig.restore_points()),
    (["rig", "chore"], lambda ws: ws.rig.chores.list()),
    (["rig", "chore", "update-driver", "--yes"], lambda ws: ws.rig.chores.do("update-driver")),
    (["drift"], lambda ws: ws.rig.drift()),
    (["drift", "--put-back", "--yes"], lambda ws: ws.rig.put_back()),
    (["undo"], lambda ws: ws.undo()),
    (["edit", "brass-orbit", "flipper.solenoid-boost="],
     lambda ws: ws.edit("brass-orbit", {"flipper.solenoid-boost": None})),
    (["rig", "restart", "machine"], lambda ws: ws.rig.restart("machine")),
    (["rig", "facts"], lambda ws: ws.rig.facts.list()),
    (["rig", "game"], lambda ws: ws.rig.games.list()),
    (["rig", "match", "tidewater"], lambda ws: ws.rig.games.match("tidewater")),
    (["measure", "brass-orbit", "--runs", "2", *SHORT], lambda ws: ws.measure("brass-orbit", 2, **RUNS)),
    (["ingest", "odd.csv", "--yes"], lambda ws: ws.recordings.ingest("odd.csv")),
    (["latency", "light-log.csv", "--time", "t_ms", "--light", "light", "--button", "button"],
     lambda ws: ws.recordings.latency.of_log("light-log.csv", "t_ms", "light", "button")),
    (["latency", "flash.wav"], lambda ws: ws.recordings.latency.of_sound("flash.wav")),
    (["latency", "camera.csv", "--camera", "240"], lambda ws: ws.recordings.latency.of_camera("camera.csv", 240.0)),
    ([*TRIAL, "--blocks", "2", *SHORT], lambda ws: ws.trial("brass-orbit@stock", "brass-orbit", blocks=2, **RUNS)),
    (["studies", "again", "1"], lambda ws: ws.studies.recompute(1)),
    (["apply", "brass-orbit", "--yes"], lambda ws: ws.apply("brass-orbit")),
    (["studies", "since", "1", "--seed", "3"], lambda ws: ws.studies.trials.since(1, 3)),
    (["undo"], lambda ws: ws.undo()),
    ([*TRIAL, "--pilot", "3", *SHORT], lambda ws: ws.studies.trials.pilot(
        "brass-orbit@stock", "brass-orbit", ws.studies.trials.plan("brass-orbit@stock", "brass-orbit", **RUNS), 3)),
    (["studies", "claims", "league.toml", "--game", "brass-orbit", "--blocks", "2", *SHORT],
     lambda ws: ws.studies.repeat_claims("league.toml", blocks=2, game="brass-orbit", **RUNS)),
    ([*TRIAL, "--from-files", "--blocks", "2", *SHORT], lambda ws: ws.studies.trials.from_files(
        "brass-orbit@stock", "brass-orbit",
        ws.studies.trials.plan("brass-orbit@stock", "brass-orbit", blocks=2, **RUNS))),
    (["trial", "--take", "run.csv"], lambda ws: ws.studies.trials.take(["run.csv"])),
    (["screen", "brass-orbit@stock", "brass-orbit", "--plan", *SHORT],
     lambda ws: ws.studies.screens.cost(ws.studies.screens.plan("brass-orbit@stock", "brass-orbit", **RUNS)[2])),
    (["screen", "brass-orbit@stock", "brass-orbit", "--rounds", "1", *SHORT],
     lambda ws: ws.screen("brass-orbit@stock", "brass-orbit", rounds=1, **RUNS)),
    (["hunt", "brass-orbit", "--blocks", "2", "--decides", "latency_ms_median", *SHORT],
     lambda ws: ws.hunt("brass-orbit", blocks=2, decides="latency_ms_median", **RUNS)),
    (["tune", "brass-orbit@stock", "--try", "frame.cap=off,120", "--keep", "frame_ms_p99<30", "--rounds", "3",
      "--proof", "2", *SHORT],
     lambda ws: ws.tune("brass-orbit@stock", {"frame.cap": ["off", "120"]}, rounds=3, proof=2,
                        limits=[Limit("frame_ms_p99", "below", 30.0)], **RUNS)),
    (["tune", "rig", "--step", "gpu.core-offset@gpu0=240", "--game", "brass-orbit", "--proof", "0", *SHORT],
     lambda ws: ws.studies.ramp("rig", "gpu.core-offset@gpu0", 240, game="brass-orbit", proof=0, **RUNS)),
    (["pool", "write", "mine.jsonl"], lambda ws: ws.pool.write_evidence("mine.jsonl")),
    (["pool", "read", "league", "--matters", "2"], lambda ws: ws.pool.read("league", matters_pct=2.0)),
    (["pool", "look", "frame.queue-depth", "--game", "brass-orbit"],
     lambda ws: ws.pool.look("frame.queue-depth", "brass-orbit")),
    (["pool", "order", "brass-orbit@stock", "brass-orbit"],
     lambda ws: ws.pool.order("brass-orbit@stock", "brass-orbit")),
    (["studies"], lambda ws: ws.studies.list()),
    (["report", "--study", "1", "--out", "page.html"], lambda ws: ws.report(study=1).save("page.html")),
    (["report", "brass-orbit", "--out", "page.md"], lambda ws: ws.report("brass-orbit").save("page.md")),
    (["takeover"], lambda ws: keenlattice.workspace.look_at(ws.book.folder))]
"""What a player types, and the call that does the same."""

BY_HAND: list[tuple[list[str], Call]] = [
    (["rig", "facts", "refresh_hz=165"], lambda ws: ws.rig.facts.tell({"refresh_hz": 165})),
    (["rig", "game", "orbit", "--executable", "orbit.exe"],
     lambda ws: (ws.rig.games.tell(Listed(Game("orbit", "orbit", ("orbit.exe",)))), ws.rig.games.list())[1]),
    (["rig", "take-stock", "display.hdr=off"], lambda ws: ws.rig.sheets.take_stock({"display.hdr": "off"})),
    (["edit", "orbit", "frame.cap=120", "frame.queue-depth=1"],
     lambda ws: ws.edit("orbit", {"frame.cap": 120, "frame.queue-depth": 1})),
    (["trial", "orbit@stock", "orbit", "--blocks", "2", *SHORT], lambda ws: waited(
        lambda: ws.trial("orbit@stock", "orbit", blocks=2, **RUNS))),
    (["rig", "next"], lambda ws: ws.studies.by_hand.next_run()),
    (["rig", "next", "--wrong", "it crashed"], lambda ws: ws.studies.by_hand.hand_over([], wrong="it crashed")),
    (["catalog", "frame.cap", "--note", "third page"], lambda ws: ws.rig.settings.note("frame.cap", "third page")),
    (["rig", "facts", "--list"], lambda ws: ws.rig.facts.names()),
    (["apply", "orbit", "--yes"], lambda ws: ws.apply("orbit")),
    (["rig", "sheet", "--was", "1=90"], lambda ws: ws.rig.sheets.note_before(1, "90")),
    (["rig", "sheet", "--tick", "1"], lambda ws: ws.rig.sheets.tick(1)),
    (["rig", "sheet", "--seen", "2=unset"], lambda ws: ws.rig.sheets.tick(2, "unset")),
    (["rig", "sheet"], lambda ws: ws.rig.sheets.open())]

NO_JSON: dict[str, Call] = {
    "draw": lambda ws: ws.recordings.draw(["brass-orbit@stock"]).save("two.png"),
    "pack write": lambda ws: ws.profiles.packs.write("mine.toml", "brass-orbit"),
    "rig recover": lambda ws: ws.rig.recover(), "rig use": lambda ws: ws.use_rig(ws.rig.kind)}
"""The commands that leave a file, or say a sentence, instead of a result."""


def without_what_is_drawn(told: Any) -> str:
    """JSON as text, without ids, times, tokens, authors and folders, which are made again each time."""
    plain = json.dumps(told, sort_keys=True).replace(r"\\", "/")  # paths, as they are on Windows
    text = re.sub(r'"[^"]*/(python|typed)/(?:[^"]*/)?([^"/]*)"', r'"\2"', plain)
    text = re.sub(r'("authors?": )("[^"]*"|\[[^]]*\])', r"\1*", text.replace("NaN", "null"))
    text = re.sub(r"\d{4}-\d\d-\d\dT[\d:]*(\+00:00|-[0-9a-f]{8})?", "*", text)
    return re.sub(r"\b[0-9a-f]{64}\b|\b[0-9a-f]{32}\b|(?<=@)[0-9a-f]{8}\b|(?<=: \")[0-9a-f]{8}(?=\")", "*", text)


@pytest.mark.parametrize(("rig", "story"), [("standin", STORY), ("byhand", BY_HAND)], ids=["stand-in", "by hand"])
@pytest.mark.long
def test_a_call_gives_what_its_command_prints(tmp_path: Path, monkeypatch: pytest.MonkeyPatch, rig: str,
                                             story: list[tuple[list[str], Call]]) -> None:
    for player in ("python", "typed"):
        (tmp_path / player).mkdir()
        for file in [EXAMPLES / "packs" / "pinball-league.toml", *(EXAMPLES / "recordings").iterdir()]:
            shutil.copy(file, tmp_path / player / file.name.replace("pinball-", ""))
        play_fleet(FleetPlan(players=6, tries=20, seconds=1.0, screens=True), tmp_path / player / "league")
    monkeypatch.chdir(tmp_path / "python")
    monkeypatch.setenv("KEEN_STATE", str(tmp_path / "python" / "state"))
    env = {"HOME": str(tmp_path / "typed"), "KEEN_STATE": str(tmp_path / "typed" / "state"), "COLUMNS": "100",
           "KEEN_BOOK": str(tmp_path / "typed" / "book"), "KEEN_RIG": rig}
    with keenlattice.open(tmp_path / "python" / "book", rig) as ws:
        for words, call in story:
            if words[:2] == ["trial", "--take"]:
                recording = ws.recordings.ingest("odd.csv")
                assert recording is not None
                for player in ("python", "typed"):
                    recording.save(tmp_path / player / "run.csv")
                columns = keenlattice.column_map(name="ours", time="at_ms", means="stamps", unit="ms")
                ws.recordings.ingest("run.csv", columns, name="ours")
                typed(["ingest", "run.csv", "--time", "at_ms", "--name", "ours"], tmp_path / "typed", env)
            done = typed([*words, "--json"], tmp_path / "typed", env)
            assert done.returncode in (0, 1) and done.stdout, (words, done.stderr)
            result = call(ws)
            assert without_what_is_drawn(json.loads(done.stdout)) == without_what_is_drawn(result.to_json()), words
            table = result.table()
            assert repr(result) and "<" in result._repr_html_() and not table.columns.duplicated().any()
            assert {word for word in table.get("verdict", ()) if "crashed" not in word} <= WORDS, words
        for call in NO_JSON.values() if rig == "standin" else ():
            call(ws)
    assert rig != "standin" or (tmp_path / "python" / "two.png").exists()


WORDS = {*KINDS, *SORTS, "ran", "felt", "not felt", "not told"}
"""What the column of verdicts may hold, of any kind of study."""


def test_every_command_has_its_call() -> None:
    called = {*NO_JSON, *(" ".join(words) for words, _ in (*STORY, *BY_HAND))}
    group = typer.main.get_command(app)
    names = [f"{name} {inner}" for name, one in group.commands.items() if hasattr(one, "commands")
             for inner in one.commands] + [name for name, one in group.commands.items() if not hasattr(one, "commands")]
    assert len(names) > 25
    for name in names:
        # They tell a story, take a person who answers (test_blind.py), a game that can be started (test_play.py), or a
        # study that was stopped (test_study.py).
        assert name in ("demo", "blind", "play", "studies resume") or any(
            one == name or one.startswith(f"{name} ") for one in called), name


def test_a_study_that_was_stopped_goes_on_from_python(tmp_path: Path) -> None:
    with keenlattice.open(tmp_path / "book") as ws:
        told = list[tuple[int, int]]()

        def stop(done: int, total: int) -> None:
            told.append((done, total))
            if done == 3:
                raise KeyboardInterrupt

        with pytest.raises(KeyboardInterrupt):
            ws.screen("brass-orbit@stock", ws.edit("brass-orbit", {"frame.queue-depth": 1}), progress=stop, rounds=1,
                      seconds=2, seed=1)
        found = ws.studies.resume(progress=lambda done, total: told.append((done, total)))
        assert told == [(0, 8), (1, 8), (2, 8), (3, 8), *((done, 8) for done in range(3, 9))]
        assert ws.studies.recompute(found.number).runs == 8 == found.result.runs
        assert ws.rig.machine.values(ws.rig.machine.state(), "brass-orbit") == {}


@dataclass(frozen=True)
class PauseSpec(Spec):
    """A study of one's own: a version, played so often."""

    base: KeptVersion
    times: int
    game: str | None = None

    @property
    def versions(self) -> tuple[KeptVersion, ...]:
        return (self.base,)

    @property
    def runs(self) -> int:
        return self.times

    @property
    def pace(self) -> tuple[float, float]:
        return 1.0, 0.0

    def version_of(self, arm: str) -> int | None:
        return 0


@dataclass(frozen=True, repr=False)
class Pause(Form, Shown):
    SCHEMA: ClassVar[str] = "ours/pause/1"

    frames: tuple[int, ...]

    def table(self) -> pandas.DataFrame:
        return pandas.DataFrame({"frames": self.frames})

    def _caption(self) -> str:
        return f"runs: {len(self.frames)}"


def play_pause(player: Player, spec: PauseSpec, versions: Sequence[Version]) -> Pause:
    (base,) = versions
    return Pause(tuple(player.play(place, place, "base", lambda: dict(base.entries), place).frame_ms.size
                       for place in range(spec.times)))


def plan_pause(planning: Planning, base: str, *, times: int = 3) -> PauseSpec:
    """Play some runs, one after another.

    Args:
        base: the version that is
            played.
        times: how often.
    """
    return PauseSpec(KeptVersion.of(planning.find(base)), times)


def test_a_kind_of_study_is_a_folder_and_a_line(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """It is kept, goes on, is computed again and listed by what is there for all."""
    with monkeypatch.context() as patched, keenlattice.open(tmp_path / "book") as ws:
        patched.setattr("keenlattice.study.kind.KINDS", ("trial", "pause"))
        patched.setitem(sys.modules, "keenlattice.study.pause.play", SimpleNamespace(
            KIND=Kind("pause", PauseSpec, Pause, play_pause, plan=plan_pause, tell=lambda found, _: Telling(
                [KeyFigure(found._caption())], "brass-orbit, as fast as it goes"))))
        made = ws.edit("brass-orbit", {"frame.cap": 90})

        def stop(done: int, _total: int) -> None:
            if done == 2:
                raise KeyboardInterrupt

        with pytest.raises(KeyboardInterrupt):
            ws.studies.play("pause", PauseSpec(KeptVersion.of(made.after), 4), progress=stop)
        assert [one.finished for one in ws.studies.list().studies] == [False]
        found = ws.studies.resume()
        assert len(found.result.frames) == 4 and all(80 < one < 100 for one in found.result.frames)
        assert ws.studies.recompute(found.number).runs == 4 and found.to_json()["schema"] == "ours/pause/1"
        assert [(one.kind, one.of, one.finished) for one in ws.studies.list().studies] == [
            ("pause", made.after.reference, True)]
        assert len(ws.recordings.of(made.after)) == 4
        assert ws.studies.runs(found.number).table()["version"].tolist() == [made.after.reference] * 4
        assert found.telling().headline == "runs: 4" and "runs: 4" in found.report().html()
        shown = StringIO()
        with redirect_stdout(shown):
            show_played(ws, found)
        assert shown.getvalue().startswith("runs: 4\nbrass-orbit, as fast as it goes\n")
        assert len(ws.studies.play("pause", "brass-orbit", times=2).result.frames) == 2
        keen = CliRunner()
        helped = keen.invoke(app, ["pause", "--help"]).output
        assert "Play some runs" in helped and "The version that is played." in helped and "--times" in helped
        told = keen.invoke(app, ["pause", "brass-orbit", "--times", "1", "--book", str(tmp_path / "book")])
        assert told.output.startswith("runs: 1\nbrass-orbit"), told.output
        assert [study.kind for study in ws.studies.list().studies] == ["pause"] * 3
    with keenlattice.open(tmp_path / "book") as ws, pytest.raises(BookError, match="no such kind"):
        ws.studies.list()


def test_what_was_cut_short_is_put_right_and_said(keen: Keen, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("KEEN_STATE", str(tmp_path / ".local" / "state" / "keen-lattice"))
    keen("edit", "brass-orbit", "frame.cap=90")
    with keenlattice.open(tmp_path / "book") as ws:
        shown = ws.rig.preview("brass-orbit")
        (ws.rig.machine.home / "change-under-way.jsonl").write_text(json.dumps({
            "why": "a trial", "since": "2026-11-26T00:00:00+00:00", "process": 1, "steps": 0, "intent": None,
            "before": {"state.json": None}}) + "\n")
        assert [change.setting for change in shown.changes] == ["frame.cap"]
    with pytest.warns(UserWarning, match="a trial was cut short"):
        keenlattice.open(tmp_path / "book").close()


def test_a_study_is_drawn_onto_axes_of_the_callers_and_without_runs_is_one_line(tmp_path: Path) -> None:
    with keenlattice.open(tmp_path / "book") as ws:
        quick = ws.edit("brass-orbit", {"frame.queue-depth": 1})
        trial = ws.trial("brass-orbit@stock", quick, blocks=2, seconds=2, seed=1)
        axes = Figure().add_subplot()
        trial.figure(ax=axes).save(tmp_path / "mine.png")
        assert axes.get_title(loc="left").startswith("Change from before to after")
        assert trial.table().columns.tolist() == [
            "settings", "metric", "before", "after", "change_pct", "low_pct", "high_pct", "verdict", "decides"]
        for capture in (tmp_path / "book" / "captures").iterdir():
            capture.unlink()
        with pytest.raises(CaptureError, match="there is no capture"):
            trial.figure().save(tmp_path / "gone.png")


def test_one_run_is_drawn_by_its_name(tmp_path: Path) -> None:
    with keenlattice.open(tmp_path / "book") as ws:
        made = ws.edit("brass-orbit", {"frame.queue-depth": 1})
        ws.trial("brass-orbit@stock", made, blocks=2, seconds=2, seed=1)
        for run in ("brass-orbit", made, made.version, ["brass-orbit"], ("brass-orbit@stock", made)):
            drawing = ws.recordings.draw(run)
            drawing.save(tmp_path / "run.png")
            assert (tmp_path / "run.png").read_bytes()[:4] == b"\x89PNG"
            (tmp_path / "run.png").unlink()
        for wrong in ([], 5, [made.version.reference + "x"]):
            with pytest.raises(UsageError):
                ws.recordings.draw(wrong)  # type: ignore[arg-type]


def test_status_says_what_to_do_next_until_all_is_done(keen: Keen) -> None:
    def next_step() -> str:
        return str(as_json(keen("status", "--json"))["next_step"])

    assert next_step() == "keen survey"  # the stand-in has something clearly wrong
    keen("edit", "brass-orbit", "frame.queue-depth=1")
    assert next_step().startswith("keen trial brass-orbit@stock brass-orbit@")
    keen("trial", "brass-orbit@stock", "brass-orbit", "--seconds", "10", "--seed", "1", "--matters", "5")
    assert next_step() == "keen apply brass-orbit" and "better" in keen("status").stdout
    keen("apply", "brass-orbit", "--yes")
    assert next_step() == "keen survey" and "the same" in keen("status").stdout
    keen("edit", "rig", "memory.rated-speed=on")
    assert next_step() == "keen apply rig"
    keen("apply", "rig", "--yes")
    assert next_step() == "keen rig restart machine"


def test_after_an_update_a_version_is_compared_with_itself_of_then(tmp_path: Path) -> None:
    ws = keenlattice.open(tmp_path / "book", rig="standin")
    made = ws.edit("brass-orbit", {"frame.queue-depth": 1}).after
    trial = ws.trial("brass-orbit@stock", made, blocks=4, seconds=10, seed=1, matters="5%", early=False)
    with pytest.raises(UsageError, match="is applied"):
        ws.studies.trials.since(trial.number)
    ws.apply(made)
    assert not ws.status().profiles[-1].updated
    ws.rig.chores.do("update-driver")
    ws.rig.put_back()
    ws.rig.restart("machine")
    state = ws.status()
    assert state.next_step == f"keen studies since {trial.number}"
    assert "driver_version was 31.4, and is 32.4" in state.why

    def stop(*_: int) -> None:
        raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt):
        ws.studies.trials.since(trial.number, progress=stop)
    assert not ws.status().unfinished  # the run is kept as any recording is, and nothing waits for the rest
    done = list[tuple[int, int]]()
    since = ws.studies.trials.since(trial.number, progress=lambda *runs: done.append(runs))
    result, then = since.result, trial.result["latency_ms_median"]
    assert done == [(run, 4) for run in range(1, 5)] and result.blocks_played == 4
    assert result["latency_ms_median"].before == then.after and result["latency_ms_median"].low_pct is not None
    assert {metric.verdict for metric in result.metrics} == {"unclear"} and "there is no word" in result.doubts[0]
    assert ws.studies.recompute(since.number).equal and not ws.status().profiles[-1].updated
    for wrong in (99, since.number):
        with pytest.raises(UsageError):
            ws.studies.trials.since(wrong)


def test_what_errors_say_to_do_can_be_called_and_typed(tmp_path: Path) -> None:
    """In Python an error names a call of the workspace, on the command line a command: both are there."""
    ws = keenlattice.open(tmp_path / "book", rig="standin")
    with pytest.raises(UnknownName) as wrong:
        ws.edit("brass-orbit", {"frame.cup": 60})
    assert wrong.value.advice == ("ws.rig.settings.search()",)
    with worded_as_commands(), pytest.raises(UnknownName) as wrong:
        ws.edit("brass-orbit", {"frame.cup": 60})
    assert wrong.value.advice == ("keen catalog",)
    top = typer.main.get_command(app)
    for file in Path(keenlattice.__file__).parent.rglob("*.py"):
        for command, call in WAYS.findall(file.read_text(encoding="utf-8")):
            names, place = call.split("(")[0].split(".")[1:] if call.startswith("ws.") else [], ws
            for name in names:
                assert hasattr(type(place), name) or hasattr(place, name), (file.name, call)
                place = getattr(place, name)
            words, group = command.split()[1:], top
            for word in words if command.startswith("keen ") else []:
                if not hasattr(group, "commands"):
                    break
                assert word in group.commands or word == "or", (file.name, command)
                group = group.commands[word]
