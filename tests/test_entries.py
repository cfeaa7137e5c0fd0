"""Which of the driver's options apply to a program: the order of files, and the rules that an entry is matched by."""

import hashlib
import os
import shutil
import subprocess
from dataclasses import replace
from pathlib import Path

import pytest

from keenlattice.errors import RigError
from keenlattice.logbook.book import Logbook
from keenlattice.profile.matching import Game
from keenlattice.rig.applying import apply
from keenlattice.rig.gamelist import Listed, add_game
from keenlattice.rig.linux.driconf import fits_pattern, is_pattern
from keenlattice.rig.linux.driver import Driver
from keenlattice.rig.linux.entries import Configuration, DrawnOn, Program, all_entries, configuration_files, entries_in
from keenlattice.rig.linux.machine import LinuxRig
from keenlattice.rig.linux.vulkan import VulkanDevice
from keenlattice.rig.linux.x11.server import x_display
from keenlattice.rig.undoing import undo
from test_linux import real_driver

SCREEN = DrawnOn("made-up")
ONE = """<driconf>
  <device><application name="All"><option name="a" value="1"/><option name="b" value="1"/></application>
    <application name="Orbit" executable="orbit"><option name="a" value="2"/></application></device>
  <device driver="other"><application name="O"><option name="a" value="no"/></application></device>
  <device driver="made-up" screen="1"><application name="S"><option name="a" value="no"/></application></device>
  <device device="D7"><application name="D"><option name="a" value="no"/></application></device>
  <device driver="bare"><option name="a" value="of all"/></device><option name="a" value="of no device"/>
</driconf>"""


def values(text: str, program: Program, screen: DrawnOn = SCREEN) -> dict[str, str]:
    return {name: one.value for name, one in Configuration(entries_in(text.encode(), "f")).resolve(
        program, screen).items()}


def entry(attributes: str, tag: str = "application") -> str:
    return f"<driconf><device><{tag} {attributes}><option name='a' value='1'/></{tag}></device></driconf>"


def test_devices_and_executables_are_held_against_what_runs() -> None:
    assert values(ONE, Program("orbit")) == {"a": "2", "b": "1"}
    assert values(ONE, Program("rally")) == {"a": "1", "b": "1"}
    assert values(ONE, Program("rally"), DrawnOn("other")) == {"a": "no", "b": "1"}
    assert values(ONE, Program("rally"), DrawnOn("made-up", number=1))["a"] == "no"
    assert values(ONE, Program("rally"), DrawnOn("made-up", "D7"))["a"] == "no"
    assert values(ONE, Program("rally"), DrawnOn("bare"))["a"] == "of all"  # the driver warns of it, and takes it


@pytest.mark.parametrize(("attributes", "program", "fits"), [
    ("executable='orbit'", Program("orbit"), True), ("executable='orbit'", Program("Orbit"), False),
    ("executable_regexp='^orb(it)?$'", Program("orb"), True), ("executable_regexp='rb'", Program("orbit"), True),
    ("executable_regexp='orbit('", Program("orbit"), False),
    ("executable='x' executable_regexp='orbit'", Program("orbit"), False),
    ("application_name_match='^Brass'", Program("x", name="Brass Orbit"), True),
    ("application_name_match='^Brass'", Program("x"), False),
    ("executable='x' application_versions='2:4'", Program("x", version=4), True),
    ("executable='x' application_versions='2:4'", Program("x", version=5), False),
    ("executable='x' application_versions='odd'", Program("x", version=2), False)])
def test_an_application_is_matched_by_the_drivers_rules(attributes: str, program: Program, fits: bool) -> None:
    assert bool(values(entry(f"name='n' {attributes}"), program)) is fits


@pytest.mark.parametrize(("version", "fits"), [(0, True), (23, True), (24, False)])
def test_an_engine_is_matched_by_name_and_range(version: int, fits: bool) -> None:
    text = entry("engine_name_match='Flipper.*' engine_versions='0:23'", "engine")
    assert bool(values(text, Program("x", engine="Flipper5", engine_version=version))) is fits
    assert not values(text, Program("x"))


