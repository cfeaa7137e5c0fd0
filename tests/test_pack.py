"""Packs: what they would do here, round trips, and what strangers may put into one."""

import json
import subprocess
import sys
import tomllib
from codecs import BOM_UTF8
from collections.abc import Callable
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import Keen, as_json
from keenlattice.profile.pack import Pack, PackError, Rule, pack_text, parse_pack, with_rules
from keenlattice.workspace.workspace import Workspace

ROOT = Path(__file__).parent.parent
SAMPLE = ROOT / "examples" / "packs" / "pinball-league.toml"
HEAD = 'format = "keen-lattice/pack/1"\ntitle = "t"\n'

keys = st.from_regex(r"[a-z][a-z0-9]{0,6}\.[a-z0-9][a-z0-9_-]{0,8}(@[a-z0-9-]{1,5})?", fullmatch=True)
lines = st.text(st.characters(codec="utf-8", exclude_categories=("Cc", "Cs")), max_size=30).filter(
    lambda text: not text.startswith("="))
values = st.booleans() | st.integers(-10**6, 10**6) | st.floats(-1e6, 1e6) | lines | st.just("= refresh - 3")
a_rule = st.builds(lambda game, reason, set_, unset: Rule(game=game, reason=reason, set=set_, unset=unset),
                   st.sampled_from(["rig", "brass-orbit"]), lines, st.dictionaries(keys, values, max_size=5),
                   st.lists(keys, max_size=2))
some_rules = st.lists(a_rule, min_size=1, max_size=4)


@given(lines, some_rules, some_rules)
def test_what_is_written_is_read_again_and_nothing_is_lost(title: str, first: list[Rule], more: list[Rule]) -> None:
    text = pack_text(title, "a", "CC0-1.0", first)
    commented = text.replace("[[rule]]", "# mine é\n[[rule]] # here", 1)
    longer = with_rules(commented.encode(), more, "p")
    assert longer.startswith(commented.encode())
    pack = parse_pack(longer, "p")
    assert pack.title == title and pack.rule == [*first, *more]


@pytest.mark.parametrize("change", [
    lambda text: text, lambda text: text.rstrip(b"\n"), lambda text: text.replace(b"\n", b"\r\n"),
    lambda text: BOM_UTF8 + text, lambda text: BOM_UTF8 + text.replace(b"\n", b"\r\n").rstrip()],
    ids=["as it is", "no last newline", "CRLF", "byte order mark", "all of these"])
def test_a_pack_that_is_added_to_keeps_every_byte(tmp_path: Path, change: Callable[[bytes], bytes]) -> None:
    ws, file = Workspace(tmp_path / "book"), tmp_path / "mine.toml"
    ws.edit("brass-orbit", {"frame.queue-depth": 1}, note="sooner")
    file.write_bytes(change(SAMPLE.read_bytes()))
    before, rules = file.read_bytes(), len(ws.profiles.packs.look(file).rules)
    ws.profiles.packs.write(file, "brass-orbit")
    after = file.read_bytes()
    assert after.startswith(before) and len(ws.profiles.packs.look(file).rules) == rules + 1
    assert (b"\r\n" in before) == (b"\r\n" in after[len(before):])


def test_a_pack_with_an_inline_list_is_refused_and_stays(tmp_path: Path) -> None:
    ws, file = Workspace(tmp_path / "book"), tmp_path / "mine.toml"
    ws.edit("brass-orbit", {"frame.queue-depth": 1})
    file.write_text('format = "keen-lattice/pack/1"\ntitle = "x"\nrule = [{game = "rig", set = {"frame.cap" = 60}}]')
    before = file.read_bytes()
    with pytest.raises(PackError, match="inline list"):
        ws.profiles.packs.write(file, "brass-orbit")
    assert file.read_bytes() == before


def test_a_rule_for_a_game_that_is_not_here_leaves_the_others(tmp_path: Path) -> None:
    ws, file = Workspace(tmp_path / "book"), tmp_path / "two.toml"
    rules = [Rule(game=game, set={"frame.queue-depth": 1}) for game in ("glass-harbour", "brass-orbit")]
    file.write_text(pack_text("two", "", "", rules))
    taken = ws.profiles.packs.adopt(file)
    assert [made.after.profile for made in taken.versions] == ["brass-orbit"]
    assert taken.conditions_not_met == ("rule 1: no game named glass-harbour here",)


