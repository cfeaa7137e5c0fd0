"""A game's settings and the rig-wide ones in one study, since every real list of tweaks is mixed."""

from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import Keen
from keenlattice.catalog.values import Value
from keenlattice.errors import UnknownName, UsageError
from keenlattice.profile.compare import changes
from keenlattice.profile.version import Version, joined, parted, profile_of, split, stock, together
from keenlattice.rig.standin.machine import Standin
from keenlattice.study.deciding import Deciding
from keenlattice.study.player import Player, Run, entries_on, held_for
from keenlattice.study.pool.from_studies import records_of
from keenlattice.study.trial.plan import TrialPlan
from keenlattice.study.trial.play import run_trial
from keenlattice.workspace.kept import line_between, study_numbered
from keenlattice.workspace.workspace import Workspace

BOTH = "brass-orbit+rig"
STOCK = "brass-orbit@stock+rig@stock"
NAMES = st.from_regex(r"[a-z]{1,6}\.[a-z]{1,6}", fullmatch=True)
GAME = st.dictionaries(NAMES, st.integers(1, 9))
RIG = st.dictionaries(st.one_of(NAMES, NAMES.map(lambda name: f"{name}@gpu0")), st.integers(1, 9))


@pytest.fixture
def ws(tmp_path: Path) -> Workspace:
    ws = Workspace(tmp_path / "book", notice=lambda _text: None)
    return ws


@given(GAME, RIG)
def test_what_is_joined_comes_apart_again(game: dict[str, Value], whole_rig: dict[str, Value]) -> None:
    assert parted(BOTH, joined(game, whole_rig)) == {"rig": whole_rig, "brass-orbit": game}
    assert len(joined(game, whole_rig)) == len(game) + len(whole_rig)


@given(GAME, RIG)
def test_a_reference_leads_back_to_both_parts(game: dict[str, Value], whole_rig: dict[str, Value]) -> None:
    parts = [Version("brass-orbit", game, time="2026-01-01T00:00:00+00:00"),
             Version("rig", whole_rig, time="2026-01-02T00:00:00+00:00")]
    version = together(*parts)
    assert list(split(version.reference)) == [part.reference for part in parts]
    assert profile_of(version.reference) == version.profile == BOTH
    assert together(stock("brass-orbit"), stock("rig")).reference == STOCK


def test_each_run_has_both_parts_on_the_rig_and_all_goes_back(rig: Standin) -> None:
    before, held = dict(rig.state()), list[tuple[str, dict[str, Value], dict[str, Value]]]()
    after = together(Version("brass-orbit", {"frame.queue-depth": 1, "frame.cap": 160}),
                     Version("rig", {"display.refresh": 165, "frame.cap": 120}))

    def look(run: Run) -> None:
        state = rig.state()
        held.append((run.arm, dict(rig.values(state, "brass-orbit")), dict(rig.values(state, "rig"))))

    result = run_trial(rig, stock(BOTH), after, TrialPlan(4, 20, 1, Deciding("latency_ms_median", 3)), on_run=look)
    assert result.deciding.verdict == "better" and result.game == "brass-orbit"
    assert {arm: (game, whole_rig) for arm, game, whole_rig in held} == {
        "before": ({}, {}),
        "after": ({"frame.queue-depth": 1, "frame.cap": 160}, {"display.refresh": 165, "frame.cap": 120})}
    assert rig.state() == before


@pytest.mark.parametrize(("held", "rig_wide", "cap"), [(165, {}, 57), (60, {"display.refresh": 165}, 162)])
def test_a_formula_means_the_refresh_rate_of_its_own_version(
        ws: Workspace, held: int, rig_wide: dict[str, Value], cap: int) -> None:
    """Whatever the rig holds as the formula is evaluated: between two runs that is the other version's rate."""
    ws.apply(ws.edit("rig", {"display.refresh": held}))
    version = together(Version("brass-orbit", {"frame.cap": "= refresh - 3"}), Version("rig", rig_wide))
    assert entries_on(ws.rig.machine, version)["frame.cap"] == cap
    assert ws.profiles.effective(version)["frame.cap"].value == cap


def test_a_rig_wide_value_that_slips_makes_a_run_not_count(rig: Standin) -> None:
    version = together(Version("brass-orbit", {"frame.queue-depth": 1}), Version("rig", {"display.refresh": 165}))
    entries = entries_on(rig, version)
    player = Player(rig, BOTH, "brass-orbit", 5)
    rig.put(rig.changed(rig.state(), "rig", {"display.refresh": 120}))
    rig.put(rig.changed(rig.state(), "brass-orbit", {"frame.queue-depth": 1}))
    assert [one.key for one in changes(held_for(rig, rig.state(), BOTH), entries)] == ["display.refresh@rig"]
    assert "display.refresh@rig" in player._gone_wrong(rig.play("brass-orbit", 5, 1), entries)