def test_a_program_is_known_by_the_hash_of_its_file(tmp_path: Path) -> None:
    (tmp_path / "orbit").write_bytes(b"the program")
    text = entry(f"name='n' sha1='{hashlib.sha1(b'the program').hexdigest()}'")
    assert values(text, Program("orbit", tmp_path / "orbit")) and not values(text, Program("orbit"))
    assert not values(text, Program("orbit", tmp_path / "gone"))


def test_files_come_in_the_drivers_order_and_the_last_word_wins(tmp_path: Path) -> None:
    folder = tmp_path / "usr/share/drirc.d"
    folder.mkdir(parents=True)
    (tmp_path / "etc").mkdir()
    for path, value in ((folder / "10-b.conf", "2"), (folder / "00-a.conf", "1"), (tmp_path / "etc/drirc", "3"),
                        (tmp_path / "own", "4"), (folder / "not-one.txt", "5")):
        path.write_text(entry("name='n'").replace("'1'", f"'{value}'"))
    files = configuration_files(tmp_path, tmp_path / "own")
    assert [path.name for path in files] == ["00-a.conf", "10-b.conf", "drirc", "own"]
    applied = Configuration(all_entries(files)).resolve(Program("x"), SCREEN)["a"]
    assert (applied.value, Path(applied.entry.file).name, applied.entry.line) == ("4", "own", 1)
    assert [Path(one.file).name for one in applied.overrules] == ["00-a.conf", "10-b.conf", "drirc"]


@pytest.mark.parametrize("text", ["<driconf>", "<!DOCTYPE d [<!ENTITY a 'b'>]><driconf/>", "x" * 4_000_001])
def test_a_file_that_cannot_be_read_is_said_with_its_name(text: str) -> None:
    with pytest.raises(RigError, match="some-file"):
        entries_in(text.encode(), "some-file")


def test_patterns_are_the_c_librarys() -> None:
    assert fits_pattern("^a[[:digit:]]+$", "a42") and not fits_pattern("^a[[:digit:]]+$", "ab")
    assert not is_pattern("(") and not is_pattern("a" * 501) and not fits_pattern("(", "(")


def test_a_pattern_that_might_take_for_ever_is_not_tried_and_named(tmp_path: Path, hang: None) -> None:
    endless = [r"((a*)*b)*\1", "(((a{1,99}){1,99}){1,99}){1,99}$"]
    (tmp_path / "f").write_text("<driconf><device>" + "".join(
        f"<{kind} {by}='{one}'><option name='a' value='1'/></{kind.partition(' ')[0]}>"
        for one in [*endless, "a+"] for kind, by in (("application name='x'", "executable_regexp"),
                                                     ("application name='x'", "application_name_match"),
                                                     ("engine", "engine_name_match"))) + "</device></driconf>")
    configuration = Configuration(all_entries([tmp_path / "f"]))
    assert set(configuration.resolve(Program("a" * 200), DrawnOn("x"))) == {"a"}
    assert len(configuration.untried()) == 6


SHIPPED = Path("/usr/share/drirc.d/00-mesa-defaults.conf")


@pytest.mark.skipif(not SHIPPED.exists(), reason=f"there is no {SHIPPED}")
def test_the_file_that_the_system_ships_resolves_for_every_entry() -> None:
    entries = all_entries([SHIPPED])
    assert len(entries) > 200
    configuration = Configuration(entries)
    for one in entries:
        if "executable" in one.matches:
            screen = DrawnOn(one.device.get("driver", "x"), one.device.get("device", ""))
            applied = configuration.resolve(Program(one.matches["executable"]), screen)
            assert set(one.options) <= set(applied)
            assert any(one is applied[name].entry or one in applied[name].overrules for name in one.options)


