"""The command line as a process: the story, the JSON, and the likeliest mistakes."""

import json
import os
import select
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest

from conftest import AS_PROCESS, KEEN, POSIX, Keen, as_json, as_process, environment, juniper
from keenlattice.measure.film.latency import from_film
from keenlattice.measure.film.reader import look_at
from keenlattice.measure.parquet import read_capture

METRIC_KEYS = {"name", "unit", "before", "after", "change_pct", "low_pct", "high_pct", "verdict", "confidence", "n",
               "matters_pct", "error", "dof"}


def test_the_demo_tells_the_whole_story(keen: Keen, tmp_path: Path) -> None:
    told = keen("demo").stdout
    for said in ("can do 165 Hz and runs at 60 Hz", "Restore point", "Baseline", "frame.queue-depth",
                 "read back: it took", "> median latency", "process.io-priority", "byte for byte as it was"):
        assert said in told, said
    assert "Latency is better" in told
    assert "does nothing that matters, and that is shown" in " ".join(told.split())
    assert (tmp_path / "keen-demo" / "brass-orbit.png").read_bytes().startswith(b"\x89PNG")
    assert "and 2 trials;" in (tmp_path / "keen-demo" / "brass-orbit.html").read_text()
    assert (tmp_path / "keen-demo" / "logbook" / "logbook.sqlite").exists()
    assert "keen-demo-2" in keen("demo").stdout
    keen("demo", "--out", str(tmp_path), code=2)


def test_a_demo_that_is_stopped_takes_its_edit_off_again(tmp_path: Path) -> None:
    demo = subprocess.Popen([*KEEN, "demo"], env=environment(tmp_path), cwd=tmp_path, stdout=subprocess.PIPE,
                            stderr=subprocess.PIPE, text=True)
    book = tmp_path / "keen-demo" / "logbook"
    while not (book / "logbook.sqlite").exists() and demo.poll() is None:
        time.sleep(0.01)
    state = juniper(book, tmp_path) / "state.json"
    while not state.exists() and demo.poll() is None:
        pass
    demo.send_signal(signal.SIGINT)
    told, said = demo.communicate(timeout=60)
    assert demo.returncode == 130 and "Traceback" not in said
    assert not state.exists(), told


@AS_PROCESS
@pytest.mark.long
def test_from_an_edit_to_a_verdict_and_back(keen: Keen, tmp_path: Path) -> None:
    edit = as_json(keen("edit", "brass-orbit", "frame.queue-depth=1", "frame.cap=off", "-m", "sooner", "--json"))
    assert edit["before"] == "brass-orbit@stock" and len(edit["changes"]) == 2
    assert "Nothing changes" in keen("edit", "brass-orbit", "frame.queue-depth=1").stdout
    keen("edit", "rig", "display.refresh=165", "interrupt.mode@gpu0=message")

    told = as_json(keen("show", "brass-orbit", "--json"))
    shown = {one["setting"]: one for one in told["settings"]}
    assert shown["frame.queue-depth"]["shadows"] == [{"layer": "stock", "value": "game decides"}]
    assert shown["display.refresh"]["layer"] == "stock" and "interrupt.mode@gpu0" not in shown
    assert told["planned"] == [{"setting": "display.refresh", "held": 60, "wanted": 165},
                               {"setting": "interrupt.mode@gpu0", "held": "line", "wanted": "message"}]
    assert "no change" in keen("show", "brass-orbit").stdout  # a cap of off is what stock is

    trial = as_json(keen("trial", "brass-orbit@stock", "brass-orbit", "--blocks", "4", "--seconds", "20", "--seed", "5",
                         "--decides", "latency_ms_median", "--matters", "3", "--figure", "f.png", "--json"))
    assert trial["schema"] == "keen-lattice/trial/2"
    assert (trial["game"], trial["before"], trial["after"]) == ("brass-orbit", "brass-orbit@stock", edit["after"])
    plan = trial["plan"]
    assert (plan["blocks"], plan["seed"], plan["decides"]["metrics"]) == (4, 5, "latency_ms_median")
    assert all(set(one) == METRIC_KEYS for one in trial["metrics"]) and len(trial["metrics"]) == 8
    assert trial["metrics"][0]["verdict"] == "better"
    assert (tmp_path / "f.png").exists()
    again = as_json(keen("trial", "brass-orbit@stock", "brass-orbit", "--blocks", "4", "--seconds", "20", "--seed", "5",
                         "--decides", "latency_ms_median", "--matters", "3", "--json"))
    assert again["metrics"] == trial["metrics"]

    compared = as_json(keen("compare", "brass-orbit@stock", "brass-orbit", "--json"))
    assert [one["setting"] for one in compared["changes"]] == ["frame.cap", "frame.queue-depth"]
    assert compared["trials"][0]["metrics"] == trial["metrics"]
    assert "Measured in 4 blocks" in keen("compare", "brass-orbit@stock", "brass-orbit").stdout

    assert as_json(keen("apply", "brass-orbit", "--yes", "--json"))["version"] == edit["after"]
    assert as_json(keen("survey", "--json"))["applied"] == {"brass-orbit": edit["after"].partition("@")[2]}
    assert "holds" in keen("apply", "brass-orbit@applied").stdout
    measured = as_json(keen("measure", "brass-orbit", "--runs", "2", "--seed", "1", "--json"))
    assert len(measured["runs"]) == len(measured["captures"]) == 2
    about = read_capture(tmp_path / "book" / "captures" / measured["captures"][1]).about
    assert (about["seed"], about["game"], about["facts"]["gpu"]) == (2, "brass-orbit", "Basalt 70")
    assert edit["after"].endswith(about["version"][:8]) and about["time"].startswith("20")
    assert as_json(keen("undo", "--json"))["exactly"] is True

    versions = as_json(keen("history", "brass-orbit", "--json"))["versions"]
    assert versions[0]["note"] == "sooner" and versions[0]["changes"] == ["frame.cap=off", "frame.queue-depth=1"]
    assert "sooner" in keen("history", "brass-orbit").stdout
    assert as_json(keen("catalog", "frame.cap", "--json"))["settings"][0]["name"] == "frame.cap"


