"""Calls from outside with values of the wrong type: each gets one of our errors, and nothing is kept."""

import inspect
from collections.abc import Iterator
from operator import attrgetter
from pathlib import Path
from typing import Any

import pytest

import keenlattice
from keenlattice import BadValue, KeenLatticeError, Workspace
from keenlattice.errors import LONGEST_MESSAGE

WRONG: list[Any] = [None, 5, 2.5, b"x", object(), {1: 2}, [1], "x" * 300_000, float("nan")]
RIGHT = {"which": "brass-orbit", "before": "brass-orbit@stock", "after": "brass-orbit", "base": "brass-orbit",
         "profile": "brass-orbit", "game": "brass-orbit", "settings": {"frame.cap": 60}}
SHORT = {"blocks": 1, "rounds": 1, "seconds": 1.0, "runs": 1}
"""What studies take that are played since only another argument is wrong."""


def methods(ws: Workspace) -> Iterator[tuple[str, Any]]:
    """Every public method of a workspace and of its parts, by its dotted name, as a function of its class."""
    parts: list[tuple[str, Any]] = [("", ws)]
    for path, part in parts:
        for name, member in vars(type(part)).items():
            if inspect.isfunction(member) and not name.startswith("_") and name != "close":
                yield f"{path}{name}", member
        held = {name: getattr(part, name) for name in (*vars(part), *vars(type(part)))}
        parts += [(f"{path}{name}.", value) for name, value in held.items()
                  if not name.startswith("_") and type(value).__module__.startswith("keenlattice.workspace")
                  and name != "opened"]


def calls(ws: Workspace) -> Iterator[tuple[str, str, dict[str, Any]]]:
    """Every argument of every public method, with every wrong value."""
    for name, member in methods(ws):
        given = [one for one in inspect.signature(member).parameters.values() if one.kind in (0, 1, 3)][1:]
        needed = {one.name: RIGHT.get(one.name, SHORT.get(one.name, "x")) for one in given
                  if one.default is one.empty or one.name in SHORT}
        for one in given:
            yield from ((name, one.name, {**needed, one.name: wrong}) for wrong in WRONG)


@pytest.mark.long
def test_a_value_of_a_wrong_type_is_one_of_our_errors(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(tmp_path)
    ws = Workspace(tmp_path / "book")
    version = ws.edit("brass-orbit", {"frame.queue-depth": 1}).version
    refused = 0
    for name, argument, values in calls(ws):
        try:
            attrgetter(name)(ws)(**values)
        except KeenLatticeError as error:
            refused += 1
            assert len(str(error)) < 2 * LONGEST_MESSAGE, (name, argument)
        except BaseException as error:
            raise AssertionError(f"{name}, {argument}: {error!r}") from error
    assert refused > 1000
    history = ws.profiles.history("brass-orbit").versions  # and the logbook can be read
    assert version in [past.version for past in history]
    ws.studies.list()


def test_the_message_names_the_call_the_argument_and_the_type(tmp_path: Path) -> None:
    ws = Workspace(tmp_path / "book")
    for call, message in [
            (lambda: ws.show(None), "show: which takes str or Version or a result with a version, and was given None"),
            (lambda: ws.trial("rig", "rig", blocks="8"), "trial: blocks takes int or None, and was given str: '8'"),
            (lambda: ws.edit("rig", {"frame.cap": [1]}), "edit: settings takes Mapping of str, bool or int or float"),
            (lambda: keenlattice.open(5), "open: folder takes Path or str or None, and was given int: 5"),
            (lambda: keenlattice.metrics_of("x"), "metrics_of: capture takes Capture, and was given str: 'x'")]:
        with pytest.raises(BadValue) as refused:
            call()  # type: ignore[no-untyped-call]
        assert str(refused.value).startswith(message)
