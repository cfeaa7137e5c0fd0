"""The user's Mesa file: our entries come and go, and no other byte changes."""

import re
from fnmatch import fnmatchcase
from itertools import product

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from keenlattice.errors import RigError
from keenlattice.rig.linux.driconf import as_regexp, options, with_options
from keenlattice.rig.linux.driver import settings_of_option
from keenlattice.rig.linux.entries import Configuration, DrawnOn, Program, entries_in, is_drawn_on

FOREIGN = b"""<?xml version='1.0' standalone="yes"?>
<!DOCTYPE driconf [ <!ELEMENT driconf (device+)> ]>
<!-- mine, do not touch \xc3\xa9 -->
<driconf >
\t<device driver='swrast'><application name="Other &amp; game" executable="keen-scene">
      <option   name="vblank_mode" value='0' /> <!-- kept --></application><what is="this"/></device>
</driconf>
<!-- after -->
"""
FILES = [None, b"<driconf></driconf>", FOREIGN, FOREIGN.replace(b"\n", b"\r\n"), b"\xef\xbb\xbf" + FOREIGN]
names = st.from_regex(r"[a-z_]{1,12}", fullmatch=True)
texts = st.text(st.characters(codec="utf-8", exclude_categories=("Cc", "Cs", "Co", "Cn")), max_size=12)
wanted = st.dictionaries(names, texts, min_size=1, max_size=4)


@given(st.sampled_from(FILES), wanted, wanted)
def test_ours_is_read_back_and_taken_off_again(content: bytes | None, one: dict[str, str], two: dict[str, str]) -> None:
    written = with_options(content, "scene", ("keen-scene",), one, "f")
    assert options(written, "scene", "f") == one
    both = with_options(written, "other", ('a "quoted" & <odd> name', "b"), two, "f")
    assert (options(both, "scene", "f"), options(both, "other", "f")) == (one, two)
    changed = with_options(both, "scene", ("keen-scene",), two, "f")
    assert (options(changed, "scene", "f"), options(changed, "other", "f")) == (two, two)
    gone = with_options(with_options(changed, "other", ("x",), {}, "f"), "scene", ("keen-scene",), {}, "f")
    if content:
        assert gone == content
    assert with_options(gone, "scene", ("keen-scene",), one, "f") == written


def test_what_others_write_into_our_device_stays() -> None:
    ours = with_options(FOREIGN, "scene", ("keen-scene",), {"vblank_mode": "3"}, "f")
    theirs = b"<application name='Theirs' executable='x'><option name='a' value='1'/></application>"
    at = ours.rindex(b"    </device>")
    shared = ours[:at] + b"        " + theirs + b"<!-- mine -->\n" + ours[at:]
    for changed in ({}, {"vblank_mode": "0"}):
        found = with_options(shared, "scene", ("keen-scene",), changed, "f")
        assert theirs in found and b"<!-- mine -->" in found and options(found, "scene", "f") == changed
    both = with_options(with_options(FOREIGN, "one", ("a",), {"x": "1"}, "f"), "two", ("b",), {"y": "2"}, "f")
    between = b"    </device>\n    <device>\n"
    one_device = both.replace(between + b"        <application name=\"Keen", b"<application name=\"Keen")
    assert options(with_options(one_device, "one", ("a",), {}, "f"), "two", "f") == {"y": "2"}


mangling = st.tuples(st.integers(0, 2000), st.integers(0, 12), st.sampled_from(
    [b"", b" ", b"\n", b"<", b">", b"</device>", b"<device>", b"<!-- x -->", b"&amp;", b"'", b'"', b"<device  />",
     b"Keen Lattice: scene", b"<application name='Keen Lattice: scene'/>", b"]]>", b"<![CDATA[ <device> ]]>"]))


@given(st.sampled_from(FILES[1:]), st.lists(mangling, max_size=4), wanted, st.booleans())
def test_ours_comes_out_of_a_mangled_file_byte_for_byte(content: bytes, cuts: list[tuple[int, int, bytes]],
                                                        one: dict[str, str], rig_wide: bool) -> None:
    for at, length, put in cuts:
        content = content[:at] + put + content[at + length:]
    assume(content)  # an empty file is begun as if it were not there
    owner = "rig" if rig_wide else "orbit"  # neither of which it is mangled with
    try:
        changed = with_options(content, owner, ("orbit",), one, "f")
    except RigError:
        return
    assert with_options(changed, owner, ("orbit",), {}, "f") == content


@given(st.lists(mangling, min_size=1, max_size=4), wanted)
def test_a_mangled_file_is_changed_right_or_left_alone(cuts: list[tuple[int, int, bytes]], one: dict[str, str]) -> None:
    """Anyone who has been at it: what is others' is all there afterwards, and ours reads back; else it is refused."""
    content = with_options(FOREIGN, "scene", ("keen-scene", "b"), {"vblank_mode": "3"}, "f")
    for at, length, put in cuts:
        content = content[:at] + put + content[at + length:]
    try:
        before = [one for one in entries_in(content, "f") if not one.title.startswith("Keen Lattice: scene")]
        changed = with_options(content, "scene", ("keen-scene",), one, "f")
        gone = with_options(changed, "scene", (), {}, "f")
    except RigError:
        return
    assert options(changed, "scene", "f") == one and options(gone, "scene", "f") == {}
    for found in (changed, gone):
        left = [(one.kind, one.device, one.matches, one.options) for one in entries_in(found, "f")
                if not one.title.startswith("Keen Lattice: scene")]
        assert left == [(one.kind, one.device, one.matches, one.options) for one in before]