OWN = """[bench.fan-noise]
title = "Fan noise that I can bear"
kind = "whole"
low = 0
high = 10
scope = "rig"
stock = 5
trades = "Quiet against cool."
sure = "placebo"
"""


def test_the_word_unset_unsets_whatever_a_setting_takes(keen: Keen) -> None:
    keen("edit", "brass-orbit", "process.affinity=0-3", "frame.cap=90")
    told = as_json(keen("edit", "brass-orbit", "process.affinity=unset", "frame.cap=unset", "--json"))
    assert [(one["setting"], one["after"]) for one in told["changes"]] == [("frame.cap", None),
                                                                          ("process.affinity", None)]


def test_a_game_is_told_of_with_where_it_is_clicked_and_how_it_draws(keen: Keen) -> None:
    said = keen("rig", "game", "orbit", "--executable", "orbit", "--answers-at", "10,20", "--clicks-at", "30,40",
                "--api", "vulkan", "--known-as", "application=Orbit:3", "--known-as", "engine=Lattice",
                KEEN_RIG="byhand").stdout
    assert "answers at 10,20; clicked at 30,40; draws by vulkan; known as Orbit 3; known as Lattice 0" in " ".join(
        said.split())  # it is broken into lines by how long a path is
    said = keen("rig", "game", "orbit", "--answers-at", "11,21", KEEN_RIG="byhand").stdout
    assert "answers at 11,21; draws by vulkan" in " ".join(said.split())  # the click was for the pixel before
    assert "application=NAME:VERSION" in keen("rig", "game", "orbit", "--known-as", "title=x", code=2,
                                              KEEN_RIG="byhand").stderr
    assert "--clicks-at" in keen("rig", "game", "orbit", "--clicks-at", "x", code=2, KEEN_RIG="byhand").stderr
    assert "write opengl or vulkan" in keen("rig", "game", "orbit", "--api", "paper", code=2, KEEN_RIG="byhand").stderr


