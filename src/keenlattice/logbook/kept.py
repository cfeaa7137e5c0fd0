"""Studies in the logbook: what was planned, and every run as soon as it is played, so that none is ever lost.

A study of any kind is a plan, its runs, and, once it is finished, its result.
"""

import re
from collections import Counter
from collections.abc import Mapping
from dataclasses import replace
from typing import TYPE_CHECKING, Any, Literal

from keenlattice.logbook import _rows as read
from keenlattice.logbook._rows import as_json, check_row
from keenlattice.logbook.book import Logbook
from keenlattice.logbook.file import now
from keenlattice.quickly import dataclass

if TYPE_CHECKING:
    from keenlattice.measure.capture import Capture


KIND = re.compile(r"[a-z]{1,20}")
TAKEN_BACK = "its player took it back"
"""Why a run does not count that went well, as far as anybody can tell."""

@dataclass(frozen=True)
class KeptRun:
    """One run of a study, as the logbook has it: `file` is its capture's, "" if nothing was recorded."""

    place: int
    arm: str
    seed: int
    file: str
    excluded: str


@dataclass(frozen=True)
class Study:
    """A study: `plan` and `result` as its kind has them, JSON types only; `result` is None until it is finished."""

    number: int
    time: str
    rig: str
    kind: str
    plan: dict[str, Any]
    result: dict[str, Any] | None


def start_study(book: Logbook, rig: str, kind: str, plan: Mapping[str, Any], before: str, after: str) -> Study:
    """Writes down what is planned, before the first run.

    Args:
        before, after: the references of the first and the last version that it is about, by which it is found.
    """
    time = now()
    number = book.keep("studies", study_in, {"time": time, "rig": rig, "kind": kind, "plan": dict(plan), "result": None,
                                             "before": before, "after": after})
    return Study(number, time, rig, kind, dict(plan), None)


def replan(book: Logbook, study: Study, plan: Mapping[str, Any]) -> Study:
    """Write down a study's plan again, and return the study with it."""
    _rewrite(book, study, "plan", plan)
    return replace(study, plan=dict(plan))


def _rewrite(book: Logbook, study: Study, column: Literal["plan", "result"], content: Mapping[str, Any]) -> None:
    kept = as_json(column, dict(content))
    check_row("studies", lambda row: read.table_in(row, column, finite=column == "plan"), {column: kept})
    book.update(f"UPDATE studies SET {column} = ? WHERE number = ?", kept, study.number)


def add_run(book: Logbook, study: Study, run: KeptRun) -> None:
    """Writes down a run that was played, whether it counts or not."""
    book.keep("runs", run_in, {"study": study.number, "place": run.place, "arm": run.arm, "seed": run.seed,
                               "file": run.file, "excluded": run.excluded})


def finish_study(book: Logbook, study: Study, result: Mapping[str, Any]) -> None:
    """Writes down what came out."""
    _rewrite(book, study, "result", result)


def studies(book: Logbook, rig: str, *kinds: str, number: int | None = None, finished: bool | None = None,
            most: int = -1) -> list[Study]:
    """Return the studies on a rig, the newest first.

    Args:
        kinds: only of these, if any is given.
        number: only that one.
        finished: only those that are, or are not.
        most: how many at most; -1 for all.
    """
    where, values = ["rig = ?"], list[object]([rig])
    if kinds:
        where.append(f"kind IN ({', '.join('?' * len(kinds))})")
        values += kinds
    if number is not None:
        where.append("number = ?")
        values.append(number)
    if finished is not None:
        where.append(f"result IS {'NOT ' * finished}NULL")
    return book.rows(study_in, f"SELECT * FROM studies WHERE {' AND '.join(where)} ORDER BY number DESC LIMIT ?",
                     *values, most)


def trials_between(book: Logbook, before: str, after: str) -> list[Study]:
    """The trials of two versions (their references) that are finished, on whatever rig, the newest first."""
    return book.rows(study_in, "SELECT * FROM studies WHERE before = ? AND after = ? AND kind = 'trial' "
                     "AND result IS NOT NULL ORDER BY number DESC", before, after)


def study_in(row: read.BookRow) -> Study:
    """The study that a row of the table holds."""
    return Study(read.whole(row, "number"), read.text(row, "time", read.TIME), read.text(row, "rig", read.RIG),
                 read.text(row, "kind", KIND), read.table_in(row, "plan"),
                 None if row["result"] is None else read.table_in(row, "result", finite=False))


def runs_of(book: Logbook, study: Study) -> list[KeptRun]:
    """The runs of a study, in the order in which they were played."""
    return book.rows(run_in, "SELECT * FROM runs WHERE study = ? ORDER BY rowid", study.number)


def run_in(row: read.BookRow) -> KeptRun:
    return KeptRun(read.whole(row, "place"), read.text(row, "arm"), read.whole(row, "seed"),
                   read.text(row, "file", read.FILE_NAME) if row["file"] != "" else "", read.text(row, "excluded"))


def done_of(book: Logbook, study: Study) -> "dict[int, Capture]":
    """The captures of the runs that count, by their place in the plan."""
    return {run.place: book.capture(run.file) for run in runs_of(book, study) if not run.excluded}


def failed_of(book: Logbook, study: Study, times: int) -> "dict[int, Capture]":
    """A capture without frames for every place at which runs went wrong this many times and none counts; for no place,
    if that is 0."""
    import numpy as np

    from keenlattice.measure.capture import Capture

    runs = runs_of(book, study)
    counted = {run.place for run in runs if not run.excluded}
    wrong = Counter(run.place for run in runs if run.excluded not in ("", TAKEN_BACK))
    return {run.place: Capture(np.empty(0), about={"excluded": run.excluded}) for run in runs
            if times and run.place not in counted and wrong[run.place] >= times}


def take_back_run(book: Logbook, study: Study) -> int | None:
    """The newest run that counts counts no longer; returns its place, None if there is none."""
    counted = [run for run in runs_of(book, study) if not run.excluded]
    if not counted:
        return None
    book.update("UPDATE runs SET excluded = ? WHERE study = ? AND place = ? AND excluded = ''", TAKEN_BACK,
                study.number, counted[-1].place)
    return counted[-1].place
