"""The rigs that can be had, by name: ours, and those that others have installed (entry points `keenlattice.rigs`)."""

import os
import sys
from collections.abc import Callable, Mapping, Sequence
from functools import wraps
from pathlib import Path
from typing import TYPE_CHECKING, Any

from keenlattice._state_folder import make_private, state_folder
from keenlattice.errors import KeenLatticeError, RigError, UnknownName, way
from keenlattice.files import read_bounded, replace_file
from keenlattice.logbook.book import Logbook

if TYPE_CHECKING:
    from importlib.metadata import EntryPoint

    from keenlattice.catalog.model import Setting
    from keenlattice.rig.base import Rig


OURS: Mapping[str, tuple[str, str]] = {
    "here": ("here", "this PC"),
    "standin": ("juniper", "a fictional stand-in"),
    "byhand": ("byhand", "changed by hand")}
"""Kind of rig to the name that it has in the logbook, and what it is in a few words."""

GROUP = "keenlattice.rigs"
CHOSEN, MOST_BYTES = "rig", 200
"""The file of a logbook's state folder that has the kind of its rig."""


def chosen_for(state: Path) -> str:
    """Return the kind of rig that is meant where none is named: by KEEN_RIG, else the logbook's own; empty, if none
    was chosen yet.

    Args:
        state: the folder among the user's state that belongs to the logbook.
    """
    try:
        return os.environ.get("KEEN_RIG") or (read_bounded(state / CHOSEN, MOST_BYTES) or b"").decode().strip()
    except (OSError, UnicodeDecodeError):
        return ""


def choose_for(state: Path, kind: str) -> None:
    """Make a kind of rig a logbook's own.

    Raises:
        UnknownName: no such kind of rig.
        RigError: it cannot be written down.
    """
    home_of(kind, state)
    try:
        make_private(state)
        replace_file(state / CHOSEN, kind.encode())
    except OSError as error:
        raise RigError(f"cannot write {state / CHOSEN}: {error.strerror}") from None


def installed() -> "dict[str, EntryPoint]":
    """The rigs that other packages have installed, by name; none of them is loaded yet."""
    return _installed()[0]


def _installed() -> "tuple[dict[str, EntryPoint], list[str]]":
    """The rigs that other packages have installed, by name; and the packages whose lists cannot be read."""
    from importlib.metadata import distributions

    rigs: dict[str, EntryPoint] = {}
    unreadable = []
    for package in distributions():
        try:
            points = package.entry_points.select(group=GROUP)
            rigs = {**{point.name: point for point in points if point.name not in OURS}, **rigs}  # the first counts
        except Exception:  # a malformed list raises whatever its parser stumbles over
            unreadable.append(str(package.metadata["Name"] or "without a name"))
    return rigs, unreadable


def kinds() -> tuple[str, ...]:
    """All kinds of rig that can be opened."""
    return (*OURS, *installed())


def name_of(kind: str) -> str:
    """What a rig of this kind is called in the logbook: of one that is installed, the same."""
    return OURS[kind][0] if kind in OURS else kind


def described(kind: str) -> str:
    """What a kind of rig is, in a few words."""
    return OURS[kind][1] if kind in OURS else "an installed rig"


def home_of(kind: str, state: Path) -> Path:
    """Where a rig of this kind keeps what acts on it: with the user, for a logbook each or for the whole machine.

    Args:
        state: the folder among the user's state that belongs to the logbook.

    Raises:
        UnknownName: no such kind of rig.
    """
    if kind == "here":
        return state_folder() / "here"
    if kind in OURS:
        return state / name_of(kind)
    rigs, unreadable = _installed()
    if kind in rigs:
        return state / name_of(kind)
    names = (*OURS, *rigs)
    unknown = "".join(f"; what the package {name} brings is not known: its list of entry points cannot be read"
                      for name in unreadable)
    raise UnknownName("rig", kind, names, f"there are {', '.join(names)}; "
                      f"{way('keen rig use', 'ws.use_rig(NAME)')} chooses another for a logbook{unknown}")


