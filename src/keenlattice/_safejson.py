"""JSON that somebody else may have written: whatever is wrong with it is one kind of error."""

import json
from typing import Any, NoReturn

DEEPEST = 60


def parse_json(text: str | bytes, *, finite: bool = True) -> Any:
    """What a JSON text holds.

    Args:
        finite: whether NaN and the infinities, which JSON itself does not have, are refused.

    Raises:
        ValueError: it is none, or is nested deeper than DEEPEST.
    """
    try:
        found = json.loads(text, parse_constant=_refuse if finite else None)
    except RecursionError:
        raise ValueError("nested too deep") from None
    _check_depth(found)
    return found


def _refuse(constant: str) -> NoReturn:
    raise ValueError(f"{constant} is no number of JSON")


def _check_depth(found: Any) -> None:
    level = [found]
    for _ in range(DEEPEST):
        level = [inner for one in level if isinstance(one, dict | list)
                 for inner in (one.values() if isinstance(one, dict) else one)]
        if not level:
            return
    raise ValueError("nested too deep")
