"""The forms of the files and results that others may write or read, as JSON Schema."""

from collections.abc import Mapping
from importlib import import_module
from typing import Any

from keenlattice.errors import UnknownName

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
