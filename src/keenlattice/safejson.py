"""JSON that somebody else may have written: whatever is wrong with it is one kind of error."""

import json
from collections.abc import Mapping
from importlib import import_module
from typing import Any, NoReturn

from keenlattice.errors import UnknownName

DEEPEST = 60


def parse_json(text: str | bytes, *, finite: bool = True) -> Any:
    """What a JSON text holds.

    Args:
        finite: whether NaN and the infinities, which JSON itself does not have, are refused.

    Raises:
        ValueError: it is none, or is nested deeper than DEEPEST.
    """
    try:
        content = json.loads(text, parse_constant=_refuse if finite else None)
    except RecursionError:
        raise ValueError("nested too deep") from None
    _check_depth(content)
    return content


def _refuse(constant: str) -> NoReturn:
    raise ValueError(f"{constant} is not a JSON number")


def _check_depth(content: Any) -> None:
    level = [content]
    for _ in range(DEEPEST):
        level = [inner for value in level if isinstance(value, dict | list)
                 for inner in (value.values() if isinstance(value, dict) else value)]
        if not level:
            return
    raise ValueError("nested too deep")


FORMS: Mapping[str, tuple[str, tuple[str, str]]] = {
    "pack": ("A pack (TOML)", ("profile.pack", "Pack")),
    "setting": ("A setting of a catalog file (TOML)", ("catalog.model", "Setting")),
    "column-map": ("A column map", ("measure.columns", "ColumnMap")),
    "finding": ("A finding of the checks", ("profile.checks", "Finding")),
    "metric": ("A metric of a trial", ("study.trial.result", "MetricResult")),
    "trial": ("A trial", ("study.trial.result", "Trial")),
    "screen": ("A screen", ("study.screen.result", "Screen")),
    "hunt": ("A hunt", ("study.hunt.plan", "Hunt")),
    "tune": ("A tuning", ("study.tune.plan", "Tuning")),
    "ramp": ("A ramp", ("study.ramp.plan", "Ramp")),
    "blind": ("A blind test", ("study.blind.plan", "Blind")),
    "evidence": ("A record of evidence (JSON)", ("study.pool.evidence", "EvidenceRecord")),
    "pool": ("A pool", ("study.pool.result", "Pool")),
}
"""Name to title, and the model that is the form."""


def schema(name: str) -> dict[str, Any]:
    """The JSON Schema of a form (draft 2020-12).

    Raises:
        UnknownName: there is no such form.
    """
    from pydantic import TypeAdapter

    if name not in FORMS:
        raise UnknownName("form", name, FORMS)
    home, model = FORMS[name][1]
    return TypeAdapter(getattr(import_module(f"keenlattice.{home}"), model)).json_schema()