def test_a_screen_tells_the_changes_of_both_apart(ws: Workspace) -> None:
    ws.edit("rig", {"display.refresh": 165})
    ws.edit("brass-orbit", {"frame.queue-depth": 1})
    played = ws.screen(STOCK, BOTH, seconds=20, seed=3, decides="latency_ms_median")
    helped = {factor.settings: factor.judged[0].standing for factor in played.result.factors}
    assert helped == {("display.refresh@rig",): "better", ("frame.queue-depth",): "better"}
    told = [record.change for study in [study_numbered(ws.opened, played.number)]
            for record in records_of(study, ws.book.id, ws.rig.machine.catalog(), ws.rig.machine.facts())]
    assert sorted(change[0].setting for change in told) == ["display.refresh", "frame.queue-depth"]
    assert ws.studies.recompute(played.number).study == played.number


def test_evidence_keeps_silent_of_a_rig_wide_setting_that_the_game_hides(ws: Workspace) -> None:
    """Told as a change of the setting, it would say that the setting does nothing."""
    ws.edit("brass-orbit", {"frame.cap": 100})
    ws.edit("rig", {"frame.cap": 60})
    played = ws.trial("brass-orbit+rig@stock", BOTH, seconds=5, blocks=2, seed=1)
    study, machine = study_numbered(ws.opened, played.number), ws.rig.machine
    assert not list(records_of(study, ws.book.id, machine.catalog(), machine.facts()))


def test_a_pack_is_screened_with_its_rules_for_the_game_and_for_the_rig(ws: Workspace) -> None:
    pack = Path(__file__).parent.parent / "examples" / "packs" / "pinball-league.toml"
    *_, plan = ws.studies.screens.plan(STOCK, str(pack))
    assert {"display.refresh@rig", "interrupt.mode@usb0", "frame.queue-depth"} <= {
        key for group in plan.factors for key in group}
    assert all(claims for group, claims in zip(plan.factors, plan.claims, strict=True)
               if group in (("display.refresh@rig",), ("frame.cap",)))


def test_a_hunt_goes_through_both_histories_as_they_were_made(ws: Workspace) -> None:
    made = [ws.edit("rig", {"background.recorder": False}).version,
            ws.edit("brass-orbit", {"texture.anisotropy": "8x"}).version,
            ws.edit("rig", {"display.refresh": 165}).version,
            ws.edit("brass-orbit", {"texture.anisotropy": "4x"}).version]
    line = [version.reference for version in line_between(ws.opened, STOCK, BOTH)]
    whole_rig, game = ([version.reference for version in made[at::2]] for at in (0, 1))
    assert line == [STOCK, f"brass-orbit@stock+{whole_rig[0]}", f"{game[0]}+{whole_rig[0]}",
                    f"{game[0]}+{whole_rig[1]}", f"{game[1]}+{whole_rig[1]}"]
    assert [version.reference for version in line_between(
        ws.opened, *(ws.profiles.find(end, both=True) for end in (STOCK, BOTH)))] == line
    with pytest.raises(UnknownName):  # what the rig holds is in no history
        line_between(ws.opened, STOCK, "brass-orbit@now+rig")
    played = ws.hunt(BOTH, seconds=20, seed=3, decides="latency_ms_median", matters="8")
    assert f"hunt {BOTH} --since {STOCK}" in played.report().markdown().replace("\\", "")
    assert (played.result.first, played.result.settings) == (line[3], ("display.refresh@rig",))
    assert f"apply {whole_rig[1]}" in played.report().markdown()


def test_what_takes_one_profile_says_so_of_two(ws: Workspace) -> None:
    for call in (lambda: ws.edit(BOTH, {"frame.cap": 60}), lambda: ws.apply(BOTH), lambda: ws.show(BOTH),
                 lambda: ws.apply(together(stock("brass-orbit"), Version("rig", {"display.refresh": 165})))):
        with pytest.raises(UsageError, match="is two profiles together"):
            call()


def test_the_commands_take_both_and_lead_to_both(keen: Keen) -> None:
    assert "one of them: rig or brass-orbit" in keen("apply", BOTH, code=2).stderr
    keen("edit", "rig", "display.refresh=165")
    keen("edit", "brass-orbit", "frame.queue-depth=1")
    played = keen("trial", STOCK, BOTH, "--blocks", "4", "--seconds", "20", "--seed", "1", "--matters", "3",
                  "--decides", "latency_ms_median")
    assert "is planned, and not on the rig" not in played.stdout  # the study puts it there itself
    steps = [step.split("@")[0] for step in played.stderr.split(": ", 1)[1].split(", then ")]
    assert steps == ["keen apply rig", "keen apply brass-orbit"]
    assert keen("trial", BOTH, code=2).stderr.count(f"keen trial {STOCK} {BOTH}") == 1
    assert "display.refresh@rig" in keen("compare", STOCK, BOTH).stdout