def open_rig(kind: str, where: "Logbook | Path") -> "Rig":
    """The rig of this kind, made if it is the stand-in and not there yet.

    Args:
        kind: "here" (this PC), "standin", "byhand", or the name of one that is installed.
        where: the logbook that it goes with; or a folder of the rig's own.

    >>> import tempfile
    >>> rig = open_rig("standin", Path(tempfile.mkdtemp()))
    >>> rig.facts()["panel"], rig.games()[0].name
    ('Heron 27-inch', 'brass-orbit')

    Raises:
        UnknownName: no such kind of rig.
        RigError: an installed rig cannot be loaded.
        BookError: the logbook has a link where its catalog files should be.
    """
    home = home_of(kind, where.state if isinstance(where, Logbook) else where)
    if kind not in OURS:
        return _loaded(installed()[kind], home)
    from keenlattice.catalog.load import own_settings

    more = own_settings(where.own_settings) if isinstance(where, Logbook) else []
    if kind == "here":
        return _here(home, more)
    if kind == "byhand":
        from keenlattice.rig.player.machine import ByHandRig

        return ByHandRig(home, more)
    from keenlattice.rig.standin.machine import Standin

    return Standin(home, more=more)


def _here(home: Path, more: "Sequence[Setting]") -> "Rig":
    """This PC, by its system; of a system of which nothing is written from here, the player is all there is."""
    if sys.platform.startswith("linux"):
        from keenlattice.rig.linux.machine import LinuxRig

        return LinuxRig(home)
    if sys.platform == "win32":
        from keenlattice.rig.windows.machine import this_pc

        return this_pc(home, more)
    from keenlattice.rig.player.machine import ByHandRig

    return ByHandRig(home, more, name="here")


NEEDED = ("name", "home", "facts", "devices", "games", "catalog", "state", "values", "steps", "changed", "put")


def check_complete(rig: object, called: str = "") -> None:
    """Check that an object has all that a rig has.

    Args:
        called: the rig, in the message.

    Raises:
        RigError: it lacks something; the message names it.
    """
    lacks = [name for name in NEEDED if not hasattr(rig, name)]
    if lacks:
        raise RigError(f"{called or type(rig).__name__} is not a whole rig: it lacks {', '.join(lacks)}; "
                       "docs/writing-a-rig.md says what each is")


def _loaded(entry: "EntryPoint", home: Path) -> "Rig":
    """An installed rig: what its entry point names is called with the rig's home."""
    called = f"the installed rig {entry.name} ({entry.value})"
    try:
        made = entry.load()(home)
        check_complete(made, called)
        rig: Rig = guarded(made, called)
        name = rig.name
    except (KeenLatticeError, KeyboardInterrupt):
        raise
    except BaseException as error:  # it is somebody else's code, and may even call sys.exit
        raise RigError(f"the installed rig {entry.name} ({entry.value}) cannot be opened: {type(error).__name__}: "
                       f"{error}; fix it, or uninstall it") from error
    if name != entry.name:
        raise RigError(f"the installed rig {entry.name} ({entry.value}) calls itself {name!r}: its name has to be the "
                       "one that it is installed under")
    return rig


def _is_state(result: object) -> bool:
    return isinstance(result, Mapping) and all(
        isinstance(place, str) and isinstance(content, bytes | None) for place, content in result.items())


def _is_values(result: object) -> bool:
    return isinstance(result, Mapping) and all(
        isinstance(key, str) and isinstance(value, bool | int | float | str) for key, value in result.items())


def _is_listed(result: object) -> bool:
    return isinstance(result, Sequence) and not isinstance(result, str)


RETURNS: Mapping[str, Callable[[Any], bool]] = {
    "state": _is_state, "changed": _is_state, "values": _is_values, "facts": _is_values, "devices": _is_listed,
    "games": lambda result: _is_listed(result) and all(hasattr(game, "name") for game in result),
    "catalog": lambda result: hasattr(result, "check_key")}
"""What a rig's methods return, as far as it is checked."""


def guarded(rig: "Rig", called: str) -> "Rig":
    """Have the methods of a rig raise a RigError that names it, whatever goes wrong in them.

    Args:
        called: the rig, in a message.
    """
    for name in dir(rig):
        if not name.startswith("_") and callable(getattr(type(rig), name, None)):
            setattr(rig, name, _guard(getattr(rig, name), name, called))
    return rig


def _guard(method: Callable[..., Any], name: str, called: str) -> Callable[..., Any]:
    @wraps(method)
    def call(*args: object, **kwargs: object) -> Any:
        try:
            result = method(*args, **kwargs)
        except (KeenLatticeError, KeyboardInterrupt):
            raise
        except BaseException as error:  # it may even call sys.exit
            raise RigError(f"{called} failed in {name}: {type(error).__name__}: {' '.join(str(error).split())[:200]}; "
                           "fix or uninstall it, or use another rig") from error
        if name in RETURNS and not RETURNS[name](result):
            raise RigError(f"{called} returns a wrong {type(result).__name__} from {name}: fix or uninstall it, or use "
                           "another rig")
        return result

    return call