def test_a_player_adds_settings_of_their_own(keen: Keen, tmp_path: Path) -> None:
    (tmp_path / "mine.toml").write_text(OWN)
    assert "bench.fan-noise" in keen("catalog", "--add", "mine.toml").stdout
    keen("edit", "rig", "bench.fan-noise=3")
    keen("apply", "rig", "--yes")
    assert "3" in keen("show", "rig", "bench.fan-noise").stdout
    (tmp_path / "again.toml").write_text(OWN)  # the same name from another file: refused, and nothing is broken by it
    assert "choose another" in keen("catalog", "--add", "again.toml", code=1).stderr
    assert "bench.fan-noise" in keen("catalog", "--add", "mine.toml").stdout
    for text, says in ((OWN.replace("bench.fan-noise", "frame.cap"), "choose another"), ("x = 1", "its own table"),
                       (OWN + "speed = 1", "bad.toml: bench.fan-noise: speed")):
        (tmp_path / "bad.toml").write_text(text)
        assert says in keen("catalog", "--add", "bad.toml", code=1).stderr
    found = as_json(keen("catalog", "--needs", "machine", "--moves", "latency", "--json"))["settings"]
    assert {one["name"] for one in found} >= {"interrupt.mode", "gpu.output"} and len(found) < 10


def test_two_lines_are_merged_and_a_change_is_taken_back(keen: Keen) -> None:
    keen("edit", "brass-orbit", "frame.cap=160", "-m", "base")
    keen("history", "brass-orbit", "--label", "base")
    keen("edit", "brass-orbit", "frame.cap=150", "sync.vertical=off")
    keen("history", "brass-orbit", "--label", "one")
    keen("edit", "brass-orbit@base", "frame.cap=140", "frame.queue-depth=1")
    conflict = keen("merge", "brass-orbit@one", "brass-orbit", code=2).stderr
    assert "frame.cap: first 150 fps, second 140 fps" in conflict and "sync.vertical" not in conflict
    keen("merge", "brass-orbit@one", "brass-orbit", "--settle", "frame.cap=second")
    held = {one["setting"]: one["value"] for one in as_json(keen("show", "brass-orbit", "--json"))["settings"]}
    assert (held["frame.cap"], held["sync.vertical"], held["frame.queue-depth"]) == (140, "off", 1)
    told = keen("history", "brass-orbit").stdout.splitlines()
    assert [line.split("  ")[0] for line in told if " UTC, by " in line] == ["o", "| o", "o |", "o"]
    undone = as_json(keen("merge", "--revert", "brass-orbit@one", "--keep", "first", "--json"))
    assert [one["setting"] for one in undone["changes"]] == ["sync.vertical"]
    assert as_json(keen("history", "brass-orbit", "--json"))["versions"][-1]["labels"] == ["base"]
    assert "160 fps" in keen("compare", "brass-orbit@base", "brass-orbit").stdout
    assert "what the rig holds now" in keen("compare", "brass-orbit@now", "brass-orbit").stdout
    table = keen("compare", "brass-orbit@base", "brass-orbit", "--markdown").stdout
    assert "| `frame.cap` | 160 fps | 140 fps |" in table
    keen("apply", "brass-orbit@one", "--yes")
    (change,) = [one for one in as_json(keen("compare", "brass-orbit@now", "brass-orbit", "--json"))["changes"]
                 if one["setting"] == "frame.cap"]
    assert (change["before"], change["after"]) == (150, 140)


def test_apply_without_anybody_to_ask_changes_nothing(keen: Keen) -> None:
    keen("edit", "brass-orbit", "frame.cap=160")
    assert "--yes" in keen("apply", "brass-orbit", code=2).stderr
    assert as_json(keen("survey", "--json"))["applied"] == {}


def at_a_terminal(tmp_path: Path, words: list[str], answers: dict[str, str]) -> str:
    """Runs `keen` in a terminal, types an answer whenever a question comes up, and returns what was on the screen."""
    pty = pytest.importorskip("pty", reason="there are no pseudo-terminals here")
    child, terminal = pty.fork()
    if child == 0:
        os.execve(KEEN[0], [*KEEN, *words], environment(tmp_path, KEEN_BOOK=str(tmp_path / "book"), TERM="xterm"))
    screen, asked, until = "", set(), time.monotonic() + 60
    while True:
        if not select.select([terminal], [], [], max(0.0, until - time.monotonic()))[0]:
            os.kill(child, signal.SIGKILL)
            raise AssertionError(f"nobody answers what is asked: {screen}")
        try:
            screen += os.read(terminal, 4096).decode()
        except OSError:  # the program has ended
            os.waitpid(child, 0)
            return screen
        for question, answer in answers.items():
            if question in screen and question not in asked:
                asked.add(question)
                os.write(terminal, f"{answer}\n".encode())


