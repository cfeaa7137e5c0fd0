"""Settings that a system keeps as texts: Windows' own, on a store in memory; test_windows.py tries the functions."""

import tomllib
from collections.abc import Mapping
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from keenlattice.catalog.values import Value
from keenlattice.errors import NeedsRights, RefusedByRig, RigError
from keenlattice.logbook.book import Logbook
from keenlattice.profile.version import WHOLE_RIG, Version
from keenlattice.rig.applying import apply, find_drift, preview
from keenlattice.rig.noted import Noted
from keenlattice.rig.player.machine import ByHandRig
from keenlattice.rig.stored import StoredPart, Texts
from keenlattice.rig.undoing import undo
from keenlattice.rig.windows import background, input, interrupts, memory, monitor, network, processor
from keenlattice.rig.windows.interrupts import PciDevice
from keenlattice.rig.windows.values import NUMBER, place, written

GPU = PciDevice("gpu0", "Basalt 70", r"SYSTEM\CurrentControlSet\Enum\PCI\basalt\1", can=7, messages=8)
DISK = PciDevice("disk0", "Made-up disk", r"SYSTEM\CurrentControlSet\Enum\PCI\disk\1", can=1)
BALANCED, HIGH = processor.SCHEMES["balanced"], processor.SCHEMES["high"]
MODES = ["1920x1080@60", "1920x1080@165", "1280x720@60"]
TOOL = place("HKCU", background.RUN, "Made-up tool")


class Kept:
    """A store in memory.

    Args:
        begins: what its places begin with.
        held: what they hold.
    """

    def __init__(self, begins: str, held: Texts) -> None:
        self.begins, self.held = begins, dict(held)
        self.closed, self.deaf = set[str](), False

    def owns(self, place: str) -> bool:
        return place.startswith(self.begins)

    def read(self) -> Texts:
        return dict(self.held)

    def check(self, texts: Texts) -> None:
        if closed := self.closed & set(texts):
            raise NeedsRights(f"writing {closed.pop()} needs an administrator's rights")

    def write(self, texts: Texts) -> None:
        assert set(texts) <= set(self.held)
        self.held |= {} if self.deaf else texts

    def in_words(self, place: str) -> str:
        return f"the made-up {place}" if self.owns(place) else ""


def stores() -> dict[str, Kept]:
    """A PC as it was bought."""
    power = {processor.value_place(scheme, name): text for scheme in (BALANCED, HIGH) for name, text in zip(
        processor.VALUES, ("50", "5", "100", "1", "1", "50"), strict=True)}
    keys = dict.fromkeys([*background.telemetry_places(), *interrupts.places([GPU, DISK])])
    return {
        "monitor": Kept("display/", {monitor.MODE: MODES[0], monitor.FIT: "0", monitor.RANGE: "0"}),
        "input": Kept("parameter/", {input.DELAY: "1", input.SPEED: "31", input.POINTER: "6 10 1",
                                     input.FILTER: "2 1000 1000 500 0", **dict.fromkeys(input.EFFECTS, "1")}),
        "power": Kept("power/", {processor.ACTIVE: BALANCED, **power}),
        "startup": Kept(place("HKCU", background.RUN), {TOOL: written(1, "tool.exe")}),
        "services": Kept("service/", {background.service_place(name): "2" for name in ("WSearch", "MadeUp")}),
        "telemetry": Kept(place("HKLM", background.POLICIES), {
            where: text for where, text in keys.items() if background.POLICIES in where}),
        "network": Kept("network/", {"network/made-up": ""}),
        "memory": Kept(place("HKLM", memory.KEY), {memory.FILES: r'[7, ["?:\\pagefile.sys"]]'}),
        "interrupts": Kept(place("HKLM", r"SYSTEM\CurrentControlSet\Enum"), {
            where: text for where, text in keys.items() if "Enum" in where})}


def rig_on(home: Path, kept: Mapping[str, Kept]) -> ByHandRig:
    """A rig whose parts are Windows' own."""
    known = {
        "monitor": lambda held: monitor.settings(held, MODES), "input": input.settings, "power": processor.settings,
        "startup": lambda held: background.startup([TOOL], held),
        "services": lambda held: background.services({"WSearch": "Made-up index", "MadeUp": "Made-up service"}),
        "telemetry": lambda held: [background.telemetry()], "memory": lambda held: memory.page_file(),
        "network": network.settings,
        "interrupts": lambda held: interrupts.settings([GPU, DISK], 8)}
    parts = [StoredPart(store, known[name], Noted(home, f"{name}-before.json")) for name, store in kept.items()]
    return ByHandRig(home, name="here", parts=parts, devices=("gpu0", "disk0"))


def held(kept: Mapping[str, Kept]) -> dict[str, str | None]:
    return {place: text for store in kept.values() for place, text in store.held.items()}