def test_the_sample_shows_every_outcome(keen: Keen) -> None:
    looked = as_json(keen("pack", "look", str(SAMPLE), "--json"))
    statuses = {one["setting"]: one["status"] for rule in looked["rules"] for one in rule["settings"]}
    assert statuses == statuses | {
        "frame.cap": "changes", "flipper.solenoid-boost": "unknown here", "sync.triple-buffering": "inert here",
        "interrupt.mode@sound0": "refused here", "display.refresh": "changes"}
    assert [bool(rule["condition_fails"]) for rule in looked["rules"]] == [False, True, False]
    assert as_json(keen("history", "brass-orbit", "--json"))["versions"] == []  # looking changes nothing

    taken = as_json(keen("pack", "adopt", str(SAMPLE), "--json"))
    assert {one["before"] for one in taken["versions"]} == {"brass-orbit@stock", "rig@stock"}
    assert len(taken["left_out"]) == 2 and len(taken["conditions_not_met"]) == 1
    shown = as_json(keen("show", "brass-orbit", "--json"))
    assert shown["unknown"] == ["flipper.solenoid-boost"]
    held = {one["setting"]: one for one in shown["settings"]}
    assert (held["frame.cap"]["stored"], held["frame.cap"]["value"]) == ("= best_refresh - 3", 162)
    assert held["scaling.render-scale"]["layer"] == "stock" and "interrupt.mode@sound0" not in held
    again = as_json(keen("pack", "look", str(SAMPLE), "--json"))["rules"][0]["settings"]
    assert {one["status"] for one in again} == {"holds already", "unknown here"}
    assert "Nothing changes" in keen("pack", "adopt", str(SAMPLE), "--rule", "3").stdout
    keen("pack", "adopt", str(SAMPLE), "--rule", "9", code=2)
    assert "left out" in keen("apply", "brass-orbit", "--yes").stdout
    (cap,) = [one for one in as_json(keen("compare", "brass-orbit@now", "brass-orbit", "--json"))["changes"]
              if one["setting"] == "frame.cap"]  # the rig holds what the formula amounts to
    assert (cap["before"], cap["after"]) == (162, "= best_refresh - 3")
    assert cap["effective_before"] == cap["effective_after"]
    assert {one["setting"] for one in as_json(keen("compare", "brass-orbit@stock", str(SAMPLE), "--json"))["changes"]
            } >= {"frame.cap", "frame.queue-depth"}


def test_a_version_or_a_difference_becomes_a_pack(keen: Keen, tmp_path: Path) -> None:
    keen("edit", "brass-orbit", "frame.cap== refresh - 3", "sync.vertical=off", "-m", "steady")
    keen("edit", "brass-orbit", "sync.vertical=", "frame.queue-depth=1", "-m", "sooner")
    words = ("--title", "Mine", "--licence", "CC0-1.0", "--when", "refresh > 1")
    keen("pack", "write", "whole.toml", "brass-orbit", *words)
    keen("pack", "write", "whole.toml", "brass-orbit")
    keen("history", "brass-orbit", "--label", "tuesday")
    first = as_json(keen("history", "brass-orbit", "--json"))["versions"][1]["version"]
    keen("pack", "write", "part.toml", "brass-orbit@tuesday", "--since", first)
    whole, part = (tomllib.loads((tmp_path / name).read_text()) for name in ("whole.toml", "part.toml"))
    assert [rule["set"] for rule in whole["rule"]] == [{"frame.cap": "= refresh - 3", "frame.queue-depth": 1}] * 2
    assert whole["rule"][0]["when"] == "refresh > 1" and part["title"] == "brass-orbit: sooner"
    assert part["rule"] == [{"game": "brass-orbit", "reason": "sooner", "unset": ["sync.vertical"],
                             "set": {"frame.queue-depth": 1}}]
    assert "cannot be read" in keen("pack", "write", "x.toml", "brass-orbit", "--when", "refresh >", code=2).stderr
    assert not (tmp_path / "x.toml").exists()


