"""The terminal: every command at two widths, colours, letters, progress and hints where they belong, completion."""

import os
import select
import shlex
import time
from io import StringIO
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from rich.console import Console

import keenlattice
from conftest import AS_PROCESS, KEEN, Keen, environment, typed
from keenlattice.cli.views.live import BAR, StudyView, drawn_interval
from keenlattice.study.player import Interim, Run
from smoke import COMMANDS, prepare

pty = pytest.importorskip("pty", reason="there are no pseudo-terminals here")


def on_screen(tmp_path: Path, words: list[str], **more: str) -> str:
    """What a command shows in a terminal."""
    child, terminal = pty.fork()
    if child == 0:
        env = environment(tmp_path, KEEN_BOOK=str(tmp_path / "book"), TERM="xterm", **more)
        os.execve(KEEN[0], [*KEEN, *words], env)
    screen, until = b"", time.monotonic() + 60
    while time.monotonic() < until and select.select([terminal], [], [], 30)[0]:
        try:
            screen += os.read(terminal, 4096)
        except OSError:
            break
    os.waitpid(child, 0)
    return screen.decode()


@pytest.mark.parametrize(("columns", "encoding"), [(80, "utf-8"), (120, "ascii")])
@pytest.mark.long
def test_every_command_fits_its_width_and_its_letters(tmp_path: Path, columns: int, encoding: str) -> None:
    prepare(tmp_path)
    env = environment(tmp_path, KEEN_BOOK=str(tmp_path / "book")) | {"COLUMNS": str(columns)}
    for words, expected in COMMANDS:
        done = typed(shlex.split(words), tmp_path, env, encoding)
        said, errors = done.stdout, done.stderr
        assert done.returncode == expected, (words, errors)
        assert "\x1b" not in said and "next: " not in said, words
        if "--markdown" not in words:  # its lines are the table's rows
            assert max((len(line) for line in said.splitlines()), default=0) <= columns, words
        begins = ("next: ", "for what waits: ", "games: ", "to ", "! ")
        assert all(line.startswith(begins) for line in errors.splitlines()), words


@AS_PROCESS
def test_colours_progress_and_hints_are_for_a_terminal(keen: Keen, tmp_path: Path) -> None:
    keen("edit", "brass-orbit", "frame.queue-depth=1")
    words = ["trial", "brass-orbit@stock", "brass-orbit", "--blocks", "2", "--seconds", "2"]
    shown, plain = on_screen(tmp_path, words), on_screen(tmp_path, ["show", "brass-orbit"], NO_COLOR="1")
    assert "\x1b[" in shown and "Trial: brass-orbit@stock against" in shown and "next: " in shown
    assert "\x1b" not in plain and "frame.queue-depth" in plain
    piped = keen(*words)
    assert "\x1b" not in piped.stdout + piped.stderr and "next: " in piped.stderr and "next: " not in piped.stdout


COMPLETED = [
    ("keen repo", 1, "report"), ("keen show bra", 2, "brass-orbit"), ("keen show brass-orbit @ st", 4, "steady stock"),
    ("keen edit brass-orbit frame.ca", 3, "frame.cap-unfocused= frame.cap="),
    ("keen edit brass-orbit vsy", 3, "sync.vertical="), ("keen show brass-orbit aniso", 3, "texture.anisotropy"),
    ("keen edit brass-orbit sync.vertical = h", 5, "half-rate"),
    ("keen trial a b --decides latency_ms_s", 5, "latency_ms_spread"), ("keen show --rig h", 3, "here"),
    ("keen edit brass-orbit nothing.at-all = o", 5, ""), ("keen measure no-such", 2, "")]
"""What is typed, as bash breaks it up, which of its words is completed, and what is offered."""


def test_the_shell_completes(keen: Keen) -> None:
    keen("edit", "brass-orbit", "frame.cap=160")
    keen("history", "brass-orbit", "--label", "steady")
    for line, word, offered in COMPLETED:
        done = keen(_KEEN_COMPLETE="complete_bash", COMP_WORDS=line, COMP_CWORD=str(word))
        assert sorted(done.stdout.split()) == sorted(offered.split()), line
    done = keen(_KEEN_COMPLETE="complete_bash", COMP_WORDS="keen show brass-orbit @", COMP_CWORD="3")
    assert {"steady", "stock", "applied"} < set(done.stdout.split())


def test_a_note_cannot_act_on_the_terminal(keen: Keen, tmp_path: Path) -> None:
    keen("edit", "brass-orbit", "frame.cap=160", "-m", "quiet \x1b[31mred\x07 \u202e and loud")
    for words in (["history", "brass-orbit"], ["show", "brass-orbit"]):
        shown = on_screen(tmp_path, words, NO_COLOR="1")
        assert "quiet ?[31mred? ? and loud" in shown and not set(shown) & set("\x1b\x07\u202e")


def test_completion_makes_nothing(keen: Keen, tmp_path: Path) -> None:
    done = keen(_KEEN_COMPLETE="complete_zsh", _TYPER_COMPLETE_ARGS="keen show tide")
    assert "tidewater-rally" in done.stdout and not (tmp_path / "book").exists()


def test_a_study_shows_the_run_just_over_and_how_its_intervals_narrow(tmp_path: Path) -> None:
    shown = list[str]()

    class Looking(StudyView):
        def ran(self, run: Run) -> None:
            super().ran(run)
            console = Console(width=110, record=True, file=StringIO())
            console.print(self._drawn())
            shown.append(console.export_text())

    with keenlattice.open(tmp_path / "book", "standin") as ws:
        quick = ws.edit("brass-orbit", {"frame.queue-depth": 1})
        ws.trial("brass-orbit@stock", quick, blocks=6, seconds=10, seed=1, matters=3, progress=Looking("runs"))
        both = ws.edit("brass-orbit", {"antialias.gamma": False})
        ws.screen("brass-orbit@stock", both, seconds=5, rounds=2, seed=1, progress=Looking("runs"))
        screened = shown[-1]
        ws.tune("brass-orbit@stock", {"frame.queue-depth": [1, 3]}, goal="fps,latency", seconds=5, rounds=4, seed=1,
                progress=Looking("runs"))
    assert all(key in screened for key in ("frame.queue-depth", "antialias.gamma")) and "no matter" in screened
    assert any("queue-depth 1" in view and "Tune" in view for view in shown)
    del shown[12:]
    assert "Trial: brass-orbit@stock against" in shown[0] and "matter" not in shown[0]
    assert "last run: brass-orbit@stock: frame time" in "".join(shown) and "GPU temperature" in shown[0]
    assert "of at most 12 runs, block " in shown[-1] and "Latency" in shown[-1] and "better" in shown[-1]


@given(st.floats(-60, 60), st.floats(0, 30), st.sampled_from(["frame_ms_mean", "fps_mean"]))
def test_better_lies_to_the_right_whatever_the_metric(middle: float, half: float, name: str) -> None:
    change = Interim("it", name, middle, middle - half, middle + half, "unclear", 3.0)
    line = drawn_interval(change, 3)[3:3 + BAR]
    gain = middle * (1 if name == "fps_mean" else -1)
    assert len(line) == BAR and line.strip()
    if abs(gain) > 1 and "o" in line:
        assert (line.index("o") >= BAR // 2) == (gain > 0)
    assert (">" in line) == (gain + half > 12) and ("<" in line) == (gain - half < -12)