@given(texts.filter(lambda name: name and not set(name) & set("/\\[]*?")),
       st.sampled_from(["*", "?", "-*", "[1]", "[!a]"]))
def test_a_pattern_is_written_as_the_driver_can_read_it(name: str, more: str) -> None:
    pattern = name + more
    content = with_options(None, "game", (pattern,), {"vblank_mode": "3"}, "f")
    files = Configuration(entries_in(content, "f"))
    for executable in (name, f"{name}x", f"{name}-x86", f"{name}1", f"x{name}", pattern):
        fits = fnmatchcase(executable, pattern) or (executable == pattern and not set(pattern) & set("*?"))
        found = files.resolve(Program(executable), DrawnOn("any"))
        assert bool(found) == fits, executable


@pytest.mark.filterwarnings("ignore:Possible nested set")  # by Python's syntax, in some version to come
@pytest.mark.parametrize("pattern", ["[]a]x", "x[!]a]", "a[b-d]?[1]", "[ab", "a]b", "[a]]b", "x[]", "x[!]", "*[ab][1]*",
                                     "a.[1].x"])
def test_a_pattern_with_brackets_means_what_it_means_elsewhere(pattern: str) -> None:
    for name in map("".join, product("ab]1.x[", repeat=3)):
        for text in (name, name[:2], f"{name}x"):
            assert bool(re.fullmatch(as_regexp(pattern), text)) == fnmatchcase(text, pattern), text


@pytest.mark.parametrize("encoding", ["nonsense", "utf-7", "cp037", "utf_16_le", "punycode", "rot13"])
def test_an_encoding_that_nobody_knows_is_one_line(encoding: str) -> None:
    with pytest.raises(RigError):
        content = f"<?xml version='1.0' encoding='{encoding}'?><driconf>é</driconf>".encode()
        with_options(content, "a", ("b",), {"c": "1"}, "f")


def test_our_entry_goes_last_so_that_it_wins() -> None:
    written = with_options(FOREIGN, "scene", ("keen-scene",), {"vblank_mode": "3"}, "f")
    assert written.index(b'value="3"') > written.index(b"value='0'")
    assert b'executable="keen-scene"' in written
    rig_wide = with_options(None, "rig", (), {"vblank_mode": "3"}, "f")
    assert b"executable" not in rig_wide


BOMB = (b"""<!DOCTYPE driconf [<!ENTITY one "aaaa"><!ENTITY two "&one;&one;&one;">]>"""
        b"<driconf><device>&two;</device></driconf>")


@pytest.mark.parametrize(("content", "says"), [
    (BOMB, "entities"), (b"<driconf>", "not XML"), (b"\x00\x01", "not XML"), (b"<other></other>", "no driconf"),
    (b"<driconf/>", "end tag"), (b"<driconf></driconf>" + b" " * 4_000_001, "larger than"),
    (FOREIGN[:200], "not XML"), ("<driconf>é</driconf>".encode("latin-1"), "not XML"),
])
def test_what_cannot_be_read_is_left_alone(content: bytes, says: str) -> None:
    with pytest.raises(RigError, match=says):
        with_options(content, "scene", ("keen-scene",), {"a": "1"}, "f")


@pytest.mark.parametrize(("kind", "default", "valid", "takes", "stock"), [
    ("int", "1", "0:3", (0, 3), 1), ("enum", "2", "0:2", (0, 2), 2), ("float", "0.5", "0:1.5", (0, 1.5), 0.5),
    ("int", "7", "", (None, None), 7), ("bool", "true", "", (None, None), True),
    ("bool", "false", "", (None, None), False), ("string", "x", "", (None, None), "x")])
def test_an_option_of_the_driver_is_a_setting_of_its_kind(kind: str, default: str, valid: str,
                                                          takes: tuple[float | None, float | None],
                                                          stock: object) -> None:
    option = {"name": "Made_Up", "type": kind, "default": default, "valid": valid, "text": " What it is "}
    (found,) = settings_of_option(option, ["0: off"])
    assert (found.name, found.title, found.stock) == ("mesa.made_up", "What it is; 0: off", stock)
    assert (found.low, found.high) == takes
    assert settings_of_option({"name": "x", "type": "section", "default": ""}, []) == []
    (untold,) = settings_of_option({"name": "x", "type": kind, "default": default}, ["0: off", "1: on"])
    assert untold.title == "; 0: off; 1: on"  # a driver that describes it by its values alone


@pytest.mark.parametrize(("device", "fits"), [
    ({}, True), ({"screen": "0"}, True), ({"screen": "1"}, False), ({"screen": "x"}, False),
    ({"driver": "made-up"}, True), ({"driver": "other"}, False), ({"device": "other"}, False),
    ({"driver": "made-up", "screen": "1"}, False)])
def test_an_entry_is_for_the_screen_driver_and_device_that_it_names(device: dict[str, str], fits: bool) -> None:
    assert is_drawn_on(device, DrawnOn(driver="made-up", device="", number=0)) is fits