def test_a_player_at_a_terminal_is_asked(keen: Keen, tmp_path: Path) -> None:
    keen("edit", "brass-orbit", "frame.cap=160")
    keen("history", "brass-orbit", "--label", "base")
    keen("edit", "brass-orbit", "frame.cap=150")
    keen("history", "brass-orbit", "--label", "one")
    keen("edit", "brass-orbit@base", "frame.cap=140")
    said = at_a_terminal(tmp_path, ["merge", "brass-orbit@one", "brass-orbit"], {"first or second?": "second"})
    assert "merged into" in said and "140 fps" in said
    assert "Nothing was changed" in at_a_terminal(tmp_path, ["apply", "brass-orbit"], {"[y/N]": "n"})
    assert as_json(keen("survey", "--json"))["applied"] == {}
    assert "it took" in at_a_terminal(tmp_path, ["apply", "brass-orbit"], {"[y/N]": "y"})
    words = ["trial", "brass-orbit@stock", "brass-orbit", "--blocks", "3", "--seconds", "5"]
    shown = at_a_terminal(tmp_path, words, {})
    assert "\x1b[" in shown and "6 of at most 6 runs" in shown  # colour and progress: on a terminal alone


def test_after_a_driver_update_what_has_slipped_is_found(keen: Keen) -> None:
    keen("edit", "brass-orbit", "frame.cap=160", "process.priority=high", "-m", "steady")
    keen("edit", "rig", "memory.rated-speed=on")
    keen("apply", "brass-orbit", "--yes")
    keen("apply", "rig", "--yes")
    keen("edit", "rig", "display.refresh=144", "memory.rated-speed=off")
    shown = keen("apply", "rig", "--yes").stdout
    assert "rights, restart of the machine" in shown
    keen("undo")
    assert as_json(keen("survey", "--json"))["pending"] == {"memory.rated-speed": "machine"}
    assert "memory.rated-speed" in keen("rig", "restart", "machine").stdout
    after = as_json(keen("survey", "--json"))
    assert (after["pending"], after["drift"], after["facts"]["memory_speed_mts"]) == ({}, [], 3600)
    assert "holds what was last applied" in keen("drift").stdout

    assert "--yes" in keen("rig", "chore", "update-driver", code=2).stderr
    assert set(as_json(keen("rig", "chore", "update-driver", "--yes", "--json"))["changes"]) == {"brass-orbit"}
    (slipped,) = as_json(keen("drift", "--json", code=1))["profiles"]
    assert slipped["changes"] == [{"setting": "frame.cap", "before": 160, "after": None}]
    assert "No longer as applied" in keen("survey").stdout
    assert "Put back" in keen("drift", "--put-back", "--yes").stdout
    keen("drift")
    assert as_json(keen("survey", "--json"))["facts"]["driver_version"] == "32.4"

    keen("rig", "chore", "update-driver", "--yes")
    (adopted,) = as_json(keen("drift", "--adopt", "--json"))["adopted"]
    assert "holds" in keen("drift").stdout
    held = as_json(keen("history", "brass-orbit", "--json"))["versions"][0]
    assert (held["version"], held["changes"]) == (adopted, ["frame.cap="])
    keen("undo")  # the adoption, which wrote nothing
    keen("undo")  # the chore
    assert as_json(keen("survey", "--json"))["facts"]["driver_version"] == "32.4"


def test_a_logbook_remembers_its_rig_and_can_be_given_another(keen: Keen, tmp_path: Path) -> None:
    none = {"KEEN_RIG": ""}
    keen("survey", "--rig", "standin", **none)
    assert "Rig juniper" in keen("survey", **none).stdout
    assert "the rig byhand" in keen("rig", "use", "byhand", **none).stdout
    assert "Rig byhand" in keen("survey", **none).stdout and "Rig juniper" in keen("survey", KEEN_RIG="standin").stdout
    assert "nearest: standin" in keen("rig", "use", "standi", code=2, **none).stderr
    kept = juniper(tmp_path / "book").with_name("rig")
    kept.write_text("gone")  # one that was installed, and is no more
    assert "no rig named 'gone'" in keen("survey", code=2, **none).stderr
    keen("rig", "use", "standin", **none)
    assert kept.read_text() == "standin" and "Rig juniper" in keen("survey", **none).stdout


