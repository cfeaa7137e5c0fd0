"""What is said of the rig is what the rig holds: every command, in each state that a rig-wide version can be in.

The rig-wide profile sets the refresh rate, and a game's cap is a formula of it. So a sentence that takes the plan for
the rig names a wrong rate or a wrong cap.
"""

import json
import re
from pathlib import Path

import pytest

from conftest import Keen, environment, typed
from keenlattice.cli.app import main  # noqa: F401  loaded before the walk
from keenlattice.logbook.book import Logbook
from keenlattice.rig.find import open_rig
from smoke import prepare

RATES = (60, 120, 165)
SHORT = "--seconds 2 --seed 1"
HOLDS = {"nothing set": 60, "planned": 60, "applied": 165, "slipped": 120}
ALLOWED = re.compile(r"planned|can do|to fix it|unset +165|165 +unset|keen edit|instead of|applied: 165|applied\)"
                     r"|^display\.refresh +165 Hz +120 Hz|display.refresh=165|for 165|best_refresh|\(stock\)|^stock ")
"""Where another rate may stand: a plan, an advice, a change from one to the other, the panel's own facts."""

WALK = ["survey", "show brass-orbit", "show brass-orbit --all", "show brass-orbit@now", "show brass-orbit@now --all",
        "show rig@now", "show brass-orbit frame.cap", "show brass-orbit@now display.refresh", "history brass-orbit",
        "compare brass-orbit@stock brass-orbit", "compare brass-orbit@now brass-orbit",
        "compare brass-orbit@stock brass-orbit --markdown", "drift", "undo --list", "rig facts", "rig match tidewater",
        "rig chore", "catalog frame.cap", "pack look league.toml", "edit brass-orbit frame.queue-depth=2",
        f"measure brass-orbit --runs 1 {SHORT}", f"trial brass-orbit@stock brass-orbit --blocks 3 {SHORT}",
        f"screen brass-orbit@stock brass-orbit --rounds 1 {SHORT}",
        f"hunt brass-orbit --decides latency_ms_median --matters 3 --blocks 2 {SHORT}",
        f"tune brass-orbit@stock --try frame.queue-depth=1,3 --rounds 3 --proof 2 {SHORT}",
        "compare brass-orbit@stock brass-orbit", "studies", "report --study 2 --out screen.md",
        "report --study 1 --out trial.md", "report --study 3 --out hunt.md", "report brass-orbit --out past.md"]


def set_by_something_else(folder: Path, rate: int) -> None:
    """Something else sets the rig's refresh rate."""
    with Logbook(folder / "book") as book:
        rig = open_rig("standin", book)
        rig.put(rig.changed(rig.state(), "rig", {"display.refresh": rate}))


def walked(folder: Path, state: str) -> dict[str, str]:
    """What every command says in a state."""
    env = environment(folder, KEEN_BOOK=str(folder / "book"), COLUMNS="400")

    def run(words: list[str]) -> str:
        done = typed(words, folder, env)
        assert done.returncode in (0, 1), done.stderr
        return done.stdout + done.stderr

    run(["edit", "brass-orbit", "frame.cap== refresh - 3", "frame.queue-depth=1"])
    if state != "nothing set":
        run(["edit", "rig", "display.refresh=165"])
    if state in ("applied", "slipped"):
        run(["apply", "rig", "--yes"])
    if state == "slipped":
        set_by_something_else(folder, 120)
    said = {words: run(words.split()) for words in WALK}
    return {**said, **{path.name: path.read_text() for path in folder.glob("*.md")}}


@pytest.mark.parametrize("state", HOLDS)
def test_every_sentence_about_the_rig_is_so(tmp_path: Path, state: str, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("KEEN_STATE", str(tmp_path / ".local" / "state" / "keen-lattice"))
    prepare(tmp_path)
    holds, wrong = HOLDS[state], []
    for command, text in walked(tmp_path, state).items():
        for line in text.splitlines():
            caps = any(re.search(rf"\b{rate - 3}(\.0)? fps", line) for rate in RATES if rate != holds)
            rates = any(f"{rate} Hz" in line for rate in RATES if rate != holds)
            if (caps or rates) and not ALLOWED.search(line):
                wrong.append(f"{command}: {line}")
    assert not wrong, "\n".join(wrong)


def test_what_a_planned_version_mends_is_mended_by_applying_it(keen: Keen) -> None:
    asked = (["show", "brass-orbit"], ["show", "rig@now"], ["survey"])
    to_edit, to_apply = "keen edit rig display.refresh=165", "keen apply rig, which is planned to set it"
    for plan, mends in (("", False), ("display.refresh=120", False), ("display.refresh=165", True)):
        if plan:
            keen("edit", "rig", plan)
        for words in asked:
            said = keen(*words).stdout
            assert (to_edit in said, to_apply in said) == (not mends, mends)


def test_a_study_keeps_what_the_rig_held_when_it_was_played(keen: Keen, tmp_path: Path) -> None:
    keen("edit", "brass-orbit", "frame.cap== refresh - 3")
    keen("edit", "rig", "display.refresh=165")
    trial = ["trial", "brass-orbit@stock", "brass-orbit", "--blocks", "3", *SHORT.split()]
    played = keen(*trial)
    assert "display.refresh is at 60 Hz (planned: 165 Hz)" in played.stderr
    assert "The runs are played on what the rig holds" in played.stderr
    keen("apply", "rig", "--yes")
    assert "planned" not in keen(*trial).stderr
    for number, cap in ((1, 57), (2, 162)):  # the rig holds 165 Hz by now; the first trial was played at 60
        keen("report", "--study", str(number), "--out", f"{number}.md")
        assert f"{cap} fps" in (tmp_path / f"{number}.md").read_text()
        assert keen("studies", "again", str(number)).stdout


def test_a_study_that_goes_on_while_the_rig_holds_something_else_says_so(tmp_path: Path) -> None:
    import keenlattice
    from keenlattice.rig.standin.machine import Standin

    ws = keenlattice.Workspace(tmp_path / "book")
    ws.edit("brass-orbit", {"frame.queue-depth": 1})
    played = 0

    def stop_at_three(done: int, _total: int) -> None:
        nonlocal played
        played = done
        if done == 3:
            raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt, match="the rig is as it was, and 3 finished runs are kept"):
        ws.trial("brass-orbit@stock", "brass-orbit", blocks=4, seconds=2, seed=1, progress=stop_at_three)
    assert isinstance(ws.rig.machine, Standin)
    set_by_something_else(tmp_path, 120)
    trial = ws.studies.resume()
    (doubt,) = trial.result.doubts
    assert "the rig held display.refresh at 120; when it began, at unset" in doubt
    assert ws.studies.recompute(1).equal
    assert json.dumps(trial.to_json())
