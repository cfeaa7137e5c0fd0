"""The documentation: examples that run, docstrings that are whole, a site whose links lead somewhere."""

import doctest
import inspect
import json
import os
import re
import subprocess
import sys
from importlib import import_module
from pathlib import Path
from typing import Any

import jsonschema
import pytest

import keenlattice
from conftest import Keen, as_json
from keenlattice.cli.app import GROUPS
from keenlattice.safejson import FORMS, schema
from keenlattice.workspace.by_hand import ByHandStudies
from keenlattice.workspace.chores import Chores
from keenlattice.workspace.facts import Facts
from keenlattice.workspace.games import Games
from keenlattice.workspace.latencies import Latencies
from keenlattice.workspace.packs import Packs
from keenlattice.workspace.pool import EvidencePool
from keenlattice.workspace.profiles import Profiles
from keenlattice.workspace.recordings import Recordings
from keenlattice.workspace.rig import RigHandle
from keenlattice.workspace.screens import Screens
from keenlattice.workspace.settings import Settings
from keenlattice.workspace.sheets import Sheets
from keenlattice.workspace.studies import Studies
from keenlattice.workspace.trials import Trials
from keenlattice.workspace.workspace import Workspace

ROOT = Path(__file__).parent.parent


def test_examples_in_docstrings_come_out_as_they_say() -> None:
    tried = 0
    for path in sorted(Path(keenlattice.__file__).parent.rglob("*.py")):
        if ">>>" in path.read_text():
            home = ".".join(path.relative_to(ROOT / "src").with_suffix("").parts).removesuffix(".__init__")
            done = doctest.testmod(import_module(home))
            assert done.failed == 0, home
            tried += done.attempted
    assert tried >= 20


PARTS = (Workspace, Profiles, Packs, RigHandle, Settings, Facts, Games, Chores, Sheets, Recordings, Latencies, Studies,
         Trials, Screens, ByHandStudies, EvidencePool)
PUBLIC = [pytest.param(getattr(home, name), id=f"{home.__name__}.{name}") for home in (keenlattice, *PARTS)
          for name in (keenlattice.__all__ if home is keenlattice else dir(home))
          if not name.startswith("_") and (inspect.isfunction(getattr(home, name)) or inspect.isclass(
              getattr(home, name)))]


@pytest.mark.parametrize("thing", PUBLIC)
def test_every_public_name_says_what_it_takes(thing: Any) -> None:
    told = inspect.getdoc(thing) or ""
    assert told
    if inspect.isfunction(thing) or (inspect.isclass(thing) and not getattr(thing, "_is_protocol", False)
                                     and not issubclass(thing, Exception)):
        missing = [one for one in inspect.signature(thing).parameters
                   if one != "self" and not re.search(rf"\b{one}\b", told)]
        assert not missing or (inspect.isfunction(thing) and "as in `" in told)
    if inspect.isfunction(thing) and "raise " in inspect.getsource(thing):
        assert "Raises:" in told


@pytest.mark.long
def test_the_site_is_built_offline_and_its_links_lead_somewhere(tmp_path: Path) -> None:
    pytest.importorskip("mkdocs", reason="the site's maker is not installed")
    done = subprocess.run([sys.executable, "-m", "mkdocs", "build", "--strict", "--quiet", "--site-dir", str(tmp_path)],
                          cwd=ROOT, env={**os.environ, "NO_MKDOCS_2_WARNING": "1"}, capture_output=True,
                          text=True, check=False)
    assert done.returncode == 0, done.stderr
    assert "Latency is better" in (tmp_path / "tutorial.html").read_text()
    commands, settings = ((tmp_path / f"{name}.html").read_text() for name in ("commands", "settings"))
    assert all(f'id="keen-{name}"' in commands for some in GROUPS.values() for name in some)
    assert 'id="framequeue-depth"' in settings and "disputed" in settings
    elsewhere = r'<(?:script|img|iframe)[^>]*src="https?:|<link[^>]*stylesheet[^>]*href="https?:'
    assert not any(re.search(elsewhere, page.read_text()) for page in tmp_path.glob("*.html"))


def test_results_are_of_the_forms_that_are_told(keen: Keen) -> None:
    keen("edit", "brass-orbit", "frame.queue-depth=1", "frame.cap=160")
    seconds = ("--seconds", "2", "--seed", "1", "--json")
    screen = as_json(keen("screen", "brass-orbit@stock", "brass-orbit", "--rounds", "1", *seconds))
    tune = as_json(keen("tune", "brass-orbit@stock", "--try", "frame.cap=off,120", "--rounds", "3", "--proof", "2",
                        *seconds))
    said = {"screen": [screen], "tune": [tune], "metric": tune["trial"]["metrics"] if tune["trial"] else [],
            "finding": as_json(keen("survey", "--json"))["findings"],
            "setting": as_json(keen("catalog", "--json"))["settings"][:0]}
    for name, results in said.items():
        for one in results:
            jsonschema.validate(json.loads(json.dumps(one)), schema(name))
    assert set(said) < set(FORMS)
    with pytest.raises(jsonschema.ValidationError):
        jsonschema.validate({**screen, "runs": "many"}, schema("screen"))


def test_no_page_names_a_command_or_an_option_that_is_not_there() -> None:
    import typer

    from keenlattice.cli.app import app

    top = typer.main.get_command(app)
    commands = {**top.commands, **{f"{group} {name}": one for group in ("pack", "pool", "rig")
                                   for name, one in top.commands[group].commands.items()}}
    pages = [ROOT / "README.md", ROOT / "CONTRIBUTING.md", *(ROOT / "docs").rglob("*.md")]
    for page in pages:
        for words in re.findall(r"(?:`|^    |^\$ |^)keen ([^`\n#]+)", page.read_text(), re.MULTILINE):
            name = next((part for part in (" ".join(words.split()[:2]), words.split()[0]) if part in commands), None)
            if words.startswith("-") or words.split()[0].isupper():
                continue
            assert name, (page.name, words)
            known = {option for one in commands[name].params for option in one.opts}
            assert set(re.findall(r"(?<!\S)--[a-z-]+", words)) <= known | {"--help"}, (page.name, words)


@pytest.mark.parametrize("page", ["tutorial.md", "tasks.md"])
@pytest.mark.long
def test_the_code_of_the_tutorial_and_of_the_tasks_runs(page: str) -> None:
    subprocess.run([sys.executable, str(ROOT / "docs" / "make_tutorial.py"), "--check", page], check=True)


def test_the_readme_is_short() -> None:
    assert len((ROOT / "README.md").read_text().split()) <= 600