def test_two_at_once_both_keep_their_versions(keen: Keen, tmp_path: Path) -> None:
    env = environment(tmp_path, KEEN_BOOK=str(tmp_path / "book"))
    both = [subprocess.Popen([*KEEN, "edit", "brass-orbit", f"frame.cap={cap}"], env=env, stdout=subprocess.DEVNULL)
            for cap in (100, 101, 102, 103)]
    assert [one.wait() for one in both] == [0, 0, 0, 0]
    kept = as_json(keen("history", "brass-orbit", "--json"))["versions"]
    assert {one["changes"][0] for one in kept} == {f"frame.cap={cap}" for cap in (100, 101, 102, 103)}


def test_a_capture_cut_short_and_a_state_damaged(keen: Keen, tmp_path: Path) -> None:
    keen("survey")
    state = juniper(tmp_path / "book") / "state.json"
    state.write_text("{")
    assert "damaged" in keen("survey", code=1).stderr
    assert state.read_text() == "{"


@AS_PROCESS
def test_a_full_disk_leaves_nothing_half_written(keen: Keen, tmp_path: Path) -> None:
    keen("edit", "brass-orbit", "frame.cap=160")
    before = {path: path.read_bytes() for path in (tmp_path / "book").rglob("*") if path.is_file()}

    resource = pytest.importorskip("resource", reason="no bounds can be set for a process here")

    def nearly_full() -> None:  # no file may grow beyond this
        resource.setrlimit(resource.RLIMIT_FSIZE, (100_000, 100_000))

    done = subprocess.run([*KEEN, "measure", "brass-orbit", "--seconds", "100"], preexec_fn=nearly_full, check=False,
                          env=environment(tmp_path, KEEN_BOOK=str(tmp_path / "book")), capture_output=True, text=True)
    assert done.returncode == 1 and len(done.stderr.splitlines()) == 1 and "cannot write the capture" in done.stderr
    assert not list((tmp_path / "book" / "captures").iterdir())
    assert all(path.read_bytes() == content for path, content in before.items() if path.suffix != ".sqlite-shm")
    keen("history", "brass-orbit")


def test_output_can_be_cut_off_and_has_no_colour_in_a_pipe(tmp_path: Path) -> None:
    env = environment(tmp_path, KEEN_BOOK=str(tmp_path / "book"))
    keen = " ".join([sys.executable, "-c", "'from keenlattice.cli.start import main; main()'"])
    cut = subprocess.run(f"{keen} catalog | head -1", shell=True, env=env, capture_output=True, text=True, check=True)
    assert cut.stdout.count("\n") == 1 and "\x1b" not in cut.stdout
    assert all(line.startswith("next: keen ") for line in cut.stderr.splitlines())


