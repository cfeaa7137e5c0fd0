"""An installed rig is somebody else's code: whatever it raises, or returns instead of what it should, is one line."""

from collections.abc import Callable, Mapping, Sequence
from functools import wraps
from typing import TYPE_CHECKING, Any

from keenlattice.errors import KeenLatticeError, RigError

if TYPE_CHECKING:
    from keenlattice.rig.base import Rig


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
