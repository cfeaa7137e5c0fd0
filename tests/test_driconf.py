"""The user's Mesa file: our entries come and go, and no other byte changes."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from keenlattice.errors import RigError
from keenlattice.rig.linux.driconf import options, with_options

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