VULKAN = b"""<driconf>
  <device driver="radv">
    <application name="one" application_name_match="^Orbit" application_versions="2:4">
      <option name="vk_orbit_only" value="true"/></application>
    <engine engine_name_match="lattice" engine_versions="1:9"><option name="vk_images" value="4"/></engine>
  </device>
  <device><application name="both" executable="orbit"><option name="smooth" value="3"/></application></device>
</driconf>
"""


def test_a_vulkan_game_is_matched_by_what_it_says_it_is(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    (tmp_path / ".drirc").write_bytes(VULKAN)

    def rig(**told: object) -> LinuxRig:
        add_game(tmp_path / "state", replace(Listed(Game("orbit", "Orbit", ("orbit",))), **told))
        made = LinuxRig(tmp_path / "state", tmp_path / ".drirc", tmp_path / "root")
        made.driver = Driver("gl", "v", "r", "<driinfo><option name='smooth' type='int' default='0' valid='0:9'>"
                                             "<description text='x'/></option></driinfo>")
        made._vulkan = [VulkanDevice("made up", "radv")]
        return made

    def fits_pattern(one: LinuxRig) -> dict[str, str]:
        return {option.option: option.value for option in one.driver_options("orbit")[0]}

    assert fits_pattern(rig()) == {"smooth": "3"} == fits_pattern(rig(api="vulkan"))
    known = rig(api="vulkan", application=("Orbit", 3), engine=("the lattice", 4))
    assert fits_pattern(known) == {"smooth": "3", "vk_orbit_only": "true", "vk_images": "4"}
    assert fits_pattern(rig(api="vulkan", application=("Orbit", 5))) == {"smooth": "3"}
    only = {one.name: one.kind for one in known.catalog() if one.name.startswith("mesa.vk")}
    assert only == {"mesa.vk_orbit_only": "switch", "mesa.vk_images": "whole"}
    keys = ["mesa.smooth", "mesa.vk_images", "sync.vertical", "sync.variable-refresh", "process.affinity"]
    assert known.inert("orbit", keys).keys() == {"mesa.smooth", "sync.vertical"}
    assert rig(api="opengl", application=None, engine=None).inert("orbit", keys).keys() == {"mesa.vk_images"}
    assert rig(api="").inert("orbit", keys) == {}


@real_driver
@pytest.mark.skipif(shutil.which("glxinfo") is None, reason="glxinfo is not installed: apt-get install mesa-utils")
@pytest.mark.parametrize("executables", [("no-such", "orbit-info"), ("orbit-*",), ("orb?t-inf[!a-m]",)])
def test_the_real_driver_acts_on_the_matched_executable_alone(tmp_path: Path, book: Logbook,
                                                              executables: tuple[str, ...]) -> None:
    """The renderer's name that the driver then reports, for a copy of glxinfo under its own name."""
    home = tmp_path / "home"
    home.mkdir()
    for name in ("orbit-info", "rally-info"):
        shutil.copy(str(shutil.which("glxinfo")), tmp_path / name)
    add_game(tmp_path / "state", Listed(Game("orbit", "Orbit", executables)))
    rig = LinuxRig(tmp_path / "state", home / ".drirc")

    def renderer(program: str, display: str) -> str:
        said = subprocess.run([str(tmp_path / program), "-B"], capture_output=True, text=True, check=True,
                              env={**os.environ, "DISPLAY": display, "HOME": str(home)}).stdout
        return next(line for line in said.splitlines() if line.startswith("OpenGL renderer"))

    with x_display() as display:
        before = [renderer(program, display) for program in ("orbit-info", "rally-info")]
        apply(rig, book, book.commit("orbit", {"mesa.force_gl_renderer": "Made Up"}))
        assert renderer("orbit-info", display).endswith("Made Up")
        assert renderer("rally-info", display) == before[1]
        assert rig.configuration().resolve(Program("orbit-info"), DrawnOn(rig.driver.name))[
            "force_gl_renderer"].value == "Made Up"
        undo(rig, book)
        assert [renderer(program, display) for program in ("orbit-info", "rally-info")] == before
    assert not (home / ".drirc").exists()