HOSTILE = {
    "empty": b"", "not TOML": b"[[[", "not text": b"\xff\xfe\x00x", "no pack": b"a = 1", "no rules": HEAD.encode(),
    "other format": HEAD.replace("/1", "/2").encode() + b'[[rule]]\ngame = "rig"\n',
    "deep arrays": HEAD.encode() + b"x = " + b"[" * 50_000 + b"]" * 50_000,
    "deep tables": HEAD.encode() + b"[" + b".".join([b"a"] * 50_000) + b"]\n",
    "deep over lines": HEAD.encode() + b"x = " + b"[\n" * 5_000 + b"]\n" * 5_000,
    "a megabyte of keys": HEAD.encode() + b"".join(b"k%d = 1\n" % number for number in range(100_000)),
    "many keys": HEAD.encode() + b'[[rule]]\ngame="rig"\n[rule.set]\n' + b"".join(
        b'"a.k%d" = 1\n' % number for number in range(9_000)),
    "huge integer": HEAD.encode() + b'[[rule]]\ngame="rig"\nset = {"frame.cap" = ' + b"9" * 5_000 + b"}\n",
    "large integer": HEAD.encode() + b'[[rule]]\ngame="rig"\nset = {"frame.cap" = 99999999999999999999}\n',
    "not a number": HEAD.encode() + b'[[rule]]\ngame="rig"\nset = {"frame.cap" = nan}\n',
    "power": HEAD.encode() + b'[[rule]]\ngame="rig"\nset = {"frame.cap" = "= 9**9**9"}\n',
    "a call": HEAD.encode() + b'[[rule]]\ngame="rig"\nwhen = "__import__(\'os\')"\n',
    "attributes": HEAD.encode() + b'[[rule]]\ngame="rig"\nwhen = "a.__class__"\n',
    "a path as game": HEAD.encode() + b'[[rule]]\ngame="../../etc/passwd"\n',
    "a path as key": HEAD.encode() + b'[[rule]]\ngame="rig"\nset = {"../x" = 1}\n',
    "control characters": HEAD.encode() + b'[[rule]]\ngame="rig"\nreason = "\\u001b[2J"\n',
    "a table as value": HEAD.encode() + b'[[rule]]\ngame="rig"\nset = {"frame.cap" = {a = 1}}\n',
    "an odd key": HEAD.encode() + b'[[rule]]\ngame="rig"\nrun = "rm"\n',
    "a date": HEAD.encode() + b'[[rule]]\ngame="rig"\nset = {"frame.cap" = 2026-01-01}\n',
}

READS = """
import sys, time
from pathlib import Path
from keenlattice.errors import KeenLatticeError
from keenlattice.profile.pack import read_pack
for name in sys.argv[1:]:
    began = time.perf_counter()
    try:
        read_pack(Path(name))
        print("READ", name)
    except KeenLatticeError as error:
        print(f"{time.perf_counter() - began:.3f}", str(error))
"""


def test_hostile_packs_are_refused_quickly_in_little_memory_and_one_line(tmp_path: Path) -> None:
    files = []
    for name, content in HOSTILE.items():
        (tmp_path / name).write_bytes(content)
        files.append(str(tmp_path / name))

    resource = pytest.importorskip("resource", reason="no bounds can be set for a process here")

    def little_memory() -> None:
        resource.setrlimit(resource.RLIMIT_DATA, (200 * 2**20, 200 * 2**20))

    done = subprocess.run([sys.executable, "-c", READS, *files], capture_output=True, text=True, check=True,
                          preexec_fn=little_memory)
    lines = done.stdout.splitlines()
    assert len(lines) == len(HOSTILE)
    for line, name in zip(lines, HOSTILE, strict=True):
        assert not line.startswith("READ") and float(line.split()[0]) < 1, line
        assert name in line and len(line) < 700 and line.isprintable(), line


sample_bytes = SAMPLE.read_bytes()
a_mangle = st.tuples(st.integers(0, len(sample_bytes) - 1), st.binary(max_size=6), st.integers(0, 40))
mangles = st.lists(a_mangle, max_size=6)


@given(mangles)
def test_a_mangled_pack_is_read_or_refused_and_nothing_else(changed: list[tuple[int, bytes, int]]) -> None:
    content = sample_bytes
    for at, what, cut in changed:
        content = content[:at] + what + content[at + cut:]
    try:
        assert isinstance(parse_pack(content, "p"), Pack)
    except PackError as error:
        assert str(error).startswith("p: ") and len(str(error)) < 700


def test_the_schema_in_the_docs_is_the_models() -> None:
    written = json.loads((ROOT / "docs" / "pack.schema.json").read_text())
    assert written == Pack.model_json_schema(by_alias=True)
