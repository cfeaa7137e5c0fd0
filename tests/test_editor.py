"""The editor, driven by keys; and the draft that it stands on."""

import asyncio
from collections.abc import Awaitable, Callable
from pathlib import Path

import pytest

import keenlattice
from keenlattice.errors import BadValue, UsageError
from keenlattice.workspace.workspace import Workspace

pytest.importorskip("textual", reason="the editor's package is not installed")
from textual.pilot import Pilot
from textual.widgets import DataTable, Static

from keenlattice.cli.editor import Compared, Editor

Steps = Callable[[Editor, Pilot[list[str]]], Awaitable[None]]


@pytest.fixture
def ws(tmp_path: Path) -> Workspace:
    return keenlattice.open(tmp_path / "book", "standin")


def drive(ws: Workspace, steps: Steps, width: int = 120) -> Editor:
    async def driven() -> Editor:
        editor = Editor(ws, "brass-orbit")
        async with editor.run_test(size=(width, 40)) as pilot:
            await steps(editor, pilot)
        return editor

    return asyncio.run(driven())


def text_of(editor: Editor, name: str) -> str:
    return str(editor.query_one(f"#{name}", Static).render())


async def type_in(pilot: Pilot[list[str]], text: str, *then: str) -> None:
    for letter in text:
        await pilot.press({" ": "space", "=": "equals_sign", "-": "minus"}.get(letter, letter))
    await pilot.press(*then)
    await pilot.pause()


@pytest.mark.parametrize("width", [80, 120])
def test_a_setting_is_found_changed_looked_at_and_saved_by_keys(ws: Workspace, width: int) -> None:
    async def steps(editor: Editor, pilot: Pilot[list[str]]) -> None:
        assert editor.query_one("#settings", DataTable).row_count > 50
        await pilot.press("slash")
        await type_in(pilot, "frame limiter", "enter")
        assert editor.query_one("#settings", DataTable).row_count == 2
        assert "Frame-rate cap" in text_of(editor, "told")
        await pilot.press("enter")
        await type_in(pilot, "= refresh - 3", "enter")
        assert "= refresh - 3 is 57 fps on this rig" in text_of(editor, "told")
        assert "1 change not saved" in text_of(editor, "state")
        await pilot.press("e")
        await pilot.press(*["backspace"] * 20)
        await type_in(pilot, "fast", "enter")  # which it does not take: a line says so, and nothing is changed
        assert "1 change not saved" in text_of(editor, "state")
        await pilot.press("p")
        assert "frame.cap: unset -> = refresh - 3" in str(editor.screen.query_one(Static).render())
        await pilot.press("escape", "q")
        assert editor.is_running  # what is not saved is not dropped at once
        await pilot.press("s")
        await type_in(pilot, "steady", "enter")
        await pilot.press("c")
        await pilot.pause()
        assert editor.screen.query_one(DataTable).row_count == 1
        await pilot.press("tab", "tab", "enter")
        assert isinstance(editor.screen, Compared)  # its rows are to be read, not changed
        await pilot.press("escape", "q")

    drive(ws, steps, width)
    latest = ws.profiles.find("brass-orbit")
    assert latest.entries == {"frame.cap": "= refresh - 3"} and latest.note == "steady"


def test_what_is_dropped_leaves_no_version(ws: Workspace) -> None:
    async def steps(editor: Editor, pilot: Pilot[list[str]]) -> None:
        await pilot.press("u", "e")
        await type_in(pilot, "added", "enter")
        await pilot.press("q", "e")
        await type_in(pilot, "", *["backspace"] * 5)
        await type_in(pilot, "replaced", "enter")
        await pilot.press("q")
        assert editor.is_running  # it asks again of what was changed since
        await pilot.press("q")

    editor = drive(ws, steps)
    assert editor.return_value == [] and ws.profiles.find("brass-orbit").reference == "brass-orbit@stock"


def test_a_draft_is_a_version_only_once_it_is_saved(ws: Workspace) -> None:
    draft = ws.draft("brass-orbit")
    draft.change("frame.queue-depth", "1")
    with pytest.raises(BadValue):
        draft.change("frame.queue-depth", "99")
    with pytest.raises(UsageError):
        draft.change("display.refresh", "165")  # the whole rig's
    assert draft.effective["frame.queue-depth"].value == 1 and len(draft.changes()) == 1
    assert ws.profiles.find("brass-orbit").reference == "brass-orbit@stock"
    assert draft.search("vsync") == ["sync.vertical"] and set(draft.search("")) == set(draft.keys)
    made = draft.save("sooner")
    assert ws.profiles.find("brass-orbit") == made.after and not draft.changes()
    assert "interrupt.mode@gpu0" in ws.draft("rig").keys


def test_what_own_studies_found_stands_beside_a_setting(ws: Workspace) -> None:
    version = ws.edit("brass-orbit", {"frame.queue-depth": 1, "antialias.gamma": False}).after
    ws.trial("brass-orbit@stock", version, blocks=4, seconds=5, seed=1)
    ws.screen("brass-orbit@stock", version, rounds=1, seconds=5, seed=1)
    trial, screen = reversed(sorted(ws.draft("brass-orbit").measured("frame.queue-depth")))
    assert "with 1 other change" in trial and " -> 1 frame" in trial
    assert all(key.sentence in trial for key in ws.studies.get(1).report().content.keys)
    assert screen.startswith("Screen 2 of brass-orbit: it ")

    async def steps(editor: Editor, pilot: Pilot[list[str]]) -> None:
        await pilot.press("slash")
        await type_in(pilot, "frame.queue-depth", "enter")
        assert trial in text_of(editor, "told") and screen in text_of(editor, "told")
        await pilot.press("q")

    drive(ws, steps)