@AS_PROCESS
@pytest.mark.long
def test_any_command_puts_right_what_a_kill_left(keen: Keen, tmp_path: Path) -> None:
    keen("edit", "brass-orbit", "frame.cap=160")
    env = environment(tmp_path, KEEN_BOOK=str(tmp_path / "book"))
    rig = juniper(tmp_path / "book")
    trial = subprocess.Popen([*KEEN, "trial", "brass-orbit@stock", "brass-orbit", "--blocks", "900",
                              "--every-block"], env=env,
                             stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    while not (rig / "state.json").exists() and trial.poll() is None:
        pass
    for words in (["undo"], ["measure", "brass-orbit"]):
        assert "is being changed: trial of brass-orbit@stock" in keen(*words, code=1).stderr
    trial.kill()
    trial.wait()
    assert "was cut short" in keen("catalog", "frame.cap").stderr
    assert not (rig / "state.json").exists()
    assert keen("catalog", "frame.cap").stderr == ""


@pytest.mark.long
def test_the_example_runs_and_is_short(tmp_path: Path) -> None:
    script = Path(__file__).parent.parent / "examples" / "first_light.py"
    done = subprocess.run([sys.executable, str(script), str(tmp_path / "out")], capture_output=True, text=True,
                          env=environment(tmp_path), check=True)
    assert "Latency is better" in done.stdout and "exactly as before: True" in done.stdout
    assert (tmp_path / "out" / "brass-orbit.png").exists() and (tmp_path / "out" / "brass-orbit.html").exists()
    assert len([line for line in script.read_text().splitlines() if line.strip()]) < 40


@pytest.mark.skipif(sys.platform == "win32", reason="about the packages of the Linux rig")
def test_this_pc_is_looked_at_without_the_extra_packages(tmp_path: Path) -> None:
    """A new user has them not, and met a traceback."""
    for words in ("survey", "catalog cpu", "rig game", "history rig"):
        done = subprocess.run(
            [sys.executable, "-c", "import sys; sys.modules.update(dict.fromkeys(['Xlib', 'glfw', 'moderngl'], None)); "
             "from keenlattice.cli.start import main; main()", *words.split()], capture_output=True, text=True,
            check=False, env=environment(tmp_path, KEEN_BOOK=str(tmp_path / "book"), KEEN_RIG="here"))
        assert done.returncode == 0 and "Traceback" not in done.stderr, done.stderr


@pytest.mark.long
def test_the_recordings_that_ship_are_made_anew_as_they_are(tmp_path: Path) -> None:
    home = Path(__file__).parent.parent / "examples"
    code = ("import importlib.util, pathlib, sys\n"
            f"spec = importlib.util.spec_from_file_location('made', {str(home / 'make_recordings.py')!r})\n"
            "made = importlib.util.module_from_spec(spec); spec.loader.exec_module(made)\n"
            f"made.FOLDER = pathlib.Path({str(tmp_path / 'recordings')!r}); made.FOLDER.mkdir(); made.main()")
    done = subprocess.run([sys.executable, "-c", code], cwd=tmp_path, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr
    kept, made = ({path.name: path.read_bytes() for path in folder.iterdir()}
                  for folder in (home / "recordings", tmp_path / "recordings"))
    films = [from_film(look_at(folder / "recordings" / "phone.mp4"), 240.0)[0] for folder in (home, tmp_path)]
    assert films[0].waits_ms == pytest.approx(films[1].waits_ms, abs=0.5)  # another encoder writes other bytes
    del kept["phone.mp4"], made["phone.mp4"]
    assert made == kept


@pytest.mark.parametrize(("name", "says"), [
    ("which_first", "changes, by what each may gain for its time"),
    ("best_for_this_rig", "breaks a limit\nthe best: {'frame.cap': ")])
@pytest.mark.long
def test_the_examples_of_studies_run(tmp_path: Path, name: str, says: str) -> None:
    script = Path(__file__).parent.parent / "examples" / f"{name}.py"
    done = subprocess.run([sys.executable, str(script), str(tmp_path)], capture_output=True, text=True,
                          env=environment(tmp_path), check=True)
    assert says in done.stdout


def test_runs_are_drawn_by_file_and_by_version(keen: Keen, tmp_path: Path) -> None:
    keen("edit", "brass-orbit", "frame.queue-depth=1")
    assert "`keen measure` or `keen trial` records some" in keen("draw", "brass-orbit", "--out", "a.png", code=2).stderr
    kept = as_json(keen("measure", "brass-orbit", "--seconds", "3", "--runs", "2", "--json"))["captures"]
    keen("draw", kept[0], "--out", "one.svg")
    here = keen("draw", "brass-orbit@stock", kept[0], COLUMNS="80").stdout
    assert "frame time, median" in here and "latency, median" in here and max(map(len, here.splitlines())) <= 80
    assert "with --out" in keen("draw", kept[0], "--what", "slowest", code=2).stderr
    assert "drawn: two.png" in keen("draw", "brass-orbit@stock", kept[0], "--out", "two.png").stdout
    for what in ("recurring", "stages"):
        keen("draw", "brass-orbit@stock", "--what", what, "--out", f"{what}.png")
    assert len(list(tmp_path.glob("*.png"))) == 3 and (tmp_path / "one.svg").read_text().startswith("<?xml")
    for words in (["--what", "coarse"], ["--out", "a.doc"], [*kept * 4]):
        keen("draw", kept[0], "--out", "a.png", *words, code=2)


def test_the_public_names_are_all_there() -> None:
    import keenlattice

    for name in keenlattice.__all__:
        assert getattr(keenlattice, name).__doc__, name
    with pytest.raises(AttributeError, match="no_such_name"):
        keenlattice.no_such_name  # noqa: B018


def test_json_never_holds_what_json_cannot(keen: Keen) -> None:
    done = keen("measure", "brass-orbit", "--seconds", "0.6", "--runs", "1", "--json")
    runs = json.loads(done.stdout, parse_constant=lambda name: pytest.fail(name))["runs"]
    assert runs[0]["latency_ms_median"] is None and os.linesep in done.stdout


@pytest.mark.parametrize(("words", "never"), [
    ("--help", ("keenlattice.cli.commands.show", "pydantic", "numpy")),
    ("rig --help", ("keenlattice.cli.commands.rig.facts", "numpy")),
    ("show brass-orbit", ("keenlattice.cli.commands.edit", "numpy", "scipy", "pandas", "matplotlib")),
    ("history brass-orbit", ("numpy", "pandas", "keenlattice.catalog.model", "keenlattice.rig.player.machine")),
    ("edit brass-orbit frame.cap=120", ("numpy", "pandas", "pyarrow")),
    ("trial brass-orbit@stock brass-orbit --seconds 1 --blocks 3 --seed 1", ("scipy.stats", "matplotlib"))])
def test_a_quick_command_loads_nothing_that_it_does_not_need(keen: Keen, tmp_path: Path, words: str,
                                                             never: tuple[str, ...]) -> None:
    keen("edit", "brass-orbit", "frame.queue-depth=1")
    told = subprocess.run(
        [sys.executable, "-c", "import atexit, sys; atexit.register(lambda: print(*sys.modules, file=sys.stderr)); "
         "from keenlattice.cli.start import main; main()", *words.split()],
        env=environment(tmp_path, KEEN_BOOK=str(tmp_path / "book")), capture_output=True, text=True, check=False)
    assert told.returncode == 0 and not set(never) & set(told.stderr.split()[-5000:]), told.stderr[:300]
    assert "keenlattice.cli.app" in told.stderr


@POSIX
def test_the_state_is_readable_by_nobody_else(keen: Keen, tmp_path: Path) -> None:
    keen("edit", "brass-orbit", "frame.queue-depth=1")
    keen("apply", "brass-orbit", "--yes")
    state = tmp_path / ".local" / "state" / "keen-lattice"
    folders = [state, *(path for path in state.rglob("*") if path.is_dir() and path.parent == state)]
    assert len(folders) > 2 and not any(path.stat().st_mode & 0o077 for path in folders)


@POSIX
def test_letters_beyond_ascii_are_text_whatever_the_locale(tmp_path: Path) -> None:
    env = environment(tmp_path, KEEN_BOOK=str(tmp_path / "book"), LC_ALL="POSIX", PYTHONUTF8="0")
    done = as_process(["edit", "brass-orbit", "frame.cap=60", "-m", "caf\u00e9"], tmp_path, env)
    assert done.returncode == 0, done.stderr
    kept = as_process(["history", "brass-orbit", "--json"], tmp_path, env)
    assert json.loads(kept.stdout)["versions"][0]["note"] == "caf\u00e9"


def test_what_comes_next_names_the_game_where_versions_are_the_rigs(keen: Keen) -> None:
    keen("edit", "rig", "memory.rated-speed=on")
    assert "--game " in keen("compare", "rig@stock", "rig").stderr
    for more in (["--blocks", "4", "--seconds", "2"], ["--pilot", "4", "--seconds", "10", "--matters", "10"]):
        played = keen("trial", "rig@stock", "rig", "--game", "brass-orbit", "--seed", "1", *more)
        assert "keen trial rig@stock" in played.stderr and "--game brass-orbit" in played.stderr


def test_a_trial_of_one_version_says_how_two_are_written(keen: Keen) -> None:
    for more in ([], ["--from-files"], ["--pilot", "4"]):
        assert "keen trial brass-orbit@stock brass-orbit" in keen("trial", "brass-orbit", *more, code=2).stderr


@POSIX
def test_eight_first_commands_at_once_all_succeed(tmp_path: Path) -> None:
    env = environment(tmp_path, KEEN_BOOK=str(tmp_path / "book"))
    running = [subprocess.Popen([*KEEN, "survey"], env=env, cwd=tmp_path, stdout=subprocess.DEVNULL,
                                stderr=subprocess.PIPE, text=True) for _ in range(8)]
    for one in running:
        _, errors = one.communicate(timeout=120)
        assert one.returncode == 0, errors


@POSIX
def test_a_terminal_that_shows_no_colours_gets_none(monkeypatch: pytest.MonkeyPatch) -> None:
    from keenlattice.cli import terminal

    monkeypatch.setattr(terminal, "is_terminal", lambda _: True)
    for term, shown in (("dumb", False), ("", False), ("xterm", True)):
        terminal.shows_colours.cache_clear()
        monkeypatch.setenv("TERM", term)
        assert terminal.shows_colours(sys.stdout) is shown
    terminal.shows_colours.cache_clear()
