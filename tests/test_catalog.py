"""The catalog: its data files against the model, and what a player may type."""

from importlib import resources
from pathlib import Path

import pytest

from keenlattice.catalog.load import catalog, settings_in
from keenlattice.catalog.model import Catalog
from keenlattice.catalog.search import search
from keenlattice.errors import BadValue, CatalogError, UnknownName, UsageError
from keenlattice.rig.linux.absent import reasons

FILES = sorted((resources.files("keenlattice.catalog") / "data").iterdir(), key=lambda file: file.name)


@pytest.mark.parametrize("file", FILES, ids=lambda file: file.name)
def test_every_data_file_fits_the_model(file: Path) -> None:
    for setting in settings_in(file):
        assert setting == catalog()[setting.name]  # which is not held against the model as it is read
        assert setting.trades.endswith(".") and setting.title


def test_the_catalog_covers_what_was_promised() -> None:
    assert len(catalog()) >= 100
    assert len({setting.domain for setting in catalog()}) >= 20


@pytest.mark.parametrize(("text", "says"), [
    ('[frame.cap]\ntitle = "x"', "bad.toml: frame.cap: kind: Field required"),
    ('[frame.cap]\ntitle="x"\nkind="switch"\nscope="game"\nstock=3\ntrades="y"\nsure="placebo"',
     "bad.toml: frame.cap: (whole): Value error, stock: frame.cap cannot be"),
    ('[frame.cap]\ntitle="x"\nkind="switch"\nscope="game"\nstock=true\ntrades="y"\nspeed=1\nsure="placebo"',
     "bad.toml: frame.cap: speed: Unexpected keyword argument"),
    ("[frame", "bad.toml: not a catalog file"),
])
def test_a_bad_data_file_is_named_with_setting_and_key(tmp_path: Path, text: str, says: str) -> None:
    file = tmp_path / "bad.toml"
    file.write_text(text, encoding="utf-8")
    with pytest.raises(CatalogError, match=says.replace("(", r"\(").replace(")", r"\)")):
        settings_in(file)


@pytest.mark.parametrize(("key", "typed", "value"), [
    ("frame.queue-depth", "2", 2), ("frame.queue-depth", "game decides", "game decides"),
    ("frame.queue-depth", "game-decides", "game decides"), ("frame.cap", "off", "off"), ("frame.cap", "162", 162),
    ("timer.resolution", "0.5", 0.5), ("background.recorder", "no", False), ("sync.vertical", "half-rate", "half-rate"),
])
def test_what_a_player_types_becomes_a_value(key: str, typed: str, value: object) -> None:
    parsed = catalog()[key].parsed(typed)
    assert parsed == value and type(parsed) is type(value)


@pytest.mark.parametrize(("key", "typed"), [
    ("frame.queue-depth", "0"), ("frame.queue-depth", "7"), ("frame.queue-depth", "1.5"), ("frame.queue-depth", "on"),
    ("frame.queue-depth", "nan"), ("frame.queue-depth", "9" * 5000), ("frame.queue-depth", ""),
    ("frame.cap", "game decides"), ("background.recorder", "2"), ("sync.vertical", "yes"), ("timer.resolution", "inf"),
])
def test_what_a_setting_does_not_take_is_said_with_what_it_takes(key: str, typed: str) -> None:
    with pytest.raises(BadValue, match="it takes"):
        catalog()[key].parsed(typed)


def test_an_unknown_setting_is_answered_with_the_nearest() -> None:
    with pytest.raises(UnknownName, match=r"nearest: frame\.queue-depth"):
        catalog()["frame.queue-dept"]


@pytest.mark.parametrize(("key", "whole_rig", "says"), [
    ("timer.resolution", False, "ws.edit"), ("interrupt.mode", True, "per device"),
    ("interrupt.mode@toaster", True, "gpu0"), ("frame.cap@gpu0", False, "not set per device"),
])
def test_a_setting_is_set_only_where_it_can_be(key: str, whole_rig: bool, says: str) -> None:
    with pytest.raises(UsageError, match=says):
        catalog().check_key(key, whole_rig=whole_rig, devices=["gpu0"])
    catalog().check_key("interrupt.mode@gpu0", whole_rig=True, devices=["gpu0"])


def test_each_setting_says_where_it_is_and_how_to_see_that_it_took() -> None:
    said = [(one.where, one.check) for one in catalog()]
    assert all(len(where) > 20 and len(check) > 20 for where, check in said)
    assert len({check for _, check in said}) > 0.9 * len(said)  # its own, and not its domain's


def test_what_a_rig_does_not_have_is_said_so_with_the_reason() -> None:
    absent = reasons()
    assert absent.keys() <= {setting.name for setting in catalog()}
    some = Catalog([catalog()["sync.vertical"]], absent)
    assert "sync.vertical" not in some.absent
    with pytest.raises(UnknownName, match=r"no setting here named 'frame\.cap'; this rig does not have it: neither"):
        some["frame.cap"]
    with pytest.raises(UnknownName, match=r"see `ws\.rig\.settings\.search"):
        some["frame.cup"]


@pytest.mark.parametrize(("said", "meant"), [
    ("vsync", ["sync.vertical"]), ("V-Sync", ["sync.vertical"]), ("frame limiter", ["frame.cap", "game.frame-cap"]),
    ("message-signaled interrupts", ["interrupt.mode", "interrupt.messages"]), ("AF", ["texture.anisotropy"]),
    ("GPU scheduling", ["scheduling.gpu", "scheduling.gpu-share"]), ("core parking", ["cpu.core-parking"]),
    ("mouse acceleration", ["input.pointer-acceleration"]), ("nothing of the sort", []), ("", []), ("-", [])])
def test_players_words_find_settings(said: str, meant: list[str]) -> None:
    assert [setting.name for setting in search(catalog(), said)] == meant


def test_what_may_move_latency_is_found_by_that_word() -> None:
    found = {setting.name for setting in search(catalog(), "latency")}
    assert found >= {setting.name for setting in catalog() if "latency" in setting.moves}


@pytest.mark.parametrize(("key", "typed", "value"), [
    ("texture.anisotropy", "16", "16x"), ("sync.vertical", "Off", "off"), ("frame.cap", "OFF", "off"),
    ("background.recorder", "ON", True)])
def test_a_value_may_be_typed_as_players_type_it(key: str, typed: str, value: object) -> None:
    assert catalog()[key].parsed(typed) == value