VALUES: dict[str, st.SearchStrategy[Value]] = {
    "display.refresh": st.sampled_from([60, 165]), "display.fit": st.sampled_from(["stretch", "centre"]),
    "display.hdr": st.booleans(), "input.key-repeat-delay": st.sampled_from([250, 333, 500, 1000]),
    "input.key-repeat-interval": st.sampled_from([33, 20, 400]), "input.key-acceptance-delay": st.sampled_from([0, 50]),
    "input.pointer-acceleration": st.booleans(), "background.visual-effects": st.booleans(),
    "cpu.power-plan": st.sampled_from(["balanced", "high"]), "cpu.core-parking": st.booleans(),
    "cpu.minimum-state": st.integers(0, 100), "cpu.boost": st.sampled_from(["off", "on", "eager"]),
    "cpu.frequency-scaling": st.sampled_from(["by-hardware", "by-system"]), "startup.made-up-tool": st.booleans(),
    "service.madeup": st.sampled_from(["automatic", "manual", "disabled"]), "background.search-index": st.booleans(),
    "background.telemetry": st.booleans(), "memory.page-file-low": st.sampled_from([1024, 4096]),
    "memory.page-file-high": st.sampled_from([4096, 8192]), "interrupt.mode@gpu0": st.sampled_from(["line", "message"]),
    "network.resolver": st.sampled_from(["by-network", "192.0.2.1", "192.0.2.1,192.0.2.2"]),
    "interrupt.messages@gpu0": st.integers(1, 8), "interrupt.priority@disk0": st.sampled_from(["normal", "high"]),
    "interrupt.affinity@gpu0": st.sampled_from(["all", "2", "0-2,5"])}
EDITS = st.dictionaries(st.sampled_from(sorted(VALUES)), st.none(), max_size=8).flatmap(
    lambda keys: st.fixed_dictionaries({key: st.none() | VALUES[key] for key in keys}))


@given(edits=st.lists(EDITS, max_size=5))
@settings(max_examples=60)
def test_what_is_set_reads_back_and_once_all_is_unset_every_place_is_as_it_was(
        edits: list[dict[str, Value | None]], tmp_path_factory: pytest.TempPathFactory) -> None:
    kept = stores()
    at_first, rig, wanted = held(kept), rig_on(tmp_path_factory.mktemp("rig"), kept), dict[str, Value]()
    for edit in edits:
        then = rig.changed(rig.state(), WHOLE_RIG, edit)
        rig.put({place: content for place, content in then.items() if content != rig.state()[place]})
        wanted = {key: value for key, value in {**wanted, **edit}.items() if value is not None}
        read = rig.values(rig.state(), WHOLE_RIG)
        moved = {"memory.page-file-low", "memory.page-file-high", "display.refresh", "cpu.minimum-state"}
        assert set(read) == set(wanted)
        # Some share a place, or stand in the plan that is on: there the newest word counts.
        assert {key: read[key] for key in read if key not in moved and "cpu." not in key} == {
            key: wanted[key] for key in wanted if key not in moved and "cpu." not in key}
        assert {key: read[key] for key in edit if edit[key] is not None and key not in moved} == {
            key: value for key, value in edit.items() if value is not None and key not in moved}
        assert rig.seen_before(WHOLE_RIG)["input.pointer-acceleration"] is True
    rig.put(rig.changed(rig.state(), WHOLE_RIG, dict.fromkeys(wanted)))
    assert held(kept) == at_first and not rig.values(rig.state(), WHOLE_RIG)


def version(**entries: Value) -> Version:
    return Version(WHOLE_RIG, {key.replace("__", ".").replace("_", "-"): value for key, value in entries.items()})


def applied(rig: ByHandRig, book: Logbook, **entries: Value) -> None:
    made = version(**entries)
    apply(rig, book, book.commit(WHOLE_RIG, made.entries))


def test_it_is_applied_drifts_and_is_undone(tmp_path: Path, book: Logbook) -> None:
    kept = stores()
    at_first, rig = held(kept), rig_on(tmp_path, kept)
    applied(rig, book, cpu__power_plan="high", cpu__minimum_state=90, background__telemetry=False,
            input__key_repeat_delay=300, memory__page_file_low=4096)
    assert kept["power"].held[processor.value_place(HIGH, "cpu.minimum-state")] == "90"  # of the plan that is on then
    assert kept["power"].held[processor.value_place(BALANCED, "cpu.minimum-state")] == "5"
    assert kept["input"].held[input.FILTER] == "3 0 300 33 0" and kept["input"].held[input.DELAY] == "1"
    assert kept["memory"].held[memory.FILES] == r'[7, ["C:\\pagefile.sys 4096 4096"]]'
    kept["power"].held[processor.ACTIVE] = BALANCED  # somebody's tool
    slipped = {one.key for drift in find_drift(rig, book) for one in drift.changes}
    assert slipped == {"cpu.power-plan", "cpu.minimum-state"}
    assert undo(rig, book).exactly is False  # the plan is not what we left; the rest goes back
    assert held(kept) == at_first


