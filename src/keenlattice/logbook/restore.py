"""Restore points: what places of a rig held before something was done to it, and what was left there.

They say what an undo writes on this machine, so they lie among the user's state, a file each, named by a token; the
logbook has the token alone.
"""

import json
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path

from keenlattice._files import read_bounded, replace_file
from keenlattice._safejson import parse_json
from keenlattice._state_folder import make_private, state_folder
from keenlattice.errors import BookError

MOST_BYTES = 256 * 2**20


@dataclass(frozen=True)
class RestorePoint:
    """What a change has touched.

    Args:
        before: place to what it held before, in base64; None if nothing was there.
        left: place to the fingerprint of what was left there.
    """

    before: Mapping[str, str | None]
    left: Mapping[str, str]


NOTHING = RestorePoint({}, {})


def _file(token: str) -> Path:
    return state_folder() / "restore-points" / f"{token}.json"


def keep_point(token: str, point: RestorePoint) -> None:
    """Keeps a restore point.

    Raises:
        BookError: it cannot be written.
    """
    path = _file(token)
    try:
        make_private(path.parent)
        replace_file(path, json.dumps({"before": dict(point.before), "left": dict(point.left)}).encode())
    except OSError as error:
        raise BookError(f"cannot keep the restore point {path}: {error.strerror}; another folder for your state can be "
                        "given in the environment, as KEEN_STATE") from None


def kept_point(token: str, title: str) -> RestorePoint:
    """The restore point of that token; an empty one where nothing was written.

    Args:
        title: what it is of, for the message.

    Raises:
        BookError: it is not on this machine, or damaged.
    """
    if not token:
        return NOTHING
    path = _file(token)
    try:
        content = read_bounded(path, MOST_BYTES)
        if content is None:
            raise BookError(f"the restore point of {title} is not on this machine ({path}): it cannot be undone from "
                            "here; `keen apply` puts a version on")
        told = parse_json(content)
        point = RestorePoint(dict(told["before"]), dict(told["left"]))
        texts = [*point.before, *point.left, *point.left.values(), *(one for one in point.before.values()
                                                                    if one is not None)]
        if not all(isinstance(one, str) for one in texts):
            raise ValueError
    except OSError as error:
        raise BookError(f"cannot read the restore point {path}: {error.strerror}") from None
    except (ValueError, KeyError, TypeError):
        raise BookError(f"the restore point {path} is damaged: {title} cannot be undone byte for byte; `keen drift` "
                        "says what the rig holds") from None
    return point