def test_what_is_accepted_and_not_kept_is_found_and_taken_back(tmp_path: Path, book: Logbook) -> None:
    kept = stores()
    at_first, rig = held(kept), rig_on(tmp_path, kept)
    kept["services"].deaf = True
    with pytest.raises(RigError, match=r"service\.madeup reads back automatic, not disabled; the rig is as it was"):
        applied(rig, book, input__pointer_acceleration=False, service__madeup="disabled")
    assert held(kept) == at_first


def test_without_rights_the_rest_is_written_and_what_is_left_out_is_named(tmp_path: Path, book: Logbook) -> None:
    kept = stores()
    rig = rig_on(tmp_path, kept)
    kept["services"].closed = set(kept["services"].held)
    made = version(service__madeup="disabled", input__pointer_acceleration=False)
    shown = preview(rig, made)
    assert set(shown.without_rights) == {"service.madeup"} and not shown.refused
    assert [one.key for one in shown.changes] == ["input.pointer-acceleration"]
    applied(rig, book, **{"service__madeup": "disabled", "input__pointer_acceleration": False})
    assert kept["input"].held[input.POINTER] == "6 10 0" and set(kept["services"].held.values()) == {"2"}


@pytest.mark.parametrize(("key", "value", "says"), [
    ("interrupt.mode@disk0", "message", "it can raise no message-signalled interrupts"),
    ("interrupt.messages@gpu0", 9, "8 at most"), ("interrupt.affinity@gpu0", "9", "not a list of this machine's cores"),
    ("display.refresh", 144, "it does 60, 165"), ("display.resolution", "640x480", "1920x1080, 1280x720"),
    ("network.resolver", "a.b", "not a list of addresses"), ("network.resolver", "2001:db8::1", "IPv4"),
    ("cpu.power-plan", "saver", "only balanced, high")])
def test_what_the_machine_does_not_take_is_refused_in_the_preview(tmp_path: Path, key: str, value: Value, says: str
                                                                  ) -> None:
    with pytest.raises(RefusedByRig, match=says):
        rig_on(tmp_path, stores()).changed(rig_on(tmp_path, stores()).state(), WHOLE_RIG, {key: value})


def test_filter_keys_that_ignore_quick_strokes_rule_out_other_times(tmp_path: Path) -> None:
    kept = stores()
    kept["input"].held[input.FILTER] = "3 0 0 0 500"
    rig = rig_on(tmp_path, kept)
    with pytest.raises(RefusedByRig, match="switch it off in the settings for ease of use"):
        rig.changed(rig.state(), WHOLE_RIG, {"input.key-acceptance-delay": 50})


def test_the_table_of_the_docs_names_what_the_parts_have(tmp_path: Path) -> None:
    """But for what is written service by service and program by program, or is a matter of a game's own file."""
    text = (Path(__file__).parents[1] / "docs" / "site" / "windows.toml").read_text(encoding="utf-8")
    told = {name for group in tomllib.loads(text).values() for name in group["settings"]}
    rig = rig_on(tmp_path, stores())
    keys = [key for one in rig.catalog() for key in (one.name, f"{one.name}@gpu0")]
    written_here = {key.partition("@")[0] for key in keys if rig.written_here(WHOLE_RIG, key)}
    one_by_one = {"background.services", "background.startup-programs", "game.config-locked"}
    assert {name for name in written_here if not name.startswith(("service.", "startup."))} == told - one_by_one
    assert len(told) >= 26 and told <= {one.name for one in rig.catalog()}


def test_things_of_one_name_are_settings_of_their_own_whatever_else_there_is() -> None:
    """They were numbered by what came before them, or one of them was not to be had."""
    places = [TOOL, place("HKLM", background.RUN, "made-up TOOL"), place("HKLM", background.RUN, "Other")]
    keys = [{stored.key for stored in background.startup(some, dict.fromkeys(some, "[1, \"x\"]"))}
            for some in (places, [place("HKCU", background.RUN, "A first one"), *places])]
    assert len(keys[0]) == 3 and keys[0] < keys[1] and "startup.other" in keys[0]
    assert len({stored.key for stored in background.services({"a-b": "One", "A_B": "Another"})}) == 2


def test_damaged_notes_and_a_device_that_has_gone_are_said_and_lose_nothing(tmp_path: Path) -> None:
    kept = stores()
    rig = rig_on(tmp_path, kept)
    rig.put(rig.changed(rig.state(), WHOLE_RIG, {"interrupt.mode@gpu0": "message", "interrupt.priority@disk0": "high"}))
    only = StoredPart(kept["interrupts"], lambda held: interrupts.settings([DISK], 8), Noted(
        tmp_path, "interrupts-before.json"))
    assert dict(only.values(only.state(), WHOLE_RIG)) == {"interrupt.priority@disk0": "high"}
    assert kept["interrupts"].held[place("HKLM", rf"{GPU.key}\{interrupts.MESSAGES}", "MSISupported")] == written(
        NUMBER, 1)
    (tmp_path / "interrupts-before.json").write_text('{"users": "[1]", "texts": "{}"}')
    with pytest.raises(RigError, match="damaged"):
        rig.values(rig.state(), WHOLE_RIG)
